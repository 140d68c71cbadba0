//! The report of a change: one document, gathered from what happened.

use crate::change::Verdict;
use crate::edit::LineDiff;
use crate::event::{CheckRun, Event, Reading};
use crate::finding::{Finding, Severity};
use crate::health::{Judgement, Outcome};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::path::Path;

/// The shape of the document; raised when a field changes its meaning.
pub const SCHEMA: u32 = 3;

/// The number in the name of a change's folder; `None` if it is no such name.
pub fn number_of(name: &str) -> Option<u32> {
    name.rsplit_once('-')?.1.parse().ok()
}

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
    /// What was said, where it did not end well.
    #[serde(default)]
    pub said: String,
}

/// What is written to `change.json`; `--json` prints it with the number of the change and the exit status.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Report {
    /// [`SCHEMA`].
    pub schema: u32,
    /// The change, by the name of its folder; none where it left no folder.
    pub change: Option<String>,
    /// When it began: RFC 3339, in UTC.
    #[serde(default)]
    pub begun: Option<String>,
    /// When it ended.
    #[serde(default)]
    pub ended: Option<String>,
    /// Until when it was on probation: RFC 3339, in UTC.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub probation_until: Option<String>,
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
    /// The changes that it takes back, by number.
    #[serde(default)]
    pub takes_back: Vec<u32>,
    /// How it ended, and what state the service is in, in words.
    #[serde(default, alias = "standing")]
    pub summary: String,
    /// Why it was refused, not done or restored, in words.
    #[serde(default)]
    pub reason: Option<String>,
    /// What to do next, where something is to be done.
    #[serde(default)]
    pub next: Option<String>,
    /// What was found.
    pub findings: Vec<Finding>,
    /// The edits.
    pub edits: Vec<LineDiff>,
    /// The folder with the files as they were.
    pub backup: Option<String>,
    /// How the daemon took up its new configuration.
    pub activation: Option<Activated>,
    /// How it took up the old one again, where that was restored.
    #[serde(default)]
    pub reactivation: Option<Activated>,
    /// What the last health checks said.
    pub health: Vec<Outcome>,
    /// Values before and after.
    pub readings: Vec<Reading>,
    /// What checked the proposal.
    #[serde(default)]
    pub checked_by: Vec<CheckRun>,
    /// The lines of its log that say why.
    #[serde(default)]
    pub log: Vec<String>,
    /// The numbers of the drafts that keep what is not live.
    #[serde(default)]
    pub drafts: Vec<u32>,
    /// The stages.
    pub stages: Vec<StageTime>,
}

impl Report {
    /// An empty report about `daemon`.
    pub fn new(daemon: &str) -> Self {
        Self { schema: SCHEMA, daemon: daemon.into(), ..Self::default() }
    }

    /// It as other programs read it, with its change as an object of its own. One that cannot be written as JSON says so.
    pub fn document(&self) -> Value {
        let mut value = match serde_json::to_value(self) {
            Ok(value) => value,
            Err(error) => return json!({ "error": { "message": error.to_string(), "help": null } }),
        };
        let name = self.change.as_deref();
        let folder = self.backup.as_deref().and_then(|backup| Path::new(backup).parent());
        value["change"] = json!({
            "number": name.and_then(number_of),
            "name": name,
            "folder": folder,
            "begun": self.begun,
            "ended": self.ended,
        });
        if let Some(fields) = value.as_object_mut() {
            for field in ["schema", "begun", "ended"] {
                fields.remove(field);
            }
        }
        value
    }

    /// Takes in one thing that happened.
    pub fn take(&mut self, event: &Event) {
        match event.clone() {
            // Who recovers a change goes on with it: what it was begun with is known already.
            Event::Begun { .. } if self.change.is_some() || !self.edits.is_empty() => {}
            Event::Begun { daemon, why, who, dry_run, takes_back, .. } => {
                *self = Self { why, who, dry_run, takes_back, ..Self::new(&daemon) };
            }
            Event::Proposed { edits } => self.edits = edits,
            Event::Found { finding } => self.findings.push(finding),
            Event::Baseline { health } => self.looked(health),
            Event::BackedUp { change, folder } => {
                self.change = Some(change);
                self.backup = Some(folder);
            }
            Event::Activated { action, target, ok, said, ms, restarts, back } => {
                let how = format!("{action} {target}").trim().to_owned();
                let done = Some(Activated { how, ok, ms, restarts, said });
                if back { self.reactivation = done } else { self.activation = done }
            }
            Event::Looked { health, judgement, .. } => {
                self.looked(health);
                self.unproven = judgement == Judgement::Unproven;
            }
            Event::Stage { name, outcome, ms } => self.stages.push(StageTime { name, outcome, ms }),
            Event::Ended { verdict, summary, next } => {
                self.reason = self.reason.take().or_else(|| self.why_not(verdict, next.as_deref()));
                self.verdict = Some(verdict);
                self.summary = summary;
                self.next = next;
            }
            Event::Restoring { cause } => self.reason = Some(cause),
            // What was said first is about the new configuration; later lines are about its way back.
            Event::Log { lines } if self.log.is_empty() => self.log = lines,
            Event::Log { .. } => {}
            Event::Saved { draft, .. } => self.drafts.push(draft),
            Event::Checked { by } => self.checked_by = by,
            Event::Planned { .. }
            | Event::Replaced { .. }
            | Event::Waiting { .. }
            | Event::Noted { .. }
            | Event::Logged { .. }
            | Event::Beside { .. } => {}
            Event::Read { readings } => self.readings = readings,
            Event::OnProbation { until, .. } => self.probation_until = Some(until),
        }
    }

    /// Why nothing was done, in words: the worst finding, or what stopped it.
    fn why_not(&self, verdict: Verdict, next: Option<&str>) -> Option<String> {
        let worst = || {
            let open = |severity| {
                self.findings.iter().find(move |finding| finding.severity == severity && !finding.accepted)
            };
            let finding = open(Severity::Fault).or_else(|| open(Severity::Warning))?;
            Some(finding.message.clone())
        };
        let stopped = || next.and_then(|next| next.lines().next()).map(str::to_owned);
        match verdict {
            Verdict::Refused => worst().or_else(stopped),
            Verdict::Dropped | Verdict::Stuck => stopped(),
            Verdict::Kept | Verdict::Unchanged | Verdict::Restored => None,
        }
    }

    fn looked(&mut self, health: Vec<Outcome>) {
        self.healthy = Some(health.iter().all(|outcome| outcome.healthy));
        self.health = health;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn begun(who: &str) -> Event {
        Event::Begun {
            daemon: "departures".into(),
            why: Some("summer timetable".into()),
            who: who.into(),
            dry_run: false,
            hold: false,
            takes_back: Vec::new(),
        }
    }

    /// G15: a recovery, and one more of the same change, lose nothing that is known of it.
    #[test]
    fn a_recovery_goes_on_with_what_is_known() {
        let edit = LineDiff {
            address: "rows".into(),
            file: "/etc/boards.conf".into(),
            line: 4,
            before: Some("rows 8".into()),
            after: Some("rows 10".into()),
            companion: false,
        };
        let backed_up =
            || Event::BackedUp { change: "20261123T060122Z-0007".into(), folder: "/state/before".into() };
        let mut report = Report::new("departures");
        let events = [begun("ida"), Event::Proposed { edits: vec![edit.clone()] }, backed_up()];
        for event in events.into_iter().chain([begun("olav"), backed_up(), begun("per"), backed_up()]) {
            report.take(&event);
        }
        assert_eq!((report.who.as_str(), &report.edits), ("ida", &vec![edit]));
        assert_eq!(report.why.as_deref(), Some("summer timetable"));
    }
}
