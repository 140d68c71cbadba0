//! `gypsum demo`.

use super::Context;
use crate::target::NoTarget;
use gypsum_core::exit_status::ExitStatus;
use gypsum_host::error::Error;

pub fn run(context: &Context, keep: bool) -> Result<ExitStatus, NoTarget> {
    let program = std::env::current_exe()
        .map_err(|error| Error::cannot(format!("the own program is gone: {error}")))?;
    let profile = gypsum_core::profile::built_in(gypsum_demo::DAEMON).map_or("", |one| one.text);
    let mut say = |line: &str| context.out.line(line);
    match gypsum_demo::walk(&program, profile, keep, &mut say) {
        Ok(true) => Ok(ExitStatus::Success),
        Ok(false) => Ok(ExitStatus::NotRun),
        Err(why) => Err(Error::cannot(format!("the demonstration cannot go on: {why}")).into()),
    }
}
