//! The early part of a start of the host: the files of an open change are put back, and nothing else is touched.

use super::live::Live;
use super::observer::Nobody;
use super::prepare::Saved;
use super::recover::take_open;
use crate::disk::Disk;
use crate::error::Error;
use crate::moment::Moment;
use crate::state::State;
use crate::world::World;
use gypsum_core::change::{Change, Order, Stage, StepOutcome};
use std::io;
use std::path::Path;
use std::time::Duration;

/// Puts the files of the open change of `daemon` back, if anything of it may be live. No service
/// manager is asked or told anything: it may be waiting for this.
///
/// # Errors
///
/// If the records do not tell, another process has the change, or a file cannot be put back.
pub fn put_files_back(world: &dyn World, state: &State, daemon: &str, who: &str) -> Result<(), Error> {
    let taken = take_open(world, state, daemon, is_to_be_restored, |_| who.to_owned(), false)?;
    let Some((_locks, entry, plan, stage)) = taken else { return Ok(()) };
    let mut nobody = Nobody;
    let mut live = Live::at(world, state, &mut nobody, Saved { entry, plan, contents: Vec::new() });
    let restoring = Change::resume(stage);
    live.record(&restoring)?;
    let notes = live.files().put_back()?;
    live.record(&restoring.next(StepOutcome::Done))?;
    note_put_back(world.disk(), &live.entry.folder);
    live.note("this host restarted during the change; the old files were restored first");
    notes.into_iter().for_each(|text| live.note(text));
    Ok(())
}

/// The note, in the folder of a change, of when its files were put back by the start of the host.
const PUT_BACK: &str = "put-back";

/// Where this cannot be noted, the service is restarted once more than it must be.
fn note_put_back(disk: &dyn Disk, folder: &Path) {
    let path = folder.join(PUT_BACK);
    let noted = || -> io::Result<()> {
        disk.remove(&path)?;
        disk.create(&path, &serde_json::to_vec(&Moment::after(Duration::ZERO))?, None)
    };
    if let Err(error) = noted() {
        tracing::warn!(%error, "it cannot be noted when files were restored");
    }
}

/// When this start of the host put the files of the change in `folder` back, in milliseconds since it began; none if it
/// did not.
pub(super) fn put_back_at(disk: &dyn Disk, folder: &Path) -> Option<u64> {
    let noted = disk.read(&folder.join(PUT_BACK)).unwrap_or_default()?;
    // What cannot be read is no note: then the service is restarted.
    serde_json::from_slice::<Moment>(&noted).ok()?.in_this_start()
}

/// Whether a change at this stage is restored where nobody carries it: new files of it may be live. One that is stuck waits
/// for a person.
fn is_to_be_restored(stage: Stage) -> bool {
    !matches!(stage, Stage::Closed(_)) && Change::resume(stage).order() == Some(Order::Restore)
}
