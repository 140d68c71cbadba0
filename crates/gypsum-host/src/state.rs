//! The state folder: one folder a change, under one folder a daemon.

use crate::disk::Disk;
use crate::journal::Journal;
use crate::locks::holder;
use crate::trouble::Trouble;
use gypsum_core::change::Stage;
use gypsum_core::happening::Happening;
use gypsum_core::report::Report;
use jiff::Timestamp;
use serde::{Deserialize, Serialize};
use std::fs;
use std::path::{Path, PathBuf};

/// The state folder.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct State {
    root: PathBuf,
}

/// One change, by its folder.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Entry {
    /// Its number, which is its order.
    pub number: u32,
    /// The name of its folder: `20261123T060122Z-0007`.
    pub name: String,
    /// The folder.
    pub folder: PathBuf,
}

/// How far a change is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Way {
    /// It has a verdict, or nothing of it was ever live.
    Ended,
    /// It is being carried; by whom, in words.
    GoesOn(String),
    /// Nobody carries it any more.
    CutOff,
}

impl State {
    /// The state folder `given`, or the one of this account: `/var/lib/gypsum` for root, the XDG state
    /// folder for others.
    pub fn at(given: Option<&Path>) -> Result<Self, Trouble> {
        if let Some(root) = given {
            let root = std::path::absolute(root).map_err(|error| Trouble::file("use", root, &error))?;
            return Ok(Self { root });
        }
        if rustix::process::geteuid().is_root() {
            return Ok(Self { root: "/var/lib/gypsum".into() });
        }
        let home = || std::env::var_os("HOME").map(|home| Path::new(&home).join(".local/state"));
        let xdg = std::env::var_os("XDG_STATE_HOME").map(PathBuf::from).filter(|path| path.is_absolute());
        match xdg.or_else(home) {
            Some(base) => Ok(Self { root: base.join("gypsum") }),
            None => Err(Trouble::usage("this account has no home folder")
                .mend("say where to keep backups: --state DIR")),
        }
    }

    /// The folder itself.
    pub fn root(&self) -> &Path {
        &self.root
    }

    /// The folder of a daemon's changes.
    pub fn of_daemon(&self, daemon: &str) -> PathBuf {
        self.root.join(daemon)
    }

    /// Makes the folder of a daemon's changes.
    pub fn prepare(&self, disk: &dyn Disk, daemon: &str) -> Result<(), Trouble> {
        let folder = self.of_daemon(daemon);
        disk.make_folder(&folder).map_err(|error| {
            let trouble = Trouble::file("make the state folder", &folder, &error);
            if trouble.mend.is_some() {
                trouble
            } else {
                trouble.mend("say where to keep backups: --state DIR")
            }
        })
    }

    /// The daemons that have changes.
    pub fn daemons(&self) -> Vec<String> {
        let mut names: Vec<String> = folders_in(&self.root).collect();
        names.sort();
        names
    }

    /// The changes of a daemon, oldest first.
    pub fn entries(&self, daemon: &str) -> Vec<Entry> {
        let base = self.of_daemon(daemon);
        let mut entries: Vec<Entry> = folders_in(&base)
            .filter_map(|name| {
                let number = name.rsplit_once('-')?.1.parse().ok()?;
                Some(Entry { number, folder: base.join(&name), name })
            })
            .collect();
        entries.sort_by_key(|entry| entry.number);
        entries
    }

    /// A folder for the next change.
    pub fn next(&self, disk: &dyn Disk, daemon: &str, now_ms: i64) -> Result<Entry, Trouble> {
        let number = self.entries(daemon).last().map_or(1, |entry| entry.number + 1);
        let time = Timestamp::from_millisecond(now_ms).unwrap_or_default();
        let name = format!("{}-{number:04}", time.strftime("%Y%m%dT%H%M%SZ"));
        let folder = self.of_daemon(daemon).join(&name);
        disk.make_folder(&folder).map_err(|error| Trouble::file("make", &folder, &error))?;
        Ok(Entry { number, name, folder })
    }

    /// The change of `daemon` that a person means by `word`: its number or the name of its folder.
    pub fn find(&self, daemon: &str, word: &str) -> Result<Entry, Trouble> {
        let entries = self.entries(daemon);
        let number: Option<u32> = word.parse().ok();
        let found = entries.iter().find(|entry| Some(entry.number) == number || entry.name == word);
        found.cloned().ok_or_else(|| {
            Trouble::usage(format!("{daemon} has no change {word}"))
                .mend(format!("`gypsum changes {daemon}` lists them"))
        })
    }

    /// The change of `daemon` that was begun and not brought to its end, if there is one.
    pub fn open_change(&self, disk: &dyn Disk, daemon: &str) -> Option<Entry> {
        // While one is open no other begins: only the last that has a journal can be.
        let with_journal = |entry: Entry| Some((entry.stage(disk)?, entry));
        let (stage, entry) = self.entries(daemon).into_iter().rev().find_map(with_journal)?;
        (!matches!(stage, Stage::Closed(_))).then_some(entry)
    }
}

impl Entry {
    /// The record of a change that has ended.
    pub fn report(&self) -> Option<Report> {
        serde_json::from_slice(&fs::read(self.folder.join("change.json")).ok()?).ok()
    }

    /// What is known so far of a change that has not ended, added to `report`.
    pub fn so_far(&self, disk: &dyn Disk, mut report: Report) -> Report {
        let events = disk.read(&self.folder.join("events.jsonl")).ok().flatten().unwrap_or_default();
        for line in events.split(|byte| *byte == b'\n') {
            if let Ok(happening) = serde_json::from_slice::<Happening>(line) {
                report.take(&happening);
            }
        }
        report
    }

    /// The last thing that its journal says; nothing where it ended before anything was live.
    pub fn stage(&self, disk: &dyn Disk) -> Option<Stage> {
        Journal::of(&self.folder).read(disk).ok()?.map(|(_, stage)| stage)
    }

    /// How far it is.
    pub fn way(&self, disk: &dyn Disk) -> Way {
        match Journal::of(&self.folder).read(disk) {
            Ok(Some((plan, stage))) if !matches!(stage, Stage::Closed(_)) => {
                let lock = plan.files.first().and_then(|file| holder(&file.path.display().to_string()));
                lock.map_or(Way::CutOff, Way::GoesOn)
            }
            _ => Way::Ended,
        }
    }

    /// Where the change has the backup (`before`) or the proposal (`after`) of `path`.
    pub fn copy_of(&self, side: &str, path: &Path) -> PathBuf {
        let inner = path.strip_prefix("/").unwrap_or(path);
        self.folder.join(side).join(inner)
    }

    /// When it was begun, from its name.
    pub fn begun(&self) -> Option<Timestamp> {
        let time = self.name.rsplit_once('-')?.0.strip_suffix('Z')?;
        let time = jiff::civil::DateTime::strptime("%Y%m%dT%H%M%S", time).ok()?;
        Some(time.to_zoned(jiff::tz::TimeZone::UTC).ok()?.timestamp())
    }
}

fn folders_in(path: &Path) -> impl Iterator<Item = String> {
    let entries = fs::read_dir(path).into_iter().flatten().flatten();
    entries.filter(|entry| entry.path().is_dir()).filter_map(|entry| entry.file_name().into_string().ok())
}
