//! A second process beside a change on probation: where the one that carries it is lost, this one goes on.

use super::live::Live;
use super::observer::{Finished, Observer};
use super::prepare::Saved;
use super::recorder::Recorder;
use super::steps::RunContext;
use crate::error::Error;
use crate::locks::{Locks, Thing};
use crate::state::State;
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
    let on_probation = |state: &State| {
        let last = state.last_change(world.disk(), daemon)?;
        Ok::<_, Error>(last.filter(|(.., stage)| *stage == Stage::Probation))
    };
    let Some((entry, plan, _)) = on_probation(state)? else { return Ok(None) };
    let mut things: Vec<Thing> = plan.files.iter().map(|file| Thing::file(&file.path)).collect();
    things.extend(Thing::service(&plan.service));
    things.push(Thing::changes(&state.of_daemon(daemon)));
    let _locks = Locks::take(&things, &format!("change {}, on probation", entry.number))?;
    // Read again: whoever held the locks before may have brought it to its end.
    let Some((entry, plan, _)) = on_probation(state)? else { return Ok(None) };
    let mut live = Live::new(
        RunContext { world, state, recorder: Recorder::new(world, observer, daemon) },
        Saved { entry, plan, contents: Vec::new() },
    );
    let so_far = live.entry.so_far(world.disk(), live.cx.recorder.report().clone());
    live.cx.recorder.redact_with(super::recover::redactor_of(world, &live.entry, &live.plan));
    live.cx.recorder.continue_from(so_far);
    live.cx.recorder.record_in(live.entry.folder.clone());
    Ok(Some(live.carry(Change::await_again())))
}
