//! The exit status of the command.

use crate::change::Verdict;
use crate::report::Report;
use serde::{Deserialize, Serialize};

/// What the command tells the shell. A script that checks for 0 treats everything else as not done.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum ExitStatus {
    /// Kept and healthy; unchanged; a dry run that found nothing in the way.
    Success,
    /// It could not be run; nothing was touched.
    NotRun,
    /// The command line or a profile is wrong.
    Usage,
    /// A check refuses it; or a service is unhealthy.
    Refused,
    /// It was live, and the old configuration was restored.
    Restored,
    /// Even the old configuration does not come back: a person is needed.
    Stuck,
    /// Another change has this daemon or file.
    Busy,
    /// It is kept, and not known to be healthy.
    Unproven,
    /// It is live, and another process carries it to its end.
    GoesOn,
}

impl ExitStatus {
    /// The number.
    pub fn code(self) -> u8 {
        match self {
            Self::Success => 0,
            Self::NotRun => 1,
            Self::Usage => 2,
            Self::Refused => 3,
            Self::Restored => 4,
            Self::Stuck => 5,
            Self::Busy => 6,
            Self::Unproven => 7,
            Self::GoesOn => 8,
        }
    }

    /// The higher one of two, for a command that did several things.
    #[must_use]
    pub fn max_by_code(self, other: Self) -> Self {
        if other.code() > self.code() { other } else { self }
    }

    /// What a report amounts to.
    pub fn of(report: &Report) -> Self {
        match report.verdict {
            Some(Verdict::Kept) if report.unproven || report.healthy == Some(false) => Self::Unproven,
            Some(Verdict::Kept | Verdict::Unchanged) | None => Self::Success,
            Some(Verdict::Dropped) if report.dry_run && report.next.is_none() => Self::Success,
            Some(Verdict::Dropped) => Self::NotRun,
            Some(Verdict::Refused) => Self::Refused,
            Some(Verdict::Restored) => Self::Restored,
            Some(Verdict::Stuck) => Self::Stuck,
        }
    }
}
