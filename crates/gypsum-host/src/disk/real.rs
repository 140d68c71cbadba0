//! The disk of this machine.

use super::walk::{Place, folder, make_folder, open, place, place_made, read_whole};
use super::{Disk, Stamp, content_of, link_target, link_to};
use gypsum_core::change::{Content, Ownership};
use rustix::fs::{AtFlags, FileType, Gid, Mode, OFlags, RenameFlags, Uid, XattrFlags};
use rustix::io::Errno;
use std::ffi::OsString;
use std::fs::{File, Metadata};
use std::io::{self, Write};
use std::os::fd::{AsFd, BorrowedFd};
use std::os::unix::ffi::OsStringExt;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};

/// The disk of this machine. Every way is walked by [`walk`](super::walk): what is done is done where it was checked.
#[derive(Clone, Copy, Debug, Default)]
pub struct RealDisk;

/// The mode of a folder that only its owner may look into.
const PRIVATE: u32 = 0o700;
/// The mode of a folder that everybody may look into.
const OPEN: u32 = 0o755;

/// What is under a name.
enum Opened {
    /// The bytes that stand for a link.
    Link(Vec<u8>),
    /// A regular file.
    File(File),
    /// Something that holds no text: a pipe, a socket, a device, a folder.
    Other(Metadata),
}

/// Walks to a file; none where the way there does not exist.
fn place_if_any(path: &Path) -> io::Result<Option<Place>> {
    match place(path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        place => place.map(Some),
    }
}

/// Opens what is to be read; none where there is nothing of this name.
fn opened(path: &Path) -> io::Result<Option<Opened>> {
    match place_if_any(path)? {
        Some(place) => opened_at(&place),
        None => Ok(None),
    }
}

fn opened_at(place: &Place) -> io::Result<Option<Opened>> {
    // Looked at before it is opened: of a pipe or a device even that would be noticed.
    let Some(meta) = place.look()? else { return Ok(None) };
    if meta.is_symlink() {
        let target = rustix::fs::readlinkat(&place.folder, &place.name, Vec::new())?;
        let target = PathBuf::from(OsString::from_vec(target.into_bytes()));
        return Ok(Some(Opened::Link(link_to(&target))));
    }
    if !meta.is_file() {
        return Ok(Some(Opened::Other(meta)));
    }
    match place.open() {
        Ok(file) => Ok(Some(Opened::File(file))),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(error),
    }
}

impl RealDisk {
    /// A new file at the end of a way, as [`Disk::create`] makes one.
    ///
    /// # Errors
    ///
    /// If the name is taken, or it cannot be made.
    pub fn create_at(&self, at: &Place, bytes: &[u8], like: Option<&Path>) -> io::Result<()> {
        if let Some(target) = link_target(bytes) {
            return at.act(|at, name| Ok(rustix::fs::symlinkat(target, at, name)?));
        }
        let model = match like {
            Some(like) => {
                let place = place(like)?;
                Some(Model { file: place.open()?, is_ours: place.account.is_none() })
            }
            None => None,
        };
        at.act(|at, name| {
            let mut file = open(at, name, OFlags::WRONLY | OFlags::CREATE | OFlags::EXCL)?;
            let filled = drop_inherited(&file)
                .and_then(|()| file.write_all(bytes))
                .and_then(|()| model.map_or(Ok(()), |model| dress(&file, &model)));
            if filled.is_err() {
                // Half a file helps nobody, and the name must be free for the next try.
                let _ = rustix::fs::unlinkat(at, name, AtFlags::empty());
            }
            filled
        })
    }
}

impl Disk for RealDisk {
    fn read(&self, path: &Path) -> io::Result<Option<Vec<u8>>> {
        match opened(path)? {
            None => Ok(None),
            Some(Opened::Link(bytes)) => Ok(Some(bytes)),
            Some(Opened::File(file)) => read_whole(file, usize::MAX).map(Some),
            Some(Opened::Other(_)) => {
                Err(io::Error::new(io::ErrorKind::InvalidInput, "it is not a regular file"))
            }
        }
    }

    fn content(&self, path: &Path) -> io::Result<Content> {
        match opened(path)? {
            None => Ok(Content::Absent),
            Some(Opened::Link(bytes)) => Ok(content_of(Some(&bytes))),
            // It is nobody's configuration; it is told from every other by what it is.
            Some(Opened::Other(meta)) => {
                Ok(content_of(Some(format!("\0{}:{}\0", meta.dev(), meta.ino()).as_bytes())))
            }
            Some(Opened::File(mut file)) => {
                let mut hasher = blake3::Hasher::new();
                io::copy(&mut file, &mut hasher)?;
                Ok(Content::Digest(hasher.finalize().to_hex().to_string()))
            }
        }
    }

    fn folders(&self, path: &Path) -> io::Result<Vec<String>> {
        let mut names = Vec::new();
        for (name, kind) in entries(path)?.unwrap_or_default() {
            if kind == FileType::Directory
                && let Ok(name) = name.into_string()
            {
                names.push(name);
            }
        }
        Ok(names)
    }

    fn stamp(&self, path: &Path) -> io::Result<Option<Stamp>> {
        let meta = match place(path) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
            place => place?.look()?,
        };
        Ok(meta.as_ref().map(Stamp::of))
    }

    fn create(&self, path: &Path, bytes: &[u8], like: Option<&Path>) -> io::Result<()> {
        self.create_at(&place(path)?, bytes, like)
    }

    fn attributes_lost(&self, model: &Path, file: &Path) -> io::Result<Vec<String>> {
        let (wanted, got) = (attributes(&place(model)?.open()?)?, attributes(&place(file)?.open()?)?);
        let lost = wanted.into_iter().filter(|attribute| !got.contains(attribute));
        Ok(lost.map(|(name, _)| String::from_utf8_lossy(&name).into_owned()).collect())
    }

    fn overwrite(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        place(path)?.act(|at, name| {
            let mut file = open(at, name, OFlags::WRONLY)?;
            file.write_all(bytes)?;
            file.set_len(bytes.len() as u64)
        })
    }

    fn append(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        let flags = OFlags::WRONLY | OFlags::APPEND | OFlags::CREATE;
        place(path)?.act(|at, name| open(at, name, flags)?.write_all(bytes))
    }

    fn exchange(&self, a: &Path, b: &Path) -> io::Result<()> {
        rename(a, b, RenameFlags::EXCHANGE)
    }

    fn rename_new(&self, from: &Path, to: &Path) -> io::Result<()> {
        rename(from, to, RenameFlags::NOREPLACE)
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        remove(path, AtFlags::empty())
    }

    fn make_folder(&self, path: &Path) -> io::Result<()> {
        place_made(path, PRIVATE)?.act(|at, name| make_folder(at, name, PRIVATE))
    }

    fn make_open_folder(&self, path: &Path) -> io::Result<()> {
        place(path)?.act(|at, name| make_folder(at, name, OPEN))
    }

    fn remove_folder(&self, path: &Path) -> io::Result<()> {
        match remove(path, AtFlags::REMOVEDIR) {
            Err(error) if error.kind() == io::ErrorKind::DirectoryNotEmpty => Ok(()),
            removed => removed,
        }
    }

    fn set_ownership(&self, path: &Path, ownership: &Ownership) -> io::Result<()> {
        let (owner, group) = (ownership.owner.map(Uid::from_raw), ownership.group.map(Gid::from_raw));
        let mode = ownership.mode.map(Mode::from_raw_mode);
        place(path)?.act(|at, name| {
            let file = open(at, name, OFlags::RDONLY)?;
            if owner.is_some() || group.is_some() {
                rustix::fs::fchown(&file, owner, group)?;
            }
            match mode {
                Some(mode) => Ok(rustix::fs::fchmod(&file, mode)?),
                None => Ok(()),
            }
        })
    }

    fn sync_file(&self, path: &Path) -> io::Result<()> {
        let place = place(path)?;
        match opened_at(&place)? {
            Some(Opened::File(file)) => file.sync_all(),
            // It has no bytes of its own: it is durable with its name.
            Some(Opened::Link(_) | Opened::Other(_)) => place.act(|at, _| sync(at)),
            None => Err(Errno::NOENT.into()),
        }
    }

    fn sync_folder(&self, path: &Path) -> io::Result<()> {
        folder(path)?.act(|at, _| sync(at))
    }
}

/// Makes a folder durable: its descriptor only names it, and opening it again asks for the right to read it.
fn sync(folder: BorrowedFd<'_>) -> io::Result<()> {
    let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
    Ok(rustix::fs::fsync(rustix::fs::openat(folder, c".", flags, Mode::empty())?)?)
}

/// The names in a folder, in any order, each with what it is; `None` where the folder does not exist.
///
/// # Errors
///
/// If it is no folder, or may not be read.
pub fn entries(path: &Path) -> io::Result<Option<Vec<(OsString, FileType)>>> {
    let inside = match folder(path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
        inside => inside?,
    };
    inside.act(|at, _| {
        let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
        let folder = rustix::fs::openat(at, c".", flags, Mode::empty())?;
        let mut found = Vec::new();
        for entry in rustix::fs::Dir::read_from(&folder)? {
            let entry = entry?;
            let name = OsString::from_vec(entry.file_name().to_bytes().to_vec());
            if name == "." || name == ".." {
                continue;
            }
            match entry.file_type() {
                // Some file systems do not say it here.
                FileType::Unknown => match rustix::fs::statat(&folder, &name, AtFlags::SYMLINK_NOFOLLOW) {
                    Ok(meta) => found.push((name, FileType::from_raw_mode(meta.st_mode))),
                    // Gone meanwhile.
                    Err(Errno::NOENT) => {}
                    Err(error) => return Err(error.into()),
                },
                kind => found.push((name, kind)),
            }
        }
        Ok(Some(found))
    })
}

/// Two names, each in the folder that was walked to. Both are worked on as one account: a file never comes from one
/// account's hands into another's.
fn rename(from: &Path, to: &Path, flags: RenameFlags) -> io::Result<()> {
    let (from, to) = (place(from)?, place(to)?);
    if from.account != to.account {
        return Err(io::Error::new(io::ErrorKind::PermissionDenied, "the two folders are of two accounts"));
    }
    from.act(|at, name| Ok(rustix::fs::renameat_with(at, name, &to.folder, &to.name, flags)?))
}

fn remove(path: &Path, flags: AtFlags) -> io::Result<()> {
    let Some(place) = place_if_any(path)? else { return Ok(()) };
    place.act(|at, name| match rustix::fs::unlinkat(at, name, flags) {
        Ok(()) | Err(Errno::NOENT) => Ok(()),
        Err(error) => Err(error.into()),
    })
}

/// An access list that a folder gives to what is made in it would let more accounts in than the mode says.
fn drop_inherited(file: &File) -> io::Result<()> {
    match rustix::fs::fremovexattr(file, ACCESS_LIST) {
        Ok(()) | Err(Errno::NODATA | Errno::OPNOTSUPP) => Ok(()),
        Err(error) => Err(error.into()),
    }
}

/// The access list, as an attribute (acl(5), xattr(7)).
const ACCESS_LIST: &str = "system.posix_acl_access";

/// A file whose owner, mode and attributes another one gets.
struct Model {
    file: File,
    /// Whether nobody else could have put it there. What lets a program run with the rights of its owner is not taken
    /// over from any other.
    is_ours: bool,
}

/// Gives `file` the owner, group, mode and extended attributes (access list and label among them) of `model`.
fn dress(file: &File, model: &Model) -> io::Result<()> {
    let Model { file: model, is_ours } = model;
    let (meta, own) = (model.metadata()?, file.metadata()?);
    let owner = (own.uid() != meta.uid()).then(|| Uid::from_raw(meta.uid()));
    let group = (own.gid() != meta.gid()).then(|| Gid::from_raw(meta.gid()));
    if owner.is_some() || group.is_some() {
        rustix::fs::fchown(file, owner, group)?;
    }
    // The mode after the owner: changing the owner takes set-id bits away.
    let bits = if *is_ours { 0o7777 } else { 0o777 };
    rustix::fs::fchmod(file, Mode::from_raw_mode(meta.mode() & bits))?;
    copy_attributes(model, file, *is_ours)
}

/// The extended attributes of a file, each with its value.
fn attributes(file: &File) -> io::Result<Vec<(Vec<u8>, Vec<u8>)>> {
    let names = match grown(|buffer| rustix::fs::flistxattr(file, buffer)) {
        Ok(names) => names,
        Err(Errno::OPNOTSUPP) => return Ok(Vec::new()),
        Err(error) => return Err(error.into()),
    };
    let mut attributes = Vec::new();
    for name in names.split(|byte| *byte == 0).filter(|name| !name.is_empty()) {
        attributes.push((name.to_vec(), grown(|buffer| rustix::fs::fgetxattr(file, name, buffer))?));
    }
    Ok(attributes)
}

/// What a program may do that is in a file (capabilities(7)).
const CAPABILITIES: &[u8] = b"security.capability";

fn copy_attributes(model: &File, file: &File, is_ours: bool) -> io::Result<()> {
    for (name, value) in attributes(model)? {
        if name == CAPABILITIES && !is_ours {
            continue;
        }
        match rustix::fs::fsetxattr(file.as_fd(), name.as_slice(), &value, XattrFlags::empty()) {
            Ok(()) => {}
            // A label that the policy sets by itself, or one that this account may not set: the file
            // then has the one that its folder gives.
            Err(Errno::PERM | Errno::OPNOTSUPP) if name.starts_with(b"security.") => {}
            Err(error) => return Err(error.into()),
        }
    }
    Ok(())
}

/// Calls `fill` with a buffer that grows until what it has to say fits.
fn grown(mut fill: impl FnMut(&mut [u8]) -> rustix::io::Result<usize>) -> rustix::io::Result<Vec<u8>> {
    let mut buffer = vec![0; 512];
    loop {
        match fill(&mut buffer) {
            Ok(length) => {
                buffer.truncate(length);
                return Ok(buffer);
            }
            Err(Errno::RANGE) if buffer.len() < 1 << 20 => buffer.resize(buffer.len() * 4, 0),
            Err(error) => return Err(error),
        }
    }
}
