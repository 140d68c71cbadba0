//! Whether a package manager is at work: it may replace the files of a daemon, and restart it. The kernel says who holds
//! its lock.

use procfs::process::Process;
use std::fs;
use std::io;
use std::os::unix::fs::MetadataExt;

/// The files that package managers lock, and their names: dpkg (dpkg(1), `lock-frontend` since 1.19), RPM, apk.
const FILES: [(&str, &str); 5] = [
    ("/var/lib/dpkg/lock-frontend", "dpkg"),
    ("/var/lib/dpkg/lock", "dpkg"),
    ("/usr/lib/sysimage/rpm/.rpm.lock", "rpm"),
    ("/var/lib/rpm/.rpm.lock", "rpm"),
    ("/lib/apk/db/lock", "apk"),
];

/// A package manager that is at work, in words: `dpkg (apt, process 4711)`. None where a process that led to this one
/// holds the lock: then this is a part of its work.
///
/// # Errors
///
/// If the locks of this host cannot be seen.
pub fn holder() -> io::Result<Option<String>> {
    let inode = |path: &str| fs::metadata(path).ok().map(|meta| meta.ino());
    let there: Vec<(u64, &str, &str)> =
        FILES.iter().filter_map(|(path, name)| Some((inode(path)?, *path, *name))).collect();
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
