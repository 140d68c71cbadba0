//! Recovery: the same loop, entered with the last record of the journal and what is found on disk.

use super::{Finished, Run, Watch};
use crate::journal::Journal;
use crate::locks::Locks;
use crate::service;
use crate::state::{Entry, State};
use crate::trouble::Trouble;
use crate::world::World;
use gypsum_core::change::{Change, Stage, Verdict};
use gypsum_core::happening::Happening;
use std::path::Path;

/// Brings the change of `daemon` that was cut off, or that is stuck, to a verdict. None where there is
/// nothing to recover.
pub fn recover(
    world: &dyn World,
    state: &State,
    watch: &mut dyn Watch,
    daemon: &str,
    who: &str,
) -> Result<Option<Finished>, Trouble> {
    let Some((entry, stage)) = unfinished(world, state, daemon) else {
        return Ok(None);
    };
    recover_entry(world, state, watch, daemon, who, entry, stage).map(Some)
}

/// The daemons that have something to recover.
pub fn recover_all(world: &dyn World, state: &State) -> Vec<String> {
    let mut daemons = state.daemons();
    daemons.retain(|daemon| unfinished(world, state, daemon).is_some());
    daemons
}

/// The open change, else the last one if it is stuck.
fn unfinished(world: &dyn World, state: &State, daemon: &str) -> Option<(Entry, Stage)> {
    let open = state.open_change(world.disk(), daemon);
    open.or_else(|| {
        let last = state.entries(daemon).pop()?;
        let (_, stage) = Journal::of(&last.folder).read(world.disk()).ok()??;
        (stage == Stage::Closed(Verdict::Stuck)).then_some((last, stage))
    })
}

fn recover_entry(
    world: &dyn World,
    state: &State,
    watch: &mut dyn Watch,
    daemon: &str,
    who: &str,
    entry: Entry,
    stage: Stage,
) -> Result<Finished, Trouble> {
    let journal = Journal::of(&entry.folder);
    let read = journal
        .read(world.disk())
        .map_err(|error| Trouble::file("read the journal in", &entry.folder, &error))?;
    let (plan, _) = read
        .ok_or_else(|| Trouble::cannot(format!("the journal in {} says nothing", entry.folder.display())))?;
    let mut things: Vec<String> = plan.files.iter().map(|file| file.path.display().to_string()).collect();
    if service::exists(&plan.service) {
        things.push(format!("the service {}", service::name_of(&plan.service)));
    }
    let _locks = Locks::take(&things, &format!("{who}, recovering change {}", entry.number))?;
    let mut run = Run::new(world, state, watch, daemon);
    run.emit(Happening::Begun { daemon: daemon.into(), why: None, who: who.into(), dry_run: false });
    run.report = carried_over(&entry.folder, run.report);
    run.emit(Happening::BackedUp {
        change: entry.name.clone(),
        folder: entry.folder.join("before").display().to_string(),
    });
    run.emit(Happening::Noted { text: format!("change {} was cut off {}", entry.number, words_for(stage)) });
    run.cause = Some("the change was cut off".into());
    run.entry = Some(entry);
    run.plan = Some(plan);
    Ok(run.carry(Change::resume(stage)))
}

/// What the first part of the change had to say of itself, so that the record is whole.
fn carried_over(folder: &Path, mut report: gypsum_core::report::Report) -> gypsum_core::report::Report {
    let events = std::fs::read_to_string(folder.join("events.jsonl")).unwrap_or_default();
    for line in events.lines() {
        if let Ok(happening) = serde_json::from_str::<Happening>(line) {
            report.take(&happening);
        }
    }
    report
}

fn words_for(stage: Stage) -> &'static str {
    match stage {
        Stage::Saved | Stage::Staged | Stage::Withdrawn => "before anything was live",
        Stage::Armed => "while its files were going live",
        Stage::Replaced | Stage::Activated => "before it was known to be well",
        Stage::Kept => "after it was kept",
        Stage::Restoring | Stage::PutBack | Stage::Revived | Stage::Restored => "while it was being put back",
        Stage::Closed(_) => "and is stuck",
    }
}
