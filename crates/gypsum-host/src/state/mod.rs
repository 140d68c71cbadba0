//! The state folder: one folder a change, under one folder a daemon.

mod named;
mod newest;
mod standing;

pub use named::NamedDaemon;
pub use newest::Newest;
pub use standing::{OpenChange, Standing};

use crate::accounts;
use crate::disk::Disk;
use crate::disk::walk::ownership_of;
use crate::error::Error;
use crate::evidence::{self, Evidence, Progress};
use crate::locks::{Thing, holder};
use crate::trust::{self, Relied};
use gypsum_core::change::{Plan, Stage, Verdict};
use gypsum_core::event::Event;
use gypsum_core::record::Recorded;
use gypsum_core::report::{Report, number_of};
use jiff::Timestamp;
use serde::{Deserialize, Serialize};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

/// The state folder.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct State {
    root: PathBuf,
    /// Whether it is the usual one of an account that is not root.
    #[serde(default)]
    is_an_accounts: bool,
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
    /// Its records do not tell; why not, in words.
    Unknown(String),
}

impl State {
    /// The state folder `given`, or the one of this account: `/var/lib/gypsum` for root, the XDG state
    /// folder for others.
    pub fn at(given: Option<&Path>) -> Result<Self, Error> {
        if let Some(root) = given {
            let root = std::path::absolute(root).map_err(|error| Error::file("use", root, error))?;
            trust::check_folder(Relied::State, &root)?;
            return Ok(Self { root, is_an_accounts: false });
        }
        if rustix::process::geteuid().is_root() {
            let root = PathBuf::from("/var/lib/gypsum");
            trust::check_folder(Relied::State, &root)?;
            return Ok(Self { root, is_an_accounts: false });
        }
        match accounts::own_folder("XDG_STATE_HOME", ".local/state") {
            Some(root) => Ok(Self { root, is_an_accounts: true }),
            None => Err(Error::usage("this account has no home folder")
                .help("say where to keep backups: --state DIR")),
        }
    }

    /// The folder itself.
    pub fn root(&self) -> &Path {
        &self.root
    }

    /// Whether other changes of this host are recorded elsewhere: an account does not see what root changed.
    pub fn is_an_accounts(&self) -> bool {
        self.is_an_accounts
    }

    /// The folder of a daemon's changes.
    pub fn of_daemon(&self, daemon: &str) -> PathBuf {
        self.root.join(daemon)
    }

    /// Makes the folder of a daemon's changes.
    pub fn prepare(&self, disk: &dyn Disk, daemon: &str) -> Result<(), Error> {
        let folder = self.of_daemon(daemon);
        let made = disk.make_folder(&folder).and_then(|()| refuse_open(&folder));
        made.map_err(|error| {
            let error = Error::file("make the state folder", &folder, error);
            if error.advice().is_some() {
                error
            } else {
                error.help("say where to keep backups: --state DIR")
            }
        })
    }

    /// The daemons that have changes, by name.
    ///
    /// # Errors
    ///
    /// If the state folder may not be read.
    pub fn daemons(&self, disk: &dyn Disk) -> Result<Vec<String>, Error> {
        let mut names = folders_in(disk, &self.root)?;
        // What begins with a dot is no daemon's.
        names.retain(|name| !name.starts_with('.'));
        names.sort();
        Ok(names)
    }

    /// The changes of a daemon, oldest first.
    ///
    /// # Errors
    ///
    /// If its folder may not be read: then it is unknown whether there are any.
    pub fn entries(&self, disk: &dyn Disk, daemon: &str) -> Result<Vec<Entry>, Error> {
        let base = self.of_daemon(daemon);
        let names = folders_in(disk, &base)?;
        Ok(Entry::all_of(&base, names))
    }

    /// A folder for the next change.
    pub fn next(&self, disk: &dyn Disk, daemon: &str, now_ms: i64) -> Result<Entry, Error> {
        let number = self.newest(disk, daemon)?.highest() + 1;
        let time = Timestamp::from_millisecond(now_ms).unwrap_or_default();
        let name = format!("{}-{number:04}", time.strftime("%Y%m%dT%H%M%SZ"));
        let folder = self.of_daemon(daemon).join(&name);
        disk.make_folder(&folder).map_err(|error| Error::file("make", &folder, error))?;
        Ok(Entry { number, name, folder })
    }

    /// The change of `daemon` that a person means by `word`: its number or the name of its folder.
    ///
    /// # Errors
    ///
    /// If there is none, or the folder of the changes may not be read.
    pub fn find(&self, disk: &dyn Disk, daemon: &str, word: &str) -> Result<Entry, Error> {
        let entries = self.entries(disk, daemon)?;
        let number: Option<u32> = word.parse().ok();
        let found = entries.iter().find(|entry| Some(entry.number) == number || entry.name == word);
        found.cloned().ok_or_else(|| {
            Error::usage(format!("{daemon} has no change {word}"))
                .help(format!("`gypsum changes {daemon}` lists them"))
        })
    }

    /// The change of `daemon` that was interrupted and is still open, if there is one.
    ///
    /// # Errors
    ///
    /// If its records do not tell, or a newer Gypsum wrote them.
    pub fn open_change(&self, disk: &dyn Disk, daemon: &str) -> Result<Option<(Entry, Plan, Stage)>, Error> {
        let open = self.last_change(disk, daemon)?;
        Ok(open.filter(|(.., stage)| !matches!(stage, Stage::Closed(_))))
    }

    /// The change of `daemon` that has no verdict, or is stuck, if there is one.
    ///
    /// # Errors
    ///
    /// If its records do not tell, or a newer Gypsum wrote them.
    pub fn last_change(&self, disk: &dyn Disk, daemon: &str) -> Result<Option<(Entry, Plan, Stage)>, Error> {
        let Some((entry, evidence)) = self.last_begun(disk, daemon)? else {
            return Ok(None);
        };
        if let Some(why) = entry.unknown(&evidence) {
            let error = Error::busy(why);
            return Err(match evidence.progress {
                Progress::Newer(..) => error.help("use that version of Gypsum"),
                _ => error.help(format!(
                    "compare the live files with the old ones in {}\nthen allow new changes of {daemon}: gypsum recover {daemon} --set-aside",
                    entry.folder.join("before").display()
                )),
            });
        }
        Ok(match evidence.progress {
            Progress::Open(plan, stage) => Some((entry, *plan, stage)),
            Progress::NotBegun | Progress::Ended(_) | Progress::Unknown | Progress::Newer(..) => None,
        })
    }

    /// An open change of another daemon that has one of these files, too; taking it back would take back what is written
    /// now.
    ///
    /// # Errors
    ///
    /// If the state folder may not be read.
    pub fn open_elsewhere(
        &self,
        disk: &dyn Disk,
        daemon: &str,
        files: &[PathBuf],
    ) -> Result<Option<(String, Entry)>, Error> {
        for other in self.daemons(disk)?.into_iter().filter(|other| other != daemon) {
            let Some((entry, evidence)) = self.last_begun(disk, &other)? else { continue };
            let is_open = match &evidence.progress {
                Progress::Open(_, Stage::Closed(_)) | Progress::NotBegun | Progress::Ended(_) => false,
                Progress::Open(..) | Progress::Unknown | Progress::Newer(..) => true,
            };
            // A plan that cannot be read leaves the copies that were made for it.
            let planned = |path: &PathBuf| match &evidence.plan {
                Some(plan) => plan.files.iter().any(|file| file.path == *path),
                None => entry.copy_of("before", path).exists() || entry.copy_of("after", path).exists(),
            };
            if is_open && files.iter().any(planned) {
                return Ok(Some((other, entry)));
            }
        }
        Ok(None)
    }

    /// The last change of which anything may have been live, with what is known of it. While one is open no other
    /// begins: no change before it is open, and none before many of which nothing was live.
    fn last_begun(&self, disk: &dyn Disk, daemon: &str) -> Result<Option<(Entry, Evidence)>, Error> {
        for entry in self.newest(disk, daemon)?.take(MOST_LOOKED_INTO) {
            let entry = entry?;
            let evidence = entry.evidence(disk)?;
            if !matches!(evidence.progress, Progress::NotBegun) {
                return Ok(Some((entry, evidence)));
            }
        }
        Ok(None)
    }

    /// Sets the records of a change aside whose progress is unknown: its folder gets another name, and stays.
    ///
    /// # Errors
    ///
    /// If there is none, or it cannot be renamed.
    pub fn set_aside(&self, disk: &dyn Disk, daemon: &str) -> Result<PathBuf, Error> {
        let unknown = self
            .last_begun(disk, daemon)?
            .filter(|(_, evidence)| matches!(evidence.progress, Progress::Unknown));
        let Some((entry, _)) = unknown else {
            return Err(Error::usage(format!("no change of {daemon} has records that cannot be read")));
        };
        let aside = self.of_daemon(daemon).join(format!("{}{SET_ASIDE}", entry.name));
        fs::rename(&entry.folder, &aside).map_err(|error| Error::file("rename", &entry.folder, error))?;
        Ok(aside)
    }
}

impl Entry {
    /// The change whose folder in `base` has this name; `None` if it is no such name.
    fn named(base: &Path, name: String) -> Option<Self> {
        Some(Self { number: number_of(&name)?, folder: base.join(&name), name })
    }

    /// The changes whose folders in `base` have these names, oldest first.
    fn all_of(base: &Path, names: Vec<String>) -> Vec<Self> {
        let mut entries: Vec<Self> = names.into_iter().filter_map(|name| Self::named(base, name)).collect();
        entries.sort_by_key(|entry| entry.number);
        entries
    }

    /// What its records prove.
    ///
    /// # Errors
    ///
    /// If they may not be read.
    pub fn evidence(&self, disk: &dyn Disk) -> Result<Evidence, Error> {
        evidence::of(disk, &self.folder)
    }

    /// Why its progress is unknown, in words; `None` if it is known.
    fn unknown(&self, evidence: &Evidence) -> Option<String> {
        let number = self.number;
        match &evidence.progress {
            Progress::Newer(file, version) => Some(format!(
                "change {number} was recorded by a newer Gypsum: {} has version {version}",
                file.display()
            )),
            Progress::Unknown => {
                let damage: Vec<String> = evidence.damage.iter().map(|damage| damage.words()).collect();
                Some(format!("it is unknown how change {number} ended: {}", damage.join("; ")))
            }
            Progress::NotBegun | Progress::Open(..) | Progress::Ended(_) => None,
        }
    }

    /// The record of a change that has ended; `None` if there is none, or none that can be read.
    pub fn report(&self, disk: &dyn Disk) -> Option<Report> {
        match evidence::report(disk, &self.folder) {
            Ok(recorded) => recorded.whole(),
            Err(error) => {
                tracing::warn!(message = error.to_string(), "a record cannot be read");
                None
            }
        }
    }

    /// What happened so far, line by line as it was recorded.
    pub fn events(&self, disk: &dyn Disk) -> Vec<Recorded<Event>> {
        let bytes = disk.read(&self.folder.join("events.jsonl")).unwrap_or_else(|error| {
            tracing::warn!(%error, "events cannot be read");
            None
        });
        evidence::events(&bytes.unwrap_or_default()).collect()
    }

    /// What is known so far of a change that has not ended, added to `report`.
    pub fn so_far(&self, disk: &dyn Disk, mut report: Report) -> Report {
        let whole = self.events(disk).into_iter().filter_map(Recorded::whole);
        whole.for_each(|event| report.take(&event));
        report
    }

    /// How far it is, as far as its records prove it.
    pub fn way(&self, evidence: &Evidence) -> Way {
        if let Some(why) = self.unknown(evidence) {
            return Way::Unknown(why);
        }
        match &evidence.progress {
            Progress::Open(_, Stage::Closed(Verdict::Stuck)) => Way::Ended,
            Progress::Open(..) => match holder(&Thing::changes(self.folder.parent().unwrap_or(&self.folder)))
            {
                Ok(Some(who)) => Way::GoesOn(who),
                Ok(None) => Way::CutOff,
                Err(error) => Way::Unknown(error.to_string()),
            },
            Progress::NotBegun | Progress::Ended(_) | Progress::Unknown | Progress::Newer(..) => Way::Ended,
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

/// So many changes of which nothing was live are looked into for one that is open.
const MOST_LOOKED_INTO: usize = 100;

/// What ends the name of a folder whose change was set aside.
const SET_ASIDE: &str = ".damaged";

/// Copies of files keep their mode, so that a person can copy them back: others must not look into their folder.
fn refuse_open(folder: &Path) -> io::Result<()> {
    let mode = ownership_of(folder)?.and_then(|owner| owner.mode).unwrap_or_default();
    if mode & 0o077 == 0 {
        return Ok(());
    }
    let why = format!("others can look into it: chmod 700 {}", folder.display());
    Err(io::Error::new(io::ErrorKind::PermissionDenied, why))
}

fn folders_in(disk: &dyn Disk, path: &Path) -> Result<Vec<String>, Error> {
    disk.folders(path).map_err(|error| Error::file("read", path, error))
}
