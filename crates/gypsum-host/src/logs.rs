//! Log files, and how far they had come at a moment: rotated in between or not.

use std::collections::HashMap;
use std::fs::{self, File};
use std::io::{self, Read, Seek, SeekFrom};
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};

/// More of a log than this is not read.
const MOST: u64 = 1 << 20;

/// How far log files had come at a moment.
#[derive(Clone, Debug, Default)]
pub struct Marks(HashMap<PathBuf, Mark>);

/// A place in a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Mark {
    device: u64,
    inode: u64,
    size: u64,
}

fn mark(path: &Path) -> io::Result<Mark> {
    let meta = fs::metadata(path)?;
    Ok(Mark { device: meta.dev(), inode: meta.ino(), size: meta.len() })
}

impl Marks {
    /// How far these files have come. One that is not there has come nowhere.
    pub fn take<'a>(paths: impl IntoIterator<Item = &'a Path>) -> Self {
        Self(paths.into_iter().filter_map(|path| Some((path.to_owned(), mark(path).ok()?))).collect())
    }

    /// What came into the file since: where it was rotated, the rest of the old one and all of the new one.
    pub fn since(&self, path: &Path) -> io::Result<String> {
        let Some(then) = self.0.get(path) else {
            return match from(path, 0) {
                Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(String::new()),
                read => read,
            };
        };
        let now = mark(path);
        if now.as_ref().is_ok_and(|now| (now.device, now.inode) == (then.device, then.inode)) {
            // Cut off in place: all of it is new.
            let start = if now.is_ok_and(|now| now.size < then.size) { 0 } else { then.size };
            return from(path, start);
        }
        let mut text = rotated(path, then).map_or(Ok(String::new()), |old| from(&old, then.size))?;
        if now.is_ok() {
            text.push_str(&from(path, 0)?);
        }
        Ok(text)
    }
}

/// The file beside `path` that it was before it was rotated.
fn rotated(path: &Path, then: &Mark) -> Option<PathBuf> {
    let beside = fs::read_dir(path.parent()?).ok()?.flatten().map(|entry| entry.path());
    let mut same = beside
        .filter(|path| mark(path).is_ok_and(|mark| (mark.device, mark.inode) == (then.device, then.inode)));
    same.next()
}

fn from(path: &Path, start: u64) -> io::Result<String> {
    let mut file = File::open(path)?;
    file.seek(SeekFrom::Start(start))?;
    let mut bytes = Vec::new();
    file.take(MOST).read_to_end(&mut bytes)?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    #[test]
    fn what_came_since_is_read_through_a_rotation() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("tide.log");
        fs::write(&path, "old\n").unwrap();
        let marks = Marks::take([path.as_path()]);
        assert_eq!(marks.since(&path).unwrap(), "");
        fs::write(&path, "old\nnew\n").unwrap();
        assert_eq!(marks.since(&path).unwrap(), "new\n");
        fs::rename(&path, folder.path().join("tide.log.1")).unwrap();
        fs::write(&path, "fresh\n").unwrap();
        assert_eq!(marks.since(&path).unwrap(), "new\nfresh\n");
        let none = Marks::take([folder.path().join("none").as_path()]);
        assert_eq!(none.since(&path).unwrap(), "fresh\n");
        assert_eq!(none.since(&folder.path().join("none")).unwrap(), "");
    }
}
