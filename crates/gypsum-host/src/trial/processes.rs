//! The processes of a trial: all that there are in its namespace but the first one.

use rustix::process::{Pid, WaitOptions, waitpid};
use std::fs;

/// One of them.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Seen {
    /// Its number.
    pub pid: u32,
    /// Whether it has ended, and only waits to be buried.
    pub is_dead: bool,
    /// Its parent.
    parent: u32,
    /// The memory that it holds, in bytes.
    pub memory: u64,
}

/// All of them.
pub fn all() -> Vec<Seen> {
    let entries = fs::read_dir("/proc").into_iter().flatten().flatten();
    let numbers = entries.filter_map(|entry| entry.file_name().to_str()?.parse::<u32>().ok());
    numbers.filter(|pid| *pid > 1).filter_map(look).collect()
}

fn look(pid: u32) -> Option<Seen> {
    let stat = fs::read_to_string(format!("/proc/{pid}/stat")).ok()?;
    // The name is in parentheses, and may hold any character (proc(5)).
    let fields: Vec<&str> = stat.rsplit_once(')')?.1.split_whitespace().collect();
    let pages: u64 = fields.get(21)?.parse().ok()?;
    let shared = fs::read_to_string(format!("/proc/{pid}/statm")).ok()?;
    let shared: u64 = shared.split_whitespace().nth(2)?.parse().ok()?;
    Some(Seen {
        pid,
        is_dead: matches!(*fields.first()?, "Z" | "X"),
        parent: fields.get(1)?.parse().ok()?,
        // Pages of files, and what processes have in common, would be counted for each.
        memory: pages.saturating_sub(shared) * procfs::page_size(),
    })
}

/// Buries those that have ended and that nobody waits for, but `ours`.
pub fn bury(all: &[Seen], ours: &[u32]) {
    let lost = all.iter().filter(|one| one.is_dead && one.parent == 1 && !ours.contains(&one.pid));
    for pid in lost.filter_map(|one| Pid::from_raw(i32::try_from(one.pid).ok()?)) {
        if let Err(error) = waitpid(Some(pid), WaitOptions::NOHANG) {
            tracing::debug!(%error, "it is gone already");
        }
    }
}
