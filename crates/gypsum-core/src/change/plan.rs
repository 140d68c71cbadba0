//! The plan of a change: everything that is needed to carry it out or to take it back, resolved to
//! file names, digests, argument vectors and times. It is the first record of the journal.

use crate::health::Outcome;
use crate::probe::Check;
use crate::profile::{Activation, Hook, Part, Service};
use crate::reading::{Reading, Seen};
use crate::service::Observation;
use serde::{Deserialize, Serialize};
use std::path::PathBuf;

/// What a file holds. Absent is a state like any digest.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Content {
    /// There is no file.
    Absent,
    /// Its bytes have this BLAKE3 digest, in hexadecimal.
    Digest(String),
}

/// How a file is replaced.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum ReplaceBy {
    /// The new file changes places with the old one, which waits aside.
    Exchange,
    /// The bytes are written into the standing file: it is mounted there, or its file system cannot
    /// exchange.
    InPlace,
    /// There was no file: the new one takes the name.
    Create,
    /// There will be no file: the old one waits aside.
    Remove,
}

/// Owner and mode of a file; what is not said stays as it comes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Ownership {
    /// The permission bits.
    pub mode: Option<u32>,
    /// The user, by number.
    pub owner: Option<u32>,
    /// The group, by number.
    pub group: Option<u32>,
}

/// One file of a change.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlannedFile {
    /// The file itself, links followed.
    pub path: PathBuf,
    /// What it holds before.
    pub before: Content,
    /// What it is to hold.
    pub after: Content,
    /// How it is replaced.
    pub how: ReplaceBy,
    /// Where the new file waits, and then the old one.
    pub aside: PathBuf,
    /// The backup, in the change's folder; none where there was no file.
    pub backup: Option<PathBuf>,
    /// The owner and mode of the new file, where they are not those of the old one.
    #[serde(default, alias = "dress", skip_serializing_if = "Option::is_none")]
    pub ownership: Option<Ownership>,
}

/// A check that is looked at for some time after a change was kept.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlannedWatch {
    /// The check.
    pub check: Check,
    /// For how long, in milliseconds.
    pub for_ms: u64,
    /// Whether the change is taken back where it fails.
    pub restores: bool,
    /// The options of the command line by which the daemon is named, for that.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub target: Vec<String>,
}

/// A further service of a change.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlannedRelated {
    /// It; the unit is the one that was found.
    pub service: Service,
    /// What it has to do with the daemon.
    pub part: Part,
    /// What a follower needs.
    pub activation: Activation,
}

/// What a draft is to say of a proposal that does not stay live.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlannedDraft {
    /// Whose it is: the login.
    pub who: String,
    /// Whether it was written as a whole, by hand or beforehand, and not made by edits.
    pub written: bool,
}

/// A draft that a change takes live.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct TakenDraft {
    /// Its folder.
    pub folder: PathBuf,
    /// What it proposed then: one that was written on since is another.
    pub proposal: Content,
}

/// The plan of one change.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Plan {
    /// The daemon.
    pub daemon: String,
    /// The change, by the name of its folder.
    pub change: String,
    /// Its files, in the order in which they go live.
    pub files: Vec<PlannedFile>,
    /// The folders that are made for its files, outermost first; they go with them.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub folders: Vec<PathBuf>,
    /// The folders that go once they are empty, innermost first: an earlier change had made them.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub prune: Vec<PathBuf>,
    /// What keeps the daemon running; the unit is the one that was found.
    pub service: Service,
    /// What it needs.
    pub activation: Activation,
    /// Whether the service was up before, or is to be started.
    pub touch_service: bool,
    /// Whether no setting changes: comments and blanks alone do.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub same_settings: bool,
    /// How long an activation may take, in milliseconds.
    pub limit_ms: u64,
    /// How long all must stay well, in milliseconds.
    pub steady_ms: u64,
    /// How long it is on probation, in milliseconds; none where it is kept once it is healthy.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub probation_ms: Option<u64>,
    /// What is looked at for some time after it was kept.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub watches: Vec<PlannedWatch>,
    /// Further services that have to do with it.
    #[serde(default, alias = "neighbours", skip_serializing_if = "Vec::is_empty")]
    pub related: Vec<PlannedRelated>,
    /// Units that were up and that a stop of the service takes along.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub taken_along: Vec<String>,
    /// Units that were up and start the service when they are called.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub callers: Vec<String>,
    /// What is to be done between writing the files and the activation.
    #[serde(default, alias = "chores", skip_serializing_if = "Vec::is_empty")]
    pub hooks: Vec<Hook>,
    /// The health checks for the configuration as it was.
    pub checks_before: Vec<Check>,
    /// The health checks for the configuration as it will be.
    pub checks_after: Vec<Check>,
    /// What the former said before anything was touched.
    pub baseline: Vec<Outcome>,
    /// The service before anything was touched.
    pub service_before: Option<Observation>,
    /// What is read before and after.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub readings: Vec<Reading>,
    /// What was read before.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub readings_before: Vec<Seen>,
    /// The settings that get another value, by the profile's names for them: readings of them should move.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub moved: Vec<String>,
    /// How a draft of it is kept; none where what does not stay live is not worth one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub draft: Option<PlannedDraft>,
    /// The drafts that it takes live: they go once it is kept.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub takes_live: Vec<TakenDraft>,
}
