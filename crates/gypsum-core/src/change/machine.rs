//! The state machine of one change.

use super::{Order, Stage, StepOutcome, Verdict};
use crate::health::Judgement;

/// Where a change is. It is early, durable or about to end, or another process has it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum State {
    /// Nothing is written yet.
    Early(Early),
    /// This is on the disk, as the journal says it.
    Durable(Stage),
    /// The verdict is known and not recorded yet.
    Ending(Verdict),
    /// Another process carries it on.
    HandedOver,
}

/// How far a change is before anything is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Early {
    /// It was asked for.
    Requested,
    /// Locks are held, files are read.
    Loaded,
    /// The proposal exists.
    Proposed,
    /// All checks of the proposal passed.
    Checked,
    /// The baseline is taken.
    Measured,
}

impl State {
    /// What is to be done in this state; `None` if nothing is.
    pub fn order(self) -> Option<Order> {
        use Stage as S;
        Some(match self {
            Self::Early(Early::Requested) => Order::Lock,
            Self::Early(Early::Loaded) => Order::Edit,
            Self::Early(Early::Proposed) => Order::Check,
            Self::Early(Early::Checked) => Order::Measure,
            Self::Early(Early::Measured) => Order::Save,
            Self::Durable(S::Saved) => Order::Stage,
            Self::Durable(S::Staged) => Order::HandOver,
            Self::Durable(S::Armed) => Order::Replace,
            Self::Durable(S::Replaced) => Order::Activate,
            Self::Durable(S::Activated) => Order::CheckHealth,
            Self::Durable(S::Probation) => Order::AwaitWord,
            Self::Durable(S::Restoring) => Order::Restore,
            Self::Durable(S::FilesRestored) => Order::Reactivate,
            Self::Durable(S::Reactivated) => Order::CheckHealthAgain,
            Self::Durable(S::Kept | S::Restored | S::Withdrawn) => Order::Tidy,
            Self::Ending(verdict) => Order::Close(verdict),
            Self::Durable(S::Closed(_)) | Self::HandedOver => return None,
        })
    }
}

/// How often a restore is tried before a person is called.
const ATTEMPTS: u8 = 2;

/// A change on its way.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[must_use]
pub struct Change {
    state: State,
    dry_run: bool,
    refused: bool,
    activated: bool,
    probation: bool,
    attempt: u8,
}

impl Change {
    fn new(state: State) -> Self {
        Self { state, dry_run: false, refused: false, activated: false, probation: false, attempt: 0 }
    }

    /// A new change; a dry run ends before anything is written.
    pub fn open(dry_run: bool) -> Self {
        Self { dry_run, ..Self::new(State::Early(Early::Requested)) }
    }

    /// A change whose backup exists and whose plan is made: the next thing is to write the new files
    /// beside the old ones.
    pub fn saved() -> Self {
        Self::new(State::Durable(Stage::Saved))
    }

    /// A change whose new files are beside the old ones: the next thing is to hand it over.
    pub fn staged() -> Self {
        Self::new(State::Durable(Stage::Staged))
    }

    /// The same; where it is on probation, it is kept only on the person's word.
    pub fn on_probation(self, probation: bool) -> Self {
        Self { probation, ..self }
    }

    /// A change on probation whose process was lost: it is waited for again.
    pub fn await_again() -> Self {
        Self { activated: true, probation: true, ..Self::new(State::Durable(Stage::Probation)) }
    }

    /// The change whose journal ends with `stage`, to be brought to a verdict.
    pub fn resume(stage: Stage) -> Self {
        let at = |stage, activated| Self { activated, attempt: 1, ..Self::new(State::Durable(stage)) };
        match stage {
            Stage::Saved | Stage::Staged | Stage::Withdrawn => at(Stage::Withdrawn, false),
            Stage::Armed => at(Stage::Restoring, false),
            Stage::Replaced
            | Stage::Activated
            | Stage::Probation
            | Stage::Restoring
            | Stage::FilesRestored
            | Stage::Reactivated
            | Stage::Closed(Verdict::Stuck) => at(Stage::Restoring, true),
            Stage::Kept | Stage::Restored | Stage::Closed(_) => at(stage, true),
        }
    }

    /// Where it is.
    pub fn state(&self) -> State {
        self.state
    }

    /// What is to be done; `None` once it has ended, or another process has it.
    pub fn order(&self) -> Option<Order> {
        self.state.order()
    }

    /// Whether the service may have taken up the new configuration.
    pub fn was_activated(&self) -> bool {
        self.activated
    }

    /// Which attempt at restoring this is, from 1; 0 before the first.
    pub fn attempt(&self) -> u8 {
        self.attempt
    }

    /// The next step. Total: every state has an answer to every outcome.
    pub fn next(self, seen: StepOutcome) -> Self {
        use State::{Durable, Early, Ending};
        use {super::machine::Early as At, Stage as S, StepOutcome as O, Verdict as V};
        match (self.state, seen) {
            (Early(At::Requested), O::Done) => self.to(Early(At::Loaded)),
            (Early(At::Loaded), O::Done) => self.to(Early(At::Proposed)),
            (Early(At::Loaded), O::Unchanged) => self.to(Ending(V::Unchanged)),
            (Early(At::Proposed), O::Done) => self.to(Early(At::Checked)),
            (Early(At::Checked), O::Done) if self.dry_run => self.to(Ending(V::Dropped)),
            (Early(At::Checked), O::Done) => self.to(Early(At::Measured)),
            (Early(At::Measured), O::Done) => self.to(Durable(S::Saved)),
            (Early(_), O::Refused) => self.to(Ending(V::Refused)),
            (Early(_), _) => self.to(Ending(V::Dropped)),

            (Durable(S::Saved), O::Done) => self.to(Durable(S::Staged)),
            (Durable(S::Staged), O::Done) => self.to(Durable(S::Armed)),
            (Durable(S::Staged), O::HandedOver) => self.to(State::HandedOver),
            (Durable(S::Saved | S::Staged), seen) => {
                Self { refused: seen == O::Refused, ..self.to(Durable(S::Withdrawn)) }
            }
            (Durable(S::Withdrawn), _) => self.to(Ending(if self.refused { V::Refused } else { V::Dropped })),

            (Durable(S::Armed), O::Done) => Self { activated: true, ..self.to(Durable(S::Replaced)) },
            (Durable(S::Replaced), O::Done) => self.to(Durable(S::Activated)),
            (Durable(S::Activated), O::Health(judgement)) if judgement != Judgement::Worse => {
                self.to(Durable(if self.probation { S::Probation } else { S::Kept }))
            }
            (Durable(S::Probation), O::Done) => self.to(Durable(S::Kept)),
            (Durable(S::Armed | S::Replaced | S::Activated | S::Probation), _) => self.restore(),
            // It must not be told then: a recovery would not know of it, and would restore.
            (Durable(S::Kept), O::Unrecorded) if self.attempt == 0 => self.restore(),
            (Durable(S::Kept), _) => self.to(Ending(V::Kept)),

            (Durable(S::Restoring), O::Done) => self.to(Durable(S::FilesRestored)),
            (Durable(S::FilesRestored), _) => self.to(Durable(S::Reactivated)),
            (Durable(S::Reactivated), O::Health(judgement)) if judgement != Judgement::Worse => {
                self.to(Durable(S::Restored))
            }
            (Durable(S::Restoring | S::Reactivated), _) if self.attempt < ATTEMPTS => self.restore(),
            (Durable(S::Restoring | S::Reactivated), _) => self.to(Ending(V::Stuck)),
            (Durable(S::Restored), _) => self.to(Ending(V::Restored)),

            (Ending(verdict), _) => self.to(Durable(S::Closed(verdict))),
            (Durable(S::Closed(_)) | State::HandedOver, _) => self,
        }
    }

    fn to(self, state: State) -> Self {
        Self { state, ..self }
    }

    fn restore(self) -> Self {
        Self { attempt: self.attempt + 1, ..self.to(State::Durable(Stage::Restoring)) }
    }
}
