//! The stages of a change that its journal records.

use super::Verdict;
use serde::{Deserialize, Serialize};

/// What is durably true of a change, as its journal says it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Stage {
    /// The backup exists and the plan is written.
    Saved,
    /// The new files are beside the old ones.
    Staged,
    /// The plan is durable: from here nothing depends on anything else.
    Armed,
    /// The files are live.
    Replaced,
    /// The service was reloaded, restarted or signalled.
    Activated,
    /// It is live and healthy, and is restored unless the person keeps it in time.
    Probation,
    /// It stays.
    Kept,
    /// The old files are being restored.
    Restoring,
    /// The old files are live again.
    #[serde(rename = "put-back")]
    FilesRestored,
    /// The service has taken up the old configuration.
    #[serde(rename = "revived")]
    Reactivated,
    /// All is as before.
    Restored,
    /// It was given up before anything was live.
    Withdrawn,
    /// It has ended.
    Closed(Verdict),
}

impl Stage {
    /// Whether this record must be on the disk before the next order is begun.
    pub fn is_synced(self) -> bool {
        matches!(self, Self::Armed | Self::Probation | Self::Kept | Self::Restoring | Self::Closed(_))
    }

    /// Whether live files may have been touched already, or the change is on its way out: then a
    /// journal that cannot be written no longer stops anything.
    pub fn is_past_armed(self) -> bool {
        !matches!(self, Self::Saved | Self::Staged | Self::Armed)
    }
}
