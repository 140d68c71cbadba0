//! The names that a running program holds.

use gypsum_core::service::Observation;
use gypsum_core::survey::Answer;
use memchr::memmem;
use procfs::process::{MMapPath, Process};
use std::collections::BTreeSet;
use std::fs::File;
use std::io::{self, Read};
use std::path::{Path, PathBuf};

/// More of a program than this is not searched, in bytes.
const MOST: u64 = 128 << 20;

/// Which of these names the main process's program holds, or a module that it loaded, each with a NUL byte behind it.
pub(super) fn holds(seen: &Observation, names: &[String]) -> Answer {
    let Some(main) = seen.main else { return Answer::Unknown };
    match read(main.pid) {
        Ok(parts) => {
            let is_held = |name: &&String| {
                let text = [name.as_bytes(), b"\0"].concat();
                parts.iter().any(|bytes| memmem::find(bytes, &text).is_some())
            };
            Answer::Words(names.iter().filter(is_held).cloned().collect())
        }
        Err(error) => {
            tracing::debug!(%error, "the running program cannot be read");
            Answer::Unknown
        }
    }
}

/// The program of a process, and its own modules.
fn read(pid: u32) -> io::Result<Vec<Vec<u8>>> {
    // The kernel's own name of it leads to the program that runs, though another one is in its place by now.
    let mut left = MOST;
    let mut parts = vec![whole(Path::new(&format!("/proc/{pid}/exe")), &mut left)?];
    for module in modules(pid) {
        // One that was upgraded meanwhile holds nothing for certain.
        parts.extend(whole(&module, &mut left).ok());
    }
    Ok(parts)
}

fn whole(path: &Path, left: &mut u64) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    let read = File::open(path)?.take(*left).read_to_end(&mut bytes)?;
    *left = left.saturating_sub(read as u64);
    Ok(bytes)
}

/// The modules that a process loaded from a folder of its own, such as `/usr/lib/boards/modules`; not the libraries that
/// it has in common with others.
fn modules(pid: u32) -> BTreeSet<PathBuf> {
    let maps = i32::try_from(pid).ok().and_then(|pid| Process::new(pid).ok()?.maps().ok());
    let mapped = maps.into_iter().flatten().filter_map(|map| match map.pathname {
        MMapPath::Path(path) => Some(path),
        // Memory that is no file.
        _ => None,
    });
    let is_module = |path: &PathBuf| {
        let folder = path.parent().and_then(Path::file_name).unwrap_or_default().to_string_lossy();
        path.extension().is_some_and(|end| end == "so")
            && !["lib", "lib64"].contains(&&*folder)
            && !folder.contains("linux-gnu")
    };
    mapped.filter(is_module).collect()
}
