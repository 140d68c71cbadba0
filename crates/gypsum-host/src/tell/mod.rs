//! Telling people who did not look on how a change ended: those who are logged in, a command of the administrator's, and
//! whoever runs `gypsum` next. The host's log is told of every change (`host_log.rs`).

mod command;
mod notices;
mod terminals;

pub use notices::{Notice, take_notices};

use crate::settings::SettingsFiles;
use crate::state::State;
use gypsum_core::change::Verdict;
use gypsum_core::report::{Report, SCHEMA};
use serde_json::{Value, json};

/// Tells all of them how a change ended; returns what could not be told, a sentence each.
pub fn tell(state: &State, report: &Report, number: u32) -> Vec<String> {
    let name = format!("{}-{number}", report.daemon);
    tell_all(state, &name, &message(report, number), &report.document())
}

/// Tells all of them that what was watched after a change failed.
pub fn tell_watch(state: &State, daemon: &str, change: u32, watch: u32, message: &str) -> Vec<String> {
    let document = json!({
        "schema": SCHEMA, "daemon": daemon, "change": { "number": change }, "watch": watch, "summary": message,
    });
    tell_all(state, &format!("watch-{watch}"), message, &document)
}

fn tell_all(state: &State, name: &str, message: &str, document: &Value) -> Vec<String> {
    let settings = SettingsFiles::load().settings();
    let mut failed = Vec::new();
    if settings.terminals {
        terminals::write_to_all(message);
    }
    if let Some(command) = &settings.command
        && let Err(why) = command::run(command, document)
    {
        failed.push(format!("the command that tells how changes end failed: {why}"));
    }
    let notice = Notice { message: message.to_owned(), failed: failed.first().cloned() };
    if let Err(error) = notices::leave(state, name, &notice) {
        failed.push(format!("nothing can be left for the next command: {error}"));
    }
    failed
}

/// How the change ended, in one line.
fn message(report: &Report, number: u32) -> String {
    let daemon = &report.daemon;
    let reason = report.reason.as_ref().map_or_else(String::new, |reason| format!(" because {reason}"));
    let ended = match report.verdict {
        Some(Verdict::Stuck) => {
            format!("is stuck{reason}; a person is needed: gypsum recover {daemon}")
        }
        Some(Verdict::Restored) => format!("was restored{reason}: {}", report.summary),
        Some(Verdict::Kept | Verdict::Refused | Verdict::Unchanged | Verdict::Dropped) | None => {
            format!("ended: {}", report.summary)
        }
    };
    format!("change {number} of {daemon} by {} {ended} (gypsum changes {daemon} {number})", report.who)
}
