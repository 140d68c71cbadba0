//! Empty folders that look like those of the host.

use std::fs;
use std::io;
use std::os::unix::fs::{MetadataExt, PermissionsExt, chown};
use std::path::Path;

/// More folders than this are not made.
const MOST: usize = 4_000;
/// So deep they are made.
const DEPTH: usize = 6;

/// What of a folder is made anew.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Model {
    /// The folder alone.
    Alone,
    /// Its folders, too, and no file.
    WithFolders,
}

/// Makes `copy` like the folder `of`: owner and mode, without its files.
///
/// # Errors
///
/// If it cannot be made.
pub fn copy(of: &Path, copy: &Path, model: Model) -> io::Result<()> {
    let depth = if model == Model::WithFolders { DEPTH } else { 0 };
    one(of, copy, depth, &mut 0)
}

fn one(of: &Path, copy: &Path, depth: usize, count: &mut usize) -> io::Result<()> {
    let meta = fs::symlink_metadata(of)?;
    fs::create_dir(copy)?;
    chown(copy, Some(meta.uid()), Some(meta.gid()))?;
    fs::set_permissions(copy, fs::Permissions::from_mode(meta.mode() & 0o7777))?;
    if depth == 0 {
        return Ok(());
    }
    for entry in fs::read_dir(of)? {
        let entry = entry?;
        if entry.file_type()?.is_dir() && *count < MOST {
            *count += 1;
            one(&entry.path(), &copy.join(entry.file_name()), depth - 1, count)?;
        }
    }
    Ok(())
}

/// Makes a folder and those above it that are missing: root's, open to everybody.
///
/// # Errors
///
/// If it cannot be made.
pub fn make(folder: &Path, mode: u32, owner: Option<(u32, u32)>) -> io::Result<()> {
    if let Some(above) = folder.parent().filter(|above| !above.exists()) {
        make(above, 0o755, None)?;
    }
    if !folder.exists() {
        fs::create_dir(folder)?;
        fs::set_permissions(folder, fs::Permissions::from_mode(mode))?;
    }
    if let Some((user, group)) = owner {
        chown(folder, Some(user), Some(group))?;
    }
    Ok(())
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    #[test]
    fn a_copy_has_the_folders_and_no_file() {
        let at = tempfile::tempdir().unwrap();
        let of = at.path().join("of");
        fs::create_dir_all(of.join("quay/pier")).unwrap();
        fs::write(of.join("quay/log"), "a").unwrap();
        fs::set_permissions(of.join("quay"), fs::Permissions::from_mode(0o2750)).unwrap();
        for (model, has_folders) in [(Model::Alone, false), (Model::WithFolders, true)] {
            let made = at.path().join(format!("{model:?}"));
            copy(&of, &made, model).unwrap();
            assert_eq!(made.join("quay/pier").is_dir(), has_folders);
            assert!(!made.join("quay/log").exists());
            if has_folders {
                assert_eq!(fs::metadata(made.join("quay")).unwrap().mode() & 0o7777, 0o2750);
            }
        }
    }
}
