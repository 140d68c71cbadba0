//! A command: its exit status, and what it prints.

use crate::children;
use gypsum_core::probe::Expect;
use std::time::Duration;

pub fn probe(argv: &[String], status: i32, expect: &Expect, limit: Duration) -> Result<String, String> {
    let ran = run(argv, limit)?;
    if ran.status != Some(status) {
        let got = ran.status.map_or("a signal".to_owned(), |status| format!("status {status}"));
        let words = ran.last_words();
        let said = if words.is_empty() { String::new() } else { format!(": {words}") };
        return Err(format!("ended with {got}, expected status {status}{said}"));
    }
    if expect.is_empty() {
        return Ok(format!("ended with status {status}"));
    }
    expect.judge("what it prints", &ran.out)
}

/// What a command prints where it ends well.
pub fn output(argv: &[String], limit: Duration) -> Result<String, String> {
    let ran = run(argv, limit)?;
    if ran.ok() { Ok(ran.out.trim().to_owned()) } else { Err(ran.last_words()) }
}

fn run(argv: &[String], limit: Duration) -> Result<children::Ran, String> {
    let program = argv.first().map_or("", String::as_str);
    let ran = children::run(argv, limit)
        .map_err(|error| format!("{program} cannot be run: {}", crate::trouble::plain(&error)))?;
    if ran.timed_out { Err(format!("no answer within {} ms", limit.as_millis())) } else { Ok(ran) }
}
