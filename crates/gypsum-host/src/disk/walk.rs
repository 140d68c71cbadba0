//! The way to a file, walked once: from the root down, component by component, each folder by the descriptor of the
//! one above it. What is done at its end is done in the folder that was checked on the way, whatever is put under the
//! names meanwhile.
//!
//! As root a symbolic link is followed only where nobody else could have put it there, and a folder in which one other
//! account may write is worked in as that account: nothing is then done that it could not do itself. Where several may,
//! root keeps out. Other accounts walk as the kernel lets them: they have nothing to lend.

use super::keeping_out::Unsafe;
use super::writers::{self, Writers};
use crate::accounts::{self, Account};
use crate::mounts;
use gypsum_core::change::Ownership;
use rustix::fs::{AtFlags, FileType, Mode, OFlags, Stat};
use rustix::io::Errno;
use std::collections::VecDeque;
use std::ffi::{OsStr, OsString};
use std::fs::{File, Metadata};
use std::io::{self, Read};
use std::os::fd::{AsFd, AsRawFd, BorrowedFd, OwnedFd};
use std::os::unix::ffi::OsStringExt;
use std::os::unix::fs::MetadataExt;
use std::path::{Component, Path, PathBuf};

/// So many links lead on at most, as in the kernel (path_resolution(7)).
const MOST_LINKS: usize = 40;

/// The end of a way: a folder, and a name in it that may or may not be there.
#[derive(Debug)]
pub struct Place {
    /// The folder.
    pub folder: OwnedFd,
    /// The name.
    pub name: OsString,
    /// What leads there without a link but, perhaps, the last.
    pub real: PathBuf,
    /// The account as which it is worked on, where that is not ours.
    pub account: Option<Account>,
    /// Whether several accounts may write on the way to it; then it may only be read.
    is_shared: bool,
}

impl Place {
    /// Does something there, as the account that may.
    pub fn act<T: Send>(
        &self,
        act: impl FnOnce(BorrowedFd<'_>, &OsStr) -> io::Result<T> + Send,
    ) -> io::Result<T> {
        let act = || act(self.folder.as_fd(), &self.name);
        match &self.account {
            Some(account) => account.does(act),
            None => act(),
        }
    }

    /// What is there; `None` where nothing is. A link is not followed, and nothing is opened.
    ///
    /// # Errors
    ///
    /// If it may not be looked at.
    pub fn look(&self) -> io::Result<Option<Metadata>> {
        match named(self.folder.as_fd(), &self.name)? {
            Some((fd, _)) => Ok(Some(File::from(fd).metadata()?)),
            None => Ok(None),
        }
    }

    /// Opens the regular file that is there to read it. What root left in another account's folder that account may not
    /// be able to read: then it is root's own to read, if it has no other name, which could be of a file elsewhere.
    ///
    /// # Errors
    ///
    /// If there is none, or it may not be read.
    pub fn open(&self) -> io::Result<File> {
        let opened = self.act(|at, name| open(at, name, OFlags::RDONLY));
        match opened {
            Err(error) if error.kind() == io::ErrorKind::PermissionDenied && self.account.is_some() => {
                let Some((named, meta)) = named(self.folder.as_fd(), &self.name)? else { return Err(error) };
                if meta.st_uid != 0 || meta.st_nlink != 1 || kind(&meta) != FileType::RegularFile {
                    return Err(error);
                }
                // The very file that was looked at, whatever has its name by now.
                let path = format!("/proc/self/fd/{}", named.as_raw_fd());
                Ok(rustix::fs::open(path, OFlags::RDONLY | OFlags::CLOEXEC, Mode::empty())?.into())
            }
            opened => opened,
        }
    }

    /// Refuses a file that is not its account's, in the folder of an account: it could be made anew as that account alone,
    /// and would belong to it then.
    ///
    /// # Errors
    ///
    /// If it is such a file, or may not be looked at.
    pub fn refuse_other_owner(&self) -> io::Result<()> {
        let (Some(account), Some(meta)) = (&self.account, self.look()?) else { return Ok(()) };
        if meta.uid() == account.uid || meta.is_symlink() {
            return Ok(());
        }
        let (owner, account) = (accounts::user_name(meta.uid()), accounts::user_name(account.uid));
        Err(Unsafe::Owner { file: self.real.clone(), owner, account }.into())
    }

    /// The bytes of the regular file that is there, with what it is; at most so many.
    ///
    /// # Errors
    ///
    /// If there is none, or it has more.
    pub fn read(&self, most: usize) -> io::Result<(Metadata, Vec<u8>)> {
        let file = self.open()?;
        let meta = file.metadata()?;
        Ok((meta, read_whole(file, most)?))
    }
}

/// Whose the file at the end of a way is, and its mode; `None` where nothing is.
///
/// # Errors
///
/// If it may not be looked at, or root may not go there.
pub fn ownership_of(path: &Path) -> io::Result<Option<Ownership>> {
    let meta = match place(path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
        place => place?.look()?,
    };
    Ok(meta.map(|meta| Ownership {
        mode: Some(meta.mode() & 0o7777),
        owner: Some(meta.uid()),
        group: Some(meta.gid()),
    }))
}

/// The bytes of an open file, unless there are more than `most`.
///
/// # Errors
///
/// If it cannot be read, has more, or there is no memory for it.
pub fn read_whole(file: File, most: usize) -> io::Result<Vec<u8>> {
    let length = usize::try_from(file.metadata()?.len()).unwrap_or(usize::MAX);
    if length > most {
        return Err(io::Error::new(io::ErrorKind::FileTooLarge, format!("it has {length} bytes")));
    }
    let mut bytes = Vec::new();
    bytes.try_reserve_exact(length.saturating_add(1)).map_err(|_| io::ErrorKind::OutOfMemory)?;
    file.take((most as u64).saturating_add(1)).read_to_end(&mut bytes)?;
    if bytes.len() > most {
        return Err(io::Error::new(io::ErrorKind::FileTooLarge, "it grows while it is read"));
    }
    Ok(bytes)
}

/// What a way may do.
#[derive(Clone, Copy, Debug, Default)]
struct Manner {
    /// Whether a link at the end is followed.
    follows_last: bool,
    /// Whether what is at the end is a folder to go into.
    enters_last: bool,
    /// Missing folders are made with this mode.
    makes: Option<u32>,
    /// Whether it is only looked at what is there: then a folder of several accounts is gone through, and no link in it
    /// is followed.
    only_reads: bool,
}

/// Walks to the folder of `path`; a link at its end is not followed.
pub fn place(path: &Path) -> io::Result<Place> {
    walk(path, Manner::default())
}

/// The same to a file that is only read.
pub fn place_to_read(path: &Path) -> io::Result<Place> {
    walk(path, Manner { only_reads: true, follows_last: true, ..Manner::default() })
}

/// Walks to `path`, and on where links lead.
///
/// # Errors
///
/// If there is nothing, or root may not follow.
pub fn resolve(path: &Path) -> io::Result<Place> {
    walk(path, Manner { follows_last: true, ..Manner::default() })
}

/// Walks to the folder of `path`, and makes those that are missing, with this mode.
pub fn place_made(path: &Path, mode: u32) -> io::Result<Place> {
    walk(path, Manner { makes: Some(mode), ..Manner::default() })
}

/// Walks into a folder, whose name then is `.`; it may be one in which several accounts write: it is only looked into.
///
/// # Errors
///
/// If there is none, or root may not follow.
pub fn folder(path: &Path) -> io::Result<Place> {
    walk(path, Manner { enters_last: true, only_reads: true, follows_last: true, ..Manner::default() })
}

/// The same into a folder to be worked in.
///
/// # Errors
///
/// If there is none, or root may not work there.
pub fn folder_to_use(path: &Path) -> io::Result<Place> {
    walk(path, Manner { enters_last: true, follows_last: true, ..Manner::default() })
}

struct Walk {
    manner: Manner,
    /// The folders from the root to where it is.
    folders: Vec<(OwnedFd, Stat)>,
    real: PathBuf,
    account: Option<Account>,
    links: usize,
    is_shared: bool,
    /// Where programs of accounts serve file systems.
    served: Vec<PathBuf>,
    /// Whether we are root: who has nothing to lend goes wherever the kernel lets them.
    is_root: bool,
}

fn walk(path: &Path, manner: Manner) -> io::Result<Place> {
    let path = std::path::absolute(path)?;
    let mut walk = Walk {
        manner,
        folders: Vec::new(),
        real: PathBuf::from("/"),
        account: None,
        links: 0,
        is_shared: false,
        served: Vec::new(),
        is_root: rustix::process::geteuid().is_root(),
    };
    if walk.is_root {
        walk.served = mounts::served_by_programs()?;
    }
    walk.begin()?;
    let mut ahead = components(&path);
    while let Some(name) = ahead.pop_front() {
        if name == ".." {
            walk.up();
            continue;
        }
        let is_last = ahead.is_empty();
        walk.refuse_served(&name)?;
        let entry = walk.entry(&name)?;
        walk.admit(entry.as_ref().map(|(_, meta)| meta))?;
        match entry {
            Some((fd, meta)) if kind(&meta) == FileType::Symlink && (!is_last || manner.follows_last) => {
                for name in walk.link(&fd, &name)?.into_iter().rev() {
                    ahead.push_front(name);
                }
            }
            _ if is_last && !manner.enters_last => return walk.end(name),
            Some((fd, meta)) => walk.enter(fd, meta, &name),
            None => walk.make(&name)?,
        }
    }
    // It is the root, or the folder that a link is in.
    if manner.enters_last {
        return walk.end_here();
    }
    Err(io::Error::new(io::ErrorKind::IsADirectory, format!("{} is a folder", path.display())))
}

fn components(path: &Path) -> VecDeque<OsString> {
    let names = path.components().filter(|part| matches!(part, Component::Normal(_) | Component::ParentDir));
    names.map(|part| part.as_os_str().to_owned()).collect()
}

fn kind(meta: &Stat) -> FileType {
    FileType::from_raw_mode(meta.st_mode)
}

const NAME_ONLY: OFlags = OFlags::PATH.union(OFlags::NOFOLLOW).union(OFlags::CLOEXEC);

/// What is under a name, by a descriptor that names it and opens nothing; `None` where there is nothing.
fn named(at: BorrowedFd<'_>, name: &OsStr) -> io::Result<Option<(OwnedFd, Stat)>> {
    match rustix::fs::openat(at, name, NAME_ONLY, Mode::empty()) {
        Ok(fd) => {
            let meta = rustix::fs::fstat(&fd)?;
            Ok(Some((fd, meta)))
        }
        Err(Errno::NOENT) => Ok(None),
        Err(error) => Err(error.into()),
    }
}

impl Walk {
    fn begin(&mut self) -> io::Result<()> {
        let root = rustix::fs::open("/", NAME_ONLY, Mode::empty())?;
        let meta = rustix::fs::fstat(&root)?;
        self.folders = vec![(root, meta)];
        self.real = PathBuf::from("/");
        Ok(())
    }

    fn here(&self) -> io::Result<&(OwnedFd, Stat)> {
        self.folders.last().ok_or_else(|| io::Error::other("a way without a beginning"))
    }

    fn entry(&self, name: &OsStr) -> io::Result<Option<(OwnedFd, Stat)>> {
        named(self.here()?.0.as_fd(), name)
    }

    /// Whoever may write here decides what the name leads to.
    fn admit(&mut self, entry: Option<&Stat>) -> io::Result<()> {
        if !self.is_root {
            return Ok(());
        }
        let (fd, meta) = self.here()?;
        match writers::of_folder(fd, meta, entry) {
            Writers::Nobody => {}
            Writers::Account(uid) => match &self.account {
                None => self.account = Some(Account::of(uid)),
                Some(known) if known.uid == uid => {}
                Some(known) => {
                    let who = format!(
                        "the accounts {} and {}",
                        accounts::user_name(known.uid),
                        accounts::user_name(uid)
                    );
                    return self.shared(who, entry);
                }
            },
            Writers::Several(who) => return self.shared(who, entry),
        }
        Ok(())
    }

    fn shared(&mut self, who: String, entry: Option<&Stat>) -> io::Result<()> {
        let is_link = entry.is_some_and(|entry| kind(entry) == FileType::Symlink);
        if self.manner.only_reads && !is_link {
            self.is_shared = true;
            return Ok(());
        }
        Err(Unsafe::Shared { folder: self.real.clone(), who }.into())
    }

    /// A program that serves a file system could keep us waiting for ever: not even looked at is what it serves.
    fn refuse_served(&self, name: &OsStr) -> io::Result<()> {
        let path = self.real.join(name);
        if self.is_root && self.served.contains(&path) {
            return Err(Unsafe::Served { folder: path }.into());
        }
        Ok(())
    }

    /// Where a link leads, as the components that come next.
    fn link(&mut self, fd: &OwnedFd, name: &OsStr) -> io::Result<VecDeque<OsString>> {
        if let Some(account) = &self.account {
            let who = format!("the account {}", accounts::user_name(account.uid));
            return Err(Unsafe::Link { link: self.real.join(name), who }.into());
        }
        self.links += 1;
        if self.links > MOST_LINKS {
            return Err(Errno::LOOP.into());
        }
        let target = rustix::fs::readlinkat(fd, c"", Vec::new())?;
        let target = PathBuf::from(OsString::from_vec(target.into_bytes()));
        if target.is_absolute() {
            self.begin()?;
        }
        Ok(components(&target))
    }

    fn enter(&mut self, fd: OwnedFd, meta: Stat, name: &OsStr) {
        self.folders.push((fd, meta));
        self.real.push(name);
    }

    fn up(&mut self) {
        if self.folders.len() > 1 {
            self.folders.pop();
            self.real.pop();
        }
    }

    /// Makes a folder here, and goes into it.
    fn make(&mut self, name: &OsStr) -> io::Result<()> {
        let Some(mode) = self.manner.makes else {
            return Err(Errno::NOENT.into());
        };
        let here = self.here()?.0.as_fd();
        let make = || make_folder(here, name, mode);
        match &self.account {
            Some(account) => account.does(make)?,
            None => make()?,
        }
        let (fd, meta) = self.entry(name)?.ok_or(Errno::NOENT)?;
        // What is there now may be another one's.
        self.admit(Some(&meta))?;
        self.enter(fd, meta, name);
        Ok(())
    }

    fn end(self, name: OsString) -> io::Result<Place> {
        let real = self.real.join(&name);
        Ok(Place { name, real, ..self.end_here()? })
    }

    fn end_here(mut self) -> io::Result<Place> {
        let (real, name) = (self.real, OsString::from("."));
        let (folder, meta) =
            self.folders.pop().ok_or_else(|| io::Error::other("a way without a beginning"))?;
        if self.manner.enters_last && kind(&meta) != FileType::Directory {
            return Err(Errno::NOTDIR.into());
        }
        Ok(Place { folder, name, real, account: self.account, is_shared: self.is_shared })
    }
}

/// Makes a folder of this mode; one that is there is no error.
pub fn make_folder(at: BorrowedFd<'_>, name: &OsStr, mode: u32) -> io::Result<()> {
    match rustix::fs::mkdirat(at, name, Mode::from_raw_mode(mode)) {
        Ok(()) => Ok(()),
        Err(Errno::EXIST) => {
            let meta = rustix::fs::statat(at, name, AtFlags::SYMLINK_NOFOLLOW)?;
            if kind(&meta) == FileType::Directory { Ok(()) } else { Err(io::ErrorKind::AlreadyExists.into()) }
        }
        Err(error) => Err(error.into()),
    }
}

/// Opens what is there, if it is a regular file; a pipe or a device is not waited for, and a link not followed.
pub fn open(at: BorrowedFd<'_>, name: &OsStr, flags: OFlags) -> io::Result<File> {
    let base = OFlags::NOFOLLOW | OFlags::NONBLOCK | OFlags::CLOEXEC | OFlags::NOCTTY;
    let file: File = rustix::fs::openat(at, name, flags | base, Mode::from_raw_mode(0o600))?.into();
    if file.metadata()?.is_file() {
        return Ok(file);
    }
    Err(io::Error::new(io::ErrorKind::InvalidInput, "it is not a regular file"))
}

/// A regular file that is only looked at, such as a log. In a folder in which several accounts may write it must have
/// one name: nobody knows what another name of it is.
///
/// # Errors
///
/// If there is none, or root may not follow.
pub fn open_to_read(path: &Path) -> io::Result<File> {
    let place = place_to_read(path)?;
    let file = place.open()?;
    if place.is_shared && file.metadata()?.nlink() > 1 {
        return Err(io::Error::new(
            io::ErrorKind::PermissionDenied,
            "several accounts can write in its folder, and it has further names",
        ));
    }
    Ok(file)
}
