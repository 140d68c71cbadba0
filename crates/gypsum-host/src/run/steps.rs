//! The steps of a change before anything is written. Each takes what the one before it has made.

use super::recorder::Recorder;
use crate::error::Error;
use crate::state::State;
use crate::world::World;
use gypsum_core::change::{Change, Order, StepOutcome};
use gypsum_core::event::Event;
use std::time::Duration;

/// Where a change is carried out, and where it is recorded.
pub(super) struct RunContext<'a> {
    /// This machine, or the fake of a test.
    pub world: &'a dyn World,
    /// The state folder.
    pub state: &'a State,
    /// The one way out for everything that happens.
    pub recorder: Recorder<'a>,
}

/// How a step ended.
pub(super) enum Step<T> {
    /// With this, for the next one.
    Done(T),
    /// Without; the change ends here.
    Ended(StepOutcome),
}

/// What stopped a change, for the last line of the report.
#[derive(Debug, Default)]
pub(super) struct Obstacle {
    /// The error, where there was one.
    pub error: Option<Error>,
    /// In words: the error, or what else it was.
    pub cause: Option<String>,
}

impl Obstacle {
    /// Keeps an error, and says how the step ended by it.
    pub fn stopped_by(&mut self, error: Error) -> StepOutcome {
        self.cause = Some(error.to_string());
        let refused = matches!(error, Error::Refused { .. });
        self.error = Some(error);
        if refused { StepOutcome::Refused } else { StepOutcome::Failed }
    }

    /// The person, or the end of the session, stopped it.
    pub fn interrupted(&mut self) -> StepOutcome {
        self.cause.get_or_insert_with(|| INTERRUPTED.into());
        StepOutcome::Interrupted
    }
}

/// The cause of a change that was interrupted, in words.
pub(super) const INTERRUPTED: &str = "it was interrupted";

/// Takes one step after the other, as the state machine orders them.
pub(super) struct Steps<'a> {
    /// Where it happens.
    pub cx: RunContext<'a>,
    /// How far the change is.
    pub change: Change,
    /// What stopped it.
    pub obstacle: Obstacle,
}

impl<'a> Steps<'a> {
    /// Carries out `order` if it is what the state machine orders now. `None` if it is not, or if the step ended the
    /// change.
    pub fn take<T>(
        &mut self,
        order: Order,
        act: impl FnOnce(&mut RunContext<'a>, &mut Obstacle) -> Result<Step<T>, Error>,
    ) -> Option<T> {
        if self.change.order() != Some(order) {
            return None;
        }
        if self.cx.world.interrupted() {
            self.change = self.change.next(self.obstacle.interrupted());
            return None;
        }
        let timer = Timer::start(self.cx.world);
        let (value, outcome) = match act(&mut self.cx, &mut self.obstacle) {
            Ok(Step::Done(value)) => (Some(value), StepOutcome::Done),
            Ok(Step::Ended(outcome)) => (None, outcome),
            Err(error) => (None, self.obstacle.stopped_by(error)),
        };
        timer.stop(&mut self.cx.recorder, self.cx.world, order, outcome);
        self.change = self.change.next(outcome);
        value
    }
}

/// Times one order.
pub(super) struct Timer {
    begun: Duration,
}

impl Timer {
    /// Begins now.
    pub fn start(world: &dyn World) -> Self {
        Self { begun: world.uptime() }
    }

    /// The milliseconds since.
    pub fn ms(&self, world: &dyn World) -> u64 {
        u64::try_from(world.uptime().saturating_sub(self.begun).as_millis()).unwrap_or(u64::MAX)
    }

    /// Records how the order ended, and how long it took.
    pub fn stop(self, recorder: &mut Recorder<'_>, world: &dyn World, order: Order, outcome: StepOutcome) {
        let (name, outcome) = (order.name().to_owned(), outcome.name().to_owned());
        recorder.emit(Event::Stage { name, outcome, ms: self.ms(world) });
    }
}
