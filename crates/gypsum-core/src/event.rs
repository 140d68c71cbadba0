//! What happens during a change, as data: every display is drawn from it, live or later.

use crate::change::Verdict;
use crate::edit::LineDiff;
use crate::finding::Finding;
use crate::health::{Judgement, Outcome};
use serde::{Deserialize, Deserializer, Serialize};

/// A value before and after.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Reading {
    /// Its name.
    pub name: String,
    /// Before.
    pub before: String,
    /// After.
    pub after: String,
}

/// One of the checks that read a proposal; some of them run side by side.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct CheckRun {
    /// What it is, in words.
    pub name: String,
    /// How long it took, in milliseconds.
    pub ms: u64,
}

/// Reads them as well from records of version 1, which have them in one sentence.
fn check_runs<'de, D: Deserializer<'de>>(source: D) -> Result<Vec<CheckRun>, D::Error> {
    #[derive(Deserialize)]
    #[serde(untagged)]
    enum Either {
        Runs(Vec<CheckRun>),
        Sentence(String),
    }
    Ok(match Either::deserialize(source)? {
        Either::Runs(runs) => runs,
        Either::Sentence(name) => vec![CheckRun { name, ms: 0 }],
    })
}

/// One thing that happened.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "what", rename_all = "kebab-case")]
pub enum Event {
    /// A change was begun.
    Begun {
        /// The daemon.
        daemon: String,
        /// Why, in the person's words.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        why: Option<String>,
        /// Who: the login.
        who: String,
        /// Whether nothing is to be written.
        dry_run: bool,
        /// Whether it is to be put aside once it is checked.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        hold: bool,
        /// The changes that it takes back, by number.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        takes_back: Vec<u32>,
    },
    /// The edits as they will be done.
    Proposed {
        /// The edits.
        edits: Vec<LineDiff>,
    },
    /// Something was found.
    Found {
        /// The finding.
        finding: Finding,
    },
    /// The files were checked.
    Checked {
        /// What checked them.
        #[serde(deserialize_with = "check_runs")]
        by: Vec<CheckRun>,
    },
    /// What will be done, said before it is.
    Planned {
        /// In words.
        activation: String,
        /// Whether nothing is told.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        idle: bool,
        /// Whether the service is down for that time.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        down: bool,
        /// How long it will be away then, in milliseconds, where that is known.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        away_ms: Option<u64>,
    },
    /// Health checks before anything was touched.
    Baseline {
        /// What they said.
        health: Vec<Outcome>,
    },
    /// The backup exists.
    BackedUp {
        /// The change's name.
        change: String,
        /// The folder with the files as they were.
        folder: String,
    },
    /// The files are live.
    Replaced {
        /// How many.
        files: usize,
    },
    /// Something takes a while.
    Waiting {
        /// For what.
        on: String,
        /// How long that usually takes, in milliseconds.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        usual_ms: Option<u64>,
        /// How long all must stay well then, in milliseconds.
        #[serde(default, alias = "calm_ms", skip_serializing_if = "Option::is_none")]
        steady_ms: Option<u64>,
    },
    /// The daemon was told.
    Activated {
        /// What was done: `reload`, `restart`, …; empty in records of version 1, which have it all in `target`.
        #[serde(default)]
        action: String,
        /// With what: the service, the unit files, the title of a hook.
        #[serde(alias = "how")]
        target: String,
        /// Whether the command ended well.
        ok: bool,
        /// What it said, where it did not.
        said: String,
        /// How long it took.
        ms: u64,
        /// Whether this was for the old configuration.
        back: bool,
        /// Whether its processes are replaced by it, so that it is away for a time.
        #[serde(default)]
        restarts: bool,
    },
    /// Something else was done, with another service or by a hook.
    Beside {
        /// What was done: `reload`, `restart`, …; empty in records of version 1, which have it all in `target`.
        #[serde(default)]
        action: String,
        /// With what: the service, the unit files, the title of a hook.
        #[serde(alias = "how")]
        target: String,
        /// Whether it ended well.
        ok: bool,
        /// What it said, where it did not.
        said: String,
        /// How long it took.
        ms: u64,
    },
    /// Values before and after.
    Read {
        /// The values.
        readings: Vec<Reading>,
    },
    /// Health checks after an activation.
    Looked {
        /// What they said.
        health: Vec<Outcome>,
        /// What that means.
        judgement: Judgement,
        /// Whether this was for the old configuration.
        back: bool,
    },
    /// Lines that came into the logs while it was told and looked at: for the record.
    Logged {
        /// The lines.
        lines: Vec<String>,
    },
    /// Old lines of the log which say why.
    Log {
        /// The lines.
        lines: Vec<String>,
    },
    /// The old configuration is being put back.
    Restoring {
        /// Because of what.
        cause: String,
    },
    /// Something to know that is no finding.
    Noted {
        /// In words.
        text: String,
    },
    /// What did not go live is a draft.
    Saved {
        /// Its number.
        draft: u32,
        /// The file that it is of.
        file: String,
        /// Whether it was checked, and is to go live later.
        #[serde(default)]
        held: bool,
    },
    /// A stage ended.
    Stage {
        /// Its name.
        name: String,
        /// How it ended.
        outcome: String,
        /// How long it took.
        ms: u64,
    },
    /// It is live and healthy, and is restored at this time unless the person keeps it.
    OnProbation {
        /// When it is restored, RFC 3339, in UTC.
        until: String,
        /// How long that is from now, in milliseconds.
        for_ms: u64,
    },
    /// The change ended.
    Ended {
        /// The verdict.
        verdict: Verdict,
        /// How it ended, and what state the service is in.
        #[serde(alias = "standing")]
        summary: String,
        /// Why it could not be run, or what to do next.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        next: Option<String>,
    },
}
