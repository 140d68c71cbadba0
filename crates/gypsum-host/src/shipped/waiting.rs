//! New versions that wait beside the files that were edited, and what else package managers leave there.
//!
//! dpkg and ucf were tried on real upgrades; the names that other package managers use are known from their manuals, and
//! untried.

use super::digest::md5;
use super::{Record, Records, text_of};
use crate::files::Loading;
use gypsum_core::finding::{Finding, Severity};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

/// What a file beside a configuration file is, by the end of its name.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum End {
    /// The new version.
    Theirs,
    /// The new version; it is in place as soon as the package is configured.
    New,
    /// The edited file, put aside.
    Mine,
    /// A merge that was not finished.
    Unfinished,
}

/// The ends of names, of dpkg and ucf first.
const ENDS: [(&str, End, &str); 13] = [
    (".dpkg-dist", End::Theirs, "dpkg"),
    (".ucf-dist", End::Theirs, "ucf"),
    (".dpkg-new", End::New, "dpkg"),
    (".dpkg-old", End::Mine, "dpkg"),
    (".ucf-old", End::Mine, "ucf"),
    (".dpkg-bak", End::Mine, "dpkg"),
    (".merge-error", End::Unfinished, "ucf"),
    (".ucf-new", End::Unfinished, "ucf"),
    (".rpmnew", End::Theirs, "rpm"),
    (".rpmsave", End::Mine, "rpm"),
    (".apk-new", End::Theirs, "apk"),
    (".pacnew", End::Theirs, "pacman"),
    (".pacsave", End::Mine, "pacman"),
];

/// What waits at one file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Waits {
    /// A new version beside the edited file.
    Version {
        /// The file with it.
        theirs: PathBuf,
        /// Whether its digest is not the recorded one, as nobody records one here.
        unproven: bool,
    },
    /// A new version that the package manager did not put in place, since the file is a link or was renamed.
    NotPlaced {
        /// The file with it.
        theirs: PathBuf,
    },
    /// A new version in place of the edited file, which was put aside.
    LaidOver {
        /// The edited file.
        mine: PathBuf,
    },
    /// The package has no such file any more.
    Dropped {
        /// The edited file, if it was put aside.
        mine: Option<PathBuf>,
    },
    /// A merge that was not finished.
    Unfinished {
        /// What is left of it.
        left: PathBuf,
    },
    /// A version that nobody ships any more.
    Stale {
        /// The file with it.
        left: PathBuf,
    },
}

/// What waits at a configuration file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Waiting {
    /// The configuration file, as the daemon has it.
    pub file: PathBuf,
    /// The file itself, links followed.
    pub real: PathBuf,
    /// What waits.
    pub waits: Waits,
    /// What is recorded of the file.
    pub record: Option<Record>,
}

impl Waiting {
    /// The new version, if there is one to merge.
    pub fn theirs(&self) -> Option<&Path> {
        match &self.waits {
            Waits::Version { theirs, .. } | Waits::NotPlaced { theirs } => Some(theirs),
            Waits::LaidOver { .. } => Some(&self.real),
            Waits::Dropped { .. } | Waits::Unfinished { .. } | Waits::Stale { .. } => None,
        }
    }

    /// The edited file, if it is not the live one.
    pub fn mine(&self) -> Option<&Path> {
        match &self.waits {
            Waits::LaidOver { mine } => Some(mine),
            Waits::Dropped { mine } => mine.as_deref(),
            Waits::Version { .. }
            | Waits::NotPlaced { .. }
            | Waits::Unfinished { .. }
            | Waits::Stale { .. } => None,
        }
    }

    /// The file beside it.
    pub fn beside(&self) -> Option<&Path> {
        match &self.waits {
            Waits::Version { theirs, .. } | Waits::NotPlaced { theirs } => Some(theirs),
            Waits::LaidOver { mine } => Some(mine),
            Waits::Dropped { mine } => mine.as_deref(),
            Waits::Unfinished { left } | Waits::Stale { left } => Some(left),
        }
    }

    /// It in one sentence, without a full stop.
    pub fn sentence(&self) -> String {
        let whose = self.record.as_ref().map_or_else(|| "its package".to_owned(), Record::title);
        let name = |path: &Path| path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        match &self.waits {
            Waits::Version { theirs, unproven: false } => {
                format!("a new version, from {whose}, waits in {}", name(theirs))
            }
            Waits::Version { theirs, unproven: true } => {
                format!("a new version may wait in {}", name(theirs))
            }
            Waits::NotPlaced { theirs } => {
                format!(
                    "a new version was not put in place, as the file is a link or was renamed; it is in {}",
                    name(theirs)
                )
            }
            Waits::LaidOver { mine } => {
                format!("the version of {whose} is in its place; the edited one is in {}", name(mine))
            }
            Waits::Dropped { mine: Some(mine) } => {
                format!("{whose} has no such file any more; the edited one is in {}", name(mine))
            }
            Waits::Dropped { mine: None } => format!("{whose} has no such file any more"),
            Waits::Unfinished { left } => {
                format!("a merge was not finished; what is left of it is in {}", name(left))
            }
            Waits::Stale { left } => format!("{} is left from an earlier version", name(left)),
        }
    }

    /// It as a finding about a daemon.
    pub fn finding(&self, daemon: &str) -> Finding {
        let severity = match self.waits {
            Waits::Stale { .. } => Severity::Hint,
            _ => Severity::Warning,
        };
        let file = self.file.display();
        let help = match &self.waits {
            Waits::Version { .. } | Waits::NotPlaced { .. } | Waits::LaidOver { .. } => {
                format!("gypsum merge {daemon}")
            }
            Waits::Dropped { .. } => {
                format!("see where {daemon} reads these settings now, and put them there")
            }
            Waits::Unfinished { left } | Waits::Stale { left } => {
                format!("compare, then remove it: {}", left.display())
            }
        };
        Finding::new("new-version", severity, format!("{file}: {}", self.sentence()))
            .in_file(&self.file.display().to_string())
            .help(help)
    }
}

/// What waits at the files of a daemon.
pub fn waiting(loading: &Loading, records: &Records) -> Vec<Waiting> {
    let mut found = Vec::new();
    let is_sibling = |path: &Path| end_of(path).is_some();
    for loaded in loading.loaded.iter().filter(|loaded| !is_sibling(&loaded.name)) {
        let live = (!loaded.absent).then(|| text_of(&loaded.real)).flatten();
        at(&loaded.name, &loaded.real, live.as_deref(), records, &mut found);
    }
    dropped(loading, &mut found, records);
    found
}

/// Files that package managers put aside and that the daemon reads as configuration: each is a fault.
fn read_siblings(loading: &Loading, daemon: &str) -> Vec<Finding> {
    let read = loading.loaded.iter().filter(|loaded| !loaded.absent && end_of(&loaded.name).is_some());
    read.map(|loaded| {
        let file = loaded.name.display().to_string();
        let message = format!("{daemon} reads {file} as configuration, which a package manager put there");
        Finding::fault("sibling-read", message)
            .in_file(&file)
            .help(format!("take over what is wanted of it (gypsum merge {daemon}), or remove it"))
    })
    .collect()
}

/// What there is to say of the files that package managers left beside those of a daemon, by what they keep of all files.
pub fn findings(loading: &Loading, daemon: &str, records: &io::Result<Records>) -> Vec<Finding> {
    let mut found = read_siblings(loading, daemon);
    match records {
        Ok(records) => found.extend(waiting(loading, records).iter().map(|one| one.finding(daemon))),
        Err(error) => {
            let message = format!("whether new versions wait beside these files is unknown: {error}");
            found.push(Finding::new("new-version", Severity::Hint, message));
        }
    }
    found
}

/// What waits at one file that the daemon reads.
fn at(file: &Path, real: &Path, live: Option<&[u8]>, records: &Records, found: &mut Vec<Waiting>) {
    let standing = records.standing(file).or_else(|| records.standing(real));
    let record = standing.as_ref().map(|standing| standing.record.clone());
    let recorded = record.as_ref().map(|record| record.digest.as_str());
    let is_edited = match (live, recorded) {
        (Some(live), Some(recorded)) => md5(live) != recorded,
        (live, None) => live.is_some(),
        (None, Some(_)) => false,
    };
    let mut put = |waits: Waits| {
        let waiting = Waiting { file: file.to_owned(), real: real.to_owned(), waits, record: record.clone() };
        if !found.contains(&waiting) {
            found.push(waiting);
        }
    };
    let mut places = vec![file];
    places.extend((real != file).then_some(real));
    for place in places {
        for (end, kind, by) in ENDS {
            let beside = with_end(place, end);
            let Some(text) = text_of(&beside).filter(|text| live != Some(text.as_slice())) else { continue };
            let digest = md5(&text);
            match kind {
                End::Theirs if recorded == Some(digest.as_str()) && is_edited => {
                    put(Waits::Version { theirs: beside, unproven: false });
                }
                End::Theirs if matches!(by, "dpkg" | "ucf") => put(Waits::Stale { left: beside }),
                End::Theirs => put(Waits::Version { theirs: beside, unproven: true }),
                End::New if standing.as_ref().is_none_or(|standing| standing.is_installed) => {
                    put(Waits::NotPlaced { theirs: beside });
                }
                End::New => {}
                End::Mine if live.is_some() && recorded.is_some() && !is_edited => {
                    put(Waits::LaidOver { mine: beside });
                }
                End::Mine if live.is_none() => put(Waits::Dropped { mine: Some(beside) }),
                End::Mine => {}
                End::Unfinished => put(Waits::Unfinished { left: beside }),
            }
        }
    }
    if standing.is_some_and(|standing| standing.is_obsolete) && live.is_some() {
        put(Waits::Dropped { mine: None });
    }
}

/// Edited files that were put aside since the package has none of their name any more: nothing reads them.
fn dropped(loading: &Loading, found: &mut Vec<Waiting>, records: &Records) {
    let read = loading.patterns.iter().map(Path::new).filter_map(Path::parent);
    let mut folders: Vec<&Path> =
        loading.loaded.iter().filter_map(|loaded| loaded.name.parent()).chain(read).collect();
    folders.sort();
    folders.dedup();
    for folder in folders {
        let Ok(entries) = fs::read_dir(folder) else { continue };
        for path in entries.flatten().map(|entry| entry.path()) {
            let Some((file, end)) = end_of(&path) else { continue };
            let is_read = loading.loaded.iter().any(|loaded| loaded.name == file || loaded.real == file);
            if end == End::Mine && !is_read && !file.exists() && loading.reads(&file) {
                let record = records.standing(&file).map(|standing| standing.record);
                let waits = Waits::Dropped { mine: Some(path) };
                found.push(Waiting { real: file.clone(), file, waits, record });
            }
        }
    }
}

fn with_end(path: &Path, end: &str) -> PathBuf {
    let mut name = path.as_os_str().to_owned();
    name.push(end);
    PathBuf::from(name)
}

/// The file that another one belongs to by the end of its name, and what it is.
fn end_of(path: &Path) -> Option<(PathBuf, End)> {
    let text = path.to_str()?;
    ENDS.iter().find_map(|(end, kind, _)| Some((PathBuf::from(text.strip_suffix(end)?), *kind)))
}
