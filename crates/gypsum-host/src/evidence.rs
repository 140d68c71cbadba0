//! What the records of a change prove. A record is absent, whole or damaged, and no damage is read as "nothing
//! happened": where one record is lost, another one or the files themselves tell.

use crate::disk::Disk;
use crate::error::Error;
use crate::transaction::Transaction;
use gypsum_core::change::{Log, Plan, Stage, Verdict, decode};
use gypsum_core::event::Event;
use gypsum_core::record::{Recorded, unseal};
use gypsum_core::report::Report;
use std::path::{Path, PathBuf};

/// How far a change is, as far as its records prove it.
#[derive(Clone, Debug)]
pub enum Progress {
    /// Nothing of it was ever live.
    NotBegun,
    /// It has no verdict, or is stuck.
    Open(Box<Plan>, Stage),
    /// It has this verdict.
    Ended(Verdict),
    /// It may have touched live files, and its records do not tell which, or how far it came.
    Unknown,
    /// A newer Gypsum recorded it, in this version.
    Newer(PathBuf, u32),
}

/// A record that is not as it was written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Damage {
    /// Its file.
    pub file: PathBuf,
    /// The first line that cannot be read, from 1.
    pub line: Option<u32>,
    /// Why it cannot be read, if that is known.
    pub why: Option<String>,
}

/// What is known of a change.
#[derive(Clone, Debug)]
pub struct Evidence {
    /// How far it is.
    pub progress: Progress,
    /// The plan, if a whole record has it.
    pub plan: Option<Plan>,
    /// The record of its end, if there is a whole one.
    pub report: Option<Report>,
    /// The records that are damaged.
    pub damage: Vec<Damage>,
}

impl Damage {
    /// The file, the place and the reason, in one sentence without a full stop.
    pub fn words(&self) -> String {
        let file = self.file.display();
        let place = self.line.map(|line| format!(", line {line}")).unwrap_or_default();
        let why = self.why.as_ref().map(|why| format!(": {why}")).unwrap_or_default();
        format!("{file} is damaged{place}{why}")
    }
}

/// What the records in `folder` prove.
///
/// # Errors
///
/// If a record is there and may not be read.
pub fn of(disk: &dyn Disk, folder: &Path) -> Result<Evidence, Error> {
    let read = |name: &str| {
        let path = folder.join(name);
        disk.read(&path).map_err(|error| Error::file("read", &path, error))
    };
    let mut damage = Vec::new();
    let mut log_of = |name: &str, bytes: &Option<Vec<u8>>| {
        let log = decode(bytes.as_deref().unwrap_or_default());
        if let Some(line) = log.damaged {
            damage.push(Damage { file: folder.join(name), line: Some(line), why: None });
        }
        log
    };
    let journal = read("journal")?;
    let Log { plan, last, newer, .. } = log_of("journal", &journal);
    let copy = log_of("plan", &read("plan")?);
    let plan = plan.or(copy.plan);
    let report = report(disk, folder)?;
    if let Some((name, version)) = newer.map(|v| ("journal", v)).or(copy.newer.map(|v| ("plan", v))) {
        let progress = Progress::Newer(folder.join(name), version);
        return Ok(Evidence { progress, plan, report: report.whole(), damage });
    }
    let closed = match &report {
        Recorded::Newer(version) => {
            let progress = Progress::Newer(folder.join("change.json"), *version);
            return Ok(Evidence { progress, plan, report: None, damage });
        }
        Recorded::Damaged(why) => {
            damage.push(Damage { file: folder.join("change.json"), line: None, why: Some(why.clone()) });
            None
        }
        Recorded::Whole(report) => report.verdict,
        Recorded::Absent => None,
    };
    let told = match closed {
        Some(_) => None,
        None => told(&read("events.jsonl")?.unwrap_or_default()),
    };
    let is_final = |verdict: &Verdict| *verdict != Verdict::Stuck;
    let progress = match (last, closed.filter(is_final), told.filter(is_final)) {
        (Some(Stage::Closed(verdict)), ..) if is_final(&verdict) => Progress::Ended(verdict),
        // The record is written when all is done, just before the journal says so.
        (_, Some(verdict), _) => Progress::Ended(verdict),
        (.., Some(verdict)) => match &plan {
            Some(plan) => Progress::Open(Box::new(plan.clone()), stage_of(verdict)),
            None => Progress::Ended(verdict),
        },
        (last, None, None) => open(disk, folder, plan.as_ref(), last, journal.as_deref())?,
    };
    Ok(Evidence { progress, plan, report: report.whole(), damage })
}

/// The record of a change that has ended.
///
/// # Errors
///
/// If it is there and may not be read.
pub fn report(disk: &dyn Disk, folder: &Path) -> Result<Recorded<Report>, Error> {
    let path = folder.join("change.json");
    let bytes = disk.read(&path).map_err(|error| Error::file("read", &path, error))?;
    Ok(bytes.map_or(Recorded::Absent, |bytes| unseal(&bytes)))
}

/// What happened, line by line of `events.jsonl`.
pub fn events(bytes: &[u8]) -> impl DoubleEndedIterator<Item = Recorded<Event>> {
    let lines = Some(bytes.strip_suffix(b"\n").unwrap_or(bytes)).filter(|lines| !lines.is_empty());
    lines.into_iter().flat_map(|lines| lines.split(|byte| *byte == b'\n')).map(unseal)
}

/// The verdict that people were told last.
fn told(bytes: &[u8]) -> Option<Verdict> {
    events(bytes).rev().find_map(|event| match event {
        Recorded::Whole(Event::Ended { verdict, .. }) => Some(verdict),
        Recorded::Whole(_) | Recorded::Absent | Recorded::Damaged(_) | Recorded::Newer(_) => None,
    })
}

/// The last stage before the end of a change that people were told of.
fn stage_of(verdict: Verdict) -> Stage {
    match verdict {
        Verdict::Kept => Stage::Kept,
        Verdict::Restored => Stage::Restored,
        Verdict::Stuck => Stage::Restoring,
        Verdict::Refused | Verdict::Unchanged | Verdict::Dropped => Stage::Withdrawn,
    }
}

fn open(
    disk: &dyn Disk,
    folder: &Path,
    plan: Option<&Plan>,
    last: Option<Stage>,
    journal: Option<&[u8]>,
) -> Result<Progress, Error> {
    let Some(plan) = plan else {
        if last == Some(Stage::Withdrawn) {
            return Ok(Progress::Ended(Verdict::Dropped));
        }
        let says_nothing = journal.is_none_or(<[u8]>::is_empty);
        return Ok(if says_nothing { Progress::NotBegun } else { Progress::Unknown });
    };
    let files = Transaction::new(disk, plan, folder);
    let is_begun = files.is_begun()?;
    let stage = match last {
        // The plan is written first of all.
        None if journal.is_none() && !is_begun && !files.is_staged()? => return Ok(Progress::NotBegun),
        None => Stage::Replaced,
        // The last records may be lost; the files themselves are not.
        Some(Stage::Saved | Stage::Staged | Stage::Withdrawn) if is_begun => Stage::Replaced,
        Some(stage) => stage,
    };
    Ok(Progress::Open(Box::new(plan.clone()), stage))
}
