//! A change from its backup on: the new files go live, the service takes them up, its health decides. Everything that
//! is needed is in the plan. One file an order.

mod activate;
mod check_health;
mod hooks;
mod log_excerpt;
mod read_again;
mod related;
mod replace;
mod service_action;
mod tidy;

pub(super) use activate::gentle_action;
pub(super) use check_health::health_of;
pub(super) use hooks::run_hooks;
pub(super) use log_excerpt::{mark_log, quote_log};
pub(super) use related::{
    open_sockets, release_watchdogs, reopen_sockets, restart_followers, start_taken_along,
};
pub(super) use service_action::{act_on_service, reread};

use super::close;
use super::handover;
use super::prepare::Saved;
use super::restore;
use super::steps::{Obstacle, RunContext, Timer};
use super::{Finished, Observer, Recorder};
use crate::error::Error;
use crate::guardian::{Guardian, GuardianClient};
use crate::journal::Journal;
use crate::locks::Locks;
use crate::probe::ProbeContext;
use crate::state::{Entry, State};
use crate::transaction::Transaction;
use crate::world::World;
use gypsum_core::change::{Change, Order, Plan, Stage, State as Reached, StepOutcome, Verdict};
use gypsum_core::event::Event;
use gypsum_core::service::Observation;
use gypsum_core::text::Bytes;
use log_excerpt::LogExcerpt;

/// A change whose backup exists, on its way to a verdict.
pub(super) struct Live<'a> {
    pub cx: RunContext<'a>,
    /// Its folder.
    pub entry: Entry,
    /// Its plan.
    pub plan: Plan,
    /// What each file is to hold, until they are staged.
    pub contents: Vec<Option<Bytes>>,
    /// What stopped it.
    pub obstacle: Obstacle,
    /// What is known of the service.
    pub service: ServiceRecord,
}

/// What is known of the service while a change is live.
#[derive(Default)]
pub(super) struct ServiceRecord {
    /// What probes know of it since its last action.
    pub probes: ProbeContext,
    /// The service just before its last action.
    pub before_action: Option<Observation>,
    /// Units besides it that went down with the new configuration.
    pub down: Vec<String>,
    /// What is still to be quoted of the logs.
    pub excerpt: Option<LogExcerpt>,
    /// Whether it was restarted for the old configuration, and not only reloaded.
    pub restarted_back: bool,
}

/// The locks of a change, and the process that may take it over.
pub(super) struct HandOverTo {
    pub guardian: Option<Guardian>,
    pub locks: Locks,
    /// What others are told who want the locks.
    pub holder: String,
}

/// Where a change went.
pub(super) enum Way {
    /// To its end.
    Ended,
    /// To another process.
    HandedOver(GuardianClient),
}

impl<'a> Live<'a> {
    /// A change with this backup and plan.
    pub fn new(cx: RunContext<'a>, saved: Saved) -> Self {
        let Saved { entry, plan, contents } = saved;
        let (obstacle, service) = (Obstacle::default(), ServiceRecord::default());
        Self { cx, entry, plan, contents, obstacle, service }
    }

    /// The change of this entry, in this process.
    pub fn at(world: &'a dyn World, state: &'a State, observer: &'a mut dyn Observer, saved: Saved) -> Self {
        let mut recorder = Recorder::new(world, observer, &saved.plan.daemon);
        recorder.record_in(saved.entry.folder.clone());
        Self::new(RunContext { world, state, recorder }, saved)
    }

    pub fn emit(&mut self, event: Event) {
        self.cx.recorder.emit(event);
    }

    pub fn note(&mut self, text: impl Into<String>) {
        self.cx.recorder.note(text);
    }

    /// The file transaction of this change.
    pub fn files(&self) -> Transaction<'_> {
        Transaction::new(self.cx.world.disk(), &self.plan, &self.entry.folder)
    }

    /// The change from here to its end, in this process, and what the logs said.
    pub fn carry(mut self, change: Change) -> Finished {
        let mut nowhere = None;
        // Without a process to hand it over to, it ends here.
        let _ = self.run(change, &mut nowhere);
        self.finish()
    }

    /// What a change that ended amounts to.
    pub fn finish(mut self) -> Finished {
        let finished = self.finished();
        log_excerpt::keep_log(&mut self);
        finished
    }

    /// The report, and the exit status by it.
    pub fn finished(&self) -> Finished {
        let report = self.cx.recorder.report().clone();
        let nothing_live = matches!(report.verdict, Some(Verdict::Dropped | Verdict::Refused));
        let error = self.obstacle.error.as_ref().filter(|_| nothing_live);
        Finished::early(report, error)
    }

    /// Carries out orders until there is none left.
    pub fn run(&mut self, mut change: Change, to: &mut Option<HandOverTo>) -> Way {
        let mut way = Way::Ended;
        while let Some(order) = change.order() {
            let outcome = match self.record(&change) {
                Err(error) => self.unrecorded(&change, error),
                Ok(()) if self.is_to_stop(&change, order) => self.obstacle.interrupted(),
                Ok(()) => self.timed(order, &change, to, &mut way),
            };
            change = change.next(outcome);
        }
        way
    }

    /// Writes into the journal what is durably true.
    fn record(&self, change: &Change) -> Result<(), Error> {
        // The end is recorded by the order that ends it, behind the report.
        let Reached::Durable(stage) = change.state() else { return Ok(()) };
        let plan = (stage == Stage::Saved).then_some(&self.plan);
        let folder = &self.entry.folder;
        let written = Journal::of(folder).write(self.cx.world.disk(), stage, plan, self.cx.world.now_ms());
        match written {
            Ok(()) => Ok(()),
            // A journal that cannot be written stops a change before the first live byte, and never stops a restore.
            Err(error) if stage.is_past_armed() && !(stage == Stage::Kept && change.attempt() == 0) => {
                tracing::warn!(%error, "the journal cannot be written");
                Ok(())
            }
            Err(error) => Err(Error::file("write the journal in", folder, &error)),
        }
    }

    fn unrecorded(&mut self, change: &Change, error: Error) -> StepOutcome {
        let outcome = self.obstacle.stopped_by(error);
        // What is told as kept must be known as kept after a crash.
        let kept = change.state() == Reached::Durable(Stage::Kept);
        if kept { StepOutcome::Unrecorded } else { outcome }
    }

    fn is_to_stop(&self, change: &Change, order: Order) -> bool {
        let restoring = change.attempt() > 0;
        self.cx.world.interrupted() && !restoring && !matches!(order, Order::Tidy | Order::Close(_))
    }

    fn timed(
        &mut self,
        order: Order,
        change: &Change,
        to: &mut Option<HandOverTo>,
        way: &mut Way,
    ) -> StepOutcome {
        let timer = Timer::start(self.cx.world);
        let done = if order == Order::HandOver {
            let client = to.as_mut().and_then(|to| handover::hand_over(self, to));
            Ok(client.map_or(StepOutcome::Done, |client| {
                *way = Way::HandedOver(client);
                StepOutcome::HandedOver
            }))
        } else {
            self.act(order, change)
        };
        let outcome = match done {
            Ok(outcome) => outcome,
            Err(error) => self.obstacle.stopped_by(error),
        };
        // The record of a change that is handed over belongs to the other process; one that is closed has ended.
        if !matches!(order, Order::Close(_)) && outcome != StepOutcome::HandedOver {
            timer.stop(&mut self.cx.recorder, self.cx.world, order, outcome);
        }
        outcome
    }

    fn act(&mut self, order: Order, change: &Change) -> Result<StepOutcome, Error> {
        match order {
            Order::Stage => {
                self.files().stage(&self.contents)?;
                Ok(StepOutcome::Done)
            }
            Order::Replace => replace::replace(self),
            Order::Activate => activate::activate(self),
            Order::CheckHealth => check_health::check_health(self),
            Order::Restore => restore::restore_files(self),
            Order::Reactivate => restore::reactivate(self, change),
            Order::CheckHealthAgain => restore::check_health_again(self),
            Order::Tidy => tidy::tidy(self, change),
            Order::Close(verdict) => close::close_live(self, verdict),
            Order::HandOver => Ok(StepOutcome::Done),
            // These make the plan, without which there is no live change.
            Order::Lock | Order::Edit | Order::Check | Order::Measure | Order::Save => {
                Err(Error::cannot(format!("the order {:?} came after the backup", order.name())))
            }
        }
    }
}
