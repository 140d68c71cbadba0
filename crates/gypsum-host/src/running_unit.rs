//! What runs is believed before the profile: the account that the service manager starts the daemon as, and the program
//! of its main process.

use crate::trust::{self, Relied};
use gypsum_core::profile::Profile;
use gypsum_core::service::Observation;
use procfs::process::Process;
use std::path::PathBuf;

/// The profile takes what was seen of the running service in place of what it says itself. A program that another
/// account could have put there is not asked by root.
pub fn believe(profile: &mut Profile, seen: &Observation) {
    // A unit's own file is read by the service manager.
    if profile.daemon.starts_with("unit:") {
        return;
    }
    // Started as another account than root it can become no other.
    if let Some(account) = &seen.started_as.account {
        profile.account = Some(account.clone());
    }
    let Some(program) = program(seen) else { return };
    match trust::open(Relied::Profile, &program) {
        Ok(_) => profile.take_program(&program.to_string_lossy()),
        Err(error) => {
            tracing::debug!(%error, program = %program.display(), "the running program is not asked")
        }
    }
}

/// The program of the main process. After an upgrade it may be gone.
fn program(seen: &Observation) -> Option<PathBuf> {
    let process = Process::new(i32::try_from(seen.main?.pid).ok()?).ok()?;
    process.exe().ok().filter(|program| program.is_file())
}
