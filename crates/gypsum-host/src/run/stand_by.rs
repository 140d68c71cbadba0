//! A second process beside a change on probation: where the one that carries it is lost, this one goes on.

use super::observer::{Finished, Observer};
use super::recover::{reopened, take_open};
use crate::error::Error;
use crate::state::{Entry, State};
use crate::world::World;
use gypsum_core::change::{Change, Stage};
use std::time::Duration;

/// How often it looks.
const LOOK: Duration = Duration::from_secs(1);

/// Stands by until the change of `daemon` on probation has ended, or takes it over.
///
/// # Errors
///
/// If its records cannot be read.
pub fn stand_by(
    world: &dyn World,
    state: &State,
    observer: &mut dyn Observer,
    daemon: &str,
) -> Result<(), Error> {
    loop {
        match go_on_with_probation(world, state, observer, daemon) {
            Ok(_) => return Ok(()),
            Err(Error::Busy { .. }) => world.sleep(LOOK),
            Err(error) => return Err(error),
        }
    }
}

/// Goes on with a change on probation that nobody carries, to its end; none where there is none.
///
/// # Errors
///
/// If another process carries it, or its records cannot be read.
pub fn go_on_with_probation(
    world: &dyn World,
    state: &State,
    observer: &mut dyn Observer,
    daemon: &str,
) -> Result<Option<Finished>, Error> {
    let is_meant = |stage| stage == Stage::Probation;
    let holder = |entry: &Entry| format!("change {}, on probation", entry.number);
    let taken = take_open(world, state, daemon, is_meant, holder, true)?;
    Ok(taken.map(|(_locks, entry, plan, _)| {
        let mut live = reopened(world, state, observer, entry, plan);
        let so_far = live.entry.so_far(world.disk(), live.cx.recorder.report().clone());
        live.cx.recorder.continue_from(so_far);
        live.cx.recorder.record_in(live.entry.folder.clone());
        live.carry(Change::await_again())
    }))
}
