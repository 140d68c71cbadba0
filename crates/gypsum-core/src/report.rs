//! The report of a change: one document, gathered from what happened.

use crate::change::Verdict;
use crate::edit::LineDiff;
use crate::event::{CheckRun, Event, Reading};
use crate::finding::Finding;
use crate::health::{Judgement, Outcome};
use serde::{Deserialize, Serialize};

/// The shape of the document; raised when a field changes its meaning.
pub const SCHEMA: u32 = 2;

/// One stage of a change.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct StageTime {
    /// Its name.
    pub name: String,
    /// How it ended.
    pub outcome: String,
    /// How long it took, in milliseconds.
    pub ms: u64,
}

/// How the daemon took up its configuration.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Activated {
    /// What was done, in words.
    pub how: String,
    /// Whether the command ended well.
    pub ok: bool,
    /// How long it took, in milliseconds.
    pub ms: u64,
    /// Whether its processes were replaced by it.
    #[serde(default)]
    pub restarts: bool,
}

/// What is written to `change.json`, and printed for `--json`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Report {
    /// [`SCHEMA`].
    pub schema: u32,
    /// The change, by the name of its folder; none where it left no folder.
    pub change: Option<String>,
    /// The daemon.
    pub daemon: String,
    /// How it ended; none for commands that change nothing.
    pub verdict: Option<Verdict>,
    /// Whether the service is well now; none where nobody looked.
    #[serde(alias = "well")]
    pub healthy: Option<bool>,
    /// Whether something could not be looked at.
    #[serde(default)]
    pub unproven: bool,
    /// Whether nothing was to be written.
    #[serde(default)]
    pub dry_run: bool,
    /// Who: the login.
    #[serde(default)]
    pub who: String,
    /// Why, in the person's words.
    #[serde(default)]
    pub why: Option<String>,
    /// Where the service stands, in words.
    #[serde(default)]
    pub standing: String,
    /// What to do next, where something is to be done.
    #[serde(default)]
    pub next: Option<String>,
    /// What was found.
    pub findings: Vec<Finding>,
    /// The edits.
    pub edits: Vec<LineDiff>,
    /// The folder with the files as they were.
    pub backup: Option<String>,
    /// How the daemon took up its configuration.
    pub activation: Option<Activated>,
    /// What the last health checks said.
    pub health: Vec<Outcome>,
    /// Values before and after.
    pub readings: Vec<Reading>,
    /// What checked the proposal.
    #[serde(default)]
    pub checked_by: Vec<CheckRun>,
    /// The stages.
    pub stages: Vec<StageTime>,
}

impl Report {
    /// An empty report about `daemon`.
    pub fn new(daemon: &str) -> Self {
        Self { schema: SCHEMA, daemon: daemon.into(), ..Self::default() }
    }

    /// Takes in one thing that happened.
    pub fn take(&mut self, event: &Event) {
        match event.clone() {
            Event::Begun { daemon, why, who, dry_run, .. } => {
                *self = Self { why, who, dry_run, ..Self::new(&daemon) };
            }
            Event::Proposed { edits } => self.edits = edits,
            Event::Found { finding } => self.findings.push(finding),
            Event::Baseline { health } => self.looked(health),
            Event::BackedUp { change, folder } => {
                self.change = Some(change);
                self.backup = Some(folder);
            }
            Event::Activated { action, target, ok, ms, restarts, .. } => {
                let how = format!("{action} {target}").trim().to_owned();
                self.activation = Some(Activated { how, ok, ms, restarts });
            }
            Event::Looked { health, judgement, .. } => {
                self.looked(health);
                self.unproven = judgement == Judgement::Unproven;
            }
            Event::Stage { name, outcome, ms } => self.stages.push(StageTime { name, outcome, ms }),
            Event::Ended { verdict, standing, next } => {
                self.verdict = Some(verdict);
                self.standing = standing;
                self.next = next;
            }
            Event::Checked { by } => self.checked_by = by,
            Event::Planned { .. }
            | Event::Replaced { .. }
            | Event::Waiting { .. }
            | Event::Log { .. }
            | Event::Restoring { .. }
            | Event::Noted { .. }
            | Event::Logged { .. }
            | Event::Beside { .. } => {}
            Event::Read { readings } => self.readings = readings,
        }
    }

    fn looked(&mut self, health: Vec<Outcome>) {
        self.healthy = Some(health.iter().all(|outcome| outcome.healthy));
        self.health = health;
    }
}
