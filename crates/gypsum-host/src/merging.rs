//! Three versions of one file of a daemon, merged as its format has it.

use crate::disk::Disk;
use crate::error::Error;
use crate::files::Loading;
use gypsum_core::doc::Document;
use gypsum_core::merge::{Conflict, merge};
use gypsum_core::profile::Profile;
use std::path::Path;

/// What both versions make of `base`, or where they touch. The format is that of the file where it is one of those that
/// were loaded, else that of the profile.
///
/// # Errors
///
/// If one of them cannot be read in that format.
pub fn merged(
    loading: &Loading,
    profile: &Profile,
    path: &Path,
    base: Vec<u8>,
    ours: Vec<u8>,
    theirs: Vec<u8>,
) -> Result<Result<Vec<u8>, Vec<Conflict>>, Error> {
    let like = loading.loaded.iter().position(|loaded| loaded.real == path).map(|n| &loading.files[n].doc);
    let (family, dialect) = like.map_or_else(
        || (profile.files.format, profile.dialect.clone()),
        |doc| (doc.family(), doc.dialect().clone()),
    );
    let read = |bytes: Vec<u8>| {
        Document::read(bytes, family, dialect.clone()).map_err(|error| Error::cannot(error.to_string()))
    };
    Ok(merge(&read(base)?, &read(ours)?, &read(theirs)?))
}

/// The bytes of a file; none if it does not exist.
///
/// # Errors
///
/// If it cannot be read.
pub fn bytes_of(disk: &dyn Disk, path: &Path) -> Result<Option<Vec<u8>>, Error> {
    disk.read(path).map_err(|error| Error::file("read", path, error))
}
