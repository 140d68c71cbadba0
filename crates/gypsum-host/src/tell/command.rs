//! The administrator's command: it gets the change as JSON on its standard input.

use crate::accounts;
use crate::children::{Limit, run_with_input};
use gypsum_core::settings::TellCommand;
use serde_json::Value;
use std::os::unix::process::CommandExt;
use std::process::Command;

/// Runs it.
///
/// # Errors
///
/// In words, if it cannot be run, fails, or takes too long.
pub fn run(command: &TellCommand, document: &Value) -> Result<(), String> {
    let (program, rest) = command.argv.split_first().ok_or("it names no program")?;
    let mut child = Command::new(program);
    child.args(rest).current_dir("/");
    if let Some(account) = &command.account {
        let uid = accounts::user(account).ok_or_else(|| format!("there is no account {account}"))?;
        let gid = accounts::main_group(account).unwrap_or(uid);
        // The standard library drops the other groups of root with this.
        child.uid(uid).gid(gid);
    }
    let document = serde_json::to_vec(document).map_err(|error| error.to_string())?;
    let ran = run_with_input(child, &document, Limit::of(command.limit))
        .map_err(|error| format!("{program}: {}", crate::error::plain(&error)))?;
    match ran.status {
        Some(0) => Ok(()),
        _ if ran.timed_out => Err(format!("{program} took longer than {} s", command.limit.as_secs())),
        Some(status) => Err(format!("{program} ended with status {status}: {}", ran.last_words())),
        None => Err(format!("{program} was ended by a signal")),
    }
}
