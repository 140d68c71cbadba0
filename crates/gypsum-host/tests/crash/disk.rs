//! A disk in memory that knows live and durable apart, counts its operations, and can be cut off at
//! any of them.

use gypsum_core::change::{Content, Ownership};
use gypsum_host::disk::{Disk, Stamp, content_of};
use std::cell::RefCell;
use std::collections::BTreeMap;
use std::io::{self, ErrorKind};
use std::path::{Path, PathBuf};
use std::sync::Mutex;

type Inode = usize;

#[derive(Clone, Default)]
struct File {
    live: Vec<u8>,
    durable: Vec<u8>,
}

/// One change of names, which happens wholly or not at all.
#[derive(Clone)]
struct Renaming {
    names: Vec<(PathBuf, Option<Inode>)>,
    durable: bool,
}

#[derive(Clone, Default)]
struct Contents {
    files: Vec<File>,
    /// All changes of names so far; those that are durable survive a power cut.
    log: Vec<Renaming>,
    /// What they come to.
    names: BTreeMap<PathBuf, Inode>,
    operations: usize,
    cut_at: Option<usize>,
    /// Which operation fails, reading among them; none is done that fails.
    fails: Option<Fails>,
    /// How many there were so far, reading among them.
    all_operations: usize,
    /// How many bytes all files together may have.
    room: Option<usize>,
    /// A foreign write: at which operation, to which file, what, and whether in place.
    foreign: Option<(usize, PathBuf, Vec<u8>, bool)>,
}

/// What a power cut leaves of what was not synced.
#[derive(Clone, Copy, Debug)]
pub struct Leaves {
    /// How many of the changes of names that are not durable happened all the same, in a thousand.
    pub names: usize,
    /// Whether each folder has its own order: of one a later change may be kept, and of another an earlier one lost.
    pub reordered: bool,
    /// Whether the bytes of file `n` are kept is bit `n % 64` of this.
    pub bytes: u64,
}

/// Operations that fail.
#[derive(Clone, Copy, Debug)]
pub struct Fails {
    /// The first one, from 1.
    pub at: usize,
    /// The error, by its number (errno(3)).
    pub errno: i32,
    /// Whether all that come after it fail, too.
    pub lasting: bool,
}

pub struct FakeDisk(Mutex<RefCell<Contents>>);

impl FakeDisk {
    pub fn new(files: &[(&str, &[u8])]) -> Self {
        let mut contents = Contents::default();
        for (path, bytes) in files {
            contents.files.push(File { live: bytes.to_vec(), durable: bytes.to_vec() });
            let names = vec![(PathBuf::from(path), Some(contents.files.len() - 1))];
            contents.log.push(Renaming { names, durable: true });
        }
        contents.replay();
        Self(Mutex::new(RefCell::new(contents)))
    }

    fn with<T>(&self, act: impl FnOnce(&mut Contents) -> T) -> T {
        act(&mut self.0.lock().unwrap().borrow_mut())
    }

    pub fn cut_at(&self, operation: usize) {
        self.with(|contents| contents.cut_at = Some(operation));
    }

    /// From now on these operations fail, counted anew; none if `None`.
    pub fn fails(&self, fails: Option<Fails>) {
        self.with(|contents| (contents.fails, contents.all_operations) = (fails, 0));
    }

    /// How many operations there were, reading among them.
    pub fn all_operations(&self) -> usize {
        self.with(|contents| contents.all_operations)
    }

    pub fn foreign_at(&self, operation: usize, path: &str, bytes: &[u8], in_place: bool) {
        self.with(|contents| contents.foreign = Some((operation, path.into(), bytes.into(), in_place)));
    }

    /// All files together may have `bytes` more than now; any number if `None`.
    pub fn fills_after(&self, bytes: Option<usize>) {
        let used: usize = self.all().values().map(Vec::len).sum();
        self.with(|contents| contents.room = bytes.map(|bytes| used + bytes));
    }

    pub fn operations(&self) -> usize {
        self.with(|contents| contents.operations)
    }

    /// The disk as it is found after the power cut.
    pub fn after_power_cut(&self, leaves: Leaves) -> Self {
        let mut contents = self.with(|contents| contents.clone());
        let pending = contents.log.iter().filter(|renaming| !renaming.durable).count();
        let mut kept = pending * leaves.names / 1000;
        if leaves.reordered {
            contents.keep_by_folder(leaves.bytes);
        } else {
            // A journalling file system keeps the order: what is kept is a beginning.
            contents
                .log
                .retain(|renaming| renaming.durable || kept.checked_sub(1).map(|left| kept = left).is_some());
        }
        contents.log.iter_mut().for_each(|renaming| renaming.durable = true);
        for (n, file) in contents.files.iter_mut().enumerate() {
            if leaves.bytes >> (n % 64) & 1 == 0 {
                file.live.clone_from(&file.durable);
            }
            file.durable.clone_from(&file.live);
        }
        (contents.operations, contents.cut_at, contents.foreign) = (0, None, None);
        contents.replay();
        Self(Mutex::new(RefCell::new(contents)))
    }

    /// What a file holds, whatever fails.
    pub fn peek(&self, path: &Path) -> Option<Vec<u8>> {
        self.with(|contents| Some(contents.files[*contents.names.get(path)?].live.clone()))
    }

    /// Every file by its name.
    pub fn all(&self) -> BTreeMap<PathBuf, Vec<u8>> {
        self.with(|contents| {
            let names = contents.names.iter();
            names.map(|(path, inode)| (path.clone(), contents.files[*inode].live.clone())).collect()
        })
    }
}

impl Contents {
    /// Keeps a beginning of the changes of names in each folder, of a length that `bits` decide.
    fn keep_by_folder(&mut self, bits: u64) {
        let folder = |renaming: &Renaming| renaming.names[0].0.parent().unwrap().to_owned();
        let mut pending = BTreeMap::<PathBuf, usize>::new();
        for renaming in self.log.iter().filter(|renaming| !renaming.durable) {
            *pending.entry(folder(renaming)).or_default() += 1;
        }
        let mut left: BTreeMap<PathBuf, usize> = BTreeMap::new();
        for (n, (folder, count)) in pending.into_iter().enumerate() {
            let eighths = usize::try_from(bits >> (3 * (n % 20)) & 7).unwrap();
            left.insert(folder, (count * eighths).div_ceil(7));
        }
        self.log.retain(|renaming| {
            renaming.durable
                || left.get_mut(&folder(renaming)).is_some_and(|left| {
                    let is_kept = *left > 0;
                    *left = left.saturating_sub(1);
                    is_kept
                })
        });
    }

    /// The names that the log comes to.
    fn replay(&mut self) {
        self.names.clear();
        for renaming in &self.log {
            apply(&mut self.names, renaming);
        }
    }

    fn find(&self, path: &Path) -> io::Result<Inode> {
        self.names.get(path).copied().ok_or_else(|| io::Error::from(ErrorKind::NotFound))
    }

    fn rename(&mut self, names: Vec<(PathBuf, Option<Inode>)>) {
        let renaming = Renaming { names, durable: false };
        apply(&mut self.names, &renaming);
        self.log.push(renaming);
    }

    /// Counts an operation of any kind; an error if this is one that fails.
    fn any(&mut self) -> io::Result<()> {
        self.all_operations += 1;
        match self.fails {
            Some(Fails { at, errno, lasting })
                if self.all_operations == at || lasting && self.all_operations > at =>
            {
                Err(io::Error::from_raw_os_error(errno))
            }
            Some(_) | None => Ok(()),
        }
    }

    /// Counts an operation; an error once the power is gone. Whether this is the one that is cut.
    fn step(&mut self) -> io::Result<bool> {
        self.any()?;
        self.operations += 1;
        if let Some((at, path, bytes, in_place)) = self.foreign.clone()
            && at == self.operations
        {
            self.foreign_write(&path, bytes, in_place);
        }
        match self.cut_at {
            Some(at) if self.operations > at => Err(io::Error::other("the power is gone")),
            Some(at) => Ok(self.operations == at),
            None => Ok(false),
        }
    }

    /// Adds bytes to a file, as many as there is room for.
    fn add(&mut self, inode: Inode, bytes: &[u8]) -> io::Result<()> {
        let used: usize = self.names.values().map(|inode| self.files[*inode].live.len()).sum();
        let room = self.room.map_or(bytes.len(), |room| room.saturating_sub(used));
        let fits = &bytes[..bytes.len().min(room)];
        self.files[inode].live.extend_from_slice(fits);
        if fits.len() < bytes.len() { Err(ErrorKind::StorageFull.into()) } else { Ok(()) }
    }

    /// Somebody else writes, and syncs.
    fn foreign_write(&mut self, path: &Path, bytes: Vec<u8>, in_place: bool) {
        let file = File { live: bytes.clone(), durable: bytes };
        match self.find(path) {
            Ok(inode) if in_place => self.files[inode] = file,
            _ => {
                self.files.push(file);
                let names = vec![(path.to_owned(), Some(self.files.len() - 1))];
                self.rename(names);
                self.sync_names(path.parent().unwrap());
            }
        }
    }

    /// Only the names in this folder become durable: a file system owes no more.
    fn sync_names(&mut self, folder: &Path) {
        let within = |one: &&mut Renaming| one.names.iter().any(|(path, _)| path.parent() == Some(folder));
        self.log.iter_mut().filter(within).for_each(|renaming| renaming.durable = true);
    }
}

fn apply(names: &mut BTreeMap<PathBuf, Inode>, renaming: &Renaming) {
    for (path, inode) in &renaming.names {
        match inode {
            Some(inode) => names.insert(path.clone(), *inode),
            None => names.remove(path),
        };
    }
}

fn half(bytes: &[u8], cut: bool) -> &[u8] {
    if cut { &bytes[..bytes.len() / 2] } else { bytes }
}

impl Disk for FakeDisk {
    fn read(&self, path: &Path) -> io::Result<Option<Vec<u8>>> {
        self.with(|contents| {
            contents.any()?;
            Ok(contents.find(path).ok().map(|inode| contents.files[inode].live.clone()))
        })
    }

    fn content(&self, path: &Path) -> io::Result<Content> {
        Ok(content_of(self.read(path)?.as_deref()))
    }

    fn folders(&self, path: &Path) -> io::Result<Vec<String>> {
        self.with(Contents::any)?;
        let mut names = std::collections::BTreeSet::new();
        for file in self.all().into_keys() {
            let mut inner = file.strip_prefix(path).into_iter().flat_map(Path::components);
            if let (Some(name), Some(_)) = (inner.next(), inner.next()) {
                names.insert(name.as_os_str().to_str().unwrap().to_owned());
            }
        }
        Ok(names.into_iter().collect())
    }

    fn stamp(&self, _path: &Path) -> io::Result<Option<Stamp>> {
        // It has no clock.
        Ok(None)
    }

    fn create(&self, path: &Path, bytes: &[u8], _like: Option<&Path>) -> io::Result<()> {
        self.with(|contents| {
            let cut = contents.step()?;
            if contents.find(path).is_ok() {
                return Err(ErrorKind::AlreadyExists.into());
            }
            contents.files.push(File::default());
            let inode = contents.files.len() - 1;
            contents.rename(vec![(path.into(), Some(inode))]);
            contents.add(inode, half(bytes, cut))
        })
    }

    fn attributes_lost(&self, _model: &Path, _file: &Path) -> io::Result<Vec<String>> {
        self.with(Contents::any).map(|()| Vec::new())
    }

    fn overwrite(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        self.with(|contents| {
            let cut = contents.step()?;
            let inode = contents.find(path)?;
            contents.files[inode].live.clear();
            contents.add(inode, half(bytes, cut))
        })
    }

    fn append(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        self.with(|contents| {
            let cut = contents.step()?;
            let inode = contents.find(path).unwrap_or_else(|_| {
                contents.files.push(File::default());
                let inode = contents.files.len() - 1;
                contents.rename(vec![(path.into(), Some(inode))]);
                inode
            });
            contents.add(inode, half(bytes, cut))
        })
    }

    fn exchange(&self, a: &Path, b: &Path) -> io::Result<()> {
        self.with(|contents| {
            if contents.step()? {
                return Ok(());
            }
            let (first, second) = (contents.find(a)?, contents.find(b)?);
            contents.rename(vec![(a.into(), Some(second)), (b.into(), Some(first))]);
            Ok(())
        })
    }

    fn rename_new(&self, from: &Path, to: &Path) -> io::Result<()> {
        self.with(|contents| {
            if contents.step()? {
                return Ok(());
            }
            let inode = contents.find(from)?;
            if contents.find(to).is_ok() {
                return Err(ErrorKind::AlreadyExists.into());
            }
            contents.rename(vec![(from.into(), None), (to.into(), Some(inode))]);
            Ok(())
        })
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        self.with(|contents| {
            if contents.step()? {
                return Ok(());
            }
            if contents.find(path).is_ok() {
                contents.rename(vec![(path.into(), None)]);
            }
            Ok(())
        })
    }

    fn make_folder(&self, _path: &Path) -> io::Result<()> {
        self.with(|contents| contents.step().map(|_| ()))
    }

    fn make_open_folder(&self, path: &Path) -> io::Result<()> {
        self.make_folder(path)
    }

    fn remove_folder(&self, path: &Path) -> io::Result<()> {
        self.make_folder(path)
    }

    fn set_ownership(&self, path: &Path, _dress: &Ownership) -> io::Result<()> {
        self.with(|contents| {
            contents.step()?;
            contents.find(path).map(|_| ())
        })
    }

    fn sync_file(&self, path: &Path) -> io::Result<()> {
        self.with(|contents| {
            if contents.step()? {
                return Ok(());
            }
            let inode = contents.find(path)?;
            let live = contents.files[inode].live.clone();
            contents.files[inode].durable = live;
            Ok(())
        })
    }

    fn sync_folder(&self, path: &Path) -> io::Result<()> {
        self.with(|contents| {
            if !contents.step()? {
                contents.sync_names(path);
            }
            Ok(())
        })
    }
}
