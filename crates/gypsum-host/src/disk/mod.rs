//! The few operations on files that a change is made of. Small, so that a test can count each and
//! cut the power behind it.

pub mod keeping_out;
mod link;
mod real;
pub mod walk;
pub mod writers;

pub use link::{link_target, link_to};
pub use real::{RealDisk, entries};

use gypsum_core::change::{Content, Ownership};
use serde::{Deserialize, Serialize};
use std::fs::Metadata;
use std::io;
use std::os::unix::fs::MetadataExt;
use std::path::Path;

/// A disk. Paths are absolute, and links in them are not followed at the last step.
///
/// What we believe of it: a write is durable only after [`Disk::sync_file`]; a new, renamed or
/// removed name only after [`Disk::sync_folder`] of its folder; an exchange or rename happens
/// wholly or not at all. A process that is killed loses nothing that was written.
pub trait Disk {
    /// The bytes of a regular file, or those that stand for a link; `None` where there is neither.
    fn read(&self, path: &Path) -> io::Result<Option<Vec<u8>>>;
    /// What [`Self::read`] would return, by its digest alone: a file may be large.
    fn content(&self, path: &Path) -> io::Result<Content>;
    /// The names of the folders in a folder, in any order; none if it does not exist. A name that is not UTF-8 is
    /// none of ours.
    fn folders(&self, path: &Path) -> io::Result<Vec<String>>;
    /// When the names in a folder changed last; `None` if it does not exist, or this cannot be told.
    fn stamp(&self, path: &Path) -> io::Result<Option<Stamp>>;
    /// A new file with these bytes and, where `like` is given, that file's owner, group, mode, access
    /// list and extended attributes; else for the owner alone. Fails where the name is taken.
    fn create(&self, path: &Path, bytes: &[u8], like: Option<&Path>) -> io::Result<()>;
    /// The attributes of `model` that `file` does not have as they are there: an access list, a label.
    fn attributes_lost(&self, model: &Path, file: &Path) -> io::Result<Vec<String>>;
    /// Writes over the bytes of a standing file.
    fn overwrite(&self, path: &Path, bytes: &[u8]) -> io::Result<()>;
    /// Adds bytes to a file, which is made if it does not exist.
    fn append(&self, path: &Path, bytes: &[u8]) -> io::Result<()>;
    /// Lets two files change places.
    fn exchange(&self, a: &Path, b: &Path) -> io::Result<()>;
    /// Gives a file a new name; fails where that is taken.
    fn rename_new(&self, from: &Path, to: &Path) -> io::Result<()>;
    /// Removes a file; none is no error.
    fn remove(&self, path: &Path) -> io::Result<()>;
    /// Makes a folder for the owner alone; an existing one is no error.
    fn make_folder(&self, path: &Path) -> io::Result<()>;
    /// Makes a folder that everybody may look into; an existing one is no error.
    fn make_open_folder(&self, path: &Path) -> io::Result<()>;
    /// Removes a folder, where it is empty; none is no error.
    fn remove_folder(&self, path: &Path) -> io::Result<()>;
    /// Gives a file this owner and mode.
    fn set_ownership(&self, path: &Path, ownership: &Ownership) -> io::Result<()>;
    /// Makes the bytes and attributes of a file durable.
    fn sync_file(&self, path: &Path) -> io::Result<()>;
    /// Makes the names in a folder durable.
    fn sync_folder(&self, path: &Path) -> io::Result<()>;
}

/// A folder at one moment. Another stamp means that its names may have changed; the kernel sets the time, and no account
/// can set it back (`st_ctim`, inode(7)).
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Stamp {
    device: u64,
    inode: u64,
    changed_s: i64,
    changed_ns: i64,
}

impl Stamp {
    /// The stamp of a folder that has these properties.
    pub fn of(meta: &Metadata) -> Self {
        Self { device: meta.dev(), inode: meta.ino(), changed_s: meta.ctime(), changed_ns: meta.ctime_nsec() }
    }

    /// How long ago the folder changed, in milliseconds of the clock that may be set.
    pub fn age_ms(&self) -> i64 {
        let now = jiff::Timestamp::now().as_millisecond();
        now.saturating_sub(self.changed_s.saturating_mul(1_000) + self.changed_ns / 1_000_000)
    }
}

/// What these bytes are to the plan of a change.
pub fn content_of(bytes: Option<&[u8]>) -> Content {
    bytes.map_or(Content::Absent, |bytes| Content::Digest(blake3::hash(bytes).to_hex().to_string()))
}
