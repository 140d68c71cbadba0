//! The journal of a change on the disk.

use crate::disk::Disk;
use gypsum_core::change::{Plan, Record, Stage, decode, encode};
use std::io;
use std::path::{Path, PathBuf};

/// An open journal.
#[derive(Debug)]
pub struct Journal {
    path: PathBuf,
}

impl Journal {
    /// The journal of the change with this folder.
    pub fn of(folder: &Path) -> Self {
        Self { path: folder.join("journal") }
    }

    /// Adds a record; those that matter are on the disk when this returns.
    pub fn write(&self, disk: &dyn Disk, stage: Stage, plan: Option<&Plan>, at_ms: i64) -> io::Result<()> {
        let line = encode(&Record { stage, at_ms, plan: plan.cloned() })?;
        disk.append(&self.path, &line)?;
        if stage.is_synced() {
            disk.sync_file(&self.path)?;
        }
        if stage == Stage::Armed {
            // Its name, too, must be on the disk before the first live byte changes.
            disk.sync_folder(self.path.parent().unwrap_or(&self.path))?;
        }
        Ok(())
    }

    /// What the journal says: the plan, and the last stage. None where it says nothing whole.
    pub fn read(&self, disk: &dyn Disk) -> io::Result<Option<(Plan, Stage)>> {
        let records = decode(&disk.read(&self.path)?.unwrap_or_default());
        let last = records.last().map(|record| record.stage);
        let plan = records.into_iter().find_map(|record| record.plan);
        Ok(plan.zip(last))
    }
}
