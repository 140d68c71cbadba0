//! The state machine of one change.

use super::journal::Stage;
use crate::health::Judgement;
use serde::{Deserialize, Serialize};

/// How a change ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Verdict {
    /// It is live.
    Kept,
    /// A check refused it; nothing was touched.
    Refused,
    /// It was live, and the old configuration was put back.
    Restored,
    /// Even the old configuration does not come back: a person is needed.
    Stuck,
    /// There was nothing to change.
    Unchanged,
    /// It could not be run, or the person gave it up; nothing was touched.
    Dropped,
}

/// What is durably true of the change.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum State {
    /// Nothing yet.
    Opened,
    /// Locks are held, files are read.
    Prepared,
    /// The proposal exists and our own check passed.
    Proposed,
    /// The daemon's own checker passed.
    Rehearsed,
    /// The baseline is taken.
    Measured,
    /// The backup exists, and so does the plan.
    Saved,
    /// The new files stand beside the old ones.
    Staged,
    /// The plan is durable: from here nothing depends on anything else.
    Armed,
    /// The files are live.
    Replaced,
    /// The daemon was told.
    Activated,
    /// All is as it should be.
    Kept,
    /// The old files are being put back.
    Restoring,
    /// The old files are live again.
    PutBack,
    /// The daemon was told again.
    Revived,
    /// All is as it was before.
    Restored,
    /// It was given up before anything was live.
    Withdrawn(Verdict),
    /// It has ended.
    Closed(Verdict),
}

/// What the host is to do next.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Order {
    /// Take the locks and read the files.
    Prepare,
    /// Make the proposal and check it.
    Propose,
    /// Let the daemon's own checker read it.
    Rehearse,
    /// Look how the service is now.
    Measure,
    /// Back up the files and write down the plan.
    Save,
    /// Put the new files beside the old ones.
    Stage,
    /// Make the plan durable.
    Arm,
    /// Take the new files live.
    Replace,
    /// Make the daemon take up its configuration.
    Activate,
    /// Look until it is well, and on.
    Look,
    /// Put the old files back.
    PutBack,
    /// Make the daemon take up the old configuration.
    Revive,
    /// Look whether it is as before.
    LookAgain,
    /// Remove what stands beside the files.
    Tidy,
    /// Write the record.
    Close(Verdict),
}

/// What was seen when an order was carried out.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum StepOutcome {
    /// The order is done.
    Done,
    /// There is nothing to change.
    Unchanged,
    /// A finding refuses it.
    Refused,
    /// The order could not be carried out.
    Failed,
    /// The person wants out.
    Interrupted,
    /// That the change is kept could not be written down.
    Unrecorded,
    /// What looking showed.
    Looked(Judgement),
}

impl Order {
    /// Its name in records.
    pub fn name(self) -> &'static str {
        match self {
            Self::Prepare => "lock",
            Self::Propose => "edit",
            Self::Rehearse => "check",
            Self::Measure => "measure",
            Self::Save => "save",
            Self::Stage => "stage",
            Self::Arm => "hand-over",
            Self::Replace => "replace",
            Self::Activate => "activate",
            Self::Look => "check-health",
            Self::PutBack => "restore",
            Self::Revive => "reactivate",
            Self::LookAgain => "check-health-again",
            Self::Tidy => "tidy",
            Self::Close(_) => "close",
        }
    }
}

impl StepOutcome {
    /// Its name in records.
    pub fn name(self) -> &'static str {
        match self {
            Self::Done => "done",
            Self::Unchanged => "unchanged",
            Self::Refused => "refused",
            Self::Failed => "failed",
            Self::Interrupted => "interrupted",
            Self::Unrecorded => "unrecorded",
            Self::Looked(Judgement::Healthy) => "healthy",
            Self::Looked(Judgement::AsBefore) => "as-before",
            Self::Looked(Judgement::Unproven) => "unproven",
            Self::Looked(Judgement::Worse) => "worse",
        }
    }
}

/// How often a restore is tried before a person is called.
const ATTEMPTS: u8 = 2;

/// A change on its way.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[must_use]
pub struct Change {
    state: State,
    order: Option<Order>,
    dry_run: bool,
    activated: bool,
    attempt: u8,
}

impl Change {
    /// A new change; a dry run ends before anything is written.
    pub fn open(dry_run: bool) -> Self {
        Self { state: State::Opened, order: Some(Order::Prepare), dry_run, activated: false, attempt: 0 }
    }

    /// A change whose backup exists and whose plan is made: the next thing is to put the new files
    /// beside the old ones.
    pub fn saved() -> Self {
        Self { state: State::Saved, order: Some(Order::Stage), ..Self::open(false) }
    }

    /// A change whose new files stand beside the old ones: the next thing is to take them live.
    pub fn staged() -> Self {
        Self { state: State::Staged, order: Some(Order::Arm), ..Self::open(false) }
    }

    /// The change whose journal ends with `stage`, to be brought to a verdict.
    pub fn resume(stage: Stage) -> Self {
        let at = |state, order, activated| Self {
            state,
            order: Some(order),
            dry_run: false,
            activated,
            attempt: 1,
        };
        let restore = |activated| at(State::Restoring, Order::PutBack, activated);
        match stage {
            Stage::Saved | Stage::Staged | Stage::Withdrawn => {
                at(State::Withdrawn(Verdict::Dropped), Order::Tidy, false)
            }
            Stage::Armed => restore(false),
            Stage::Replaced | Stage::Activated | Stage::Restoring | Stage::PutBack | Stage::Revived => {
                restore(true)
            }
            Stage::Kept => at(State::Kept, Order::Tidy, true),
            Stage::Restored => at(State::Restored, Order::Tidy, true),
            Stage::Closed(Verdict::Stuck) => restore(true),
            Stage::Closed(verdict) => Self { order: None, ..at(State::Closed(verdict), Order::Tidy, true) },
        }
    }

    /// What is durably true.
    pub fn state(&self) -> State {
        self.state
    }

    /// What is to be done; none when it has ended.
    pub fn order(&self) -> Option<Order> {
        self.order
    }

    /// Whether the daemon may have been told of the new configuration.
    pub fn was_activated(&self) -> bool {
        self.activated
    }

    /// Which attempt at restoring this is, from 1; 0 before the first.
    pub fn attempt(&self) -> u8 {
        self.attempt
    }

    /// The next step. Total: every state has an answer to every event.
    pub fn next(self, seen: StepOutcome) -> Self {
        use {State as S, StepOutcome as E, Verdict as V};
        match (self.state, seen) {
            (S::Opened, E::Done) => self.to(S::Prepared, Order::Propose),
            (S::Prepared, E::Done) => self.to(S::Proposed, Order::Rehearse),
            (S::Prepared, E::Unchanged) => self.end(V::Unchanged),
            (S::Proposed, E::Done) => self.to(S::Rehearsed, Order::Measure),
            (S::Rehearsed, E::Done) if self.dry_run => self.end(V::Dropped),
            (S::Rehearsed, E::Done) => self.to(S::Measured, Order::Save),
            (S::Measured, E::Done) => self.to(S::Saved, Order::Stage),
            (S::Opened | S::Prepared | S::Proposed | S::Rehearsed | S::Measured, E::Refused) => {
                self.end(V::Refused)
            }
            (S::Opened | S::Prepared | S::Proposed | S::Rehearsed | S::Measured, _) => self.end(V::Dropped),

            (S::Saved, E::Done) => self.to(S::Staged, Order::Arm),
            (S::Staged, E::Done) => self.to(S::Armed, Order::Replace),
            (S::Saved | S::Staged, E::Refused) => self.to(S::Withdrawn(V::Refused), Order::Tidy),
            (S::Saved | S::Staged, _) => self.to(S::Withdrawn(V::Dropped), Order::Tidy),
            (S::Withdrawn(verdict), _) => self.end(verdict),

            (S::Armed, E::Done) => Self { activated: true, ..self.to(S::Replaced, Order::Activate) },
            (S::Replaced, E::Done) => self.to(S::Activated, Order::Look),
            (S::Activated, E::Looked(Judgement::Healthy | Judgement::AsBefore | Judgement::Unproven)) => {
                self.to(S::Kept, Order::Tidy)
            }
            (S::Armed | S::Replaced | S::Activated, _) => self.restore(),
            // Nobody may be told of it then: a recovery would not know, and take it back.
            (S::Kept, E::Unrecorded) => self.restore(),
            (S::Kept, _) => self.end(V::Kept),

            (S::Restoring, E::Done) => self.to(S::PutBack, Order::Revive),
            (S::PutBack, _) => self.to(S::Revived, Order::LookAgain),
            (S::Revived, E::Looked(Judgement::Healthy | Judgement::AsBefore | Judgement::Unproven)) => {
                self.to(S::Restored, Order::Tidy)
            }
            (S::Restoring | S::Revived, _) if self.attempt < ATTEMPTS => self.restore(),
            (S::Restoring | S::Revived, _) => self.end(V::Stuck),
            (S::Restored, _) => self.end(V::Restored),

            (S::Closed(_), _) => Self { order: None, ..self },
        }
    }

    fn to(self, state: State, order: Order) -> Self {
        Self { state, order: Some(order), ..self }
    }

    fn restore(self) -> Self {
        Self { attempt: self.attempt + 1, ..self.to(State::Restoring, Order::PutBack) }
    }

    fn end(self, verdict: Verdict) -> Self {
        self.to(State::Closed(verdict), Order::Close(verdict))
    }
}

impl State {
    /// What the journal says in this state; nothing before there is one.
    pub fn stage(self) -> Option<Stage> {
        Some(match self {
            Self::Opened | Self::Prepared | Self::Proposed | Self::Rehearsed | Self::Measured => return None,
            Self::Saved => Stage::Saved,
            Self::Staged => Stage::Staged,
            Self::Armed => Stage::Armed,
            Self::Replaced => Stage::Replaced,
            Self::Activated => Stage::Activated,
            Self::Kept => Stage::Kept,
            Self::Restoring => Stage::Restoring,
            Self::PutBack => Stage::PutBack,
            Self::Revived => Stage::Revived,
            Self::Restored => Stage::Restored,
            Self::Withdrawn(_) => Stage::Withdrawn,
            Self::Closed(verdict) => Stage::Closed(verdict),
        })
    }

    /// Whether live files may have been touched already, or the change is on its way out: then a
    /// journal that cannot be written no longer stops anything.
    pub fn is_past_armed(self) -> bool {
        !matches!(
            self,
            Self::Opened
                | Self::Prepared
                | Self::Proposed
                | Self::Rehearsed
                | Self::Measured
                | Self::Saved
                | Self::Staged
                | Self::Armed
        )
    }
}

impl Verdict {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Kept => "kept",
            Self::Refused => "refused",
            Self::Restored => "restored",
            Self::Stuck => "stuck",
            Self::Unchanged => "unchanged",
            Self::Dropped => "dropped",
        }
    }
}
