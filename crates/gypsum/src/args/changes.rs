//! What `gypsum changes` lists.

use clap::{Args, ValueEnum};
use gypsum_core::change::Verdict;
use std::path::PathBuf;

/// Which changes are listed.
#[derive(Clone, Debug, Args)]
pub struct ChangesArgs {
    /// Only those of this daemon
    pub daemon: Option<String>,
    /// One change, by its number
    pub change: Option<String>,
    /// At most so many, the newest ones [default: 20 on a screen, all elsewhere]
    #[arg(long, value_name = "N", conflicts_with = "change")]
    pub last: Option<usize>,
    /// Only those begun since then: 3d, 2026-11-28, '2026-11-28 18:00'
    #[arg(long, value_name = "TIME", conflicts_with = "change")]
    pub since: Option<String>,
    /// Only those of this person
    #[arg(long, value_name = "LOGIN", conflicts_with = "change")]
    pub by: Option<String>,
    /// Only those that ended so
    #[arg(long, value_name = "VERDICT", conflicts_with = "change")]
    pub verdict: Option<VerdictArg>,
    /// The history of one setting: from what to what, when, by whom and why, and what was done without Gypsum
    #[arg(long, value_name = "ADDRESS", requires = "daemon", conflicts_with_all = ["change", "last", "since", "by", "verdict"])]
    pub setting: Option<String>,
    /// Write a report of the change to this file, as a page (.html) or as text for a ticket (.md)
    #[arg(long, value_name = "FILE", requires = "change")]
    pub report: Option<PathBuf>,
    /// Read the daemon's profile from this file
    #[arg(long, value_name = "FILE", requires = "daemon")]
    pub profile: Option<PathBuf>,
}

/// How a change with a record may have ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum VerdictArg {
    /// Its configuration is live.
    Kept,
    /// The old configuration was restored.
    Restored,
    /// It was refused.
    Refused,
    /// It ended before anything was live.
    Dropped,
    /// A person is needed.
    Stuck,
}

impl From<VerdictArg> for Verdict {
    fn from(word: VerdictArg) -> Self {
        match word {
            VerdictArg::Kept => Self::Kept,
            VerdictArg::Restored => Self::Restored,
            VerdictArg::Refused => Self::Refused,
            VerdictArg::Dropped => Self::Dropped,
            VerdictArg::Stuck => Self::Stuck,
        }
    }
}
