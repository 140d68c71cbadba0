//! What is to be seen of a daemon that has no profile: its unit, its process, its configuration file, what checks it,
//! and where it listens.

mod checker;
mod config_file;
mod listens;
mod package;
mod unit;

use crate::disk::walk::{open_to_read, read_whole};
use crate::error::Error;
use crate::profiles::check_name;

use gypsum_core::starter::{FileFormat, Sighting, guess};
use std::path::{Path, PathBuf};
use unit::SeenUnit;

/// More than this no configuration file has that a profile is begun from, in bytes.
const MOST_BYTES: usize = 16 << 20;

/// What the person says of the daemon; the rest is looked for.
#[derive(Clone, Debug, Default)]
pub struct Named {
    /// Its configuration file.
    pub file: Option<PathBuf>,
    /// The unit that runs it.
    pub unit: Option<String>,
    /// The form that it is written in.
    pub form: Option<FileFormat>,
    /// Whether it is to be reloaded, and not restarted.
    pub reload: bool,
}

/// Looks at a daemon.
///
/// # Errors
///
/// If no configuration file is named and none is found, or it cannot be read.
pub fn look(daemon: &str, named: &Named) -> Result<Sighting, Error> {
    check_name(daemon)?;
    let unit = unit::find(daemon, named.unit.as_deref())?;
    let package = package::of(unit.as_ref().and_then(|unit| unit.program.as_deref()), daemon);
    let (file, found_by) = match &named.file {
        Some(file) => (std::path::absolute(file).map_err(|error| Error::file("use", file, error))?, None),
        None => {
            let (file, how) =
                config_file::find(daemon, unit.as_ref(), &package).ok_or_else(|| none(daemon))?;
            (file, Some(how))
        }
    };
    let bytes = open_to_read(&file)
        .and_then(|open| read_whole(open, MOST_BYTES))
        .map_err(|error| Error::file("read", &file, error))?;
    let path = file.to_str().ok_or_else(|| Error::usage("the name of the file is not UTF-8"))?.to_owned();
    let guessed = guess(&path, &bytes);
    let (existing, folders) = named_paths(&bytes);
    let (listens, sockets) = unit.as_ref().map(listens::of).unwrap_or_default();
    Ok(Sighting {
        daemon: daemon.to_owned(),
        found_by,
        because: named.form.is_none().then_some(guessed.because),
        form: named.form.clone().map_or(guessed.form, |form| form.as_seen(&bytes)),
        unit: unit.as_ref().map(|unit| unit.name.clone()),
        reload: named.reload,
        account: unit.as_ref().and_then(|unit| unit.account.clone()),
        checker: checker::find(daemon, &file, &bytes, unit.as_ref(), &package.name),
        listens,
        sockets,
        existing,
        folders,
        file: path,
        bytes,
    })
}

fn none(daemon: &str) -> Error {
    Error::cannot(format!("no configuration file of {daemon} was found"))
        .help("name it: --file PATH; and the unit that runs it: --unit UNIT")
}

/// The absolute paths in a text that exist, and those that are folders.
fn named_paths(bytes: &[u8]) -> (Vec<String>, Vec<String>) {
    let text = String::from_utf8_lossy(bytes);
    let words = text.split(|c: char| c.is_whitespace() || "\"';=,<>(){}".contains(c));
    let mut paths: Vec<String> =
        words.filter(|word| word.starts_with('/') && word.len() > 1).map(str::to_owned).collect();
    paths.sort();
    paths.dedup();
    paths.retain(|path| Path::new(path).exists());
    let folders = paths.iter().filter(|path| Path::new(path).is_dir());
    let folders = folders.map(|path| path.trim_end_matches('/').to_owned()).collect();
    (paths, folders)
}

/// The unit, its package and its file are looked for with these.
type Seen<'a> = Option<&'a SeenUnit>;
