//! A change on probation: until when, and what the person said meanwhile. A start of the host ends it.

use crate::disk::Disk;
use crate::moment::Moment;
use serde::{Deserialize, Serialize};
use std::io;
use std::path::Path;
use std::time::Duration;

/// The file with the end, in the change's folder.
const END: &str = "probation";
/// The file with the person's word.
const WORD: &str = "word";

/// What the person said.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Word {
    /// Keep it.
    Keep,
    /// Restore what was before.
    Restore,
}

/// When a probation ends.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct End {
    /// When it ends, in the start of the host in which it began.
    #[serde(flatten)]
    at: Moment,
    /// The same by the clock of the host as it was then, in milliseconds since 1970: for people.
    pub until_ms: i64,
}

impl End {
    /// The one of the change in `folder`, and whether it begins now, for so long: where it has not begun.
    ///
    /// # Errors
    ///
    /// If it cannot be read or written: then the change cannot be on probation.
    pub fn of(disk: &dyn Disk, folder: &Path, time: Duration, now_ms: i64) -> io::Result<(Self, bool)> {
        if let Some(end) = Self::known(disk, folder)? {
            return Ok((end, false));
        }
        let until_ms = now_ms.saturating_add(i64::try_from(time.as_millis()).unwrap_or(i64::MAX));
        let end = Self { at: Moment::after(time), until_ms };
        let path = folder.join(END);
        disk.create(&path, &serde_json::to_vec(&end)?, None)?;
        disk.sync_file(&path)?;
        Ok((end, true))
    }

    /// The one of the change in `folder`, if it has begun.
    ///
    /// # Errors
    ///
    /// If it cannot be read.
    pub fn known(disk: &dyn Disk, folder: &Path) -> io::Result<Option<Self>> {
        let bytes = disk.read(&folder.join(END))?;
        bytes.map(|bytes| serde_json::from_slice(&bytes).map_err(io::Error::other)).transpose()
    }

    /// How much time is left; none once it is over, and after a start of the host.
    pub fn left(&self) -> Option<Duration> {
        self.at.left()
    }
}

/// Says it for the change in `folder`. A word that was said stays.
///
/// # Errors
///
/// If it cannot be written.
pub fn say(disk: &dyn Disk, folder: &Path, word: Word) -> io::Result<()> {
    let text: &[u8] = match word {
        Word::Keep => b"keep\n",
        Word::Restore => b"restore\n",
    };
    let path = folder.join(WORD);
    match disk.create(&path, text, None) {
        Err(error) if error.kind() == io::ErrorKind::AlreadyExists => Ok(()),
        Err(error) => Err(error),
        Ok(()) => disk.sync_file(&path),
    }
}

/// What was said of the change in `folder`. Anything but a whole word to keep it is none to keep it.
///
/// # Errors
///
/// If it cannot be read.
pub fn said(disk: &dyn Disk, folder: &Path) -> io::Result<Option<Word>> {
    Ok(match disk.read(&folder.join(WORD))?.as_deref() {
        Some(b"keep\n") => Some(Word::Keep),
        Some(b"restore\n") => Some(Word::Restore),
        // It is being written.
        Some(_) | None => None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::disk::RealDisk;

    #[test]
    fn an_end_outlives_its_process_and_not_the_start_of_the_host() {
        let folder = tempfile::tempdir().unwrap();
        let of = |time| End::of(&RealDisk, folder.path(), time, 0).unwrap().0;
        let end = of(Duration::from_secs(60));
        assert_eq!(end, of(Duration::from_secs(5)), "it is not begun again");
        assert!(end.left().is_some_and(|left| left <= Duration::from_secs(60)));
        let another = Moment { boot: "another start".into(), ..end.at.clone() };
        assert_eq!(End { at: another, ..end.clone() }.left(), None);
        assert_eq!(End { at: Moment::after(Duration::ZERO), ..end }.left(), None);
    }

    #[test]
    fn the_first_word_counts() {
        let folder = tempfile::tempdir().unwrap();
        assert_eq!(said(&RealDisk, folder.path()).unwrap(), None);
        say(&RealDisk, folder.path(), Word::Keep).unwrap();
        say(&RealDisk, folder.path(), Word::Restore).unwrap();
        assert_eq!(said(&RealDisk, folder.path()).unwrap(), Some(Word::Keep));
    }
}
