//! Folders that are there while something is done, and what a process that was killed left of them.

use crate::disk::{Disk, RealDisk};
use std::fs::{self, File, Permissions};
use std::io;
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// A younger folder may just be being made.
const YOUNG: Duration = Duration::from_secs(60);

/// A folder that goes when this does.
#[derive(Debug)]
pub struct Scratch {
    folder: tempfile::TempDir,
    /// Held as long as its process lives, however that ends.
    _lock: File,
}

impl Scratch {
    /// A folder in `parent` whose name begins with `prefix`, of this mode. Those that dead processes left there go.
    ///
    /// # Errors
    ///
    /// If it cannot be made.
    pub fn new(parent: &Path, prefix: &str, mode: u32) -> io::Result<Self> {
        if let Err(error) = sweep(parent, prefix) {
            tracing::warn!(%error, "what was left in {} cannot be removed", parent.display());
        }
        let folder = tempfile::Builder::new()
            .prefix(prefix)
            .permissions(Permissions::from_mode(mode))
            .tempdir_in(parent)?;
        let lock = File::open(folder.path())?;
        lock.try_lock().map_err(|_| io::Error::other("its lock is held by another process"))?;
        // The mask of the account may have taken some of it away.
        fs::set_permissions(folder.path(), Permissions::from_mode(mode))?;
        Ok(Self { folder, _lock: lock })
    }

    /// One for a program that root runs as an account without rights: some daemons write beside what they read.
    ///
    /// # Errors
    ///
    /// If it cannot be made.
    pub fn for_unprivileged(prefix: &str) -> io::Result<Self> {
        let mode = if rustix::process::geteuid().is_root() { 0o1777 } else { 0o755 };
        Self::new(&std::env::temp_dir(), prefix, mode)
    }

    /// Where it is.
    pub fn path(&self) -> &Path {
        self.folder.path()
    }
}

/// Removes our own folders of this kind that nobody holds.
fn sweep(parent: &Path, prefix: &str) -> io::Result<()> {
    let me = rustix::process::geteuid().as_raw();
    for name in RealDisk.folders(parent)?.into_iter().filter(|name| name.starts_with(prefix)) {
        let path: PathBuf = parent.join(name);
        let Ok(meta) = fs::symlink_metadata(&path) else { continue };
        let is_old = meta.modified()?.elapsed().is_ok_and(|age| age > YOUNG);
        if meta.is_dir() && meta.uid() == me && is_old && File::open(&path)?.try_lock().is_ok() {
            fs::remove_dir_all(&path)?;
        }
    }
    Ok(())
}
