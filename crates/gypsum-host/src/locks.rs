//! Locks: one a resolved file and one a service, at one place of the host whoever asks. The kernel
//! gives them back when the process ends, however it ends.

use crate::error::Error;
use rustix::fs::{Access, Mode, OFlags};
use std::fs::{File, TryLockError};
use std::io::{Read, Seek, Write};
use std::os::fd::{AsFd, BorrowedFd};
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};

/// Locks that are held as long as this lives.
#[derive(Debug, Default)]
pub struct Locks {
    held: Vec<(PathBuf, File)>,
}

impl Drop for Locks {
    fn drop(&mut self) {
        // Removed while it is held: whoever opened it meanwhile sees that it lost its name.
        for (path, _) in &self.held {
            let _ = std::fs::remove_file(path);
        }
    }
}

/// Where locks live: a folder that every account can reach and that is empty after a boot.
fn folder() -> PathBuf {
    let shared = Path::new("/run/lock/gypsum");
    // Some systems keep /run/lock to root; an account that cannot make the folder there meets the
    // others of its kind elsewhere.
    let usable = shared.is_dir()
        || shared.parent().is_some_and(|base| rustix::fs::access(base, Access::WRITE_OK).is_ok());
    if usable { shared.to_owned() } else { std::env::temp_dir().join("gypsum-locks") }
}

impl Locks {
    /// Takes the lock of each of `things`; `holder` is what others are told meanwhile, with
    /// the number of this process.
    pub fn take(things: &[String], holder: &str) -> Result<Self, Error> {
        let mut locks = Self::default();
        locks.take_more(things, holder)?;
        Ok(locks)
    }

    /// Takes these, too.
    pub fn take_more(&mut self, things: &[String], holder: &str) -> Result<(), Error> {
        let folder = folder();
        // Always in one order, so that two changes cannot each hold what the other waits for.
        let mut things: Vec<&String> = things.iter().collect();
        things.sort();
        things.dedup();
        for thing in things {
            self.held.push(take_one(&folder, thing, holder)?);
        }
        Ok(())
    }

    /// Locks that another process took and gave us, by their names; `holder` is what others are told from now on.
    pub fn handed_over(held: Vec<(PathBuf, File)>, holder: &str) -> Self {
        for (_, file) in &held {
            say_who(file, holder);
        }
        Self { held }
    }

    /// The names of what is held.
    pub fn names(&self) -> Vec<PathBuf> {
        self.held.iter().map(|(path, _)| path.clone()).collect()
    }

    /// The open files that are the locks: who has them has the locks.
    pub fn files(&self) -> Vec<BorrowedFd<'_>> {
        self.held.iter().map(|(_, file)| file.as_fd()).collect()
    }

    /// Leaves them to the process that they were given to.
    pub fn leave(mut self) {
        self.held.clear();
    }
}

fn take_one(folder: &Path, thing: &str, holder: &str) -> Result<(PathBuf, File), Error> {
    let path = path_of(folder, thing);
    loop {
        let mut file = open(folder, &path).map_err(|error| Error::file("open the lock", &path, error))?;
        match file.try_lock() {
            Ok(()) if !is_named(&file, &path) => continue,
            Ok(()) => {}
            Err(TryLockError::WouldBlock) => {
                let mut text = String::new();
                let _ = file.read_to_string(&mut text);
                let by = if text.trim().is_empty() { String::new() } else { format!(" ({})", text.trim()) };
                return Err(Error::busy(format!("another change has {thing} right now{by}"))
                    .help("wait until it has ended; nothing was touched"));
            }
            Err(TryLockError::Error(error)) => return Err(Error::file("lock", &path, error)),
        }
        say_who(&file, holder);
        return Ok((path, file));
    }
}

/// Another account may have made the file; then the lock holds all the same, only nameless.
fn say_who(mut file: &File, holder: &str) {
    let text = format!("{holder}, process {}", std::process::id());
    let _ = file.set_len(0).and_then(|()| file.rewind()).and_then(|()| file.write_all(text.as_bytes()));
}

/// Who holds the lock of `thing`, in the words that were left there; none where nobody does.
pub fn holder(thing: &str) -> Option<String> {
    let mut file = File::open(path_of(&folder(), thing)).ok()?;
    // There is no asking without taking: let go at once.
    match file.try_lock_shared() {
        Err(TryLockError::WouldBlock) => {
            let mut text = String::new();
            file.read_to_string(&mut text).ok()?;
            Some(text)
        }
        _ => None,
    }
}

fn path_of(folder: &Path, thing: &str) -> PathBuf {
    folder.join(&blake3::hash(thing.as_bytes()).to_hex().as_str()[..24])
}

/// Whether the file that was locked is still the one with the name: its holder before us removes it.
fn is_named(file: &File, path: &Path) -> bool {
    let inode = |meta: std::fs::Metadata| (meta.dev(), meta.ino());
    file.metadata().map(inode).ok() == std::fs::symlink_metadata(path).map(inode).ok()
}

fn open(folder: &Path, path: &Path) -> std::io::Result<File> {
    if !folder.is_dir() {
        std::fs::create_dir_all(folder)?;
        rustix::fs::chmod(folder, Mode::from_raw_mode(0o1777))?;
    }
    let base = OFlags::NOFOLLOW | OFlags::CLOEXEC;
    // Opened first and made only if it is missing: in a sticky folder the kernel may refuse to open
    // for making what belongs to another account.
    for _ in 0..3 {
        for flags in [OFlags::RDWR | base, OFlags::RDONLY | base] {
            match rustix::fs::open(path, flags, Mode::empty()) {
                Ok(fd) => return Ok(fd.into()),
                Err(rustix::io::Errno::NOENT | rustix::io::Errno::ACCESS) => {}
                Err(error) => return Err(error.into()),
            }
        }
        match rustix::fs::open(
            path,
            OFlags::RDWR | OFlags::CREATE | OFlags::EXCL | base,
            Mode::from_raw_mode(0o644),
        ) {
            Ok(fd) => return Ok(fd.into()),
            Err(rustix::io::Errno::EXIST) => {}
            Err(error) => return Err(error.into()),
        }
    }
    Err(std::io::Error::from(std::io::ErrorKind::PermissionDenied))
}
