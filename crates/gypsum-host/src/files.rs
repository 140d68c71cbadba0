//! The configuration files of a daemon: which there are, what they hold, whether they are safe to
//! touch.

use crate::disk::{self, walk};
use crate::error::Error;
use crate::mounts;
use gypsum_core::doc::{Dialect, Document, Family, LeafId, MOST_BYTES, TooLarge};
use gypsum_core::edit::File;
use gypsum_core::layers::{EffectiveConfig, Inclusion, Order};
use gypsum_core::profile::Profile;
use gypsum_core::rules::ConfigView;
use gypsum_core::survey::Survey;
use gypsum_core::text::Bytes;
use std::collections::{HashMap, HashSet, VecDeque};
use std::fs;
use std::io;
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
    /// Which of them takes settings that are nowhere yet.
    pub home: usize,
    /// The files and patterns that the daemon reads.
    pub patterns: Vec<String>,
    /// Files that include themselves, through each other: each with the one that closes the circle.
    pub circles: Vec<(String, String)>,
    /// How they hang together.
    pub order: Order,
}

impl Loading {
    /// The statements that others overrule: file and leaf of each.
    pub fn overruled(&self, profile: &Profile) -> HashSet<(usize, LeafId)> {
        let layers = self.layers(profile);
        let deciding = layers.deciding(&self.files, profile);
        let pairs = layers.turns().iter().zip(deciding).filter(|(_, winner)| winner.is_some());
        pairs.map(|(turn, _)| (turn.file, turn.leaf)).collect()
    }

    /// The settings of all files, in reading order.
    pub fn layers(&self, profile: &Profile) -> EffectiveConfig {
        EffectiveConfig::of(&self.files, &self.order, profile)
    }

    /// The configuration as the rules see it.
    pub fn config_view<'a>(
        &'a self,
        layers: &'a EffectiveConfig,
        profile: &'a Profile,
        survey: &'a Survey,
    ) -> ConfigView<'a> {
        ConfigView {
            files: &self.files,
            order: &self.order,
            layers,
            profile,
            survey,
            changed_statements: None,
        }
    }

    /// Which of the files a person means by `path`.
    pub fn find(&self, path: &Path) -> Result<usize, Error> {
        let real = resolved(path);
        self.loaded.iter().position(|file| file.name == path || file.real == real).ok_or_else(|| {
            let known: Vec<String> = self.loaded.iter().map(|file| file.name.display().to_string()).collect();
            if !path.exists() && self.reads(path) {
                return Error::usage(format!("{} does not exist", path.display()))
                    .help("--new makes it, and its folder");
            }
            Error::usage(format!("{} is none of this daemon's files", path.display()))
                .help(format!("it reads {}", known.join(", ")))
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

/// Whether a daemon that reads `pattern` reads this file.
pub fn matches(pattern: &str, path: &Path) -> bool {
    Path::new(pattern) == path
        || glob::Pattern::new(pattern).is_ok_and(|known| known.matches_path_with(path, MATCHING))
}

/// What files are to hold that are not written yet; none where one is to be gone.
pub type Overlay = HashMap<PathBuf, Option<Bytes>>;

/// Reads the files of a daemon: those that the profile lists, in its order, and behind them those that
/// they include; `new` is one that does not exist yet and is to be made.
pub fn load(profile: &Profile, new: Option<&Path>) -> Result<Loading, Error> {
    load_over(profile, new, &Overlay::new(), &[])
}

/// The same, as it will be when `overlay` is written. Of `known`, what still holds the same bytes is not read anew.
pub fn load_over(
    profile: &Profile,
    new: Option<&Path>,
    overlay: &Overlay,
    known: &[File],
) -> Result<Loading, Error> {
    let home = PathBuf::from(&profile.files.home);
    let mut loader = Loader {
        new,
        overlay,
        known,
        base: home.parent().unwrap_or(&home).to_owned(),
        loading: Loading {
            loaded: Vec::new(),
            files: Vec::new(),
            home: 0,
            patterns: profile.files.read.clone(),
            circles: Vec::new(),
            order: Order::default(),
        },
        waiting: VecDeque::new(),
    };
    let mut roots: Vec<PathBuf> = Vec::new();
    for pattern in &profile.files.read {
        roots.extend(loader.matching(pattern)?);
    }
    if profile.files.hides {
        roots = without_hidden(roots);
    }
    let expected =
        !profile.files.makes && profile.other.is_empty() && !roots.contains(&home) && !home.exists();
    if expected || roots.is_empty() {
        roots.push(home.clone());
    }
    for root in &roots {
        let n = loader.one(root, profile.files.format, &profile.dialect, &[])?;
        if !loader.loading.order.roots.contains(&n) {
            loader.loading.order.roots.push(n);
        }
    }
    loader.follow(profile)?;
    for other in &profile.other {
        for pattern in &other.read {
            loader.loading.patterns.push(pattern.clone());
            for path in loader.matching(pattern)? {
                let n = loader.one(&path, other.format, &other.dialect, &[])?;
                loader.loading.order.roots.push(n);
            }
        }
    }
    // What is edited where nothing is said may be read by way of an include, or not at all.
    if home.exists() || overlay.contains_key(&home) {
        loader.one(&home, profile.files.format, &profile.dialect, &[])?;
    }
    let mut loading = loader.loading;
    loading.home = loading.loaded.iter().position(|file| file.name == home).unwrap_or(0);
    if let Some(new) = new.filter(|new| !loading.loaded.iter().any(|file| file.name == *new)) {
        let bytes = overlay.get(&resolved(new)).cloned().flatten().unwrap_or_default();
        let doc = Document::of(bytes, profile.files.format, profile.dialect.clone())
            .map_err(|error| Error::cannot(error.to_string()))?;
        loading.files.push(File { path: new.display().to_string(), doc });
        loading.loaded.push(to_be_made(new));
    }
    Ok(loading)
}

/// The files without those that a later one of the same name hides: a unit file, or a drop-in of the same unit.
/// Drop-ins are read in the order of their names, whatever folder they are in (systemd.unit(5)).
fn without_hidden(roots: Vec<PathBuf>) -> Vec<PathBuf> {
    let drop_in = |path: &Path| {
        let folder = path.parent().and_then(Path::file_name);
        folder.filter(|folder| folder.as_encoded_bytes().ends_with(b".d")).map(ToOwned::to_owned)
    };
    let key = |path: &Path| (drop_in(path), path.file_name().map(ToOwned::to_owned));
    let last: HashMap<_, usize> = roots.iter().enumerate().map(|(n, path)| (key(path), n)).collect();
    let kept = roots.iter().enumerate().filter(|(n, path)| last.get(&key(path)) == Some(n));
    let mut kept: Vec<PathBuf> = kept.map(|(_, path)| path.clone()).collect();
    kept.sort_by_key(|path| drop_in(path).map(|_| path.file_name().map(ToOwned::to_owned)));
    kept
}

struct Loader<'a> {
    new: Option<&'a Path>,
    overlay: &'a Overlay,
    known: &'a [File],
    base: PathBuf,
    loading: Loading,
    /// Files whose includes are to be followed, each with those that led to it.
    waiting: VecDeque<(usize, Vec<PathBuf>)>,
}

impl Loader<'_> {
    /// Reads one file, unless that is done; its number.
    fn one(
        &mut self,
        name: &Path,
        format: Family,
        dialect: &Dialect,
        by: &[PathBuf],
    ) -> Result<usize, Error> {
        let proposed = self.overlay.get(name).or_else(|| self.overlay.get(&resolved(name)));
        let absent = self.new == Some(name) && fs::symlink_metadata(name).is_err();
        let (loaded, bytes) = match proposed {
            Some(bytes) => {
                let links = fs::metadata(name).map_or(1, |meta| meta.nlink());
                let file = Loaded { hard_links: links, absent: !name.exists(), ..to_be_made(name) };
                (file, bytes.clone().unwrap_or_default())
            }
            None if absent => (to_be_made(name), Bytes::default()),
            None => load_one(name)?,
        };
        // One file reached twice is one file, and a circle ends where it closes.
        if by.contains(&loaded.real) {
            let closes = by.last().map_or_else(String::new, |last| last.display().to_string());
            self.loading.circles.push((closes, name.display().to_string()));
        }
        if let Some(known) = self.loading.loaded.iter().position(|known| known.real == loaded.real) {
            return Ok(known);
        }
        let known = self.known.iter().find(|file| {
            Path::new(&file.path) == name
                && file.doc.family() == format
                && file.doc.source() == bytes.as_slice()
        });
        let doc = match known {
            Some(file) => file.doc.clone(),
            None => Document::of(bytes, format, dialect.clone())
                .map_err(|error| Error::cannot(format!("{}: {error}", name.display())))?,
        };
        let mut path = by.to_vec();
        path.push(loaded.real.clone());
        let n = self.loading.files.len();
        self.loading.files.push(File { path: name.display().to_string(), doc });
        self.loading.loaded.push(loaded);
        self.waiting.push_back((n, path));
        Ok(n)
    }

    /// Reads what the files include, and what that includes in turn.
    fn follow(&mut self, profile: &Profile) -> Result<(), Error> {
        while let Some((file, path)) = self.waiting.pop_front() {
            for (leaf, pattern) in self.loading.files[file].doc.includes() {
                // Daemons take relative names from where their main file is.
                let pattern = self.base.join(pattern).display().to_string();
                let mut read = Vec::new();
                for name in self.matching(&pattern)? {
                    if name.is_dir() {
                        continue;
                    }
                    read.push(self.one(&name, profile.files.format, &profile.dialect, &path)?);
                }
                self.loading.patterns.push(pattern.clone());
                self.loading.order.inclusions.push(Inclusion { file, leaf, pattern, read });
            }
        }
        Ok(())
    }

    /// The files that a path or pattern names, those to be made among them and those to be gone not.
    fn matching(&self, pattern: &str) -> Result<Vec<PathBuf>, Error> {
        let mut paths = matching(pattern, self.new)?;
        for (path, bytes) in self.overlay {
            match bytes {
                None => paths.retain(|known| known != path && resolved(known) != *path),
                Some(_) if matches(pattern, path) && !paths.contains(path) && !path.exists() => {
                    paths.push(path.clone());
                }
                Some(_) => {}
            }
        }
        paths.sort();
        Ok(paths)
    }
}

/// A file that does not exist; its folder may, and may be reached by a link.
fn to_be_made(name: &Path) -> Loaded {
    Loaded { name: name.to_owned(), real: resolved(name), hard_links: 1, absent: true }
}

/// Where a path leads that exists, links followed that may be.
fn leads_to(path: &Path) -> io::Result<PathBuf> {
    if path.parent().is_none() {
        return Ok(path.to_owned());
    }
    let place = walk::resolve(path)?;
    place.look()?.ok_or(rustix::io::Errno::NOENT)?;
    Ok(place.real)
}

/// The name with links followed as far as it exists.
pub fn resolved(path: &Path) -> PathBuf {
    for folder in path.ancestors() {
        if let (Ok(real), Ok(rest)) = (leads_to(folder), path.strip_prefix(folder)) {
            return if rest.as_os_str().is_empty() { real } else { real.join(rest) };
        }
    }
    path.to_owned()
}

/// The files that a path or pattern names, the one to be made among them. A plain path that is not there is none.
fn matching(pattern: &str, new: Option<&Path>) -> Result<Vec<PathBuf>, Error> {
    let new = new.filter(|new| matches(pattern, new)).map(Path::to_owned);
    if !pattern.contains(WILD) {
        let path = PathBuf::from(pattern);
        let there = fs::symlink_metadata(&path).is_ok() || new.is_some();
        return Ok(if there { vec![path] } else { Vec::new() });
    }
    let mut paths = vec![PathBuf::from("/")];
    for part in pattern.split('/').filter(|part| !part.is_empty()) {
        let mut further = Vec::new();
        for path in paths {
            further.extend(inside(&path, part, pattern)?);
        }
        paths = further;
    }
    paths.extend(new.filter(|new| !new.exists()));
    paths.sort();
    Ok(paths)
}

/// What makes a pattern of a name.
const WILD: [char; 3] = ['*', '?', '['];

/// What one part of a pattern names in a folder.
fn inside(folder: &Path, part: &str, pattern: &str) -> Result<Vec<PathBuf>, Error> {
    if !part.contains(WILD) {
        let path = folder.join(part);
        return Ok(if fs::symlink_metadata(&path).is_ok() { vec![path] } else { Vec::new() });
    }
    let wanted = glob::Pattern::new(part)
        .map_err(|error| Error::usage(format!("{pattern:?} is no pattern: {error}")))?;
    let found = match disk::entries(folder) {
        // What is in the place of a folder holds nothing.
        Err(error) if error.kind() == io::ErrorKind::NotADirectory => return Ok(Vec::new()),
        found => found.map_err(|error| Error::file("look into", folder, error))?,
    };
    // A name that is not UTF-8 is matched by the bytes that are: a pattern is text.
    let names = found.unwrap_or_default().into_iter().map(|(name, _)| name);
    let names = names.filter(|name| wanted.matches_with(&name.to_string_lossy(), MATCHING));
    Ok(names.map(|name| folder.join(name)).collect())
}

/// Reads one file, by the way that was walked to it.
fn load_one(name: &Path) -> Result<(Loaded, Bytes), Error> {
    let place = walk::resolve(name).map_err(|error| match error.kind() {
        io::ErrorKind::NotFound => not_there(name),
        _ => Error::file("read", name, error),
    })?;
    let real = place.real.clone();
    let meta =
        place.look().map_err(|error| Error::file("look at", &real, error))?.ok_or_else(|| not_there(name))?;
    let kind = meta.file_type();
    if !kind.is_file() {
        let what = if kind.is_dir() {
            "a folder"
        } else if kind.is_fifo() || kind.is_socket() {
            "a pipe or socket"
        } else {
            "a device"
        };
        return Err(Error::cannot(format!("{} is {what}, not a configuration file", name.display()))
            .help("name the file itself"));
    }
    let size = usize::try_from(meta.len()).unwrap_or(usize::MAX);
    if size > MOST_BYTES {
        return Err(Error::cannot(format!("{}: {}", name.display(), TooLarge(size)))
            .help("a configuration of this size is data: see what wrote it"));
    }
    let (meta, bytes) = place.read(MOST_BYTES).map_err(|error| Error::file("read", &real, error))?;
    if let Some(at) = memchr::memchr(0, &bytes) {
        let line = memchr::memchr_iter(b'\n', &bytes[..at]).count() + 1;
        return Err(Error::cannot(format!(
            "{} holds a NUL byte in line {line}; it is no text file",
            name.display()
        ))
        .help("see what happened to it (a crash, a wrong encoding) before it is edited"));
    }
    Ok((Loaded { name: name.to_owned(), real, hard_links: meta.nlink(), absent: false }, bytes.into()))
}

fn not_there(name: &Path) -> Error {
    Error::cannot(format!("{} does not exist", name.display()))
        .help("is the daemon installed? A file elsewhere is named with --file or in a profile")
}

/// File systems that are known to exchange two names: ext2 to 4, XFS, Btrfs, tmpfs, overlay, F2FS.
const EXCHANGING: [u64; 6] = [0xef53, 0x5846_5342, 0x9123_683e, 0x0102_1994, 0x794c_7630, 0xf2f5_2010];

/// Whether a new file can change places with `path`: not where it is itself a mount, and not on a
/// file system that is not known for it.
pub fn can_exchange(path: &Path) -> bool {
    let system = walk::place(path).and_then(|place| Ok(rustix::fs::fstatfs(&place.folder)?));
    let known = system.is_ok_and(|stat| EXCHANGING.contains(&(stat.f_type as u64 & 0xffff_ffff)));
    known && !mounts::points().iter().any(|point| point == path)
}
