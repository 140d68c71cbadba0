//! How a change ended.

use serde::{Deserialize, Serialize};

/// How a change ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Verdict {
    /// It is live.
    Kept,
    /// A check refused it; nothing was touched.
    Refused,
    /// It was live, and the old configuration was restored.
    Restored,
    /// Even the old configuration does not come back: a person is needed.
    Stuck,
    /// There was nothing to change.
    Unchanged,
    /// It could not be run, or the person gave it up; nothing was touched.
    Dropped,
}

impl Verdict {
    /// The word for it, as records and the screen have it.
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
