//! The changes of a daemon from the newest on. A folder with very many is not listed again while nothing was added to it
//! or removed from it: the names of its last changes are kept beside it.

use super::{Entry, SET_ASIDE, State, folders_in};
use crate::disk::{Disk, Stamp};
use crate::error::Error;
use crate::sealed;
use gypsum_core::record::unseal;
use gypsum_core::report::number_of;
use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};

/// So many names are kept.
const NAMES: usize = 256;
/// A folder with fewer changes is listed as fast as the kept names are read.
const MANY: usize = 2_000;
/// So much older than the clock a folder's last change must be, in milliseconds, before its names are kept. The kernel's
/// time stamps are coarse: a second change within one tick has the stamp of the first.
const AGE_MS: i64 = 2_000;

/// The names that are kept of a folder.
#[derive(Serialize, Deserialize)]
struct Kept {
    /// The folder as it was when they were listed.
    stamp: Stamp,
    /// How many changes there are.
    count: usize,
    /// The highest number, of a change that was set aside, too.
    highest: u32,
    /// The lowest number of a change.
    lowest: Option<u32>,
    /// The names of the last changes, newest first.
    names: Vec<String>,
}

/// The changes of a daemon, newest first. The folder is listed only as far as it must be.
pub struct Newest<'a> {
    disk: &'a dyn Disk,
    base: PathBuf,
    count: usize,
    highest: u32,
    lowest: Option<u32>,
    /// What is known and not yet given out, oldest first.
    known: Vec<Entry>,
    given: usize,
    /// The number of the last one that was given out.
    last: Option<u32>,
}

impl State {
    /// The changes of a daemon, newest first.
    ///
    /// # Errors
    ///
    /// If its folder may not be read.
    pub fn newest<'a>(&self, disk: &'a dyn Disk, daemon: &str) -> Result<Newest<'a>, Error> {
        let base = self.of_daemon(daemon);
        let beside = self.root.join(format!("{daemon}.last"));
        let stamp = disk.stamp(&base).map_err(|error| Error::file("read", &base, error))?;
        if let Some(stamp) = &stamp
            && let Some(kept) = kept(disk, &beside, stamp)
        {
            let known = kept.names.into_iter().rev().filter_map(|name| Entry::named(&base, name)).collect();
            let Kept { count, highest, lowest, .. } = kept;
            return Ok(Newest { disk, base, count, highest, lowest, known, given: 0, last: None });
        }
        let names = folders_in(disk, &base)?;
        // One that was set aside keeps its number.
        let highest = names.iter().filter_map(|name| number_of(name.strip_suffix(SET_ASIDE).unwrap_or(name)));
        let highest = highest.max().unwrap_or(0);
        let known = Entry::all_of(&base, names);
        let lowest = known.first().map(|entry| entry.number);
        if let Some(stamp) = stamp.filter(|stamp| known.len() >= MANY && stamp.age_ms() > AGE_MS) {
            let names = known.iter().rev().take(NAMES).map(|entry| entry.name.clone()).collect();
            // The next command lists the folder again.
            if let Err(error) =
                sealed::replace(&beside, &Kept { stamp, count: known.len(), highest, lowest, names })
            {
                tracing::debug!(%error, "the names of the last changes are not kept");
            }
        }
        Ok(Newest { disk, base, count: known.len(), highest, lowest, known, given: 0, last: None })
    }
}

impl Newest<'_> {
    /// How many changes there are.
    pub fn count(&self) -> usize {
        self.count
    }

    /// The lowest number of a change; `None` if there is no change.
    pub fn lowest(&self) -> Option<u32> {
        self.lowest
    }

    /// The highest number that was given so far; 0 if none was.
    pub fn highest(&self) -> u32 {
        self.highest
    }

    /// How many were not given out yet.
    pub fn left(&self) -> usize {
        self.count.saturating_sub(self.given)
    }

    /// The change that comes next; `None` after the last one.
    ///
    /// # Errors
    ///
    /// If the folder must be listed, and may not be read.
    pub fn peek(&mut self) -> Result<Option<&Entry>, Error> {
        if self.known.is_empty() && self.left() > 0 {
            let names = folders_in(self.disk, &self.base)?;
            let mut all = Entry::all_of(&self.base, names);
            // Others may be new, or gone: those that were given out are not given out again.
            all.retain(|entry| self.last.is_none_or(|last| entry.number < last));
            self.count = all.len() + self.given;
            self.known = all;
        }
        Ok(self.known.last())
    }
}

impl Iterator for Newest<'_> {
    type Item = Result<Entry, Error>;

    fn next(&mut self) -> Option<Self::Item> {
        if let Err(error) = self.peek() {
            // It is said once.
            self.count = self.given;
            return Some(Err(error));
        }
        let entry = self.known.pop()?;
        self.given += 1;
        self.last = Some(entry.number);
        Some(Ok(entry))
    }
}

/// The names that are kept, if the folder is as it was; otherwise the folder itself tells.
fn kept(disk: &dyn Disk, beside: &Path, stamp: &Stamp) -> Option<Kept> {
    let bytes = disk.read(beside).unwrap_or_else(|error| {
        tracing::debug!(%error, "the names of the last changes cannot be read");
        None
    })?;
    unseal::<Kept>(&bytes).whole().filter(|kept| kept.stamp == *stamp)
}
