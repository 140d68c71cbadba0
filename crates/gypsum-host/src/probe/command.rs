//! A command: its exit status, and a text that it prints.

use crate::children;
use std::time::Duration;

pub fn probe(argv: &[String], status: i32, prints: Option<&str>, limit: Duration) -> Result<String, String> {
    let program = argv.first().map_or("", String::as_str);
    let ran = children::run(argv, limit)
        .map_err(|error| format!("{program} cannot be run: {}", crate::trouble::plain(&error)))?;
    if ran.timed_out {
        return Err(format!("no answer within {} ms", limit.as_millis()));
    }
    if ran.status != Some(status) {
        let got = ran.status.map_or("a signal".to_owned(), |status| format!("status {status}"));
        let words = ran.last_words();
        let said = if words.is_empty() { String::new() } else { format!(": {words}") };
        return Err(format!("ended with {got}, expected status {status}{said}"));
    }
    match prints {
        Some(text) if !ran.out.contains(text) => Err(format!("did not print {text:?}")),
        Some(text) => Ok(format!("printed {text:?}")),
        None => Ok(format!("ended with status {status}")),
    }
}
