//! The order *save*: the backup, and the plan from which everything that follows is done.

use super::backup::back_up;
use super::measured::{Baseline, Measured};
use crate::error::Error;
use crate::run::drafts::draft_of;
use crate::run::steps::{RunContext, Step};
use crate::shipped::{Kept, Records, keep_base};
use crate::state::Entry;
use gypsum_core::change::{Plan, PlannedFile, ReplaceBy};
use gypsum_core::event::Event;
use gypsum_core::profile::Service;
use gypsum_core::text::Bytes;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// How long an activation may take where nothing is said.
const USUAL_LIMIT: Duration = Duration::from_secs(60);
/// How long it may take at the most where only the service manager says something.
const MOST_LIMIT: Duration = Duration::from_mins(30);
/// How long all must stay healthy where nothing is said.
const USUAL_STEADY: Duration = Duration::from_secs(2);

/// A change whose backup exists.
pub(in crate::run) struct Saved {
    /// Its folder.
    pub entry: Entry,
    /// Its plan.
    pub plan: Plan,
    /// What each file of the plan is to hold; `None` if it is to be gone.
    pub contents: Vec<Option<Bytes>>,
}

pub(super) fn save(cx: &mut RunContext<'_>, measured: Measured) -> Result<Step<Saved>, Error> {
    let daemon = measured.checked.proposal.request.profile.daemon.clone();
    let entry = cx.state.next(cx.world.disk(), &daemon, cx.world.now_ms())?;
    cx.recorder.record_in(entry.folder.clone());
    let folder = entry.folder.clone();
    match back_up_all(cx, entry, measured) {
        Ok(saved) => {
            keep_shipped(cx, &saved);
            let folder = folder.join("before").display().to_string();
            cx.recorder.emit(Event::BackedUp { change: saved.entry.name.clone(), folder });
            for file in saved.plan.files.iter().filter(|file| file.how == ReplaceBy::InPlace) {
                cx.recorder.note(in_place(file));
            }
            Ok(Step::Done(saved))
        }
        Err(error) => {
            // The backup could not be finished: half of one is worse than none.
            cx.recorder.forget_folder();
            if let Err(error) = std::fs::remove_dir_all(&folder) {
                tracing::warn!(%error, "the unfinished backup cannot be removed");
            }
            Err(error)
        }
    }
}

/// Keeps what the packages shipped in place of the files, where it can be had. A change goes on without it.
fn keep_shipped(cx: &RunContext<'_>, saved: &Saved) {
    let keep = || -> Result<(), Error> {
        let records = Records::read().map_err(Error::because)?;
        let entries = cx.state.entries(cx.world.disk(), &saved.plan.daemon)?;
        for file in saved.plan.files.iter().filter(|file| file.how != ReplaceBy::Create) {
            keep_base(
                cx.world.disk(),
                &Kept::of(cx.state),
                &file.path,
                &records,
                &entries,
                cx.world.now_ms(),
            )?;
        }
        Ok(())
    };
    if let Err(error) = keep() {
        tracing::warn!(message = error.to_string(), "the shipped text is not kept");
    }
}

fn back_up_all(cx: &RunContext<'_>, entry: Entry, mut measured: Measured) -> Result<Saved, Error> {
    let (disk, proposal) = (cx.world.disk(), &mut measured.checked.proposal);
    let same_settings = proposal.says_the_same();
    let new_files = std::mem::take(&mut proposal.new_files);
    let mut files = Vec::new();
    for file in &new_files {
        files.push(back_up(disk, &entry, file)?);
    }
    disk.sync_folder(&entry.folder).map_err(|error| Error::file("sync", &entry.folder, error))?;
    let parent = cx.state.of_daemon(&proposal.request.profile.daemon);
    disk.sync_folder(&parent).map_err(|error| Error::file("sync", &parent, error))?;
    let folders = missing_folders(&files);
    let mut pairs: Vec<(PlannedFile, Option<Bytes>)> =
        files.into_iter().zip(new_files.into_iter().map(|file| file.after)).collect();
    // Those that are gone go last: nothing must refer to a file that is missing.
    pairs.sort_by_key(|(file, _)| file.how == ReplaceBy::Remove);
    let (files, contents) = pairs.into_iter().unzip();
    let plan = plan_of(measured, &entry, files, folders, same_settings);
    Ok(Saved { entry, plan, contents })
}

fn plan_of(
    measured: Measured,
    entry: &Entry,
    files: Vec<PlannedFile>,
    folders: Vec<PathBuf>,
    same_settings: bool,
) -> Plan {
    let paths: Vec<&Path> = files.iter().map(|file| file.path.as_path()).collect();
    let hooks = measured.checked.hooks(&paths);
    // Whatever its manager says about the need: a unit file was touched.
    let reread = paths.iter().any(|path| {
        let text = path.display().to_string();
        text.starts_with("/etc/systemd/") || text.contains("/.config/systemd/user/")
    });
    let (moved, away) = (measured.moved_settings(), measured.away());
    let touch_service = measured.touches_service();
    let Measured { checked, baseline, activation } = measured;
    let Baseline { observed, checks_before, checks_after, outcomes, readings, readings_before } = baseline;
    let (request, service) = (checked.proposal.request, checked.service);
    // Where nothing better is known it is waited for as long as the service manager itself waits.
    let allowed = observed.as_ref().and_then(|seen| seen.allowed_ms).unwrap_or(0);
    let allowed = Duration::from_millis(allowed).min(MOST_LIMIT);
    let draft = draft_of(&request);
    Plan {
        daemon: request.profile.daemon,
        change: entry.name.clone(),
        files,
        folders,
        prune: request.prune,
        activation: activation.activation,
        touch_service,
        same_settings,
        limit_ms: ms(given(service.limit).unwrap_or(allowed.max(USUAL_LIMIT))),
        steady_ms: ms(request.wishes.steady.or(given(service.steady)).unwrap_or(USUAL_STEADY)),
        probation_ms: request.wishes.probation.map(ms),
        watches: request.wishes.watches,
        related: activation.related,
        taken_along: activation.taken_along,
        callers: activation.callers,
        hooks,
        service: Service {
            reread: service.reread || reread,
            away: away.and_then(|away| away.try_into().ok()),
            ..service
        },
        checks_before,
        checks_after,
        baseline: outcomes,
        service_before: observed,
        moved,
        readings,
        readings_before,
        draft,
        takes_live: request.takes_live,
    }
}

/// A time that a profile gives.
fn given(time: Option<jiff::SignedDuration>) -> Option<Duration> {
    time.and_then(|time| time.try_into().ok())
}

fn ms(time: Duration) -> u64 {
    u64::try_from(time.as_millis()).unwrap_or(u64::MAX)
}

/// The folders that do not exist yet, outermost first.
fn missing_folders(files: &[PlannedFile]) -> Vec<PathBuf> {
    let mut missing: Vec<PathBuf> = Vec::new();
    for file in files.iter().filter(|file| file.how == ReplaceBy::Create) {
        let above = file.path.ancestors().skip(1).take_while(|folder| !folder.exists());
        missing.extend(above.map(Path::to_owned));
    }
    missing.sort();
    missing.dedup();
    missing
}

fn in_place(file: &PlannedFile) -> String {
    let path = file.path.display();
    format!("{path} is itself a mount, or its file system cannot exchange two files: it is written in place")
}
