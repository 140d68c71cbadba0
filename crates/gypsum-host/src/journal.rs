//! The journal of a change on the disk, with a second copy of its plan.

use crate::disk::Disk;
use gypsum_core::change::{Plan, Record, Stage, encode};
use gypsum_core::record::VERSION;
use std::io;
use std::path::{Path, PathBuf};

/// So much space is set aside for the last records of a change, in bytes: the disk may be full by then.
const RESERVE: usize = 16 << 10;

/// An open journal.
#[derive(Debug)]
pub struct Journal {
    folder: PathBuf,
}

impl Journal {
    /// The journal of the change with this folder.
    pub fn of(folder: &Path) -> Self {
        Self { folder: folder.into() }
    }

    /// Adds a record; those that matter are on the disk when this returns.
    ///
    /// # Errors
    ///
    /// If it cannot be written whole, not even into the space that was set aside for it.
    pub fn write(&self, disk: &dyn Disk, stage: Stage, plan: Option<&Plan>, at_ms: i64) -> io::Result<()> {
        let path = self.folder.join("journal");
        let line = encode(&Record { version: VERSION, stage, at_ms, plan: plan.cloned() })?;
        if plan.is_some() {
            return self.begin(disk, &path, &line);
        }
        if append(disk, &path, &line).is_err() {
            disk.remove(&self.reserve())?;
            append(disk, &path, &line)?;
        }
        if stage.is_synced() {
            disk.sync_file(&path)?;
        }
        if stage == Stage::Armed {
            // All names, too, must be on the disk before the first live byte changes.
            disk.sync_folder(&self.folder)?;
        }
        Ok(())
    }

    /// The first record, with the plan.
    fn begin(&self, disk: &dyn Disk, path: &Path, line: &[u8]) -> io::Result<()> {
        let plan = self.folder.join("plan");
        let begun = disk
            // A plan is lost with a single damaged byte, and without it nothing can be put back.
            .create(&plan, line, None)
            .and_then(|()| disk.create(&self.reserve(), &vec![0; RESERVE], None))
            .and_then(|()| append(disk, path, line))
            // Before a new file is beside an old one: nobody else would know whose it is.
            .and_then(|()| disk.sync_file(&plan))
            .and_then(|()| disk.sync_folder(&self.folder));
        if begun.is_err() {
            // Half of a record would be read as damage later.
            for file in [path, &plan, &self.reserve()] {
                disk.remove(file)?;
            }
        }
        begun
    }

    /// Gives back the space that was set aside.
    ///
    /// # Errors
    ///
    /// If the file that takes it cannot be removed.
    pub fn release(&self, disk: &dyn Disk) -> io::Result<()> {
        disk.remove(&self.reserve())
    }

    fn reserve(&self) -> PathBuf {
        self.folder.join("reserve")
    }
}

/// Adds a line; behind a torn one it begins on a line of its own.
fn append(disk: &dyn Disk, path: &Path, line: &[u8]) -> io::Result<()> {
    let torn = disk.read(path)?.is_some_and(|bytes| bytes.last().is_some_and(|byte| *byte != b'\n'));
    let lead: &[u8] = if torn { b"\n" } else { b"" };
    disk.append(path, &[lead, line].concat())
}
