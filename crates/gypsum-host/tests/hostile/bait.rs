//! Files that nobody has any business with, watched by the kernel.

use rustix::fs::inotify::{CreateFlags, Reader, WatchFlags, add_watch, init};
use std::collections::BTreeMap;
use std::fs;
use std::mem::MaybeUninit;
use std::os::fd::OwnedFd;
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::{Path, PathBuf};

/// What is known of a file: its bytes, inode, owner, group, mode and the time of its last change.
type Known = (Vec<u8>, u64, u32, u32, u32, i64);

pub struct Bait {
    folder: PathBuf,
    before: BTreeMap<PathBuf, Known>,
    watch: OwnedFd,
}

impl Bait {
    /// Lays out a folder of root's with files of the names that are looked for.
    pub fn lay(folder: &Path, names: &[&str]) -> Self {
        fs::create_dir(folder).unwrap();
        for name in names {
            fs::write(folder.join(name), "secret of root\n").unwrap();
            fs::set_permissions(folder.join(name), fs::Permissions::from_mode(0o600)).unwrap();
        }
        fs::set_permissions(folder, fs::Permissions::from_mode(0o700)).unwrap();
        let before = known(folder);
        let watch = init(CreateFlags::CLOEXEC | CreateFlags::NONBLOCK).unwrap();
        add_watch(&watch, folder, WatchFlags::ALL_EVENTS).unwrap();
        Self { folder: folder.to_owned(), before, watch }
    }

    /// What the kernel saw happen to it, and what is not as it was; nothing is what there should be.
    pub fn touched(&self) -> Vec<String> {
        let mut buffer = [MaybeUninit::uninit(); 64 << 10];
        let mut reader = Reader::new(&self.watch, &mut buffer);
        let mut seen = Vec::new();
        while let Ok(event) = reader.next() {
            seen.push(format!("{:?} of {:?}", event.events(), event.file_name()));
        }
        // Looked at after the events were read: looking makes some.
        if known(&self.folder) != self.before {
            seen.push("its files are not as they were".to_owned());
        }
        while reader.next().is_ok() {}
        seen
    }
}

fn known(folder: &Path) -> BTreeMap<PathBuf, Known> {
    let paths = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path());
    let of = |path: PathBuf| {
        let meta = fs::symlink_metadata(&path).unwrap();
        let bytes = fs::read(&path).unwrap();
        (path, (bytes, meta.ino(), meta.uid(), meta.gid(), meta.mode(), meta.ctime_nsec()))
    };
    paths.map(of).collect()
}
