//! Log files, and how far they had come at a moment: rotated in between or not.

use crate::disk::entries;
use crate::disk::walk::{open_to_read, place_to_read};
use std::collections::HashMap;
use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom};
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};

/// More of a log than this is not read.
const MOST: u64 = 1 << 20;

/// So much of what a log said before is read, in bytes.
const TAIL: u64 = 256 << 10;

/// A moment, and how far log files had come at it.
#[derive(Clone, Debug, Default)]
pub struct Mark {
    /// The moment, in milliseconds since 1970.
    pub at_ms: i64,
    files: HashMap<PathBuf, Place>,
}

/// A place in a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Place {
    device: u64,
    inode: u64,
    size: u64,
}

fn end_of(path: &Path) -> io::Result<Place> {
    let meta = place_to_read(path)?.look()?.ok_or(rustix::io::Errno::NOENT)?;
    Ok(Place { device: meta.dev(), inode: meta.ino(), size: meta.len() })
}

impl Mark {
    /// How far these files have come at this moment. One that is not there has come nowhere.
    pub fn at(at_ms: i64, files: &[String]) -> Self {
        let paths = files.iter().map(PathBuf::from);
        let files = paths.filter_map(|path| end_of(&path).ok().map(|place| (path, place))).collect();
        Self { at_ms, files }
    }

    /// What came into the file since: where it was rotated, the rest of the old one and all of the new one.
    pub fn since(&self, path: &Path) -> io::Result<String> {
        let Some(then) = self.files.get(path) else {
            return match from(path, 0) {
                Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(String::new()),
                read => read,
            };
        };
        let now = end_of(path);
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

impl Mark {
    /// A moment alone.
    pub fn moment(at_ms: i64) -> Self {
        Self { at_ms, ..Self::default() }
    }

    /// What the file said before, as far as its last 256 KiB go.
    pub fn before(&self, path: &Path) -> io::Result<String> {
        let Some(then) = self.files.get(path) else { return Ok(String::new()) };
        let now = end_of(path);
        let is_same = now.is_ok_and(|now| (now.device, now.inode) == (then.device, then.inode));
        let path = if is_same { Some(path.to_owned()) } else { rotated(path, then) };
        let Some(path) = path else { return Ok(String::new()) };
        tail(open_to_read(&path)?, then.size, TAIL)
    }
}

/// The last `most` bytes of a file up to `end`, from the first whole line on.
pub(crate) fn tail(mut file: File, end: u64, most: u64) -> io::Result<String> {
    let start = end.saturating_sub(most);
    file.seek(SeekFrom::Start(start))?;
    let mut bytes = Vec::new();
    file.take(end - start).read_to_end(&mut bytes)?;
    let text = String::from_utf8_lossy(&bytes).into_owned();
    // The first line is a part of one.
    let whole = || text.split_once('\n').map_or(String::new(), |(_, rest)| rest.to_owned());
    Ok(if start == 0 { text } else { whole() })
}

/// The file beside `path` that it was before it was rotated.
fn rotated(path: &Path, then: &Place) -> Option<PathBuf> {
    let folder = path.parent()?;
    let names = entries(folder).ok()??.into_iter().filter(|(_, kind)| kind.is_file());
    let beside = names.map(|(name, _)| folder.join(name));
    let mut same = beside.filter(|path| {
        end_of(path).is_ok_and(|place| (place.device, place.inode) == (then.device, then.inode))
    });
    same.next()
}

fn from(path: &Path, start: u64) -> io::Result<String> {
    let mut file = open_to_read(path)?;
    file.seek(SeekFrom::Start(start))?;
    let mut bytes = Vec::new();
    file.take(MOST).read_to_end(&mut bytes)?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use std::fs;

    #[test]
    fn what_came_since_is_read_through_a_rotation() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("tide.log");
        fs::write(&path, "old\n").unwrap();
        let named = |path: &Path| [path.display().to_string()];
        let marks = Mark::at(0, &named(&path));
        assert_eq!(marks.since(&path).unwrap(), "");
        assert_eq!(marks.before(&path).unwrap(), "old\n");
        fs::write(&path, "old\nnew\n").unwrap();
        assert_eq!(marks.since(&path).unwrap(), "new\n");
        fs::rename(&path, folder.path().join("tide.log.1")).unwrap();
        fs::write(&path, "fresh\n").unwrap();
        assert_eq!(marks.since(&path).unwrap(), "new\nfresh\n");
        assert_eq!(marks.before(&path).unwrap(), "old\n");
        let none = Mark::at(0, &named(&folder.path().join("none")));
        assert_eq!(none.since(&path).unwrap(), "fresh\n");
        assert_eq!(none.since(&folder.path().join("none")).unwrap(), "");
    }
}
