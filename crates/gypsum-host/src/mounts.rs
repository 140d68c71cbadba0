//! What is mounted where, as our own process sees it.

use rustix::mount::MountFlags;
use std::io;
use std::path::PathBuf;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

const TABLE: &str = "/proc/self/mountinfo";
/// So long it is believed that no program serves another folder.
const FRESH: Duration = Duration::from_millis(200);

/// All mount points.
pub fn points() -> Vec<PathBuf> {
    let table = std::fs::read_to_string(TABLE).unwrap_or_default();
    table.lines().filter_map(point).collect()
}

/// The kernel writes blanks and backslashes in names as octal numbers (proc(5)).
fn point(line: &str) -> Option<PathBuf> {
    let point = line.split(' ').nth(4)?;
    Some(PathBuf::from(point.replace("\\040", " ").replace("\\011", "\t").replace("\\134", "\\")))
}

/// A mount.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mounted {
    /// Where.
    pub point: PathBuf,
    /// The type of its file system.
    pub kind: String,
    /// What is not allowed on it.
    pub flags: MountFlags,
}

/// All mounts, the lower ones first.
///
/// # Errors
///
/// If the table of mounts cannot be read.
pub fn all() -> io::Result<Vec<Mounted>> {
    let table = std::fs::read_to_string(TABLE)?;
    Ok(table.lines().filter_map(mounted).collect())
}

fn mounted(line: &str) -> Option<Mounted> {
    let (_, rest) = line.split_once(" - ")?;
    let mut flags = MountFlags::empty();
    for option in line.split(' ').nth(5)?.split(',') {
        flags |= match option {
            "ro" => MountFlags::RDONLY,
            "nosuid" => MountFlags::NOSUID,
            "nodev" => MountFlags::NODEV,
            "noexec" => MountFlags::NOEXEC,
            // Those of times stay as they are where none is named (mount(2)).
            _ => MountFlags::empty(),
        };
    }
    Some(Mounted { point: point(line)?, kind: rest.split(' ').next()?.to_owned(), flags })
}

/// The mount points of file systems that a program serves, and not the kernel.
///
/// # Errors
///
/// If the table of mounts cannot be read.
pub fn served_by_programs() -> io::Result<Vec<PathBuf>> {
    static KNOWN: Mutex<Option<(Instant, Vec<PathBuf>)>> = Mutex::new(None);
    let mut known = KNOWN.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some((when, points)) = known.as_ref()
        && when.elapsed() < FRESH
    {
        return Ok(points.clone());
    }
    let table = std::fs::read_to_string(TABLE)?;
    // Behind " - " comes the type; a disk that a driver of its own serves is the administrator's.
    let is_served = |line: &&str| {
        line.split_once(" - ")
            .is_some_and(|(_, rest)| rest.starts_with("fuse") && !rest.starts_with("fuseblk"))
    };
    let points: Vec<PathBuf> = table.lines().filter(is_served).filter_map(point).collect();
    *known = Some((Instant::now(), points.clone()));
    Ok(points)
}
