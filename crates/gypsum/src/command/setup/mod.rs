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

pub fn run(context: &Context, what: &SetupCommand) -> Result<ExitStatus, NoTarget> {
    match what {
        SetupCommand::Boot(asked) => boot::boot(context, asked),
        SetupCommand::Completions(asked) => completions::completions(context, asked),
        SetupCommand::Manual(asked) => manual::manual(context, asked),
        SetupCommand::PackageFiles(asked) => package_files::package_files(context, asked),
        SetupCommand::Packages(asked) => packages::packages(context, asked),
    }
}
