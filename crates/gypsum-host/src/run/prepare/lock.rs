//! The order *lock*: the locks are taken, and the files are read under them.

use crate::disk::Disk;
use crate::drafts;
use crate::error::Error;
use crate::files::{self, Loading, Overlay};
use crate::local_zone::time_of_day;
use crate::locks::{Locks, Thing};
use crate::package_lock;
use crate::run::handover::HandOver;
use crate::run::request::ChangeRequest;
use crate::run::steps::{RunContext, Step};
use crate::state::{Standing, State};
use crate::survey::Early;
use gypsum_core::change::Stage;
use gypsum_core::event::Event;
use std::path::PathBuf;
use std::time::Duration;

/// A request, with the files that it is about.
pub(super) struct Loaded {
    pub request: ChangeRequest,
    /// The files as they are.
    pub before: Loading,
    /// What was looked up while they were read.
    pub early: Early,
}

pub(super) fn lock(
    cx: &mut RunContext<'_>,
    to: &mut HandOver,
    request: ChangeRequest,
) -> Result<Step<Loaded>, Error> {
    let (state, disk) = (cx.state, cx.world.disk());
    let (profile, new_file) = (&request.profile, request.new_file());
    let daemon = &profile.daemon;
    let early = Early::begin(profile);
    let (mut known, mut paths) = (Vec::new(), Vec::new());
    if !request.wishes.dry_run {
        wait_for_packages(cx, request.wishes.packages)?;
        state.prepare(disk, daemon)?;
        let loading = files::load(profile, new_file)?;
        paths.extend(loading.loaded.iter().map(|file| file.real.clone()));
        paths.extend(request.extra_files.companions.iter().map(|companion| files::resolved(&companion.to)));
        let mut things: Vec<Thing> = paths.iter().map(|path| Thing::file(path)).collect();
        things.push(Thing::changes(&state.of_daemon(daemon)));
        known = loading.files;
        to.holder = format!("{}, since {}", request.who, time_of_day(cx.world.now_ms()));
        let taken = take(cx, &things, &to.holder, request.wishes.wait.unwrap_or_default());
        to.locks = taken.map_err(|error| on_probation(state, disk, daemon).unwrap_or(error))?;
    }
    // Another process that is at work holds the locks, and was named by them. An open record without a holder is a
    // change that was interrupted.
    if let Some((entry, _, stage)) = state.open_change(disk, daemon)? {
        if let Some(error) = on_probation(state, disk, daemon).filter(|_| stage == Stage::Probation) {
            return Err(error);
        }
        let what = format!("change {} of {daemon} was interrupted and is still open", entry.number);
        return Err(Error::busy(what).help(format!("finish or undo it with: gypsum recover {daemon}")));
    }
    if !request.wishes.dry_run {
        refuse_shared(state, disk, daemon, &paths)?;
    }
    // Under the locks, and whatever was read to find them: another process may have changed it before.
    let held = held_already(state, &request)?;
    let before = files::load_over(profile, new_file, &held, &known)?;
    Ok(Step::Done(Loaded { request, before, early }))
}

/// Why a change of this daemon on probation is in the way, if there is one.
fn on_probation(state: &State, disk: &dyn Disk, daemon: &str) -> Option<Error> {
    // What cannot be read is told where the open change is looked for.
    let open = state.standing(disk, daemon).ok().flatten()?;
    (open.standing == Standing::OnProbation).then(|| Error::busy(open.message).help(open.help))
}

/// Two daemons can have a file in common. While a change of the other one is open, what is written now would be taken
/// back with it.
fn refuse_shared(state: &State, disk: &dyn Disk, daemon: &str, files: &[PathBuf]) -> Result<(), Error> {
    match state.open_elsewhere(disk, daemon, files)? {
        None => Ok(()),
        Some((other, entry)) => {
            let number = entry.number;
            let what = format!("change {number} of {other} has one of these files, and is still open");
            Err(Error::busy(what).help(format!("finish or undo it with: gypsum recover {other}")))
        }
    }
}

/// How often another try is made while somebody is waited for.
const AGAIN: Duration = Duration::from_millis(50);

/// Who is in the way, and what is waited for.
type InTheWay = (Error, String);

/// Waits while a package manager is at work, which may write these files and restart this service.
fn wait_for_packages(cx: &mut RunContext<'_>, wait: Duration) -> Result<(), Error> {
    let unseen = until_free(cx, wait, || match package_lock::holder() {
        Ok(None) => Ok(None),
        Ok(Some(holder)) => {
            let error = Error::busy(format!("the package manager is at work: {holder}"));
            let error = error.help("try again when it has ended; --wait 10m waits longer");
            Err((error, format!("{holder} to end")))
        }
        Err(error) => Ok(Some(error)),
    })?;
    if let Some(error) = unseen {
        cx.recorder.note(format!("whether a package manager is at work cannot be seen: {error}"));
    }
    Ok(())
}

/// Takes the locks; another change that has one of them is waited for as long as the person said.
fn take(cx: &mut RunContext<'_>, things: &[Thing], holder: &str, wait: Duration) -> Result<Locks, Error> {
    until_free(cx, wait, || {
        Locks::take(things, holder).map_err(|error| (error, "another change to end".to_owned()))
    })
}

/// Tries again while somebody is in the way, for so long at most.
fn until_free<T>(
    cx: &mut RunContext<'_>,
    wait: Duration,
    attempt: impl Fn() -> Result<T, InTheWay>,
) -> Result<T, Error> {
    let (world, begun) = (cx.world, cx.world.uptime());
    let mut is_said = false;
    loop {
        match attempt() {
            Ok(free) => return Ok(free),
            Err((Error::Busy { .. }, on))
                if world.uptime().saturating_sub(begun) < wait && !world.interrupted() =>
            {
                if !is_said {
                    is_said = true;
                    cx.recorder.emit(Event::Waiting { on, usual_ms: None, steady_ms: None });
                }
                world.sleep(AGAIN);
            }
            Err((error, _)) => return Err(error),
        }
    }
}

/// What was held before: a further change that is held builds on it.
fn held_already(state: &State, request: &ChangeRequest) -> Result<Overlay, Error> {
    let mut overlay = Overlay::new();
    if request.wishes.hold {
        for draft in drafts::held(state, &request.profile.daemon)? {
            overlay.insert(draft.note.file.clone(), Some(draft.proposal()?.into()));
        }
    }
    Ok(overlay)
}
