//! `gypsum setup`: what of Gypsum is installed on request, one part a file.

mod boot;
mod completions;
mod manual;
mod package_files;
mod packages;

use super::Context;
use crate::args::SetupCommand;
use crate::target::NoTarget;
use gypsum_core::exit_status::ExitStatus;
use gypsum_host::error::Error;
use std::path::PathBuf;

/// Where something is installed: for root at the place of the host, for another account in its home folder.
fn place(of_host: &str, of_person: &str) -> Result<PathBuf, Error> {
    if rustix::process::geteuid().is_root() {
        return Ok(of_host.into());
    }
    let home = std::env::var_os("HOME").filter(|home| !home.is_empty());
    let home =
        home.ok_or_else(|| Error::cannot("HOME is not set, so there is no home folder to write to"))?;
    Ok(PathBuf::from(home).join(of_person))
}

pub fn run(context: &Context, what: &SetupCommand) -> Result<ExitStatus, NoTarget> {
    match what {
        SetupCommand::Boot(asked) => boot::boot(context, asked),
        SetupCommand::Completions(asked) => completions::completions(context, asked),
        SetupCommand::Manual(asked) => manual::manual(context, asked),
        SetupCommand::PackageFiles(asked) => package_files::package_files(context, asked),
        SetupCommand::Packages(asked) => packages::packages(context, asked),
    }
}
