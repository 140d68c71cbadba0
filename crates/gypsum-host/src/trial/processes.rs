//! The processes of a trial: all that there are in its namespace but the first one.

use procfs::process::{ProcState, Process};
use rustix::process::{Pid, WaitOptions, waitpid};

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
    let all = procfs::process::all_processes().into_iter().flatten().flatten();
    all.filter(|one| one.pid > 1).filter_map(|one| look(&one)).collect()
}

/// None where it is gone meanwhile.
fn look(process: &Process) -> Option<Seen> {
    let (stat, memory) = (process.stat().ok()?, process.statm().ok()?);
    Some(Seen {
        pid: u32::try_from(stat.pid).ok()?,
        is_dead: matches!(stat.state(), Ok(ProcState::Zombie | ProcState::Dead)),
        parent: u32::try_from(stat.ppid).ok()?,
        // Pages of files, and what processes have in common, would be counted for each.
        memory: memory.resident.saturating_sub(memory.shared) * procfs::page_size(),
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
