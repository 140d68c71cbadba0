//! A change that another process carries: watched from here, taken over in the guardian, taken back where the
//! guardian is lost.

use super::handover::HandOver;
use super::live::Live;
use super::observer::{Finished, Observer};
use super::prepare::Saved;
use super::steps::Steps;
use crate::evidence::{Evidence, Progress};
use crate::guardian::{GuardianClient, GuardianMessage, Received, Staged};
use crate::locks::Locks;
use crate::prune::{Haste, prune};
use crate::state::State;
use crate::world::World;
use gypsum_core::change::{Change, Stage, StepOutcome, Verdict};
use gypsum_core::event::Event;
use gypsum_core::exit_status::ExitStatus;
use std::time::Duration;

/// Carries such a change in the process that it was handed over to, which holds the locks. `ended` gets the exit
/// status; what is only for the record comes after it.
pub fn carry_staged(
    world: &dyn World,
    state: &State,
    observer: &mut dyn Observer,
    staged: Staged,
    ended: impl FnOnce(ExitStatus),
) {
    let Staged { entry, plan, report, secrets } = staged;
    let mut live = Live::at(world, state, observer, Saved { entry, plan, contents: Vec::new() });
    live.cx.recorder.continue_from(report);
    live.cx.recorder.hide(secrets);
    // The person may have stopped it while it was handed over.
    let taken = if world.interrupted() { live.obstacle.interrupted() } else { StepOutcome::Done };
    let on_probation = live.plan.probation_ms.is_some();
    live.run(Change::staged().on_probation(on_probation).next(taken), &mut HandOver::default());
    ended(live.finished().status);
    live.finish();
}

/// Carries a change whose backup exists; the guardian has it from the moment at which its files are staged.
pub(super) fn carry_on(steps: Steps<'_>, saved: Saved, to: &mut HandOver) -> Finished {
    let mut live = Live::new(steps.cx, saved);
    let on_probation = live.plan.probation_ms.is_some();
    live.run(steps.change.on_probation(on_probation), to);
    match to.client.take() {
        Some(client) => follow(live, client, &mut to.locks),
        None => {
            let (state, daemon) = (live.cx.state, live.plan.daemon.clone());
            let finished = live.finish();
            if let Err(error) = prune(state, &daemon, Haste::Waited) {
                tracing::warn!(%error, "old changes are not removed");
            }
            finished
        }
    }
}

/// A guardian that said nothing for so long does not move: it says several times a second that it is at work.
const SILENCE: Duration = Duration::from_secs(3);
/// So often the person asks to stop before a guardian that is at work is left alone, too.
const ASKED_ENOUGH: usize = 3;

/// Shows what the guardian tells until it has ended.
fn follow(mut live: Live<'_>, mut client: GuardianClient, locks: &mut Locks) -> Finished {
    let world = live.cx.world;
    let (mut heard, mut asked, mut is_said) = (world.uptime(), 0, false);
    loop {
        match client.hear() {
            Received::Message(message) => {
                (heard, is_said) = (world.uptime(), false);
                match *message {
                    GuardianMessage::Saw(event) => {
                        live.cx.recorder.relay(&event);
                        if matches!(event, Event::OnProbation { .. }) {
                            return leave(live, locks, ExitStatus::GoesOn);
                        }
                    }
                    GuardianMessage::Ended(status) => return leave(live, locks, status),
                    GuardianMessage::Alive(healthy, of) => world.note_progress(healthy, of),
                }
            }
            Received::End => return take_over(live),
            Received::Nothing => {}
        }
        let is_silent = world.uptime().saturating_sub(heard) >= SILENCE;
        if world.is_sent_away() {
            return goes_on(live, locks);
        }
        if world.take_interrupt() {
            asked += 1;
            client.withdraw();
            if asked >= ASKED_ENOUGH || asked > 1 && is_silent {
                return goes_on(live, locks);
            }
            live.cx.recorder.show_only(match asked {
                1 => "you want to stop: the old configuration is restored, if the new one is live".into(),
                _ => "you want to stop waiting for the old configuration; once more, and this goes on by itself".into(),
            });
        }
        if is_silent && !is_said {
            is_said = true;
            let text =
                "the process that carries the change does not answer; Ctrl-C, twice, leaves it to itself";
            live.cx.recorder.show_only(text.into());
        }
    }
}

/// Leaves the change to the guardian, and says how to follow it.
fn goes_on(mut live: Live<'_>, locks: &mut Locks) -> Finished {
    let daemon = live.plan.daemon.clone();
    live.cx
        .recorder
        .show_only(format!("the change goes on by itself; follow it with:\n  gypsum changes {daemon}"));
    leave(live, locks, ExitStatus::GoesOn)
}

/// Leaves the locks to the guardian: it has released them, is about to, or goes on.
fn leave(live: Live<'_>, locks: &mut Locks, status: ExitStatus) -> Finished {
    std::mem::take(locks).leave();
    Finished { report: live.cx.recorder.report().clone(), status }
}

/// The guardian is lost, and its locks are still held here: the change is brought to its verdict from here.
fn take_over(mut live: Live<'_>) -> Finished {
    let stage = match live.entry.evidence(live.cx.world.disk()) {
        Ok(Evidence { progress: Progress::Open(plan, stage), report, .. }) => {
            match (stage, report) {
                (Stage::Closed(Verdict::Stuck), Some(report)) => return Finished::as_reported(report),
                _ => live.plan = *plan,
            }
            stage
        }
        // It ended; only the line to it did not.
        Ok(Evidence { progress: Progress::Ended(_), report: Some(report), .. }) => {
            return Finished::as_reported(report);
        }
        // It ended, and its record is lost: nothing is left to do, least of all to restore.
        Ok(Evidence { progress: Progress::Ended(verdict), report: None, .. }) => Stage::Closed(verdict),
        // What it recorded cannot be read; what is known here is enough to restore everything.
        Ok(Evidence { progress: Progress::NotBegun | Progress::Unknown | Progress::Newer(..), .. })
        | Err(_) => Stage::Armed,
    };
    let cause = "the process that carried it was ended";
    live.obstacle.cause = Some(cause.into());
    live.note(format!("{cause}; this one goes on"));
    live.carry(Change::resume(stage))
}
