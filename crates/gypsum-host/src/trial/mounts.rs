//! What a trial sees of the host's folders: all of it read-only, what the daemon may write under overlays, its data empty.

use super::folders::{self, Model};
use super::host::ANEW;
use super::spec::TrialSpec;
use super::{devices, runtime};
use crate::mounts;
use crate::view::{cover, outermost, show};
use rustix::mount::{MountFlags, MountPropagationFlags, mount, mount_bind, mount_change, mount_remount};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

/// What all the trial writes may take, in bytes.
const SIZE: &str = "256m";
/// The folders that a daemon may write in.
const OVERLAID: [&str; 5] = ["/etc", "/var/lib", "/var/cache", "/usr/local", "/srv"];
/// The folders that are there with their sub-folders, and without a file.
const EMPTIED: [&str; 2] = ["/var/log", "/var/spool"];
/// The folders for what nobody keeps.
const TEMPORARY: [&str; 2] = ["/tmp", "/var/tmp"];
/// Files by which the kernel is told something, or tells what it tells once.
const HIDDEN: [&str; 3] = ["/proc/kmsg", "/proc/kcore", "/proc/sysrq-trigger"];

/// Makes all of it; nothing of it is seen outside.
///
/// # Errors
///
/// If the kernel refuses a part of it.
pub fn arrange(spec: &TrialSpec) -> io::Result<()> {
    mount_change("/", MountPropagationFlags::REC | MountPropagationFlags::PRIVATE)?;
    mount("proc", "/proc", "proc", MountFlags::NOSUID | MountFlags::NODEV | MountFlags::NOEXEC, None)?;
    make_read_only()?;
    let options = std::ffi::CString::new(format!("mode=755,size={SIZE}"))?;
    mount("tmpfs", &spec.base, "tmpfs", MountFlags::NOSUID | MountFlags::NODEV, Some(options.as_c_str()))?;
    let names = name_servers_file();
    let kept = runtime::keep(spec)?;
    let emptied: Vec<(PathBuf, PathBuf)> = emptied(spec)?;
    for (n, folder) in overlaid(spec).into_iter().enumerate() {
        cover(&spec.base, n, &folder).map_err(|error| of(&folder, error))?;
    }
    for (file, stand_in) in &spec.files {
        show(file, stand_in.as_deref()).map_err(|error| of(file, error))?;
    }
    if let Some(text) = names {
        // It may lead into `/run`, which is another one here.
        fs::remove_file(NAME_SERVERS)?;
        fs::write(NAME_SERVERS, text)?;
    }
    devices::arrange(&spec.base)?;
    runtime::arrange(kept)?;
    let sockets = spec.hidden.iter().map(PathBuf::as_path);
    for hidden in HIDDEN.iter().map(Path::new).chain(sockets).filter(|file| file.exists()) {
        mount_bind("/dev/null", hidden)?;
    }
    mount_bind("/proc/sys", "/proc/sys")?;
    mount_remount("/proc/sys", MountFlags::BIND | MountFlags::RDONLY | MountFlags::NOSUID, "")?;
    // The last one hides the copies themselves.
    let (last, first): (Vec<_>, Vec<_>) = emptied.iter().partition(|(_, at)| spec.base.starts_with(at));
    first.into_iter().chain(last).try_for_each(|(copy, at)| Ok(mount_bind(copy, at)?))
}

/// An error with the place that it is about.
fn of(place: &Path, error: io::Error) -> io::Error {
    io::Error::other(format!("{}: {}", place.display(), crate::error::plain(&error)))
}

const NAME_SERVERS: &str = "/etc/resolv.conf";

/// What the file with the name servers holds, if it is a link.
fn name_servers_file() -> Option<Vec<u8>> {
    let is_link = fs::symlink_metadata(NAME_SERVERS).is_ok_and(|meta| meta.is_symlink());
    // Where it leads nowhere, there are no name servers.
    is_link.then(|| fs::read(NAME_SERVERS).ok()).flatten()
}

/// Overlays never reach what is mounted below them; this does. What lies under another mount cannot be reached anyway.
fn make_read_only() -> io::Result<()> {
    for mounted in mounts::all()? {
        // To look at it would make the kernel mount it.
        if mounted.kind == "autofs" {
            continue;
        }
        let flags = mounted.flags | MountFlags::BIND | MountFlags::RDONLY;
        match mount_remount(&mounted.point, flags, "") {
            Ok(()) | Err(rustix::io::Errno::INVAL | rustix::io::Errno::NOENT | rustix::io::Errno::NOTDIR) => {
            }
            Err(error) => {
                return Err(of(
                    &mounted.point,
                    io::Error::other(format!("cannot be made read-only: {error}")),
                ));
            }
        }
    }
    // The new `/proc` is for this trial alone, and its processes write to their own files in it.
    mount_remount(
        "/proc",
        MountFlags::NOSUID | MountFlags::NODEV | MountFlags::NOEXEC | MountFlags::BIND,
        "",
    )?;
    Ok(())
}

/// The folders under an overlay.
fn overlaid(spec: &TrialSpec) -> Vec<PathBuf> {
    let existing = |path: &Path| path.ancestors().find(|folder| folder.is_dir()).map(Path::to_owned);
    let working = spec.unit.working_folder.trim_start_matches(['-', '!']);
    let mut all: Vec<PathBuf> = OVERLAID.iter().map(PathBuf::from).collect();
    all.extend([PathBuf::from(working)].into_iter().filter(|folder| folder.is_absolute()));
    all.extend(spec.writable.iter().cloned());
    all.extend(spec.files.iter().filter_map(|(file, _)| Some(file.parent()?.to_owned())));
    let mut all: Vec<PathBuf> = all.iter().filter_map(|folder| existing(folder)).collect();
    let made_anew =
        |folder: &PathBuf| folder == Path::new("/") || ANEW.iter().any(|root| folder.starts_with(root));
    // `/var/run` is a link on most hosts.
    all = all.into_iter().filter_map(|folder| fs::canonicalize(folder).ok()).collect();
    all.retain(|folder| !made_anew(folder));
    all.sort();
    all.dedup();
    outermost(all)
}

/// Makes the folders that are empty in the trial, each with the place that it is for.
fn emptied(spec: &TrialSpec) -> io::Result<Vec<(PathBuf, PathBuf)>> {
    let mut all = Vec::new();
    let mut add = |at: &Path, model: Model| -> io::Result<()> {
        let copy = spec.base.join(format!("empty{}", all.len()));
        folders::copy(at, &copy, model)?;
        all.push((copy, at.to_owned()));
        Ok(())
    };
    for folder in EMPTIED.iter().map(Path::new).filter(|folder| folder.is_dir()) {
        add(folder, Model::WithFolders)?;
    }
    for folder in TEMPORARY.iter().map(Path::new).filter(|folder| folder.is_dir()) {
        add(folder, Model::Alone)?;
    }
    let is_emptied = |folder: &PathBuf| EMPTIED.iter().any(|root| folder.starts_with(root));
    for folder in spec.data.iter().filter(|folder| folder.is_dir() && !is_emptied(folder)) {
        // A daemon may look for its own folders in it, and makes their files.
        add(folder, if spec.is_filled { Model::Alone } else { Model::WithFolders })?;
    }
    Ok(all)
}
