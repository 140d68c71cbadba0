//! The order *lock*: the locks are taken, and the files are read under them.

use crate::drafts::{self, Reason};
use crate::error::Error;
use crate::files::{self, Loading, Overlay};
use crate::locks::Locks;
use crate::run::handover::HandOver;
use crate::run::request::ChangeRequest;
use crate::run::steps::{RunContext, Step};
use crate::state::State;
use crate::survey::Early;

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
    let mut known = Vec::new();
    if !request.wishes.dry_run {
        state.prepare(disk, daemon)?;
        let loading = files::load(disk, profile, new_file)?;
        let things: Vec<String> = loading.loaded.iter().map(|file| file.real.display().to_string()).collect();
        known = loading.files;
        let since = jiff::Timestamp::from_millisecond(cx.world.now_ms()).unwrap_or_default();
        to.holder = format!("{}, since {} UTC", request.who, since.strftime("%H:%M:%S"));
        to.locks = Locks::take(&things, &to.holder)?;
    }
    // Another process that is at work holds the locks, and was named by them. An open record without a holder is a
    // change that was interrupted.
    if let Some(entry) = state.open_change(disk, daemon)?.map(|(entry, ..)| entry) {
        let what = format!("change {} of {daemon} was interrupted and is still open", entry.number);
        return Err(Error::busy(what).help(format!("gypsum recover {daemon}")));
    }
    // Under the locks, and whatever was read to find them: another process may have changed it before.
    let held = held_already(state, &request)?;
    let before = files::load_over(disk, profile, new_file, &held, &known)?;
    Ok(Step::Done(Loaded { request, before, early }))
}

/// What was held before: a further change that is held builds on it.
fn held_already(state: &State, request: &ChangeRequest) -> Result<Overlay, Error> {
    let mut overlay = Overlay::new();
    if request.wishes.hold {
        for draft in drafts::all(state, &request.profile.daemon)? {
            if draft.note.because == Reason::Ready {
                overlay.insert(draft.note.file.clone(), Some(draft.proposal()?.into()));
            }
        }
    }
    Ok(overlay)
}
