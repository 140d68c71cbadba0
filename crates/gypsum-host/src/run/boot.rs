//! The early part of a start of the host: the files of an open change are put back, and nothing else is touched.

use super::live::Live;
use super::observer::Observer;
use super::prepare::Saved;
use crate::disk::Disk;
use crate::error::Error;
use crate::journal::Journal;
use crate::locks::{Locks, Thing};
use crate::moment::Moment;
use crate::state::State;
use crate::world::World;
use gypsum_core::change::Stage;
use gypsum_core::event::Event;
use std::io;
use std::path::Path;
use std::time::Duration;

/// Nobody looks on while a host starts.
struct Nobody;

impl Observer for Nobody {
    fn on_event(&mut self, _event: &Event) {}

    fn confirm(&mut self) -> bool {
        true
    }
}

/// Puts the files of the open change of `daemon` back, if anything of it may be live; whether there was one. No service
/// manager is asked or told anything: it may be waiting for this.
///
/// # Errors
///
/// If the records do not tell, another process has the change, or a file cannot be put back.
pub fn put_files_back(world: &dyn World, state: &State, daemon: &str, who: &str) -> Result<bool, Error> {
    let Some((entry, plan, stage)) = state.last_change(world.disk(), daemon)? else { return Ok(false) };
    if !may_be_live(stage) {
        return Ok(false);
    }
    let mut things: Vec<Thing> = plan.files.iter().map(|file| Thing::file(&file.path)).collect();
    things.push(Thing::changes(&state.of_daemon(daemon)));
    let _locks = Locks::take(&things, who)?;
    let mut nobody = Nobody;
    let mut live = Live::at(world, state, &mut nobody, Saved { entry, plan, contents: Vec::new() });
    let record = |live: &Live<'_>, stage| {
        let folder = &live.entry.folder;
        let written = Journal::of(folder).write(world.disk(), stage, None, world.now_ms());
        written.map_err(|error| Error::file("write the journal in", folder, error))
    };
    // A journal that cannot be written never stops a restore: the files themselves tell.
    if let Err(error) = record(&live, Stage::Restoring) {
        tracing::warn!(message = error.to_string(), "a restore is not recorded");
    }
    let notes = live.files().put_back()?;
    record(&live, Stage::FilesRestored)?;
    note_put_back(world.disk(), &live.entry.folder);
    live.note("this host was started anew in the middle of the change; its old files were put back first");
    notes.into_iter().for_each(|text| live.note(text));
    Ok(true)
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
        tracing::warn!(%error, "it cannot be noted when files were put back");
    }
}

/// When this start of the host put the files of the change in `folder` back, in milliseconds since it began; none if it
/// did not.
pub(super) fn put_back_at(disk: &dyn Disk, folder: &Path) -> Option<u64> {
    let noted = disk.read(&folder.join(PUT_BACK)).unwrap_or_default()?;
    // What cannot be read is no note: then the service is restarted.
    serde_json::from_slice::<Moment>(&noted).ok()?.in_this_start()
}

/// Whether new files of a change at this stage may be live without a verdict.
fn may_be_live(stage: Stage) -> bool {
    match stage {
        Stage::Armed
        | Stage::Replaced
        | Stage::Activated
        | Stage::Probation
        | Stage::Restoring
        | Stage::FilesRestored
        | Stage::Reactivated => true,
        Stage::Saved
        | Stage::Staged
        | Stage::Kept
        | Stage::Restored
        | Stage::Withdrawn
        | Stage::Closed(_) => false,
    }
}
