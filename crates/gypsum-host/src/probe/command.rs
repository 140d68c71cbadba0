//! A command: its exit status, and what it prints.

use super::{ProbeContext, ProbeError};
use crate::children;
use crate::service;
use gypsum_core::probe::{Answer, Command};
use std::time::Duration;

pub fn probe(command: &Command, scene: &ProbeContext, limit: Duration) -> Result<String, ProbeError> {
    let Command { status, expect, .. } = command;
    let ran = ended_well(command, scene, limit)?;
    if expect.is_empty() {
        return Ok(format!("ended with status {status}"));
    }
    let text = if expect.is.is_some() { last_line(&ran.out) } else { &ran.out };
    Ok(expect.judge("what it prints", text)?)
}

/// What it says, as far as that is compared with what it said before. It may be a client that starts a service that is
/// down, so it asks only one that is up.
pub fn answers(command: &Command, scene: &ProbeContext, limit: Duration) -> Result<Vec<Answer>, ProbeError> {
    if service::exists(&scene.service) && !scene.look().state.is_up() {
        return Err("the service does not run".into());
    }
    Ok(command.answers(&ended_well(command, scene, limit)?.out))
}

/// It as it ended, with the status that it must have.
fn ended_well(command: &Command, scene: &ProbeContext, limit: Duration) -> Result<children::Ran, ProbeError> {
    let Command { run: argv, status, .. } = command;
    let ran = run(&service::as_its_user(&scene.service, argv), limit)?;
    if ran.status != Some(*status) {
        let got = ran.status.map_or("a signal".to_owned(), |status| format!("status {status}"));
        let words = ran.last_words();
        let said = if words.is_empty() { String::new() } else { format!(": {words}") };
        return Err(format!("ended with {got}, expected status {status}{said}").into());
    }
    Ok(ran)
}

/// The last line that a command prints, where it ends well: some print the name before the value.
pub fn value(argv: &[String], limit: Duration) -> Result<String, ProbeError> {
    let ran = run(argv, limit)?;
    if ran.ok() { Ok(last_line(&ran.out).to_owned()) } else { Err(ran.last_words().into()) }
}

fn last_line(text: &str) -> &str {
    let lines: Vec<&str> = text.strip_suffix('\n').unwrap_or(text).split('\n').collect();
    match lines.as_slice() {
        // A name, and an empty value behind it.
        [name, empty] if !name.trim().is_empty() && empty.trim().is_empty() => "",
        lines => lines.iter().rev().map(|line| line.trim()).find(|line| !line.is_empty()).unwrap_or_default(),
    }
}

fn run(argv: &[String], limit: Duration) -> Result<children::Ran, ProbeError> {
    let program = argv.first().map_or("", String::as_str);
    let ran = children::run_interruptible(argv, limit)
        .map_err(|source| ProbeError::NotRun { program: program.to_owned(), source })?;
    if ran.timed_out { Err(ProbeError::TimedOut(limit)) } else { Ok(ran) }
}

#[cfg(test)]
mod tests {
    use super::last_line;

    /// C17: an empty value is empty, and not the name before it.
    #[test]
    fn the_value_is_the_last_line() {
        assert_eq!(last_line("requirepass\n\n"), "");
        assert_eq!(last_line("maxmemory\n64\n"), "64");
        assert_eq!(last_line("64\n"), "64");
        assert_eq!(last_line("a\nb\n64\n\n"), "64");
    }
}
