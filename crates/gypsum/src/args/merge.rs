//! What `gypsum merge` merges.

use super::ChangeOptions;
use clap::{Args, ValueEnum};
use gypsum_core::carry::Whose;
use std::path::PathBuf;

/// What is merged.
#[derive(Clone, Debug, Args)]
pub struct MergeArgs {
    /// The daemon, as its administrators name it
    pub daemon: String,
    /// What is taken where both changed a setting: ADDRESS=mine, =theirs, or =both for a list
    #[arg(long, value_name = "ADDRESS=WHOSE")]
    pub answer: Vec<String>,
    /// What is taken in all questions that have no answer of their own
    #[arg(long, value_name = "WHOSE")]
    pub take: Option<TakeArg>,
    /// Only this file of the daemon
    #[arg(long = "in", value_name = "FILE", conflicts_with_all = ["mine", "against"])]
    pub within: Option<PathBuf>,
    /// Take nothing of the new version, and put it away
    #[arg(long, conflicts_with_all = ["answer", "take", "mine", "against"])]
    pub keep_mine: bool,
    /// Show what this package would bring, before it is installed
    #[arg(long, value_name = "FILE.deb", conflicts_with_all = ["mine", "base"])]
    pub against: Option<PathBuf>,
    /// What was shipped when the file was edited, where it is not found on this host
    #[arg(long, value_name = "FILE")]
    pub base: Option<PathBuf>,
    /// With files alone: the edited file
    #[arg(long, value_name = "FILE", requires_all = ["base", "theirs", "to"])]
    pub mine: Option<PathBuf>,
    /// With files alone: what is shipped now
    #[arg(long, value_name = "FILE", requires_all = ["base", "mine", "to"])]
    pub theirs: Option<PathBuf>,
    /// With files alone: where the result is written
    #[arg(long, value_name = "FILE", requires_all = ["base", "mine", "theirs"])]
    pub to: Option<PathBuf>,
    /// With files alone: the family of their format [default: the daemon's, or guessed]
    #[arg(long, value_name = "FAMILY", requires = "mine")]
    pub format: Option<String>,
    #[command(flatten)]
    pub options: ChangeOptions,
    /// Read the daemon's profile from this file
    #[arg(long, value_name = "FILE")]
    pub profile: Option<PathBuf>,
}

/// Whose version is taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum TakeArg {
    /// The administrator's.
    Mine,
    /// The one that is shipped now.
    Theirs,
}

impl From<TakeArg> for Whose {
    fn from(word: TakeArg) -> Self {
        match word {
            TakeArg::Mine => Self::Mine,
            TakeArg::Theirs => Self::Theirs,
        }
    }
}
