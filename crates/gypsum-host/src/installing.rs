//! What every part needs that is installed to run by itself: this program's path, and files that are there wholly.

use crate::error::Error;
use crate::trust::{self, Relied};
use std::fs;
use std::io::{self, Write};
use std::os::unix::fs::PermissionsExt;
use std::path::Path;

/// The path of this program, which root alone can change and which a shell reads as it is.
///
/// # Errors
///
/// If it is not so, or cannot be seen.
pub fn own_program() -> Result<String, Error> {
    let program = std::env::current_exe()
        .map_err(|error| Error::cannot(format!("where this program is cannot be seen: {error}")))?;
    trust::open(Relied::Program, &program)?;
    let path = program.to_str().filter(|path| path.bytes().all(is_plain)).map(str::to_owned);
    path.ok_or_else(|| {
        Error::cannot(format!("the path {} has a character that a shell reads otherwise", program.display()))
            .help("install it at a plain path, such as /usr/local/bin/gypsum")
    })
}

/// Writes a file of this mode, durably; one that is there is replaced. Its folder is made where there is none.
///
/// # Errors
///
/// If it cannot be written; then it is as it was.
pub fn write_whole(path: &Path, text: &str, mode: u32) -> Result<(), Error> {
    let written = || -> io::Result<()> {
        let folder = path.parent().unwrap_or(path);
        fs::create_dir_all(folder)?;
        let mut temporary = tempfile::Builder::new().prefix(".gypsum-").tempfile_in(folder)?;
        temporary.write_all(text.as_bytes())?;
        temporary.as_file().set_permissions(PermissionsExt::from_mode(mode))?;
        temporary.as_file().sync_all()?;
        temporary.persist(path)?;
        fs::File::open(folder)?.sync_all()
    };
    written().map_err(|error| Error::file("write", path, error))
}

/// Removes a file; whether it was there.
///
/// # Errors
///
/// If it is there and cannot be removed.
pub fn remove_whole(path: &Path) -> Result<bool, Error> {
    match fs::remove_file(path) {
        Ok(()) => Ok(true),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(false),
        Err(error) => Err(Error::file("remove", path, error)),
    }
}

/// Whether a shell, dpkg and a service manager read a byte as itself.
fn is_plain(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || matches!(byte, b'/' | b'-' | b'_' | b'.' | b'+')
}
