//! The record of a watch: a small file each, which says all that a look needs.

use crate::disk::{Disk, RealDisk, entries};
use crate::error::Error;
use crate::installing::write_whole;
use crate::state::{Entry, State};
use gypsum_core::change::{Plan, PlannedWatch};
use gypsum_core::probe::Check;
use gypsum_core::profile::Service;
use gypsum_core::report::Report;
use serde::{Deserialize, Serialize};
use std::io;
use std::path::{Path, PathBuf};

/// Their folder, in the state folder. Its name begins with a dot, so that it is no daemon's.
pub const WATCHES: &str = ".watches";
/// So many looks are made in the whole time, unless they would be less than a second or more than a minute apart.
const LOOKS: u64 = 60;

/// What is looked at, and how it was last.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Watch {
    /// Its number.
    pub number: u32,
    /// The daemon.
    pub daemon: String,
    /// The change that it belongs to.
    pub change: u32,
    /// Who made that change.
    pub who: String,
    /// The check, and the service that it may be about.
    pub check: Check,
    /// The service.
    pub service: Service,
    /// Until when, in milliseconds since 1970.
    pub until_ms: i64,
    /// How long between two looks, in milliseconds.
    pub every_ms: u64,
    /// Whether the change is taken back where the check fails.
    pub restores: bool,
    /// The options of the command line by which the daemon is named, for that.
    #[serde(default)]
    pub target: Vec<String>,
    /// When it was looked at last, in milliseconds since 1970, and what was seen.
    pub last: Option<(i64, String)>,
    /// Why it failed, once it has: then it is told, and looked at no more.
    pub failed: Option<String>,
}

/// The record of the watch of this number.
pub(super) fn path_of(state: &State, number: u32) -> PathBuf {
    state.root().join(WATCHES).join(number.to_string())
}

impl Watch {
    /// What is planned for a change that is kept now. It has no number yet.
    pub fn new(entry: &Entry, plan: &Plan, planned: &PlannedWatch, now_ms: i64) -> Self {
        Self {
            number: 0,
            daemon: plan.daemon.clone(),
            change: entry.number,
            who: entry.so_far(&RealDisk, Report::new(&plan.daemon)).who,
            check: planned.check.clone(),
            service: plan.service.clone(),
            until_ms: now_ms.saturating_add(i64::try_from(planned.for_ms).unwrap_or(i64::MAX)),
            every_ms: (planned.for_ms / LOOKS).clamp(1_000, 60_000),
            restores: planned.restores,
            target: planned.target.clone(),
            last: None,
            failed: None,
        }
    }

    /// Writes it down under the next number.
    pub(super) fn add(&mut self, state: &State) -> Result<(), Error> {
        let folder = state.root().join(WATCHES);
        RealDisk.make_folder(&folder).map_err(|error| Error::file("make", &folder, error))?;
        self.number = all(state)?.iter().map(|watch| watch.number).max().unwrap_or(0) + 1;
        self.write(state)
    }

    pub(super) fn write(&self, state: &State) -> Result<(), Error> {
        let text = serde_json::to_string(self).map_err(Error::because)?;
        write_whole(&path_of(state, self.number), &text, 0o600)
    }
}

pub(super) fn read(path: &Path) -> Result<Option<Watch>, Error> {
    let failed = |error| Error::file("read", path, error);
    let bytes = RealDisk.read(path).map_err(failed)?;
    bytes
        .map(|bytes| serde_json::from_slice(&bytes).map_err(|error| failed(io::Error::other(error))))
        .transpose()
}

/// All watches, by number.
///
/// # Errors
///
/// If one cannot be read.
pub fn all(state: &State) -> Result<Vec<Watch>, Error> {
    let folder = state.root().join(WATCHES);
    let found = entries(&folder).map_err(|error| Error::file("read", &folder, error))?.unwrap_or_default();
    let numbered = |name: &std::ffi::OsString| name.to_str().is_some_and(|name| name.parse::<u32>().is_ok());
    let paths = found.into_iter().filter(|(name, _)| numbered(name)).map(|(name, _)| folder.join(name));
    // One that ended meanwhile is none.
    let mut all = paths.filter_map(|path| read(&path).transpose()).collect::<Result<Vec<_>, _>>()?;
    all.sort_by_key(|watch| watch.number);
    Ok(all)
}

/// Ends the watch of this number; false if there is none. Its timer ends with its next look.
///
/// # Errors
///
/// If it cannot be removed.
pub fn end(state: &State, number: u32) -> Result<bool, Error> {
    let path = path_of(state, number);
    match std::fs::remove_file(&path) {
        Ok(()) => Ok(true),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(false),
        Err(error) => Err(Error::file("remove", &path, error)),
    }
}
