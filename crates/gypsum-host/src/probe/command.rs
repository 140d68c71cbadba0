//! A command: its exit status, and what it prints.

use super::ProbeError;
use crate::children;
use gypsum_core::probe::Command;
use std::time::Duration;

pub fn probe(command: &Command, limit: Duration) -> Result<String, ProbeError> {
    let Command { run: argv, status, expect } = command;
    let ran = run(argv, limit)?;
    if ran.status != Some(*status) {
        let got = ran.status.map_or("a signal".to_owned(), |status| format!("status {status}"));
        let words = ran.last_words();
        let said = if words.is_empty() { String::new() } else { format!(": {words}") };
        return Err(format!("ended with {got}, expected status {status}{said}").into());
    }
    if expect.is_empty() {
        return Ok(format!("ended with status {status}"));
    }
    let text = if expect.is.is_some() { last_line(&ran.out) } else { &ran.out };
    Ok(expect.judge("what it prints", text)?)
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
