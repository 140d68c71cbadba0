//! The configuration files of a daemon: which there are, what they hold, whether they are safe to
//! touch.

use crate::disk::Disk;
use crate::mounts;
use crate::trouble::Trouble;
use gypsum_core::doc::Document;
use gypsum_core::edit::File;
use gypsum_core::profile::Profile;
use std::collections::VecDeque;
use std::fs;
use std::os::unix::fs::{FileTypeExt, MetadataExt};
use std::path::{Path, PathBuf};

/// One file, read.
#[derive(Clone, Debug)]
pub struct Loaded {
    /// Its name, as the daemon has it.
    pub name: PathBuf,
    /// The file itself, links followed.
    pub real: PathBuf,
    /// Whether others share its inode under further names.
    pub hard_links: u64,
}

/// All files of a daemon, in its reading order.
#[derive(Clone, Debug)]
pub struct Loading {
    /// Where each of them is.
    pub loaded: Vec<Loaded>,
    /// What each of them holds.
    pub files: Vec<File>,
    /// Which of them takes settings that stand nowhere yet.
    pub home: usize,
}

impl Loading {
    /// Which of the files a person means by `path`.
    pub fn find(&self, path: &Path) -> Result<usize, Trouble> {
        let real = path.canonicalize().unwrap_or_else(|_| path.to_owned());
        self.loaded.iter().position(|file| file.name == path || file.real == real).ok_or_else(|| {
            let known: Vec<String> = self.loaded.iter().map(|file| file.name.display().to_string()).collect();
            Trouble::usage(format!("{} is none of this daemon's files", path.display()))
                .mend(format!("it reads {}", known.join(", ")))
        })
    }
}

/// Reads the files of a daemon: those that the profile lists, in its order, and behind them those that
/// they include.
pub fn load(disk: &dyn Disk, profile: &Profile) -> Result<Loading, Trouble> {
    let home = PathBuf::from(&profile.files.home);
    let mut waiting = VecDeque::new();
    for pattern in &profile.files.read {
        waiting.extend(matching(pattern)?);
    }
    if !waiting.contains(&home) {
        waiting.push_back(home.clone());
    }
    let base = home.parent().unwrap_or(&home).to_owned();
    let mut loading = Loading { loaded: Vec::new(), files: Vec::new(), home: 0 };
    while let Some(name) = waiting.pop_front() {
        let (loaded, bytes) = load_one(disk, &name)?;
        // One file reached twice is one file, and a cycle ends where it closes.
        if loading.loaded.iter().any(|known| known.real == loaded.real) {
            continue;
        }
        if name == home {
            loading.home = loading.loaded.len();
        }
        let doc = Document::read(bytes, profile.files.format, profile.dialect.clone())
            .map_err(|error| Trouble::cannot(format!("{}: {error}", name.display())))?;
        for pattern in doc.includes() {
            // Daemons take relative names from where their main file is.
            waiting.extend(matching(&base.join(pattern).display().to_string())?);
        }
        loading.files.push(File { path: name.display().to_string(), doc });
        loading.loaded.push(loaded);
    }
    Ok(loading)
}

/// The files that a path or pattern names. A plain path that is not there is none.
fn matching(pattern: &str) -> Result<Vec<PathBuf>, Trouble> {
    if !pattern.contains(['*', '?', '[']) {
        let path = PathBuf::from(pattern);
        return Ok(if fs::symlink_metadata(&path).is_ok() { vec![path] } else { Vec::new() });
    }
    let options = glob::MatchOptions {
        require_literal_leading_dot: true,
        require_literal_separator: true,
        ..Default::default()
    };
    let found = glob::glob_with(pattern, options)
        .map_err(|error| Trouble::usage(format!("{pattern:?} is no pattern: {error}")))?;
    found.map(|path| path.map_err(|error| Trouble::file("look into", error.path(), error.error()))).collect()
}

fn load_one(disk: &dyn Disk, name: &Path) -> Result<(Loaded, Vec<u8>), Trouble> {
    let real = name.canonicalize().map_err(|error| match error.kind() {
        std::io::ErrorKind::NotFound => Trouble::cannot(format!("{} does not exist", name.display()))
            .mend("is the daemon installed? A file elsewhere is named with --file or in a profile"),
        _ => Trouble::file("read", name, &error),
    })?;
    let meta = fs::symlink_metadata(&real).map_err(|error| Trouble::file("look at", &real, &error))?;
    let kind = meta.file_type();
    if !kind.is_file() {
        let what = if kind.is_dir() {
            "a folder"
        } else if kind.is_fifo() || kind.is_socket() {
            "a pipe or socket"
        } else {
            "a device"
        };
        return Err(Trouble::cannot(format!("{} is {what}, not a configuration file", name.display()))
            .mend("name the file itself"));
    }
    let bytes = disk.read(&real).map_err(|error| Trouble::file("read", &real, &error))?.unwrap_or_default();
    if let Some(at) = bytes.iter().position(|byte| *byte == 0) {
        let line = bytes[..at].iter().filter(|byte| **byte == b'\n').count() + 1;
        return Err(Trouble::cannot(format!(
            "{} holds a NUL byte in line {line}; it is no text file",
            name.display()
        ))
        .mend("see what happened to it (a crash, a wrong encoding) before it is edited"));
    }
    Ok((Loaded { name: name.to_owned(), real, hard_links: meta.nlink() }, bytes))
}

/// File systems that are known to exchange two names: ext2 to 4, XFS, Btrfs, tmpfs, overlay, F2FS.
const EXCHANGING: [u64; 6] = [0xef53, 0x5846_5342, 0x9123_683e, 0x0102_1994, 0x794c_7630, 0xf2f5_2010];

/// Whether a new file can change places with `path`: not where it is itself a mount, and not on a
/// file system that is not known for it.
pub fn can_exchange(path: &Path) -> bool {
    let known =
        rustix::fs::statfs(path).is_ok_and(|stat| EXCHANGING.contains(&(stat.f_type as u64 & 0xffff_ffff)));
    known && !mounts::points().iter().any(|point| point == path)
}
