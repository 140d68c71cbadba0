//! The report of a change: one page that needs no other file, for a ticket, or the same as text.

mod html;
mod markdown;
mod timeline;

pub use html::html;
pub use markdown::markdown;

use crate::target::bare;
use crate::view::difference;
use gypsum_core::change::Verdict;
use gypsum_core::differences::{Difference, differences};
use gypsum_core::doc::Document;
use gypsum_core::event::Event;
use gypsum_core::health::Outcome;
use gypsum_core::profile::Profile;
use gypsum_core::record::Recorded;
use gypsum_core::report::Report;
use gypsum_host::disk::RealDisk;
use gypsum_host::state::Entry;
use std::fs;
use std::path::Path;

/// What a page shows of one file.
pub struct FilePart {
    pub name: String,
    pub settings: Vec<Difference>,
    /// The unified difference, without secrets.
    pub lines: Vec<String>,
}

/// What a page shows.
pub struct Page {
    pub number: u32,
    pub report: Report,
    /// What the health checks said before.
    pub before: Vec<Outcome>,
    /// What they said when the old configuration was restored; empty where it was not.
    pub tried: Vec<Outcome>,
    pub files: Vec<FilePart>,
    pub folder: String,
    /// What of the records could not be read.
    pub unread: Vec<String>,
}

impl Page {
    /// The page of a change that has a record.
    pub fn of(daemon: &str, entry: &Entry, profile: Option<&Profile>, report: Report) -> Self {
        let (mut before, mut last, mut tried, mut unread) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
        for event in entry.events(&RealDisk) {
            match event {
                Recorded::Whole(Event::Baseline { health }) => before = health,
                Recorded::Whole(Event::Looked { health, .. }) => last = health,
                Recorded::Whole(Event::Restoring { .. }) => tried = std::mem::take(&mut last),
                Recorded::Whole(_) | Recorded::Absent => {}
                Recorded::Damaged(why) => unread.push(format!("a line of its events is damaged: {why}")),
                Recorded::Newer(_) => {
                    unread.push("a line of its events was written by a newer Gypsum".into())
                }
            }
        }
        let plan = match entry.evidence(&RealDisk) {
            Ok(evidence) => evidence.plan,
            Err(error) => {
                unread.push(error.to_string());
                None
            }
        };
        let files = plan.into_iter().flat_map(|plan| plan.files).map(|file| {
            let name = file.path.display().to_string();
            let old = file.backup.as_deref().map_or_else(Vec::new, read);
            let new = read(&entry.copy_of("after", &file.path));
            let is_companion = report.edits.iter().any(|edit| edit.companion && edit.file == name);
            FilePart {
                settings: if is_companion {
                    Vec::new()
                } else {
                    settings(daemon, profile, &name, &old, &new)
                },
                lines: match is_companion {
                    true => vec![crate::view::sizes(&name, &old, &new)],
                    false => difference(profile, &name, &old, &new, &report.edits),
                },
                name,
            }
        });
        let files = files.collect();
        Self {
            number: entry.number,
            report,
            before,
            tried,
            files,
            folder: entry.folder.display().to_string(),
            unread,
        }
    }

    pub fn title(&self) -> String {
        format!("Change {} of {}", self.number, self.report.daemon)
    }

    /// How it ended, in a word or two.
    pub fn verdict(&self) -> &'static str {
        match self.report.verdict {
            Some(Verdict::Kept) if self.report.unproven || self.report.healthy == Some(false) => {
                "kept, not proven healthy"
            }
            Some(verdict) => verdict.word(),
            None => "not ended",
        }
    }

    /// Whether it ended as it was wanted.
    pub fn is_good(&self) -> bool {
        self.report.verdict == Some(Verdict::Kept)
            && !self.report.unproven
            && self.report.healthy != Some(false)
    }

    /// How long the service was away, at the most, in milliseconds; `None` if it never was.
    pub fn away_ms(&self) -> Option<u64> {
        let all = [&self.report.activation, &self.report.reactivation];
        let away: Vec<u64> = all.into_iter().flatten().filter(|one| one.restarts).map(|one| one.ms).collect();
        (!away.is_empty()).then(|| away.iter().sum())
    }

    /// The command that takes it back.
    pub fn undo(&self) -> Option<String> {
        let is_live = self.report.verdict == Some(Verdict::Kept);
        is_live.then(|| format!("gypsum restore {} {}", self.report.daemon, self.number))
    }

    /// Each check by its name, in the order in which they were seen first.
    pub fn checks(&self) -> Vec<&str> {
        let mut names: Vec<&str> = Vec::new();
        for one in self.before.iter().chain(&self.tried).chain(&self.report.health) {
            if !names.contains(&one.name.as_str()) {
                names.push(&one.name);
            }
        }
        names
    }

    /// When the health was looked at, with what was seen then.
    pub fn moments(&self) -> Vec<(&'static str, &[Outcome])> {
        let mut all = vec![("Before", self.before.as_slice())];
        if !self.tried.is_empty() {
            all.push(("With the change", &self.tried));
        }
        let last = if self.report.reactivation.is_some() { "After the restore" } else { "After" };
        all.push((last, &self.report.health));
        all
    }

    /// The title of the section with the difference.
    pub fn about_files(&self) -> &'static str {
        match self.report.verdict {
            Some(Verdict::Kept) => "What was changed",
            _ => "What was to be changed",
        }
    }
}

fn read(path: &Path) -> Vec<u8> {
    fs::read(path).unwrap_or_else(|error| {
        tracing::debug!(%error, path = %path.display(), "a copy cannot be read");
        Vec::new()
    })
}

fn settings(daemon: &str, profile: Option<&Profile>, name: &str, old: &[u8], new: &[u8]) -> Vec<Difference> {
    let without;
    let profile = match profile {
        Some(profile) => profile,
        None => {
            let form = gypsum_core::starter::guess(name, if new.is_empty() { old } else { new }).form;
            without = bare(daemon, name, form);
            &without
        }
    };
    let (family, dialect) = profile.form_of(name);
    let read = |bytes: &[u8]| Document::read(bytes.to_vec(), family, dialect.clone());
    match (read(old), read(new)) {
        (Ok(old), Ok(new)) => differences(profile, &old, &new),
        _ => Vec::new(),
    }
}

/// What a stage is, for people who do not know this program.
fn stage_words(name: &str) -> &str {
    match name {
        "lock" => "keep others out",
        "edit" => "make the edits",
        "check" => "check the proposal",
        "measure" => "look at the service",
        "save" => "back up",
        "stage" => "write beside",
        "replace" => "put in place",
        "activate" => "take up",
        "check-health" => "watch the health",
        "restore" => "restore the files",
        "reactivate" => "take up the old ones",
        "check-health-again" => "watch the health again",
        "tidy" => "tidy up",
        other => other,
    }
}
