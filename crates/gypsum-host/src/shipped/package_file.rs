//! What a package file holds, before it is installed.

use crate::children;
use crate::error::Error;
use std::path::Path;
use std::time::Duration;

/// How long a package may take to be unpacked.
const LIMIT: Duration = Duration::from_secs(60);

/// The text that a package file (`.deb`) has for a configuration file; `None` if it has none. A package that is made with
/// ucf has it under /usr: then the file of the same name there is taken.
///
/// # Errors
///
/// If the package cannot be read.
pub fn text_in_package(package: &Path, file: &Path) -> Result<Option<Vec<u8>>, Error> {
    let package = package.display().to_string();
    let listed = ran(&["/usr/bin/dpkg-deb", "--contents", &package])?;
    // The mode, the owner, the size, the day, the time, and the name with a dot before it.
    let names: Vec<&str> = listed.lines().filter_map(|line| line.split_whitespace().nth(5)).collect();
    let own = format!(".{}", file.display());
    let name = file.file_name().unwrap_or_default().to_string_lossy();
    let of_ucf = || {
        let mut same =
            names.iter().filter(|one| one.starts_with("./usr/") && one.rsplit('/').next() == Some(&name));
        same.next().filter(|_| same.next().is_none())
    };
    let Some(found) = names.iter().find(|one| **one == own).or_else(of_ucf) else { return Ok(None) };
    let quoted = shlex_word(found);
    let command =
        format!("/usr/bin/dpkg-deb --fsys-tarfile {} | /bin/tar -xO {quoted}", shlex_word(&package));
    ran(&["/bin/sh", "-c", &command]).map(|text| Some(text.into_bytes()))
}

/// A word as a shell reads it as one.
fn shlex_word(word: &str) -> String {
    format!("'{}'", word.replace('\'', "'\\''"))
}

fn ran(argv: &[&str]) -> Result<String, Error> {
    let argv: Vec<String> = argv.iter().map(|word| (*word).to_owned()).collect();
    let ran = children::run(&argv, LIMIT)
        .map_err(|error| Error::cannot(format!("dpkg-deb cannot be run: {error}")))?;
    match ran.ok() {
        true => Ok(ran.out),
        false => Err(Error::cannot(format!("the package cannot be read: {}", ran.last_words()))),
    }
}
