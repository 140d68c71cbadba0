//! Small files that spare a later run some work: sealed, for this account alone, and replaced as a whole.

use gypsum_core::record::seal;
use serde::Serialize;
use std::io::{self, Write};
use std::path::Path;
use tempfile::NamedTempFile;

/// Puts `value`, sealed, in the place of the file at `path`.
///
/// # Errors
///
/// If it cannot be written there.
pub fn replace(path: &Path, value: &impl Serialize) -> io::Result<()> {
    let mut file = NamedTempFile::new_in(path.parent().unwrap_or(path))?;
    file.write_all(seal(value)?.to_string().as_bytes())?;
    file.persist(path)?;
    Ok(())
}
