//! What this program does when the host starts, and nobody looks on: the units of `gypsum setup boot` run it.

use gypsum_core::exit_status::ExitStatus;
use gypsum_host::boot::{early, late};
use gypsum_host::error::Error;
use gypsum_host::run::Nobody;
use gypsum_host::state::State;

/// Does the part of this name; the exit status of the process.
pub fn enter(words: &[String]) -> u8 {
    let part = |state: &State| match words {
        [word] if word == "early" => early(state).map(|()| ExitStatus::Success),
        [word] if word == "late" => late(state, &mut Nobody),
        _ => Err(Error::usage("this is run when the host starts: gypsum setup boot")),
    };
    match State::at(None).and_then(|state| part(&state)) {
        // Restored is what was wanted of it.
        Ok(ExitStatus::Success | ExitStatus::Restored | ExitStatus::Unproven) => 0,
        Ok(status) => status.code(),
        Err(error) => {
            eprintln!("gypsum: {error}");
            error.status().code()
        }
    }
}
