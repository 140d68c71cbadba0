//! The marks of open changes: an empty file a daemon, so that a host without one has nothing to do when it starts.

use crate::disk::{Disk, RealDisk, entries};
use crate::error::Error;
use crate::state::State;
use std::io;
use std::path::{Path, PathBuf};

/// Their folder, in the state folder. Its name begins with a dot, so that it is no daemon's.
pub const FOLDER: &str = ".open";
/// The state folder that is looked at when the host starts.
pub const STATE: &str = "/var/lib/gypsum";

/// The names of the units that look after them.
pub const UNITS: [&str; 2] = ["gypsum-boot-early.service", "gypsum-boot-late.service"];
/// Where an administrator's units are (systemd.unit(5)), and where a package puts its own.
pub const UNIT_FOLDERS: [&str; 2] = ["/etc/systemd/system", "/usr/lib/systemd/system"];
/// The script of the other managers.
pub const SCRIPT: &str = "/etc/init.d/gypsum-boot";
/// The same where runit has its own first stage.
pub const CORE_SERVICES: &str = "/etc/runit/core-services";

/// Whether anything looks after open changes when this host starts.
fn is_installed() -> bool {
    let units = UNIT_FOLDERS.iter().map(|folder| Path::new(folder).join(UNITS[0]));
    units.chain([PathBuf::from(SCRIPT), in_core_services()]).any(|file| file.exists())
}

/// The script for the first stage of runit.
pub fn in_core_services() -> PathBuf {
    // They are read in the order of their names, and file systems are mounted by 03.
    Path::new(CORE_SERVICES).join("90-gypsum-boot.sh")
}

/// The marks in one state folder.
pub struct Marks {
    folder: PathBuf,
}

impl Marks {
    /// Those in `state`; none where it is not looked at when the host starts.
    pub fn of(state: &State) -> Option<Self> {
        let is_looked_at = state.root() == Path::new(STATE) && is_installed();
        is_looked_at.then(|| Self { folder: state.root().join(FOLDER) })
    }

    /// Marks a change of `daemon` as open, durably.
    ///
    /// # Errors
    ///
    /// If that cannot be written.
    pub fn set(&self, disk: &dyn Disk, daemon: &str) -> io::Result<()> {
        disk.make_folder(&self.folder)?;
        match disk.create(&self.folder.join(daemon), b"", None) {
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => Ok(()),
            Err(error) => Err(error),
            Ok(()) => disk.sync_folder(&self.folder),
        }
    }

    /// Takes the mark away. One that comes back after a power cut only costs a look.
    ///
    /// # Errors
    ///
    /// If it cannot be removed.
    pub fn clear(&self, disk: &dyn Disk, daemon: &str) -> io::Result<()> {
        disk.remove(&self.folder.join(daemon))
    }

    /// The daemons that have one.
    ///
    /// # Errors
    ///
    /// If their folder cannot be read.
    pub fn daemons(&self) -> Result<Vec<String>, Error> {
        let found = entries(&self.folder).map_err(|error| Error::file("read", &self.folder, error))?;
        // A name that is not UTF-8 is none of ours.
        let names = found.into_iter().flatten().filter_map(|(name, _)| name.into_string().ok());
        Ok(names.collect())
    }

    /// Marks every change that is open now: the marks begin with the installation.
    ///
    /// # Errors
    ///
    /// If the state folder cannot be read, or a mark not be written.
    pub fn set_all(&self, state: &State) -> Result<(), Error> {
        for daemon in state.daemons(&RealDisk)? {
            if state.standing(&RealDisk, &daemon)?.is_some() {
                self.set(&RealDisk, &daemon).map_err(|error| Error::file("write", &self.folder, error))?;
            }
        }
        Ok(())
    }
}
