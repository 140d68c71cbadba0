//! What the state machine orders, and what it is told in return.

use super::Verdict;
use crate::health::Judgement;

/// What the host is to do next.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Order {
    /// Take the locks and read the files.
    Lock,
    /// Make the proposal.
    Edit,
    /// Check the proposal: our own rules, the daemon's checker, the settings that the daemon reports.
    Check,
    /// Check the health of the service as it is now.
    Measure,
    /// Back up the files and write down the plan.
    Save,
    /// Write the new files beside the old ones.
    Stage,
    /// Give the change to the guardian, where there is one.
    HandOver,
    /// Take the new files live.
    Replace,
    /// Make the service take up its configuration.
    Activate,
    /// Check its health until it is healthy, and for the steady time.
    CheckHealth,
    /// Wait for the person's word, to keep it or not, until the time is over.
    AwaitWord,
    /// Restore the old files.
    Restore,
    /// Make the service take up the old configuration.
    Reactivate,
    /// Check whether it is as healthy as before.
    CheckHealthAgain,
    /// Remove what is left beside the files.
    Tidy,
    /// Write the record.
    Close(Verdict),
}

impl Order {
    /// Its name in records.
    pub fn name(self) -> &'static str {
        match self {
            Self::Lock => "lock",
            Self::Edit => "edit",
            Self::Check => "check",
            Self::Measure => "measure",
            Self::Save => "save",
            Self::Stage => "stage",
            Self::HandOver => "hand-over",
            Self::Replace => "replace",
            Self::Activate => "activate",
            Self::CheckHealth => "check-health",
            Self::AwaitWord => "await-word",
            Self::Restore => "restore",
            Self::Reactivate => "reactivate",
            Self::CheckHealthAgain => "check-health-again",
            Self::Tidy => "tidy",
            Self::Close(_) => "close",
        }
    }
}

/// How an order ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum StepOutcome {
    /// The order is done.
    Done,
    /// Another process carries the change on.
    HandedOver,
    /// There is nothing to change.
    Unchanged,
    /// A finding refuses it.
    Refused,
    /// The order could not be carried out.
    Failed,
    /// The person wants to stop.
    Interrupted,
    /// That the change is kept could not be written down.
    Unrecorded,
    /// What the health checks showed.
    Health(Judgement),
}

impl StepOutcome {
    /// Its name in records.
    pub fn name(self) -> &'static str {
        match self {
            Self::Done => "done",
            Self::HandedOver => "handed-over",
            Self::Unchanged => "unchanged",
            Self::Refused => "refused",
            Self::Failed => "failed",
            Self::Interrupted => "interrupted",
            Self::Unrecorded => "unrecorded",
            Self::Health(Judgement::Healthy) => "healthy",
            Self::Health(Judgement::AsBefore) => "as-before",
            Self::Health(Judgement::Unproven) => "unproven",
            Self::Health(Judgement::Worse) => "worse",
        }
    }
}
