//! The backup of one file, and how the file will be replaced.

use super::new_file::NewFile;
use crate::disk::{Disk, content_of, link_target};
use crate::error::Error;
use crate::files::can_exchange;
use crate::state::Entry;
use gypsum_core::change::{Content, PlannedFile, ReplaceBy};
use std::path::{Path, PathBuf};

/// The backup of one file, durable, read back and compared.
pub(super) fn back_up(disk: &dyn Disk, entry: &Entry, file: &NewFile) -> Result<PlannedFile, Error> {
    let backup = file.before.as_ref().map(|bytes| (entry.copy_of("before", &file.real), bytes));
    if let Some((copy, bytes)) = &backup {
        place(disk, copy, bytes, &file.real)?;
        disk.sync_file(copy).map_err(|error| Error::file("sync", copy, error))?;
        sync_up(disk, copy, &entry.folder)?;
        let again = disk.content(copy).map_err(|error| Error::file("read", copy, error))?;
        if again != content_of(Some(bytes)) {
            return Err(Error::cannot(format!(
                "the backup {} does not read back as it was written",
                copy.display()
            ))
            .help("look at that disk before anything else"));
        }
    }
    let is_link = [file.before(), file.after()].into_iter().any(|side| side.and_then(link_target).is_some());
    let how = match (&file.before, &file.after) {
        (None, _) => ReplaceBy::Create,
        (_, None) => ReplaceBy::Remove,
        _ if is_link || can_exchange(&file.real) => ReplaceBy::Exchange,
        _ => ReplaceBy::InPlace,
    };
    let ownership = file.ownership;
    if let Some(bytes) = &file.after {
        let copy = entry.copy_of("after", &file.real);
        place(disk, &copy, bytes, &file.real)?;
        if let Some(ownership) = &ownership {
            disk.set_ownership(&copy, ownership)
                .map_err(|error| Error::file("give its owner and mode to", &copy, error))?;
        }
    }
    Ok(PlannedFile {
        aside: aside(disk, entry, &file.real)?,
        path: file.real.clone(),
        before: content_of(file.before()),
        after: content_of(file.after()),
        how,
        backup: backup.map(|(copy, _)| copy),
        ownership,
    })
}

fn place(disk: &dyn Disk, copy: &Path, bytes: &[u8], like: &Path) -> Result<(), Error> {
    let failed = |error: std::io::Error| Error::file("write", copy, error);
    disk.make_folder(copy.parent().unwrap_or(copy)).map_err(failed)?;
    let like = disk.content(like).is_ok_and(|content| content != Content::Absent).then_some(like);
    disk.create(copy, bytes, like).map_err(failed)
}

/// Makes the names of all folders between a copy and the change's folder durable.
fn sync_up(disk: &dyn Disk, copy: &Path, top: &Path) -> Result<(), Error> {
    for folder in copy.ancestors().skip(1).take_while(|folder| *folder != top) {
        disk.sync_folder(folder).map_err(|error| Error::file("sync", folder, error))?;
    }
    Ok(())
}

/// A name beside the file that no include pattern reads (they leave out names with a leading dot,
/// and by their ending), and that is free: what is there may be the only copy of something.
fn aside(disk: &dyn Disk, entry: &Entry, path: &Path) -> Result<PathBuf, Error> {
    let name = path.file_name().map_or_else(String::new, |name| name.to_string_lossy().into_owned());
    let taken = |error: std::io::Error| Error::file("look beside", path, error);
    for more in ["", "b", "c", "d", "e"] {
        let aside = path.with_file_name(format!(".{name}.gypsum-{:04}{more}~", entry.number));
        if disk.content(&aside).map_err(taken)? == Content::Absent {
            return Ok(aside);
        }
    }
    Err(Error::cannot(format!("there are too many leftovers beside {}", path.display()))
        .help(format!("look at .{name}.gypsum-* there: one may hold an original")))
}
