//! What `/proc` says of a process: its start, its listening sockets, its children and all below them.

use crate::sockets::{Listening, listening, of_tcp};
use gypsum_core::service::Process;
use procfs::process::ProcState;
use std::collections::{HashMap, HashSet};
use std::fs;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};

/// The process with this number, unless it has ended and only waits to be buried.
pub fn process(pid: u32) -> Option<Process> {
    let stat = procfs::process::Process::new(i32::try_from(pid).ok()?).ok()?.stat().ok()?;
    let dead = matches!(stat.state(), Ok(ProcState::Zombie | ProcState::Dead));
    (!dead).then_some(Process { pid, started: stat.starttime })
}

/// The process that a pid file names. A number that was given to another process since the file was written means that
/// ours has ended.
pub fn of_pid_file(path: &Path) -> Option<Process> {
    let pid = fs::read_to_string(path).ok()?.split_whitespace().next()?.parse().ok()?;
    let process = process(pid)?;
    let written = fs::metadata(path).ok()?.mtime();
    let started = i64::try_from(started_at(process)?).ok()?;
    (started <= written + 2).then_some(process)
}

/// The inodes of all sockets that it has open; none where this account may not look.
pub fn sockets(pid: u32) -> Option<HashSet<u64>> {
    // Only the links are read: there are many, and this is asked often. proc(5): `socket:[INODE]`.
    let files = std::fs::read_dir(format!("/proc/{pid}/fd")).ok()?;
    let inode = |link: PathBuf| link.to_str()?.strip_prefix("socket:[")?.strip_suffix(']')?.parse().ok();
    Some(files.flatten().filter_map(|file| inode(std::fs::read_link(file.path()).ok()?)).collect())
}

/// The inodes of all sockets that these processes have open. One that ended meanwhile has none.
pub fn sockets_of_all(processes: &[u32]) -> HashSet<u64> {
    processes.iter().filter_map(|pid| sockets(*pid)).flatten().collect()
}

/// The inodes of its listening TCP sockets; none where this account may not look.
pub fn listeners(pid: u32) -> Vec<u64> {
    let Some(sockets) = sockets(pid).filter(|sockets| !sockets.is_empty()) else {
        return Vec::new();
    };
    // A service may have a network of its own.
    let ours = namespace("self", "net");
    let all = match namespace(&pid.to_string(), "net") {
        theirs if theirs == ours => listening(false),
        _ => tcp_of(pid),
    };
    let mut inodes: Vec<u64> =
        all.into_iter().map(|one| one.inode).filter(|inode| sockets.contains(inode)).collect();
    inodes.sort_unstable();
    inodes
}

/// The namespace of a kind that a process is in (namespaces(7)); none where this account may not look.
pub fn namespace(pid: &str, kind: &str) -> Option<PathBuf> {
    std::fs::read_link(format!("/proc/{pid}/ns/{kind}")).ok()
}

/// Who listens in the network that this process has.
fn tcp_of(pid: u32) -> Vec<Listening> {
    let process = i32::try_from(pid).ok().and_then(|pid| procfs::process::Process::new(pid).ok());
    process.map_or_else(Vec::new, |process| of_tcp(process.tcp().into_iter().chain(process.tcp6()).flatten()))
}

/// The variables that a process was started with; none where this account may not look.
pub fn environment(pid: u32) -> HashMap<String, String> {
    let process = i32::try_from(pid).ok().and_then(|pid| procfs::process::Process::new(pid).ok());
    let all = process.and_then(|process| process.environ().ok()).unwrap_or_default();
    all.into_iter()
        .filter_map(|(name, value)| Some((name.into_string().ok()?, value.into_string().ok()?)))
        .collect()
}

/// The memory that it holds, in bytes.
pub fn memory(pid: u32) -> u64 {
    let process = i32::try_from(pid).ok().and_then(|pid| procfs::process::Process::new(pid).ok());
    let pages = process.and_then(|process| process.stat().ok()).map_or(0, |stat| stat.rss);
    pages * procfs::page_size()
}

/// Its children.
pub fn children(pid: u32) -> Vec<Process> {
    let text = std::fs::read_to_string(format!("/proc/{pid}/task/{pid}/children")).unwrap_or_default();
    let mut children: Vec<Process> =
        text.split_whitespace().filter_map(|pid| process(pid.parse().ok()?)).collect();
    children.sort_unstable_by_key(|process| process.pid);
    children
}

/// A process and all below it: its children and theirs.
pub fn family(process: Process) -> Vec<Process> {
    let mut all = vec![process];
    let mut at = 0;
    while let Some(next) = all.get(at).copied() {
        let more = children(next.pid).into_iter().filter(|child| !all.contains(child));
        all.extend(more.collect::<Vec<_>>());
        at += 1;
    }
    all
}

/// Whether that process is there, as the one that it was.
pub fn is_alive(of: Process) -> bool {
    process(of.pid) == Some(of)
}

/// When `process` was started, in seconds since 1970.
pub fn started_at(process: Process) -> Option<u64> {
    let boot = procfs::boot_time_secs().ok()?;
    Some(boot + process.started / procfs::ticks_per_second())
}

/// The unit whose control group a process is in; `None` if it is in none, or that cannot be read.
pub fn unit_of(pid: i32) -> Option<String> {
    let mut units = groups(pid)
        .into_iter()
        .filter_map(|group| group.rsplit('/').find(|part| part.ends_with(".service")).map(str::to_owned));
    units.next()
}

/// Whether a process is of a user's own service manager or session.
pub fn is_of_user(pid: i32) -> bool {
    groups(pid).iter().any(|group| group.contains("/user.slice/"))
}

/// The control groups of a process, one for each hierarchy (cgroups(7)).
fn groups(pid: i32) -> Vec<String> {
    let text = fs::read_to_string(format!("/proc/{pid}/cgroup")).unwrap_or_default();
    text.lines().filter_map(|line| line.rsplit_once(':')).map(|(_, group)| group.to_owned()).collect()
}
