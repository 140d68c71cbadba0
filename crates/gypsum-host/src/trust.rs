//! What root relies on must be in root's hands alone: a profile names commands, a record says which files to write.

use crate::accounts;
use crate::disk::keeping_out::Unsafe;
use crate::disk::walk::{self, Place};
use crate::disk::writers::{self, Writers};
use crate::error::Error;
use std::fs::File;
use std::io;
use std::path::Path;

/// What is relied on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Relied {
    /// A profile.
    Profile,
    /// Gypsum's own settings.
    Settings,
    /// The state folder.
    State,
    /// This program, where another one runs it as root.
    Program,
}

/// Opens a file that only root can have written, and every folder above it; for another account, one that it may read.
/// What was checked is what is then read.
///
/// # Errors
///
/// If another account could have written it, or it cannot be read.
pub fn open(relied: Relied, path: &Path) -> Result<File, Error> {
    let place = walk::resolve(path).map_err(|error| error_of(relied, "read", path, error))?;
    if !rustix::process::geteuid().is_root() {
        return place.open().map_err(|error| Error::file("read", path, error));
    }
    refuse_account(relied, path, &place)?;
    let failed = |error: io::Error| Error::file("read", path, error);
    let file = place.open().map_err(failed)?;
    let meta = rustix::fs::fstat(&file).map_err(|error| failed(error.into()))?;
    refuse(relied, path, &place.real, writers::of(&file, &meta))?;
    Ok(file)
}

/// Refuses a folder in which another account could have put something. Of one that does not exist the folders above
/// are looked at.
///
/// # Errors
///
/// If another account could, or it cannot be looked at.
pub fn check_folder(relied: Relied, path: &Path) -> Result<(), Error> {
    if !rustix::process::geteuid().is_root() {
        return Ok(());
    }
    for folder in path.ancestors() {
        let place = match walk::folder_to_use(folder) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => continue,
            place => place.map_err(|error| error_of(relied, "use the state folder", path, error))?,
        };
        refuse_account(relied, path, &place)?;
        let meta =
            rustix::fs::fstat(&place.folder).map_err(|error| Error::file("use", path, error.into()))?;
        // What is to be made in a sticky folder nobody else can take away again.
        let others = match folder == path {
            true => writers::of(&place.folder, &meta),
            false => writers::of_folder(&place.folder, &meta, None),
        };
        return refuse(relied, path, &place.real, others);
    }
    Ok(())
}

fn error_of(relied: Relied, operation: &str, path: &Path, error: io::Error) -> Error {
    match Unsafe::of(&error) {
        Some(Unsafe::Shared { folder, who }) => not_used(relied, path, folder, who),
        Some(Unsafe::Link { link, who }) => not_used(relied, path, link, who),
        Some(Unsafe::Served { .. } | Unsafe::Owner { .. }) | None => {
            let error = Error::file(operation, path, error);
            match relied {
                Relied::State => error.help("say where to keep backups: --state DIR"),
                Relied::Profile | Relied::Settings | Relied::Program => error,
            }
        }
    }
}

/// A way through a folder of another account is that account's.
fn refuse_account(relied: Relied, path: &Path, place: &Place) -> Result<(), Error> {
    match &place.account {
        Some(account) => refuse(relied, path, &place.real, Writers::Account(account.uid)),
        None => Ok(()),
    }
}

fn refuse(relied: Relied, path: &Path, place: &Path, others: Writers) -> Result<(), Error> {
    let who = match others {
        Writers::Nobody => return Ok(()),
        Writers::Account(uid) => format!("the account {}", accounts::user_name(uid)),
        Writers::Several(who) => who,
    };
    Err(not_used(relied, path, place, &who))
}

fn not_used(relied: Relied, path: &Path, place: &Path, who: &str) -> Error {
    let (path, place) = (path.display(), place.display());
    let (what, help) = match relied {
        Relied::Profile => (
            "the profile",
            format!(
                "a profile names commands that run as root: chown root:root {place} && chmod go-w {place}"
            ),
        ),
        Relied::Program => (
            "this program",
            "it is to run as root at each upgrade: install it where root alone can change it, such as /usr/local/bin"
                .to_owned(),
        ),
        Relied::Settings => (
            "the file of settings",
            format!("it says what is done as root: chown root:root {place} && chmod go-w {place}"),
        ),
        Relied::State => (
            "the state folder",
            "its records say what is done as root: use one that root alone can change, --state DIR"
                .to_owned(),
        ),
    };
    Error::refused(format!("{what} {path} is not used: {who} can change {place}")).help(help)
}
