//! `/run` as it is after a boot, before anything was started, with the sockets of other services that the files name.

use super::account::Account;
use super::folders::{self, Model};
use super::spec::{Runtime, TrialSpec};
use super::unit::MadeFolder;
use crate::children;
use rustix::mount::{MountFlags, mount, mount_bind};
use std::fs::{self, File};
use std::io;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// How long its folders may take.
const LIMIT: Duration = Duration::from_secs(5);
const RUN: &str = "/run";

/// What is kept of the host's `/run`.
pub struct Kept {
    /// Its folders, where those are wanted.
    folders: Option<PathBuf>,
    files: Vec<KeptFile>,
}

/// A socket or a log of the host, kept where `/run` does not hide it.
struct KeptFile {
    copy: PathBuf,
    at: PathBuf,
    /// Mode and owner of the folder that it is in.
    folder: (u32, u32, u32),
}

/// Keeps for [`arrange`] what the trial has of the host's `/run`.
///
/// # Errors
///
/// If the kernel refuses it. A socket that is gone meanwhile is left out.
pub fn keep(spec: &TrialSpec) -> io::Result<Kept> {
    let folders = match spec.runtime {
        Runtime::AfterBoot => None,
        Runtime::AsNow => {
            let copy = spec.base.join("run");
            folders::copy(Path::new(RUN), &copy, Model::WithFolders)?;
            Some(copy)
        }
    };
    let mut files = Vec::new();
    let mut keep = |of: &Path, at: PathBuf, folder: (u32, u32, u32)| -> io::Result<()> {
        let copy = spec.base.join(format!("kept{}", files.len()));
        File::create(&copy)?;
        match mount_bind(of, &copy) {
            Ok(()) => files.push(KeptFile { copy, at, folder }),
            Err(error) => tracing::debug!(%error, "{} is not there any more", of.display()),
        }
        Ok(())
    };
    for at in &spec.sockets {
        let Some(Ok(meta)) = at.parent().map(fs::metadata) else { continue };
        keep(at, at.clone(), (meta.mode() & 0o7777, meta.uid(), meta.gid()))?;
    }
    for (log, kept) in spec.logs() {
        for suffix in ["", ".1"] {
            let of = PathBuf::from(format!("{log}{suffix}"));
            if of.is_file() {
                keep(&of, PathBuf::from(format!("{kept}{suffix}")), (0o755, 0, 0))?;
            }
        }
    }
    Ok(Kept { folders, files })
}

/// Makes the new `/run`.
///
/// # Errors
///
/// If the kernel refuses it. What the host makes in it at each boot may be missing.
pub fn arrange(kept: Kept) -> io::Result<()> {
    match kept.folders {
        Some(copy) => mount_bind(&copy, RUN)?,
        None => {
            let plain = MountFlags::NOSUID | MountFlags::NODEV;
            mount("tmpfs", RUN, "tmpfs", plain, Some(c"mode=755,size=64m"))?;
            let argv = ["systemd-tmpfiles", "--create", "--prefix=/run"].map(str::to_owned);
            match children::run(&argv, LIMIT) {
                Ok(ran) if ran.ok() => {}
                // It says so of single lines that it cannot carry out, too.
                Ok(ran) => tracing::debug!(said = ran.last_words(), "folders of a boot may be missing"),
                Err(error) => tracing::debug!(%error, "the folders of a boot are missing"),
            }
        }
    }
    for KeptFile { copy, at, folder: (mode, user, group) } in kept.files {
        if let Some(folder) = at.parent().filter(|folder| *folder != Path::new(RUN)) {
            folders::make(folder, mode, Some((user, group)))?;
        }
        File::create(&at)?;
        mount_bind(&copy, &at)?;
    }
    Ok(())
}

/// Makes the folders that the service manager makes at each start.
///
/// # Errors
///
/// If one cannot be made.
pub fn make_folders(wanted: &[MadeFolder], account: Option<&Account>) -> io::Result<()> {
    let owner = account.map_or((0, 0), |account| (account.user, account.group));
    wanted.iter().try_for_each(|folder| folders::make(&folder.path, folder.mode, Some(owner)))
}

/// Copies the credentials to where the daemon looks for them (systemd.exec(5), LoadCredential=); the folder.
///
/// # Errors
///
/// If one cannot be read.
pub fn hand_over(
    credentials: &[(String, PathBuf)],
    account: Option<&Account>,
) -> io::Result<Option<PathBuf>> {
    if credentials.is_empty() {
        return Ok(None);
    }
    let owner = account.map_or((0, 0), |account| (account.user, account.group));
    let folder = Path::new(RUN).join("credentials/trial");
    folders::make(&folder, 0o500, Some(owner))?;
    for (name, file) in credentials {
        let at = folder.join(name);
        fs::copy(file, &at)?;
        std::os::unix::fs::chown(&at, Some(owner.0), Some(owner.1))?;
    }
    Ok(Some(folder))
}
