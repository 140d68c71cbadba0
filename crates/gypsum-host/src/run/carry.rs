//! The loop of a change from its backup on: what is durably true is recorded, the order is carried out, and what came
//! of it is fed back.

use super::apply::{self, keep_log};
use super::handover::{HandOver, hand_over};
use super::live::Live;
use super::observer::Finished;
use super::steps::Timer;
use super::{close, restore};
use crate::error::Error;
use crate::journal::Journal;
use gypsum_core::change::{Change, Order, Stage, State as Reached, StepOutcome, Verdict};

impl Live<'_> {
    /// The change from here to its end, in this process, and what the logs said.
    pub fn carry(mut self, change: Change) -> Finished {
        self.run(change, &mut HandOver::default());
        self.finish()
    }

    /// What a change that ended amounts to.
    pub fn finish(mut self) -> Finished {
        let finished = self.finished();
        keep_log(&mut self);
        finished
    }

    /// The report, and the exit status by it.
    pub fn finished(&self) -> Finished {
        let report = self.cx.recorder.report().clone();
        let nothing_live = matches!(report.verdict, Some(Verdict::Dropped | Verdict::Refused));
        let error = self.obstacle.error.as_ref().filter(|_| nothing_live);
        Finished::early(report, error)
    }

    /// Carries out orders until there is none left: it has ended, or another process has it (`to.client`).
    pub fn run(&mut self, mut change: Change, to: &mut HandOver) {
        while let Some(order) = change.order() {
            let outcome = match self.record(&change) {
                Err(error) => self.unrecorded(&change, error),
                Ok(()) if self.is_to_stop(&change, order) => self.obstacle.interrupted(),
                Ok(()) => self.timed(order, &change, to),
            };
            change = change.next(outcome);
        }
    }

    /// Writes into the journal what is durably true.
    pub(super) fn record(&self, change: &Change) -> Result<(), Error> {
        // The end is recorded by the order that ends it, behind the report.
        let Reached::Durable(stage) = change.state() else { return Ok(()) };
        let plan = (stage == Stage::Saved).then_some(&self.plan);
        let folder = &self.entry.folder;
        if stage == Stage::Saved {
            // The journal makes its name durable, too.
            self.cx.recorder.sync();
        }
        let written = Journal::of(folder).write(self.cx.world.disk(), stage, plan, self.cx.world.now_ms());
        match written {
            Ok(()) => Ok(()),
            // A journal that cannot be written stops a change before the first live byte, and never stops a restore.
            Err(error) if stage.is_past_armed() && !(stage == Stage::Kept && change.attempt() == 0) => {
                tracing::warn!(%error, "the journal cannot be written");
                Ok(())
            }
            Err(error) => Err(Error::file("write the journal in", folder, error)),
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

    fn timed(&mut self, order: Order, change: &Change, to: &mut HandOver) -> StepOutcome {
        let timer = Timer::start(self.cx.world);
        let outcome = match self.act(order, change, to) {
            Ok(outcome) => outcome,
            Err(error) => self.obstacle.stopped_by(error),
        };
        // The record of a change that is handed over belongs to the other process; one that is closed has ended.
        if !matches!(order, Order::Close(_)) && outcome != StepOutcome::HandedOver {
            timer.stop(&mut self.cx.recorder, self.cx.world, order, outcome);
        }
        outcome
    }

    fn act(&mut self, order: Order, change: &Change, to: &mut HandOver) -> Result<StepOutcome, Error> {
        match order {
            Order::Stage => apply::stage(self),
            Order::HandOver => Ok(hand_over(self, to)),
            Order::Replace => apply::replace(self),
            Order::Activate => apply::activate(self),
            Order::CheckHealth => apply::check_health(self),
            Order::AwaitWord => apply::await_word(self),
            Order::Restore => restore::restore_files(self),
            Order::Reactivate => restore::reactivate(self, change),
            Order::CheckHealthAgain => restore::check_health_again(self),
            Order::Tidy => apply::tidy(self, change),
            Order::Close(verdict) => close::close_live(self, verdict),
            // These make the plan, without which there is no live change.
            Order::Lock | Order::Edit | Order::Check | Order::Measure | Order::Save => {
                Err(Error::cannot(format!("the order {:?} came after the backup", order.name())))
            }
        }
    }
}
