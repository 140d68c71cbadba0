//! The security label of a new file, where SELinux labels files. The kernel gives a new file the type of its folder; what
//! its place wants may be another one, and the policy's own program tells which (`matchpathcon`(8)). A file that is
//! replaced keeps its label as one of its attributes.

use crate::children;
use crate::disk::walk;
use rustix::fs::XattrFlags;
use std::fs;
use std::io;
use std::path::Path;
use std::time::Duration;

/// The label, as an attribute (xattr(7)).
const LABEL: &str = "security.selinux";
/// The program answers from a file.
const LIMIT: Duration = Duration::from_secs(5);

/// Gives the new file at `aside` the label that `path` wants, before it goes there. Returns what a person should know:
/// that it has not got it, and what to do then.
pub fn set_label(path: &Path, aside: &Path) -> Option<String> {
    // A link has no bytes that anybody reads by its own label.
    if !labels_files() || !is_file(aside) {
        return None;
    }
    let set = wanted(path).and_then(|label| label.map_or(Ok(()), |label| give(aside, &label)));
    let error = set.err()?;
    let path = path.display();
    Some(format!(
        "the new {path} has the security label of its folder ({error}); to give it its own: restorecon {path}"
    ))
}

fn is_file(path: &Path) -> bool {
    let looked = walk::place(path).and_then(|place| place.look());
    // What cannot be looked at is told by what is done next.
    !matches!(looked, Ok(Some(meta)) if !meta.is_file())
}

/// The kernel lists this file system if SELinux was enabled when it started.
fn labels_files() -> bool {
    match fs::read_to_string("/proc/filesystems") {
        Ok(list) => list.lines().any(|line| line.split_whitespace().last() == Some("selinuxfs")),
        Err(error) => {
            tracing::warn!(%error, "it is unknown whether this host labels files");
            false
        }
    }
}

/// The label that the policy has for a file at `path`; `None` if the policy leaves it as it is.
fn wanted(path: &Path) -> io::Result<Option<String>> {
    let argv = ["matchpathcon", "-n", "-m", "file"].map(str::to_owned);
    let argv = [&argv[..], &[path.to_string_lossy().into_owned()]].concat();
    let ran = children::run(&argv, LIMIT).map_err(|error| match error.kind() {
        io::ErrorKind::NotFound => io::Error::other("matchpathcon is not installed"),
        _ => error,
    })?;
    let label = ran.out.trim();
    match (ran.status, label) {
        (Some(0), "" | "<<none>>") => Ok(None),
        (Some(0), label) => Ok(Some(label.to_owned())),
        _ if ran.timed_out => Err(io::Error::other("matchpathcon does not answer")),
        _ => Err(io::Error::other(format!("matchpathcon says: {}", ran.err.trim()))),
    }
}

/// The kernel's labels end with a NUL byte.
fn give(file: &Path, label: &str) -> io::Result<()> {
    let value = [label.as_bytes(), b"\0"].concat();
    let file = walk::place(file)?.open()?;
    rustix::fs::fsetxattr(&file, LABEL, &value, XattrFlags::empty())?;
    file.sync_all()
}
