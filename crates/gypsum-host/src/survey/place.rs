//! What is at a path, and what an account may do with it, by owner, group and mode bits.

use gypsum_core::survey::{Answer, PathProperties};
use std::fs;
use std::os::unix::fs::{FileTypeExt, MetadataExt};
use std::path::Path;

const READ: u32 = 4;
const WRITE: u32 = 2;
const PASS: u32 = 1;

/// A file that the change itself places.
pub fn to_be(path: &str) -> PathProperties {
    PathProperties {
        exists: true,
        program: true,
        standing: standing(Path::new(path)),
        ..PathProperties::default()
    }
}

/// A file that the change itself takes away.
pub fn gone(path: &str) -> PathProperties {
    PathProperties { standing: standing(Path::new(path)), ..PathProperties::default() }
}

/// A look.
pub fn look(path: &str, account: Option<&str>) -> Answer {
    let path = Path::new(path);
    let standing = standing(path);
    let meta = match fs::metadata(path) {
        Ok(meta) => Some(meta),
        Err(error)
            if matches!(error.kind(), std::io::ErrorKind::NotFound | std::io::ErrorKind::NotADirectory) =>
        {
            None
        }
        // What we may not look at we do not judge.
        Err(_) => return Answer::Unknown,
    };
    let person = match account {
        None => None,
        Some(name) => match Person::named(name) {
            Some(person) => Some(person),
            None => return Answer::Path(property(meta.as_ref(), standing)),
        },
    };
    let mut property = property(meta.as_ref(), standing);
    if let Some(person) = person {
        let passes = path
            .ancestors()
            .skip(1)
            .all(|folder| fs::metadata(folder).map_or(true, |meta| person.may(&meta, PASS)));
        match &meta {
            Some(meta) => {
                let folder = if meta.is_dir() { PASS } else { 0 };
                property.readable = Some(passes && person.may(meta, READ | folder));
                property.writable = Some(passes && person.may(meta, WRITE | folder));
            }
            None => {
                let folder = fs::metadata(&property.standing).ok();
                property.writable = folder.map(|folder| passes && person.may(&folder, WRITE | PASS));
            }
        }
    }
    Answer::Path(property)
}

fn property(meta: Option<&fs::Metadata>, standing: String) -> PathProperties {
    let program = |meta: &fs::Metadata| meta.is_file() && meta.mode() & 0o111 != 0;
    PathProperties {
        exists: meta.is_some(),
        folder: meta.is_some_and(fs::Metadata::is_dir),
        socket: meta.is_some_and(|meta| meta.file_type().is_socket()),
        program: meta.is_some_and(program),
        standing,
        ..PathProperties::default()
    }
}

/// The innermost folder above `path` that is there.
fn standing(path: &Path) -> String {
    let folder = path.ancestors().skip(1).find(|folder| folder.is_dir());
    folder.map_or_else(|| "/".to_owned(), |folder| folder.display().to_string())
}

/// An account with its groups.
struct Person {
    user: u32,
    groups: Vec<u32>,
}

impl Person {
    fn named(name: &str) -> Option<Self> {
        let user = uzers::get_user_by_name(name)?;
        let groups = user.groups().unwrap_or_default().iter().map(uzers::Group::gid).collect();
        Some(Self { user: user.uid(), groups })
    }

    /// Whether the mode bits let it do all of `wanted`. Access lists may let it do more; where a file has one, the
    /// group bits are their mask, and nothing is held against it.
    fn may(&self, meta: &fs::Metadata, wanted: u32) -> bool {
        let mode = meta.mode();
        let bits = if self.user == 0 {
            return true;
        } else if meta.uid() == self.user {
            mode >> 6
        } else if self.groups.contains(&meta.gid()) {
            mode >> 3
        } else {
            mode
        };
        bits & wanted == wanted
    }
}
