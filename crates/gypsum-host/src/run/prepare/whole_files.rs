//! Whole files that take the place of what there is: prepared ones, drafts, backups.

use super::difference::{Difference, shown_companion, shown_link};
use super::new_file::NewFile;
use super::proposal::Drawn;
use crate::disk::walk::ownership_of;
use crate::disk::{Disk, link_target};
use crate::error::Error;
use crate::files::Loading;
use gypsum_core::doc::Document;
use gypsum_core::text::Bytes;
use std::path::{Path, PathBuf};

/// These files as a whole, in place of what they hold.
pub(super) fn draw(
    loading: &Loading,
    files: &[(PathBuf, Option<Vec<u8>>)],
    disk: &dyn Disk,
) -> Result<Drawn, Error> {
    let mut after = loading.files.clone();
    let (mut new_files, mut edits) = (Vec::new(), Vec::new());
    for (path, bytes) in files {
        let before = disk.read(path).map_err(|error| Error::file("read", path, error))?;
        if before == *bytes {
            continue;
        }
        let difference = Difference::of(before.as_deref(), bytes.as_deref());
        let link = |bytes: &Option<Vec<u8>>| bytes.as_deref().and_then(link_target).map(Path::to_owned);
        match (link(&before), link(bytes)) {
            (None, None) if loading.loaded.iter().any(|file| file.real == *path) => {
                edits.extend(difference.shown(path));
            }
            // Nothing says that it is configuration.
            (None, None) => {
                let was = ownership_of(path).map_err(|error| Error::file("look at", path, error))?;
                let was = was.and_then(|was| was.mode);
                let is = bytes.as_deref().map(|bytes| (bytes, was));
                edits.push(shown_companion(path, before.as_deref().map(|bytes| (bytes, was)), is));
            }
            (was, is) => {
                edits.extend(was.map(|target| shown_link(path, &target, false)));
                edits.extend(is.map(|target| shown_link(path, &target, true)));
            }
        }
        match (loading.loaded.iter().position(|file| file.real == *path), bytes) {
            (Some(n), Some(bytes)) => after[n].doc = reread(&loading.files[n].doc, bytes.clone())?,
            (Some(n), None) => after[n].doc = reread(&loading.files[n].doc, Vec::new())?,
            (None, _) => {}
        }
        let shifts = difference.shifts();
        let (before, after) = (before.map(Bytes::from), bytes.clone().map(Bytes::from));
        new_files.push(NewFile { real: path.clone(), before, after, shifts, ownership: None });
    }
    Ok(Drawn { after, new_files, edits })
}

fn reread(like: &Document, bytes: Vec<u8>) -> Result<Document, Error> {
    Document::read(bytes, like.family(), like.dialect().clone())
        .map_err(|error| Error::cannot(error.to_string()))
}
