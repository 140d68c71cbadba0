//! Locks: one a resolved file, one a service and one the changes of a daemon. The kernel gives them back when the
//! process ends, however it ends.
//!
//! Root's locks are in a folder where only root can write, so that nobody else can hold or fill one. An account has its
//! own, in its runtime folder; what it can change itself root locks in both places.

use crate::accounts;
use crate::disk::walk::{self, Place};
use crate::disk::{Disk, RealDisk};
use crate::error::Error;
use crate::service::{self, ManagerScope};
use gypsum_core::profile::Service;
use rustix::fs::OFlags;
use std::fs::{File, TryLockError};
use std::io::{self, Read, Seek, Write};
use std::os::fd::{AsFd, BorrowedFd};
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::sync::OnceLock;

/// Where root's locks are; empty after a boot.
const ROOTS: &str = "/run/gypsum/locks";
/// Nobody says more of themselves, in bytes.
const MOST_WORDS: u64 = 512;

/// Something that one change at a time may have.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Thing {
    /// Its name.
    name: String,
    /// The account that can change it without root, by its number.
    account: Option<u32>,
}

impl Thing {
    /// A file, links followed.
    pub fn file(path: &Path) -> Self {
        // What cannot be walked to is refused where it is read.
        let account = walk::place(path).ok().and_then(|place| place.account);
        Self { name: path.display().to_string(), account: account.map(|account| account.uid) }
    }

    /// A service, if there is one.
    pub fn service(service: &Service) -> Option<Self> {
        let account = match ManagerScope::of(service) {
            ManagerScope::Of(_, uid) => Some(uid),
            ManagerScope::Own | ManagerScope::System => None,
        };
        Some(Self { name: service::lock_name(service)?, account })
    }

    /// The removal of old ones of them.
    pub fn old_changes(folder: &Path) -> Self {
        Self { name: format!("the old changes in {}", folder.display()), account: None }
    }

    /// The changes of a daemon, by their folder: each has a number of its own.
    pub fn changes(folder: &Path) -> Self {
        Self { name: format!("the changes in {}", folder.display()), account: None }
    }
}

/// Locks that are held as long as this lives.
#[derive(Debug, Default)]
pub struct Locks {
    held: Vec<(PathBuf, File)>,
}

impl Drop for Locks {
    fn drop(&mut self) {
        // Removed while it is held: whoever opened it meanwhile sees that it lost its name.
        for (path, _) in &self.held {
            let _ = RealDisk.remove(path);
        }
    }
}

static OTHER_FOLDER: OnceLock<PathBuf> = OnceLock::new();

/// From now on this process has its locks in another folder; the first call counts. It is for tests that share nothing
/// with the host that they run on.
pub fn keep_in(folder: PathBuf) {
    let _ = OTHER_FOLDER.set(folder);
}

/// Where our own locks are.
fn own_folder() -> PathBuf {
    if let Some(folder) = OTHER_FOLDER.get() {
        return folder.clone();
    }
    let uid = rustix::process::geteuid();
    if uid.is_root() {
        return PathBuf::from(ROOTS);
    }
    folder_of(uid.as_raw()).unwrap_or_else(|| fallback_of(uid.as_raw()))
}

/// Where the locks of an account are: in its runtime folder, while it has a session.
fn folder_of(uid: u32) -> Option<PathBuf> {
    let runtime = PathBuf::from(format!("/run/user/{uid}"));
    let fallback = fallback_of(uid);
    if runtime.is_dir() { Some(runtime.join("gypsum-locks")) } else { fallback.is_dir().then_some(fallback) }
}

/// Where they are for an account without a runtime folder.
fn fallback_of(uid: u32) -> PathBuf {
    Path::new("/tmp").join(format!("gypsum-locks-{uid}"))
}

impl Locks {
    /// Takes the lock of each of `things`; `holder` is what others are told meanwhile, with
    /// the number of this process.
    pub fn take(things: &[Thing], holder: &str) -> Result<Self, Error> {
        let mut locks = Self::default();
        locks.take_more(things, holder)?;
        Ok(locks)
    }

    /// Takes these, too.
    pub fn take_more(&mut self, things: &[Thing], holder: &str) -> Result<(), Error> {
        let own = own_folder();
        let made = RealDisk.make_folder(&own).and_then(|()| refuse_others(&own));
        made.map_err(|error| Error::file("make the folder of locks", &own, error))?;
        // Always in one order, so that two changes cannot each hold what the other waits for.
        let mut things: Vec<&Thing> = things.iter().collect();
        things.sort();
        things.dedup();
        for thing in things {
            self.held.push(take_one(&own, thing, holder, None)?);
            let Some(uid) = thing.account else { continue };
            if let Some(folder) = folder_of(uid) {
                let made = RealDisk.make_folder(&folder);
                made.map_err(|error| Error::file("make the folder of locks", &folder, error))?;
                self.held.push(take_one(&folder, thing, holder, Some(uid))?);
            }
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

/// Another account may have made the folder first.
fn refuse_others(folder: &Path) -> io::Result<()> {
    let owner = walk::ownership_of(folder)?.and_then(|owner| owner.owner);
    match owner {
        Some(uid) if uid == rustix::process::geteuid().as_raw() => Ok(()),
        Some(uid) => {
            let who = accounts::user_name(uid);
            Err(io::Error::new(io::ErrorKind::PermissionDenied, format!("it belongs to {who}")))
        }
        None => Err(rustix::io::Errno::NOENT.into()),
    }
}

/// Takes one lock; `account` is the one in whose folder it is, where that is not ours.
fn take_one(
    folder: &Path,
    thing: &Thing,
    holder: &str,
    account: Option<u32>,
) -> Result<(PathBuf, File), Error> {
    let path = path_of(folder, &thing.name);
    let failed = |error: io::Error| Error::file("take the lock", &path, error);
    loop {
        let place = walk::place(&path).map_err(failed)?;
        if place.account.as_ref().map(|account| account.uid) != account {
            return Err(failed(io::Error::other("its folder is of another account")));
        }
        let file =
            place.act(|at, name| walk::open(at, name, OFlags::RDWR | OFlags::CREATE)).map_err(failed)?;
        match file.try_lock() {
            Ok(()) if !is_named(&file, &place) => continue,
            Ok(()) => {}
            Err(TryLockError::WouldBlock) => {
                // What another account says of itself is nothing to go by.
                let by = match account {
                    Some(uid) => format!("the account {}", accounts::user_name(uid)),
                    None => words_in(file).map_err(failed)?,
                };
                let by = if by.is_empty() { by } else { format!(" ({by})") };
                return Err(Error::busy(format!("another change has {} right now{by}", thing.name))
                    .help("wait until it has ended; nothing was touched"));
            }
            Err(TryLockError::Error(error)) => return Err(Error::file("lock", &path, error)),
        }
        say_who(&file, holder);
        return Ok((path, file));
    }
}

/// A lock holds all the same where it cannot be said whose it is.
fn say_who(mut file: &File, holder: &str) {
    let text = format!("{holder}, process {}", std::process::id());
    let said = file.set_len(0).and_then(|()| file.rewind()).and_then(|()| file.write_all(text.as_bytes()));
    if let Err(error) = said {
        tracing::warn!(%error, "a lock does not say who holds it");
    }
}

fn words_in(file: File) -> io::Result<String> {
    let mut bytes = Vec::new();
    file.take(MOST_WORDS).read_to_end(&mut bytes)?;
    Ok(String::from_utf8_lossy(&bytes).trim().to_owned())
}

/// Who holds a lock, in the words that were left there; `None` where nobody does.
///
/// # Errors
///
/// If it cannot be found out.
pub fn holder(thing: &Thing) -> Result<Option<String>, Error> {
    let path = path_of(&own_folder(), &thing.name);
    let failed = |error: io::Error| Error::file("look at the lock", &path, error);
    let opened = walk::place(&path).and_then(|place| place.open());
    let lock = match opened {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
        opened => opened.map_err(failed)?,
    };
    // There is no asking without taking: let go at once.
    match lock.try_lock_shared() {
        Err(TryLockError::WouldBlock) => words_in(lock).map(Some).map_err(failed),
        Err(TryLockError::Error(error)) => Err(failed(error)),
        Ok(()) => Ok(None),
    }
}

fn path_of(folder: &Path, thing: &str) -> PathBuf {
    folder.join(&blake3::hash(thing.as_bytes()).to_hex().as_str()[..24])
}

/// Whether the file that was locked is still the one with the name: its holder before us removes it.
fn is_named(file: &File, place: &Place) -> bool {
    let inode = |meta: std::fs::Metadata| (meta.dev(), meta.ino());
    let named = place.look().ok().flatten().map(inode);
    named.is_some() && file.metadata().map(inode).ok() == named
}
