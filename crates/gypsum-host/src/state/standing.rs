//! What a person should know first of a daemon: that a change of it has no verdict, or is stuck.

use super::{Entry, State, Way};
use crate::disk::Disk;
use crate::error::Error;
use crate::evidence::{Evidence, Progress};
use crate::local_zone::time_of_day;
use crate::probation::End;
use gypsum_core::change::{Stage, Verdict};
use serde::Serialize;

/// How a change is that has no good end yet.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Standing {
    /// A process carries it.
    GoesOn,
    /// It is live, and is restored unless the person keeps it in time.
    OnProbation,
    /// Nobody carries it any more.
    Interrupted,
    /// It could not be restored.
    Stuck,
    /// Its records do not tell.
    Unknown,
}

/// A change that has no good end yet.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct OpenChange {
    /// Its number.
    pub change: u32,
    /// How it is.
    pub standing: Standing,
    /// What is so, in a sentence without a full stop.
    pub message: String,
    /// The command that ends it, or that shows more.
    pub help: String,
}

impl State {
    /// The change of `daemon` that has no good end yet, if there is one.
    ///
    /// # Errors
    ///
    /// If the state folder may not be read.
    pub fn standing(&self, disk: &dyn Disk, daemon: &str) -> Result<Option<OpenChange>, Error> {
        let Some((entry, evidence)) = self.last_begun(disk, daemon)? else { return Ok(None) };
        if matches!(evidence.progress, Progress::Open(_, Stage::Probation)) {
            let failed = |error| Error::file("read the probation in", &entry.folder, error);
            let end = End::known(disk, &entry.folder).map_err(failed)?;
            if let Some(end) = end.filter(|end| end.left().is_some()) {
                return Ok(Some(on_probation(daemon, &entry, &end)));
            }
        }
        Ok(of(daemon, &entry, &evidence))
    }
}

fn on_probation(daemon: &str, entry: &Entry, end: &End) -> OpenChange {
    let until = time_of_day(end.until_ms);
    OpenChange {
        change: entry.number,
        standing: Standing::OnProbation,
        message: format!(
            "change {} of {daemon} is on probation: at {until} its old configuration is restored",
            entry.number
        ),
        help: format!(
            "keep the new one: gypsum keep {daemon}\nrestore the old one now: gypsum restore {daemon}"
        ),
    }
}

fn of(daemon: &str, entry: &Entry, evidence: &Evidence) -> Option<OpenChange> {
    let change = entry.number;
    let told = |standing, message, help: String| Some(OpenChange { change, standing, message, help });
    if matches!(evidence.progress, Progress::Open(_, Stage::Closed(Verdict::Stuck))) {
        let message = format!("change {change} of {daemon} is stuck: it could not be restored completely");
        return told(
            Standing::Stuck,
            message,
            format!("remove the cause, then finish it: gypsum recover {daemon}"),
        );
    }
    match entry.way(evidence) {
        Way::Ended => None,
        Way::GoesOn(who) => {
            let message = format!("change {change} of {daemon} is being made by {who}");
            told(Standing::GoesOn, message, format!("see it go on: gypsum follow {daemon}"))
        }
        Way::CutOff => {
            let message =
                format!("change {change} of {daemon} was interrupted: its files may be live and unproven");
            told(Standing::Interrupted, message, format!("finish or undo it: gypsum recover {daemon}"))
        }
        Way::Unknown(why) => {
            let before = entry.folder.join("before");
            let help = format!(
                "compare the live files with the old ones in {}, then: gypsum recover {daemon} --set-aside",
                before.display()
            );
            told(Standing::Unknown, why, help)
        }
    }
}
