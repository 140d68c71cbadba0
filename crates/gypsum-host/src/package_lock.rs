//! Whether a package manager is at work: it may replace the files of a daemon, and restart it. The kernel says who holds
//! its lock.

use procfs::process::Process;
use rustix::process::{Flock, FlockOffsetType, FlockType, fcntl_getlk};
use std::fs::{self, File};
use std::io;
use std::os::unix::fs::MetadataExt;

/// The files that package managers lock by fcntl(2), and their names: dpkg (dpkg(1), `lock-frontend` since 1.19), RPM.
const FILES: [(&str, &str); 4] = [
    ("/var/lib/dpkg/lock-frontend", "dpkg"),
    ("/var/lib/dpkg/lock", "dpkg"),
    ("/usr/lib/sysimage/rpm/.rpm.lock", "rpm"),
    ("/var/lib/rpm/.rpm.lock", "rpm"),
];
/// The file that apk locks by flock(2).
const OTHER: (&str, &str) = ("/lib/apk/db/lock", "apk");

/// A package manager that is at work, in words: `dpkg (apt, process 4711)`. None where a process that led to this one
/// holds the lock: then this is a part of its work.
///
/// # Errors
///
/// If the locks of this host cannot be seen.
pub fn holder() -> io::Result<Option<String>> {
    let inode = |path: &str| fs::metadata(path).ok().map(|meta| meta.ino());
    // The list of all locks takes the kernel 10 to 20 ms: it is read only where one file cannot be asked by itself.
    let asked = FILES.into_iter().filter(|(path, _)| !is_free(path)).chain([OTHER]);
    let there: Vec<(u64, &str, &str)> =
        asked.filter_map(|(path, name)| Some((inode(path)?, path, name))).collect();
    if there.is_empty() {
        return Ok(None);
    }
    let locks = procfs::locks().map_err(io::Error::other)?;
    for lock in locks {
        let pid = lock.pid.unwrap_or_default();
        let held = there.iter().find(|(inode, path, _)| *inode == lock.inode && has_open(pid, path));
        let Some((_, _, name)) = held else { continue };
        if ancestors().contains(&pid) {
            return Ok(None);
        }
        let command = Process::new(pid).and_then(|process| process.stat()).map(|stat| stat.comm);
        return Ok(Some(match command {
            Ok(command) => format!("{name} ({command}, process {pid})"),
            // It ended meanwhile, or is of another container.
            Err(_) => (*name).to_owned(),
        }));
    }
    Ok(None)
}

/// Whether no process is known to lock this file by fcntl(2). One that is not there, or may not be read, is not known to be
/// free.
fn is_free(path: &str) -> bool {
    // To close it takes no lock away: those of this process alone would go, and it has none.
    let Ok(file) = File::open(path) else { return false };
    let whole = Flock {
        start: 0,
        length: 0,
        pid: None,
        typ: FlockType::WriteLock,
        offset_type: FlockOffsetType::Set,
    };
    matches!(fcntl_getlk(&file, &whole), Ok(None))
}

/// Whether a process has this file open: files of several file systems can have the same number. What cannot be seen is
/// believed.
fn has_open(pid: i32, path: &str) -> bool {
    let Ok(open) = fs::read_dir(format!("/proc/{pid}/fd")) else { return true };
    open.flatten().any(|one| fs::read_link(one.path()).is_ok_and(|to| to.as_os_str() == path))
}

/// This process and those that led to it.
fn ancestors() -> Vec<i32> {
    let mut all = Vec::new();
    let mut next = Process::myself().ok();
    while let Some(process) = next {
        all.push(process.pid);
        let parent = process.stat().ok().map(|stat| stat.ppid).filter(|parent| *parent > 1);
        next = parent.and_then(|parent| Process::new(parent).ok());
    }
    all
}
