//! The two parts of a start: the early one puts files back and calls no service manager; the late one does the rest.

use crate::error::Error;
use crate::marks::Marks;
use crate::run::{Finished, Observer, put_files_back, recover};
use crate::service;
use crate::state::State;
use crate::watching;
use crate::world::{RealWorld, World};
use gypsum_core::change::Plan;
use gypsum_core::exit_status::ExitStatus;
use std::time::Duration;

/// Who carries a change when the host starts, for its record.
const WHO: &str = "the start of this host";
/// So long the late part waits for services that the manager still starts.
const STARTS: Duration = Duration::from_secs(60);
/// How often it looks.
const LOOK: Duration = Duration::from_millis(250);

/// Puts the files of all open changes back, before their daemons start.
///
/// # Errors
///
/// The last of what went wrong. Every other change is seen to all the same.
pub fn early(state: &State) -> Result<(), Error> {
    let Some(marks) = Marks::of(state) else { return Ok(()) };
    let world = RealWorld::new().map_err(Error::because)?;
    let mut done = Ok(());
    for daemon in marks.daemons()? {
        if let Err(error) = put_files_back(&world, state, &daemon, WHO) {
            eprintln!("gypsum: {daemon}: {error}");
            done = Err(error);
        }
    }
    done
}

/// Brings every open change to its verdict, once its service had time to start; the worst exit status.
///
/// # Errors
///
/// If the marks cannot be read. What goes wrong with one change is printed, and the others are seen to.
pub fn late(state: &State, observer: &mut dyn Observer) -> Result<ExitStatus, Error> {
    let Some(marks) = Marks::of(state) else { return Ok(ExitStatus::Success) };
    let world = RealWorld::new().map_err(Error::because)?;
    watching::start_all(state)?;
    let mut worst = ExitStatus::Success;
    for daemon in marks.daemons()? {
        // What cannot be read is told by the recovery.
        if let Ok(Some((_, plan, _))) = state.last_change(world.disk(), &daemon) {
            wait_for(&world, &plan);
        }
        match recover(&world, state, observer, &daemon, WHO) {
            Ok(Some(Finished { status, .. })) => worst = worst.max_by_code(status),
            // It ended before the host did, and only its mark came back.
            Ok(None) => {
                if let Err(error) = marks.clear(world.disk(), &daemon) {
                    tracing::warn!(%error, "the mark of a change that ended stays");
                }
            }
            Err(error) => {
                eprintln!("gypsum: {daemon}: {error}");
                worst = worst.max_by_code(error.status());
            }
        }
    }
    Ok(worst)
}

/// Waits while the manager starts the service: one that was up before comes up again with the host.
fn wait_for(world: &dyn World, plan: &Plan) {
    use gypsum_core::service::State::{
        BackingOff, Exited, Failed, Gone, Missing, Reloading, Running, Starting, Stopped, Stopping,
        Unreachable,
    };
    let was_up = plan.service_before.as_ref().is_some_and(|before| before.state.is_up());
    if !was_up || !service::exists(&plan.service) {
        return;
    }
    // The late part comes after all that systemd starts; another manager may be at work still.
    let is_systemd = service::systemd_of(&plan.service).is_some();
    let begun = world.uptime();
    while world.uptime().saturating_sub(begun) < STARTS && !world.interrupted() {
        let goes_on = match world.observe(&plan.service).state {
            Running | Exited => false,
            Starting | Reloading | Stopping | BackingOff => true,
            Gone | Stopped | Failed | Missing | Unreachable => !is_systemd,
        };
        if !goes_on {
            return;
        }
        world.sleep(LOOK);
    }
}
