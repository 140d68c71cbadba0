//! Whether a daemon can be started on a proposal, apart from everything that others use, and what that takes.

use super::Argv;
use jiff::SignedDuration;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// When a proposal is tried by a trial start.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum TrialWhen {
    /// At each change: it is known to be harmless and fast.
    Always,
    /// Only where a person asks for it.
    #[default]
    Asked,
    /// Never.
    Never,
}

/// Whether a daemon can be started on a proposal, apart from everything that others use, and what that takes.
#[derive(Clone, Debug, Default, PartialEq, Eq, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct Trial {
    /// When it is done.
    pub when: TrialWhen,
    /// Why it is not done at each change.
    pub why: Option<String>,
    /// The command that starts it, where that of its unit cannot; it stays in the foreground.
    pub start: Option<Argv>,
    /// The command that fills its empty data folder before that.
    pub fill: Option<Argv>,
    /// The account for these two, where the unit names none.
    pub account: Option<String>,
    /// Further words for its start command.
    pub words: Vec<String>,
    /// Further variables for its commands.
    pub variables: BTreeMap<String, String>,
    /// The folders that hold its data: in a trial they are empty. Folders in which it has files open for writing are found
    /// without being named.
    pub data: Vec<String>,
    /// Settings whose value names such a folder, or a file in it.
    pub data_of: Vec<String>,
    /// Folders that it works in and that hold no data, so that they stay as they are.
    pub kept: Vec<String>,
    /// Whether other services of this host that its files name by address and port may be asked from there: a proxy is
    /// nothing without them.
    pub reaches: bool,
    /// How long it may take until it is ready.
    pub limit: Option<SignedDuration>,
}
