//! A copy of a draft for the person who called by sudo: their editor runs as they do, and reads and writes nothing else.

use crate::accounts::Account;
use crate::disk::walk;
use crate::error::Error;
use crate::scratch::Scratch;
use crate::who::Caller;
use gypsum_core::doc::MOST_BYTES;
use std::fs;
use std::io::{self, Write};
use std::os::unix::fs::{PermissionsExt, chown};
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Command, ExitStatus};
use std::time::Duration;

/// How often it is looked whether something was written.
const LOOK: Duration = Duration::from_millis(100);

/// The copy, in a folder that is the person's and nobody else's.
pub(super) struct Copy {
    folder: Scratch,
    name: PathBuf,
    account: Account,
}

impl Copy {
    /// A copy of these bytes under the name of `file`.
    pub fn new(caller: &Caller, file: &Path, bytes: &[u8]) -> Result<Self, Error> {
        let made = || -> io::Result<Self> {
            let folder = Scratch::new(&std::env::temp_dir(), "gypsum-edit-", 0o700)?;
            let name = PathBuf::from(file.file_name().unwrap_or(file.as_os_str()));
            let path = folder.path().join(&name);
            let mut copy = fs::File::options().write(true).create_new(true).open(&path)?;
            copy.set_permissions(fs::Permissions::from_mode(0o600))?;
            copy.write_all(bytes)?;
            std::os::unix::fs::fchown(&copy, Some(caller.uid), Some(caller.gid))?;
            // The last step: from here on it is theirs, and nothing in it is done as root.
            chown(folder.path(), Some(caller.uid), Some(caller.gid))?;
            Ok(Self { folder, name, account: Account::of(caller.uid) })
        };
        made().map_err(|error| Error::file("make a copy for the editor of", file, error))
    }

    pub fn path(&self) -> PathBuf {
        self.folder.path().join(&self.name)
    }

    /// What it holds now, read as the person.
    pub fn read(&self) -> Result<Vec<u8>, Error> {
        let path = self.path();
        let read = || -> io::Result<Vec<u8>> {
            let place = walk::place(&path)?;
            if place.account.as_ref().map(|account| account.uid) != Some(self.account.uid) {
                return Err(io::Error::other("its folder is another one"));
            }
            Ok(place.read(MOST_BYTES)?.1)
        };
        read().map_err(|error| Error::file("read", &path, error))
    }

    /// Runs the editor as the person, and gives `save` each version that it writes.
    pub fn run(
        &self,
        mut command: Command,
        caller: &Caller,
        save: &dyn Fn(&[u8]) -> Result<(), Error>,
    ) -> Result<ExitStatus, Error> {
        command.uid(caller.uid).gid(caller.gid);
        command.env("HOME", &caller.home).env("USER", &caller.name).env("LOGNAME", &caller.name);
        let program = PathBuf::from(command.get_program());
        let mut child = command.spawn().map_err(|error| Error::file("start the editor", &program, error))?;
        let mut saved = self.read()?;
        loop {
            let ended = child.try_wait().map_err(|error| Error::file("wait for", &program, error))?;
            match self.read() {
                Ok(now) if now != saved => {
                    save(&now)?;
                    saved = now;
                }
                Ok(_) => {}
                // An editor may take the old file away before the new one is there.
                Err(error) if ended.is_some() => return Err(error),
                Err(_) => {}
            }
            match ended {
                Some(status) => return Ok(status),
                None => std::thread::sleep(LOOK),
            }
        }
    }
}

impl Drop for Copy {
    fn drop(&mut self) {
        let folder = self.folder.path().to_owned();
        // As the person: what is in it by now is theirs. The folder itself is in one of root's.
        let emptied = self.account.does(|| {
            fs::read_dir(&folder)?.try_for_each(|entry| {
                let path = entry?.path();
                if path.is_dir() && !path.is_symlink() {
                    fs::remove_dir_all(path)
                } else {
                    fs::remove_file(path)
                }
            })
        });
        if let Err(error) = emptied {
            tracing::warn!(%error, "the copy for the editor is left");
        }
    }
}
