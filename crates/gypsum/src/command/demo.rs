//! `gypsum demo`.

use super::Context;
use crate::target::NoTarget;
use gypsum_core::exit_status::ExitStatus;
use gypsum_host::error::Error;

pub fn run(context: &Context, keep: bool) -> Result<ExitStatus, NoTarget> {
    let program = std::env::current_exe()
        .map_err(|error| Error::cannot(format!("the own program is gone: {error}")))?;
    let profile = gypsum_core::profile::built_in(gypsum_demo::DAEMON).map_or("", |one| one.text);
    let mut lines = Vec::new();
    let mut say = |line: &str| match context.out.json {
        true => lines.push(line.to_owned()),
        false => context.out.print(line),
    };
    let walked = gypsum_demo::walk(&program, profile, keep, &mut say)
        .map_err(|why| Error::cannot(format!("the demonstration cannot go on: {why}")))?;
    let status = if walked { ExitStatus::Success } else { ExitStatus::NotRun };
    context.answer(status, serde_json::json!({ "as_announced": walked, "lines": lines }));
    Ok(status)
}
