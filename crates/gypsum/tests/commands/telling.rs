//! A change that is restored while nobody looks on is told.

use crate::boards::{command, gypsum, host, said, status};
use crate::terminal::Terminal;
use gypsum_demo::Host;
use serde_json::Value;
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::process::Command;
use std::time::{Duration, Instant};

/// A value that every checker accepts, and that breaks the boards.
const BREAKS: [&str; 3] = ["change", "departures", "quay=east"];

fn set(host: &Host, settings: &str) {
    fs::write(host.settings().join("gypsum/gypsum.toml"), settings).unwrap();
}

/// A program that keeps what it gets, and ends with this status after so many seconds.
fn listener(host: &Host, status: u8, seconds: u32) -> String {
    let path = host.root().join("tell-harbour");
    let got = host.root().join("got");
    let text =
        format!("#!/bin/sh\ncat > {}\necho \"no line\" >&2\nsleep {seconds}\nexit {status}\n", got.display());
    fs::write(&path, text).unwrap();
    fs::set_permissions(&path, fs::Permissions::from_mode(0o755)).unwrap();
    path.display().to_string()
}

#[test]
fn the_administrators_command_gets_the_change_as_json() {
    let host = host();
    let program = listener(&host, 0, 0);
    set(&host, &format!("[tell]\nterminals = false\ncommand = [{program:?}, \"--boards\"]\n"));
    assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=5"])), 0);
    assert!(!host.root().join("got").exists(), "what is kept is no news");
    assert_eq!(status(&gypsum(&host, &BREAKS)), 4);
    let got: Value = serde_json::from_slice(&fs::read(host.root().join("got")).unwrap()).unwrap();
    assert_eq!((&got["verdict"], &got["change"]["number"]), (&"restored".into(), &2.into()), "{got:#}");
    assert_eq!(got["daemon"], "departures");
}

#[test]
fn a_command_that_fails_or_hangs_is_told_and_holds_nothing_up() {
    for (code, seconds, says) in [(3, 0, "ended with status 3: no line"), (0, 60, "took longer than 1 s")] {
        let host = host();
        let program = listener(&host, code, seconds);
        set(&host, &format!("[tell]\nterminals = false\ncommand = [{program:?}]\nlimit = \"1s\"\n"));
        let output = gypsum(&host, &BREAKS);
        assert_eq!(status(&output), 4);
        assert!(
            said(&host, &output).replace("\n ", "").contains("that tells how changes end failed"),
            "{}",
            said(&host, &output)
        );
        // Whoever comes next is told, too.
        let mut terminal = Terminal::of(&command(&host, &["changes", "departures"]));
        terminal.until(says);
    }
}

#[test]
fn the_next_command_at_a_terminal_says_it_once() {
    let host = host();
    assert_eq!(status(&gypsum(&host, &BREAKS)), 4);
    let elsewhere = said(&host, &gypsum(&host, &["check", "departures"]));
    assert!(!elsewhere.contains("While no terminal was attached"), "no person reads this: {elsewhere}");
    let mut terminal = Terminal::of(&command(&host, &["changes", "departures"]));
    terminal.until("While no terminal was attached: change 1 of departures by ");
    terminal.until("was restored");
    terminal.child.wait().unwrap();
    let untold = fs::read_dir(host.state().join(".untold")).unwrap().count();
    assert_eq!(untold, 0, "it was told");
    // Who looks on needs no telling.
    let mut terminal = Terminal::of(&command(&host, &["change", "departures", "quay=west", "-y"]));
    terminal.until("Restored");
    terminal.child.wait().unwrap();
    assert_eq!(fs::read_dir(host.state().join(".untold")).unwrap().count(), 0);
}

#[test]
#[ignore = "writes a line to all terminals of this machine that allow it"]
fn those_who_are_logged_in_are_told_at_their_terminals() {
    let host = host();
    set(&host, "[tell]\nterminals = true\n");
    let (mut allows, mut refuses) = (
        Terminal::of(Command::new("sh").args(["-c", "mesg y; echo ready; sleep 30"])),
        Terminal::of(Command::new("sh").args(["-c", "mesg n; echo ready; sleep 4; echo over"])),
    );
    allows.until("ready");
    refuses.until("ready");
    assert_eq!(status(&gypsum(&host, &BREAKS)), 4);
    let begun = Instant::now();
    allows.until("gypsum: change 1 of departures by ");
    assert!(begun.elapsed() < Duration::from_secs(10));
    refuses.until("over");
    assert!(!refuses.passed().contains("gypsum:"), "mesg n is kept: {}", refuses.passed());
    for mut terminal in [allows, refuses] {
        terminal.child.kill().unwrap();
    }
}
