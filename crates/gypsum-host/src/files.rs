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
    /// Whether it does not exist yet.
    pub absent: bool,
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
    /// The files and patterns that the daemon reads.
    pub patterns: Vec<String>,
    /// Files that include themselves, through each other: each with the one that closes the circle.
    pub circles: Vec<(String, String)>,
}

impl Loading {
    /// Which of the files a person means by `path`.
    pub fn find(&self, path: &Path) -> Result<usize, Trouble> {
        let real = path.canonicalize().unwrap_or_else(|_| path.to_owned());
        self.loaded.iter().position(|file| file.name == path || file.real == real).ok_or_else(|| {
            let known: Vec<String> = self.loaded.iter().map(|file| file.name.display().to_string()).collect();
            if !path.exists() && self.reads(path) {
                return Trouble::usage(format!("{} does not exist", path.display()))
                    .mend("--new makes it, and its folder");
            }
            Trouble::usage(format!("{} is none of this daemon's files", path.display()))
                .mend(format!("it reads {}", known.join(", ")))
        })
    }

    /// Whether the daemon reads a file of this name.
    pub fn reads(&self, path: &Path) -> bool {
        self.patterns.iter().any(|pattern| matches(pattern, path))
    }
}

/// How daemons match names.
const MATCHING: glob::MatchOptions = glob::MatchOptions {
    case_sensitive: true,
    require_literal_separator: true,
    require_literal_leading_dot: true,
};

fn matches(pattern: &str, path: &Path) -> bool {
    Path::new(pattern) == path
        || glob::Pattern::new(pattern).is_ok_and(|known| known.matches_path_with(path, MATCHING))
}

/// Reads the files of a daemon: those that the profile lists, in its order, and behind them those that
/// they include; `new` is one that does not exist yet and is to be made.
pub fn load(disk: &dyn Disk, profile: &Profile, new: Option<&Path>) -> Result<Loading, Trouble> {
    let home = PathBuf::from(&profile.files.home);
    let mut waiting = VecDeque::new();
    let mut loading = Loading {
        loaded: Vec::new(),
        files: Vec::new(),
        home: 0,
        patterns: profile.files.read.clone(),
        circles: Vec::new(),
    };
    for pattern in &profile.files.read {
        waiting.extend(matching(pattern, new)?.into_iter().map(|name| (name, Vec::new())));
    }
    if !waiting.iter().any(|(name, _)| *name == home) {
        waiting.push_back((home.clone(), Vec::new()));
    }
    let base = home.parent().unwrap_or(&home).to_owned();
    while let Some((name, by)) = waiting.pop_front() {
        let absent = new == Some(name.as_path()) && fs::symlink_metadata(&name).is_err();
        let (loaded, bytes) = if absent { (to_be_made(&name), Vec::new()) } else { load_one(disk, &name)? };
        // One file reached twice is one file, and a circle ends where it closes.
        if by.contains(&loaded.real) {
            let closes = by.last().map_or_else(String::new, |last| last.display().to_string());
            loading.circles.push((closes, name.display().to_string()));
        }
        if loading.loaded.iter().any(|known| known.real == loaded.real) {
            continue;
        }
        if name == home {
            loading.home = loading.loaded.len();
        }
        let doc = Document::read(bytes, profile.files.format, profile.dialect.clone())
            .map_err(|error| Trouble::cannot(format!("{}: {error}", name.display())))?;
        let mut path = by;
        path.push(loaded.real.clone());
        for pattern in doc.includes() {
            // Daemons take relative names from where their main file is.
            let pattern = base.join(pattern).display().to_string();
            waiting.extend(matching(&pattern, new)?.into_iter().map(|name| (name, path.clone())));
            loading.patterns.push(pattern);
        }
        loading.files.push(File { path: name.display().to_string(), doc });
        loading.loaded.push(loaded);
    }
    if let Some(new) = new.filter(|new| !loading.loaded.iter().any(|file| file.name == *new)) {
        let doc = Document::read(Vec::new(), profile.files.format, profile.dialect.clone())
            .map_err(|error| Trouble::cannot(error.to_string()))?;
        loading.files.push(File { path: new.display().to_string(), doc });
        loading.loaded.push(to_be_made(new));
    }
    Ok(loading)
}

/// A file that does not exist; its folder may, and may be reached by a link.
fn to_be_made(name: &Path) -> Loaded {
    Loaded { name: name.to_owned(), real: resolved(name), hard_links: 1, absent: true }
}

/// The name with links followed as far as it exists.
pub fn resolved(path: &Path) -> PathBuf {
    for folder in path.ancestors() {
        if let (Ok(real), Ok(rest)) = (folder.canonicalize(), path.strip_prefix(folder)) {
            return if rest.as_os_str().is_empty() { real } else { real.join(rest) };
        }
    }
    path.to_owned()
}

/// The files that a path or pattern names, the one to be made among them. A plain path that is not there is none.
fn matching(pattern: &str, new: Option<&Path>) -> Result<Vec<PathBuf>, Trouble> {
    let new = new.filter(|new| matches(pattern, new)).map(Path::to_owned);
    if !pattern.contains(['*', '?', '[']) {
        let path = PathBuf::from(pattern);
        let there = fs::symlink_metadata(&path).is_ok() || new.is_some();
        return Ok(if there { vec![path] } else { Vec::new() });
    }
    let found = glob::glob_with(pattern, MATCHING)
        .map_err(|error| Trouble::usage(format!("{pattern:?} is no pattern: {error}")))?;
    let found =
        found.map(|path| path.map_err(|error| Trouble::file("look into", error.path(), error.error())));
    let mut paths: Vec<PathBuf> = found.collect::<Result<_, _>>()?;
    paths.extend(new.filter(|new| !new.exists()));
    paths.sort();
    Ok(paths)
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
    if let Some(at) = memchr::memchr(0, &bytes) {
        let line = memchr::memchr_iter(b'\n', &bytes[..at]).count() + 1;
        return Err(Trouble::cannot(format!(
            "{} holds a NUL byte in line {line}; it is no text file",
            name.display()
        ))
        .mend("see what happened to it (a crash, a wrong encoding) before it is edited"));
    }
    Ok((Loaded { name: name.to_owned(), real, hard_links: meta.nlink(), absent: false }, bytes))
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
