//! A throw-away host with the boards, and the program run on it.

use crate::schema::assert_schema;
use gypsum_demo::Host;
use serde_json::Value;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use std::time::{Duration, Instant};

pub fn program() -> PathBuf {
    assert_cmd::cargo::cargo_bin!("gypsum").to_owned()
}

/// A host on which everything is quick.
pub fn host() -> Host {
    let text = gypsum_core::profile::built_in(gypsum_demo::DAEMON).unwrap().text;
    let quick = text
        .replace("steady = \"400ms\"", "steady = \"60ms\"")
        .replace("patience = \"2s\"", "patience = \"300ms\"");
    assert_ne!(quick, text, "the profile has the times that are made quick");
    Host::build(&program(), &quick).unwrap()
}

/// The program with this host's profile and state.
pub fn command(host: &Host, words: &[&str]) -> Command {
    let mut command = Command::new(program());
    command
        .args(words)
        .arg("--state")
        .arg(host.state())
        .env("XDG_CONFIG_HOME", host.settings())
        .env("TZ", "UTC");
    if !matches!(
        words.first(),
        Some(&"changes" | &"recover" | &"daemons" | &"drafts" | &"demo" | &"settings" | &"keep" | &"follow")
    ) && !["--file", "--watching", "--stop"].iter().any(|option| words.contains(option))
    {
        command.arg("--profile").arg(host.profile());
    }
    command
}

pub fn gypsum(host: &Host, words: &[&str]) -> Output {
    command(host, words).output().unwrap()
}

pub fn status(output: &Output) -> i32 {
    output.status.code().unwrap()
}

/// All that it printed, with the folder's name taken out.
pub fn said(host: &Host, output: &Output) -> String {
    let text =
        format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
    text.replace(&host.root().display().to_string(), "[HOST]")
}

/// The one document that was printed, which is as the published schema says.
pub fn json(output: &Output) -> Value {
    let document =
        serde_json::from_slice(&output.stdout).unwrap_or_else(|error| panic!("{error}: {output:?}"));
    assert_schema(&document);
    assert_eq!(document["status"], status(output), "the document has the exit status: {document:#}");
    document
}

pub fn config(host: &Host) -> String {
    std::fs::read_to_string(host.config()).unwrap()
}

/// The names of all files in the folder of the configuration.
pub fn beside(path: &Path) -> Vec<String> {
    let entries = std::fs::read_dir(path.parent().unwrap()).unwrap();
    let mut names: Vec<String> =
        entries.map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect();
    names.sort();
    names
}

/// Waits until this holds.
pub fn until(what: &str, holds: impl FnMut() -> bool) {
    until_in(10, what, holds);
}

/// The same, for so many seconds at most.
pub fn until_in(seconds: u64, what: &str, mut holds: impl FnMut() -> bool) {
    let begun = Instant::now();
    while !holds() {
        assert!(begun.elapsed() < Duration::from_secs(seconds), "{what}");
        std::thread::sleep(Duration::from_millis(5));
    }
}

/// The process that has a change, as another one is told.
pub fn holder(said: &str) -> u32 {
    let (_, rest) = said.split_once("process ").unwrap_or_else(|| panic!("{said}"));
    rest.chars().take_while(char::is_ascii_digit).collect::<String>().parse().unwrap()
}

/// Sends a signal to a process that is there.
pub fn signal(name: &str, process: u32) {
    let sent = Command::new("kill").args([name, &process.to_string()]).status().unwrap();
    assert!(sent.success(), "{name} {process}");
}

/// The stages of the last change, as its journal has them.
pub fn journal(host: &Host) -> String {
    let folders = std::fs::read_dir(host.state().join("departures")).into_iter().flatten().flatten();
    let mut journals: Vec<_> =
        folders.map(|entry| entry.path().join("journal")).filter(|path| path.exists()).collect();
    journals.sort();
    journals.last().and_then(|path| std::fs::read_to_string(path).ok()).unwrap_or_default()
}
