//! Recovery: the same loop, entered with the last record of the journal and what is found on disk.

use super::boot::put_back_at;
use super::live::Live;
use super::observer::{Finished, Observer};
use super::prepare::Saved;
use super::recorder::Recorder;
use super::steps::RunContext;
use crate::error::Error;
use crate::locks::{Locks, Thing};
use crate::profiles;
use crate::state::{Entry, State};
use crate::world::World;
use gypsum_core::change::{Change, Plan, Stage};
use gypsum_core::event::Event;
use gypsum_core::secret::{Redactor, secrets_in_bytes};
use gypsum_core::text::Bytes;

/// Brings the change of `daemon` that was cut off, or that is stuck, to a verdict. None where there is
/// nothing to recover.
pub fn recover(
    world: &dyn World,
    state: &State,
    observer: &mut dyn Observer,
    daemon: &str,
    who: &str,
) -> Result<Option<Finished>, Error> {
    let holder = |entry: &Entry| format!("{who}, recovering change {}", entry.number);
    let taken = take_open(world, state, daemon, |_| true, holder, true)?;
    Ok(taken.map(|(_locks, entry, plan, stage)| resume(world, state, observer, entry, plan, stage, who)))
}

/// The change of `daemon` that has no verdict, or is stuck, if its stage is meant, with its locks. Others are told of its
/// `holder` meanwhile. The service is locked, too, `with_service`: for one of an account its manager is asked.
///
/// # Errors
///
/// If its records do not tell, or another process has one of the locks.
pub(super) fn take_open(
    world: &dyn World,
    state: &State,
    daemon: &str,
    is_meant: impl Fn(Stage) -> bool,
    holder: impl FnOnce(&Entry) -> String,
    with_service: bool,
) -> Result<Option<(Locks, Entry, Plan, Stage)>, Error> {
    let meant = || -> Result<_, Error> {
        let open = state.last_change(world.disk(), daemon)?;
        Ok(open.filter(|(.., stage)| is_meant(*stage)))
    };
    let Some((entry, plan, _)) = meant()? else { return Ok(None) };
    let mut things: Vec<Thing> = plan.files.iter().map(|file| Thing::file(&file.path)).collect();
    if with_service {
        things.extend(Thing::service(&plan.service));
    }
    things.push(Thing::changes(&state.of_daemon(daemon)));
    let locks = Locks::take(&things, &holder(&entry))?;
    // Read again: whoever held the locks before may have brought it to its end.
    Ok(meant()?.map(|(entry, plan, stage)| (locks, entry, plan, stage)))
}

/// A change from its records, which this process goes on with. Nothing is recorded of it yet.
pub(super) fn reopened<'a>(
    world: &'a dyn World,
    state: &'a State,
    observer: &'a mut dyn Observer,
    entry: Entry,
    plan: Plan,
) -> Live<'a> {
    let redactor = redactor_of(world, &entry, &plan);
    let mut recorder = Recorder::new(world, observer, &plan.daemon);
    recorder.redact_with(redactor);
    Live::new(RunContext { world, state, recorder }, Saved { entry, plan, contents: Vec::new() })
}

/// The daemons that have something to recover.
///
/// # Errors
///
/// If the state folder may not be read.
pub fn recover_all(world: &dyn World, state: &State) -> Result<Vec<String>, Error> {
    let mut daemons = state.daemons(world.disk())?;
    // What cannot be told of is told by the recovery of that daemon.
    daemons.retain(|daemon| !matches!(state.last_change(world.disk(), daemon), Ok(None)));
    Ok(daemons)
}

/// Carries on with a change whose journal ends with `stage`. The caller holds the locks.
pub fn resume(
    world: &dyn World,
    state: &State,
    observer: &mut dyn Observer,
    entry: Entry,
    plan: Plan,
    stage: Stage,
    who: &str,
) -> Finished {
    let daemon = plan.daemon.clone();
    let folder = entry.folder.join("before").display().to_string();
    let (change, number) = (entry.name.clone(), entry.number);
    let mut live = reopened(world, state, observer, entry, plan);
    let recorder = &mut live.cx.recorder;
    recorder.emit(Event::Begun {
        daemon,
        why: None,
        who: who.into(),
        dry_run: false,
        hold: false,
        takes_back: Vec::new(),
    });
    // What the first part of the change recorded of itself, so that the record is whole.
    let begun = recorder.report().clone();
    recorder.continue_from(live.entry.so_far(world.disk(), begun));
    recorder.emit(Event::BackedUp { change, folder });
    recorder.note(match stage {
        Stage::Closed(_) => {
            format!("change {number} is stuck; its old files and its service are tried again")
        }
        _ => format!("change {number} was interrupted {}", words_for(stage)),
    });
    recorder.record_in(live.entry.folder.clone());
    live.obstacle.cause = Some(match stage {
        Stage::Closed(_) => "the change was stuck".into(),
        _ if put_back_at(world.disk(), &live.entry.folder).is_some() => {
            "this host went down in the middle of it".into()
        }
        _ => "the change was interrupted".into(),
    });
    live.carry(Change::resume(stage))
}

/// What must not be shown of the change, by what is known of the daemon and what its files say before and after.
fn redactor_of(world: &dyn World, entry: &Entry, plan: &Plan) -> Redactor {
    // Without a profile what looks like a secret is hidden all the same.
    let Ok(profile) = profiles::load(&plan.daemon, None) else {
        return Redactor::default();
    };
    let copies = plan.files.iter().flat_map(|file| {
        [file.backup.clone(), Some(entry.copy_of("after", &file.path))].into_iter().flatten()
    });
    // What cannot be read is not quoted either.
    let read = copies.filter_map(|path| world.disk().read(&path).unwrap_or_default());
    let secrets = read.flat_map(|bytes| secrets_in_bytes(&profile, bytes)).collect();
    Redactor::new(secrets)
}

/// Carries out a change whose backup exists: `contents` is what each file of `plan` is to hold. The
/// caller holds the locks.
pub fn carry_saved(
    world: &dyn World,
    state: &State,
    observer: &mut dyn Observer,
    entry: Entry,
    plan: Plan,
    contents: Vec<Option<Bytes>>,
) -> Finished {
    Live::at(world, state, observer, Saved { entry, plan, contents }).carry(Change::saved())
}

fn words_for(stage: Stage) -> &'static str {
    match stage {
        Stage::Saved | Stage::Staged | Stage::Withdrawn => "before anything was live",
        Stage::Armed => "while its files were going live",
        Stage::Replaced | Stage::Activated => "before its health was known",
        Stage::Probation => "while it was on probation",
        Stage::Kept => "after it was kept",
        Stage::Restoring | Stage::FilesRestored | Stage::Reactivated | Stage::Restored => {
            "while it was being restored"
        }
        Stage::Closed(_) => "after its end",
    }
}
