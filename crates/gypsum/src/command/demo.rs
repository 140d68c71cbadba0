//! `gypsum demo`.

use super::Context;
use crate::target::NoTarget;
use gypsum_core::exit_status::ExitStatus;
use gypsum_host::error::Error;

pub fn run(context: &Context, keep: bool) -> Result<ExitStatus, NoTarget> {
    let program = std::env::current_exe()
        .map_err(|error| Error::cannot(format!("the own program is gone: {error}")))?;
    let profile = gypsum_core::profile::built_in(gypsum_demo::DAEMON).map_or("", |one| one.text);
    // The boards and their folder go first, whichever way it ends.
    gypsum_host::interrupt::watch()
        .and_then(|()| gypsum_host::interrupt::watch_session())
        .map_err(|error| Error::cannot(format!("signals cannot be caught: {error}")))?;
    let mut lines = Vec::new();
    let mut say = |line: &str| match context.out.json {
        true => lines.push(line.to_owned()),
        false => context.out.print(line),
    };
    let walked = gypsum_demo::walk(&program, profile, keep, &gypsum_host::interrupt::is_requested, &mut say)
        .map_err(|why| Error::cannot(format!("the demonstration ended before its end: {why}")))?;
    let status = if walked { ExitStatus::Success } else { ExitStatus::NotRun };
    context.answer(status, serde_json::json!({ "as_announced": walked, "lines": lines }));
    Ok(status)
}
