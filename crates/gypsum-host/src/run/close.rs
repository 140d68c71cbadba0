//! The order *close*: what state the service is in, what to do next, the record.

use super::apply::release_watchdogs;
use super::drafts::{Typed, TypedFile, keep_draft, remove_drafts};
use super::live::Live;
use super::observer::Finished;
use super::steps::{Obstacle, Steps};
use crate::error::Error;
use crate::journal::Journal;
use crate::marks::Marks;
use crate::service;
use gypsum_core::change::{Plan, Stage, State as Reached, StepOutcome, Verdict};
use gypsum_core::event::Event;
use gypsum_core::profile::Activation;
use gypsum_core::record::seal;
use gypsum_core::service::State as ServiceState;
use gypsum_core::text::Bytes;
use std::path::PathBuf;

/// Ends a change of which nothing was written.
pub(super) fn close_early(steps: Steps<'_>, typed: &Typed) -> Finished {
    let Steps { mut cx, change, obstacle } = steps;
    // Every early end has a verdict; without one nothing was done either.
    let verdict = match change.state() {
        Reached::Ending(verdict) | Reached::Durable(Stage::Closed(verdict)) => verdict,
        Reached::Early(_) | Reached::Durable(_) | Reached::HandedOver => Verdict::Dropped,
    };
    let unhindered = obstacle.cause.is_none();
    keep_draft(&mut cx, verdict, typed, unhindered);
    remove_drafts(&mut cx, verdict, typed, unhindered);
    let summary = match verdict {
        Verdict::Unchanged => format!("{} has this configuration already", cx.recorder.report().daemon),
        _ => NOTHING_TOUCHED.to_owned(),
    };
    let next = what_stopped(&obstacle, verdict);
    cx.recorder.emit(Event::Ended { verdict, summary, next });
    Finished::early(cx.recorder.report().clone(), obstacle.error.as_ref())
}

const NOTHING_TOUCHED: &str = "nothing was touched";

/// What stopped a change before anything was live, for the last line.
fn what_stopped(obstacle: &Obstacle, verdict: Verdict) -> Option<String> {
    let error = obstacle.error.as_ref().map(|error| match error.advice() {
        Some(help) => format!("{error}\n{help}"),
        None => error.to_string(),
    });
    error.or_else(|| obstacle.cause.clone().filter(|_| verdict == Verdict::Dropped))
}

/// Ends a change whose backup exists.
pub(super) fn close_live(live: &mut Live<'_>, verdict: Verdict) -> Result<StepOutcome, Error> {
    if verdict == Verdict::Stuck {
        release_watchdogs(live);
    }
    let typed = typed_of(live);
    let unhindered = live.obstacle.cause.is_none();
    keep_draft(&mut live.cx, verdict, &typed, unhindered);
    remove_drafts(&mut live.cx, verdict, &typed, unhindered);
    let (summary, next) = (summary(live, verdict), next_step(live, verdict));
    let summary = match taken_back(&live.cx.recorder.report().takes_back).filter(|_| verdict == Verdict::Kept)
    {
        Some(done) => format!("{done}, and {summary}"),
        None => summary,
    };
    if verdict == Verdict::Kept {
        for text in live.cx.world.watch_on(live.cx.state, &live.entry, &live.plan) {
            live.note(text);
        }
    }
    live.emit(Event::Ended { verdict, summary, next });
    live.cx.world.log_change(live.cx.recorder.report(), live.entry.number);
    let (disk, folder) = (live.cx.world.disk(), &live.entry.folder);
    let path = folder.join("change.json");
    let record = seal(live.cx.recorder.report()).and_then(|record| serde_json::to_vec_pretty(&record));
    // A change that is recovered a second time has a record already.
    let journal = Journal::of(folder);
    let written = journal
        .release(disk)
        .and_then(|()| disk.remove(&path))
        .and_then(|()| disk.create(&path, &record?, None))
        .and_then(|()| disk.sync_file(&path))
        .and_then(|()| disk.sync_folder(folder))
        .and_then(|()| journal.write(disk, Stage::Closed(verdict), None, live.cx.world.now_ms()));
    let written = written.and_then(|()| match Marks::of(live.cx.state) {
        Some(marks) => marks.clear(disk, &live.plan.daemon),
        None => Ok(()),
    });
    if let Err(error) = written {
        // The verdict is what it is all the same.
        let (folder, daemon) = (folder.display(), &live.plan.daemon);
        let text = format!(
            "the record in {folder} could not be written: {error}; gypsum recover {daemon} finishes it"
        );
        live.note(text);
    }
    let is_news = matches!(verdict, Verdict::Restored | Verdict::Stuck);
    if is_news && !live.cx.world.is_watched() {
        let told = live.cx.world.tell(live.cx.state, live.cx.recorder.report(), live.entry.number);
        told.into_iter().for_each(|text| live.note(text));
    }
    Ok(StepOutcome::Done)
}

/// Which changes are taken back, in words.
fn taken_back(numbers: &[u32]) -> Option<String> {
    match numbers {
        [] => None,
        [one] => Some(format!("change {one} is taken back")),
        [last, .., first] => Some(format!("changes {first} to {last} are taken back")),
    }
}

/// What the files of a change held and were to hold.
fn typed_of(live: &Live<'_>) -> Typed {
    // What cannot be read any more cannot become a draft.
    let read = |path: PathBuf| live.cx.world.disk().read(&path).unwrap_or_default().map(Bytes::from);
    let files = live.plan.files.iter().filter_map(|file| {
        let after = read(live.entry.copy_of("after", &file.path));
        TypedFile::new(file.path.clone(), file.backup.clone().and_then(read), after)
    });
    Typed {
        draft: live.plan.draft.clone(),
        takes_live: live.plan.takes_live.clone(),
        files: files.collect(),
        ..Typed::default()
    }
}

/// What state the service is in now, in one sentence without a full stop.
fn summary(live: &Live<'_>, verdict: Verdict) -> String {
    let plan = &live.plan;
    let name = subject(plan);
    let healthy = live.cx.recorder.report().healthy;
    match verdict {
        Verdict::Kept if !plan.touch_service && service::exists(&plan.service) => {
            format!("{name} is stopped, as before; its new configuration is unproven")
        }
        Verdict::Kept if plan.files.is_empty() && healthy != Some(false) => {
            let done = if plan.activation.replaces() { "restarted" } else { "reloaded" };
            format!("{name} was {done} with the configuration that it has")
        }
        Verdict::Kept if plan.same_settings && plan.activation == Activation::None => {
            format!("no setting changed, so {name} was not reloaded")
        }
        Verdict::Kept if service::exists(&plan.service) && plan.activation == Activation::None => {
            format!("the files are changed; {name} reads them at its next reload or restart")
        }
        Verdict::Kept if healthy == Some(false) => {
            format!("{name} has its new configuration, and is unhealthy as before")
        }
        Verdict::Kept if !live.service.taken_over.is_empty() => {
            let files: Vec<String> =
                live.service.taken_over.iter().map(|path| path.display().to_string()).collect();
            format!(
                "{name} has its new configuration, but another process changed {} meanwhile",
                files.join(" and ")
            )
        }
        Verdict::Kept
            if service::exists(&plan.service)
                && live.cx.recorder.report().unproven
                && !plan.activation.replaces() =>
        {
            format!(
                "the new configuration of {name} is written; it may run on the old one until its next restart"
            )
        }
        Verdict::Kept if service::exists(&plan.service) => format!("{name} runs on its new configuration"),
        Verdict::Kept => format!("{name} has its new configuration"),
        Verdict::Restored => restored(live, &name),
        Verdict::Stuck => {
            let state = live.cx.world.observe(&plan.service).state;
            let files = if plan.files.is_empty() {
                "no file was changed, so there is no old configuration to restore"
            } else {
                match live.files().is_before() {
                    Ok(true) => "its old configuration is in place",
                    Ok(false) => "not all of its files are restored",
                    Err(_) => "its files cannot be read, so it is not known whether they are restored",
                }
            };
            format!("{name} is {}; {files}", state.words())
        }
        Verdict::Refused | Verdict::Unchanged | Verdict::Dropped => NOTHING_TOUCHED.to_owned(),
    }
}

fn restored(live: &Live<'_>, name: &str) -> String {
    let service = &live.plan.service;
    if !service::exists(service) {
        return format!("{name} has its old configuration again");
    }
    match live.cx.world.observe(service).state {
        state if state.is_up() => format!("{name} is running on its old configuration"),
        ServiceState::Stopped => {
            format!("{name} is stopped, as before, with its old configuration in place")
        }
        state => format!("{name} is {}, as before; its old configuration is in place", state.words()),
    }
}

fn subject(plan: &Plan) -> String {
    if service::exists(&plan.service) { service::name_of(&plan.service) } else { plan.daemon.clone() }
}

fn next_step(live: &Live<'_>, verdict: Verdict) -> Option<String> {
    match verdict {
        Verdict::Stuck => {
            let daemon = &live.plan.daemon;
            let look = service::by_hand(&live.plan.service);
            if live.plan.files.is_empty() {
                return Some(format!(
                    "{look}\nto take back the last change that was kept: gypsum restore {daemon}"
                ));
            }
            let before = live.entry.folder.join("before");
            Some(format!(
                "{look}\nthen: gypsum recover {daemon}\nthe old files are also in {}",
                before.display()
            ))
        }
        Verdict::Dropped | Verdict::Refused => what_stopped(&live.obstacle, verdict),
        Verdict::Kept | Verdict::Restored | Verdict::Unchanged => None,
    }
}
