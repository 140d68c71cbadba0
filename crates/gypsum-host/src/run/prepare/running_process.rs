//! What the running process itself says of the files: which one it was started with, and which one it sees there.

use super::check::Checked;
use gypsum_core::finding::{Finding, Severity};
use procfs::process::Process;
use std::fs::{self, Metadata};
use std::io;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};

impl Checked {
    /// A file that the running process does not read: it was started with another one, or has a root or mounts of its
    /// own. What cannot be seen of it holds nothing against the change.
    pub(super) fn read_by_process(&self) -> Option<Finding> {
        let main = self.found.main?;
        let process = Process::new(i32::try_from(main.pid).ok()?).ok()?;
        let home = self.proposal.home();
        // The service manager reads some files for it, in its own view.
        if self.found.started_as.role_of(&home.display().to_string()).is_some() {
            return None;
        }
        self.started_with_another(&process, &home).or_else(|| sees_another(&process, &home))
    }

    /// The other installations that run here: a change is of one.
    pub(super) fn other_installations(&self) -> Option<Finding> {
        let profile = &self.proposal.request.profile;
        let others = profile.also_runs.join(", ");
        let message = format!("{others} runs here, too; this change is of {} alone", profile.daemon);
        let finding = Finding::new("other-installation", Severity::Hint, message);
        (!others.is_empty()).then(|| finding.help(format!("for that one: gypsum change {others}")))
    }

    fn started_with_another(&self, process: &Process, home: &Path) -> Option<Finding> {
        let words = process.cmdline().ok()?;
        let files: Vec<PathBuf> = words.iter().skip(1).filter_map(|word| file_in(word)).collect();
        let loaded = &self.proposal.before.loaded;
        let is_ours = |file: &PathBuf| loaded.iter().any(|one| one.real == *file || one.name == *file);
        if files.iter().any(is_ours) {
            return None;
        }
        // A file of the same name elsewhere is the same file of another installation.
        let other = files.iter().find(|file| file.file_name() == home.file_name())?;
        let daemon = &self.proposal.request.profile.daemon;
        let message = format!("{daemon} was started with {}, and not with this file", other.display());
        let help = format!(
            "change that one: gypsum change NAME --file {} --unit {}",
            other.display(),
            self.service.name()
        );
        Some(Finding::fault("other-file", message).in_file(&home.display().to_string()).help(help))
    }
}

/// The file that a word of a command line names: by itself, or behind `=`.
fn file_in(word: &str) -> Option<PathBuf> {
    let path = word.rsplit('=').next().filter(|path| path.starts_with('/'))?;
    fs::canonicalize(path).ok().filter(|path| path.is_file())
}

/// The kernel's word: what the process sees at the path is another file than the one that is changed.
fn sees_another(process: &Process, home: &Path) -> Option<Finding> {
    let of_process = PathBuf::from(format!("/proc/{}", process.pid));
    let namespace = |process: &Path| fs::read_link(process.join("ns/mnt"));
    // In the same view a daemon may shut itself into a folder after it has read its files.
    if namespace(&of_process).ok()? == namespace(Path::new("/proc/self")).ok()? {
        return None;
    }
    let theirs = at(&of_process.join("root").join(home.strip_prefix("/").unwrap_or(home)))?;
    let ours = at(home)?;
    let mark = |meta: &Metadata| (meta.dev(), meta.ino());
    let message = match theirs {
        Some(theirs) if Some(mark(&theirs)) == ours.as_ref().map(mark) => return None,
        Some(_) => "the running process sees another file here: it has a root or mounts of its own",
        // A file that is new is in no view yet.
        None if ours.is_none() => return None,
        None => "the running process sees no such file: it has a root or mounts of its own",
    };
    let help = format!("see findmnt -N {}, and change the file that the process sees", process.pid);
    Some(Finding::fault("other-file", message).in_file(&home.display().to_string()).help(help))
}

/// What is at a path; the outer `None` where that cannot be seen.
fn at(path: &Path) -> Option<Option<Metadata>> {
    match fs::metadata(path) {
        Ok(meta) => Some(Some(meta)),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Some(None),
        Err(_) => None,
    }
}
