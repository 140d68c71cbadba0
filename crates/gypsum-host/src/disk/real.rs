//! The disk of this machine.

use super::{Disk, content_of, link_target, link_to};
use gypsum_core::change::{Content, Ownership};
use rustix::fs::{AtFlags, CWD, Gid, Mode, OFlags, RenameFlags, Uid, XattrFlags};
use std::fs::{self, File};
use std::io::{self, Read, Write};
use std::os::fd::AsFd;
use std::os::unix::fs::{DirBuilderExt, MetadataExt, OpenOptionsExt};
use std::path::Path;

/// The disk of this machine.
#[derive(Clone, Copy, Debug, Default)]
pub struct RealDisk;

/// What is under a name.
enum Opened {
    /// The bytes that stand for a link.
    Link(Vec<u8>),
    /// A regular file, and its length.
    File(File, u64),
}

/// Opens a regular file to be read; none where there is nothing of this name.
fn opened(path: &Path) -> io::Result<Option<Opened>> {
    let flags = OFlags::RDONLY | OFlags::NOFOLLOW | OFlags::NONBLOCK | OFlags::CLOEXEC;
    let file: File = match rustix::fs::open(path, flags, Mode::empty()) {
        Ok(fd) => fd.into(),
        Err(rustix::io::Errno::NOENT) => return Ok(None),
        Err(rustix::io::Errno::LOOP) => {
            return Ok(Some(Opened::Link(link_to(&std::fs::read_link(path)?))));
        }
        Err(error) => return Err(error.into()),
    };
    let meta = file.metadata()?;
    if !meta.is_file() {
        return Err(io::Error::new(io::ErrorKind::InvalidInput, "it is not a regular file"));
    }
    Ok(Some(Opened::File(file, meta.len())))
}

impl Disk for RealDisk {
    fn read(&self, path: &Path) -> io::Result<Option<Vec<u8>>> {
        let Some(opened) = opened(path)? else { return Ok(None) };
        let (mut file, length) = match opened {
            Opened::Link(bytes) => return Ok(Some(bytes)),
            Opened::File(file, length) => (file, length),
        };
        let mut bytes = Vec::with_capacity(usize::try_from(length).unwrap_or(0) + 1);
        file.read_to_end(&mut bytes)?;
        Ok(Some(bytes))
    }

    fn content(&self, path: &Path) -> io::Result<Content> {
        match opened(path)? {
            None => Ok(Content::Absent),
            Some(Opened::Link(bytes)) => Ok(content_of(Some(&bytes))),
            Some(Opened::File(mut file, _)) => {
                let mut hasher = blake3::Hasher::new();
                io::copy(&mut file, &mut hasher)?;
                Ok(Content::Digest(hasher.finalize().to_hex().to_string()))
            }
        }
    }

    fn folders(&self, path: &Path) -> io::Result<Vec<String>> {
        let entries = match fs::read_dir(path) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Vec::new()),
            entries => entries?,
        };
        let mut names = Vec::new();
        for entry in entries {
            let entry = entry?;
            if entry.file_type()?.is_dir()
                && let Ok(name) = entry.file_name().into_string()
            {
                names.push(name);
            }
        }
        Ok(names)
    }

    fn create(&self, path: &Path, bytes: &[u8], like: Option<&Path>) -> io::Result<()> {
        if let Some(target) = link_target(bytes) {
            return std::os::unix::fs::symlink(target, path);
        }
        let mut options = File::options();
        let mut file = options.write(true).create_new(true).mode(0o600).open(path)?;
        let filled =
            file.write_all(bytes).and_then(|()| like.map_or(Ok(()), |like| set_ownership(&file, like)));
        if filled.is_err() {
            // Half a file helps nobody, and the name must be free for the next try.
            let _ = std::fs::remove_file(path);
        }
        filled
    }

    fn overwrite(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        let mut file = File::options().write(true).custom_flags(OFlags::NOFOLLOW.bits() as i32).open(path)?;
        file.write_all(bytes)?;
        file.set_len(bytes.len() as u64)
    }

    fn append(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        File::options().append(true).create(true).mode(0o600).open(path)?.write_all(bytes)
    }

    fn exchange(&self, a: &Path, b: &Path) -> io::Result<()> {
        Ok(rustix::fs::renameat_with(CWD, a, CWD, b, RenameFlags::EXCHANGE)?)
    }

    fn rename_new(&self, from: &Path, to: &Path) -> io::Result<()> {
        Ok(rustix::fs::renameat_with(CWD, from, CWD, to, RenameFlags::NOREPLACE)?)
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        match rustix::fs::unlinkat(CWD, path, AtFlags::empty()) {
            Ok(()) | Err(rustix::io::Errno::NOENT) => Ok(()),
            Err(error) => Err(error.into()),
        }
    }

    fn make_folder(&self, path: &Path) -> io::Result<()> {
        std::fs::DirBuilder::new().recursive(true).mode(0o700).create(path)
    }

    fn make_open_folder(&self, path: &Path) -> io::Result<()> {
        match std::fs::DirBuilder::new().mode(0o755).create(path) {
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists && path.is_dir() => Ok(()),
            made => made,
        }
    }

    fn remove_folder(&self, path: &Path) -> io::Result<()> {
        match std::fs::remove_dir(path) {
            Err(error)
                if matches!(error.kind(), io::ErrorKind::NotFound | io::ErrorKind::DirectoryNotEmpty) =>
            {
                Ok(())
            }
            removed => removed,
        }
    }

    fn set_ownership(&self, path: &Path, ownership: &Ownership) -> io::Result<()> {
        let file = File::options().read(true).custom_flags(OFlags::NOFOLLOW.bits() as i32).open(path)?;
        let (owner, group) = (ownership.owner.map(Uid::from_raw), ownership.group.map(Gid::from_raw));
        if owner.is_some() || group.is_some() {
            rustix::fs::fchown(&file, owner, group)?;
        }
        match ownership.mode {
            Some(mode) => Ok(rustix::fs::fchmod(&file, Mode::from_raw_mode(mode))?),
            None => Ok(()),
        }
    }

    fn sync_file(&self, path: &Path) -> io::Result<()> {
        // A link has no bytes of its own: it is durable with its name.
        if std::fs::symlink_metadata(path)?.is_symlink() {
            return self.sync_folder(path.parent().unwrap_or(path));
        }
        File::open(path)?.sync_all()
    }

    fn sync_folder(&self, path: &Path) -> io::Result<()> {
        File::open(path)?.sync_all()
    }
}

/// Gives `file` the owner, group, mode and extended attributes (access list and label among them)
/// of `like`.
fn set_ownership(file: &File, like: &Path) -> io::Result<()> {
    let model = File::options().read(true).custom_flags(OFlags::NOFOLLOW.bits() as i32).open(like)?;
    let meta = model.metadata()?;
    let own = file.metadata()?;
    if (own.uid(), own.gid()) != (meta.uid(), meta.gid()) {
        rustix::fs::fchown(file, Some(Uid::from_raw(meta.uid())), Some(Gid::from_raw(meta.gid())))?;
    }
    // The mode after the owner: changing the owner takes set-id bits away.
    rustix::fs::fchmod(file, Mode::from_raw_mode(meta.mode() & 0o7777))?;
    copy_attributes(&model, file)
}

fn copy_attributes(model: &File, file: &File) -> io::Result<()> {
    let names = match grown(|buffer| rustix::fs::flistxattr(model, buffer)) {
        Ok(names) => names,
        Err(rustix::io::Errno::OPNOTSUPP) => return Ok(()),
        Err(error) => return Err(error.into()),
    };
    for name in names.split(|byte| *byte == 0).filter(|name| !name.is_empty()) {
        let value = grown(|buffer| rustix::fs::fgetxattr(model, name, buffer))?;
        match rustix::fs::fsetxattr(file.as_fd(), name, &value, XattrFlags::empty()) {
            Ok(()) => {}
            // A label that the policy sets by itself, or one that this account may not set: the file
            // then has the one that its folder gives.
            Err(rustix::io::Errno::PERM | rustix::io::Errno::OPNOTSUPP) if name.starts_with(b"security.") => {
            }
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
            Err(rustix::io::Errno::RANGE) if buffer.len() < 1 << 20 => buffer.resize(buffer.len() * 4, 0),
            Err(error) => return Err(error),
        }
    }
}
