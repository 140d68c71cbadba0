//! A file: whether it is there, whose it is, how old it is, what it holds.

use super::ProbeError;
use crate::accounts::user_name;
use crate::disk::walk::{open_to_read, place_to_read, read_whole};
use gypsum_core::probe::FileProperty;
use std::io;
use std::os::unix::fs::MetadataExt;
use std::path::Path;
use std::time::Duration;

/// More of a file than this is not looked at.
const MOST: u64 = 8 << 20;

pub fn probe(file: &FileProperty) -> Result<String, ProbeError> {
    let path = Path::new(&file.path);
    let found = match place_to_read(path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => None,
        place => place.and_then(|place| place.look()).map_err(ProbeError::io)?,
    };
    let meta = match found {
        Some(_) if file.absent => return Err("it is there, expected that it is not".into()),
        Some(meta) => meta,
        None if file.absent => return Ok("it is not there, as expected".into()),
        None => return Err(ProbeError::io(rustix::io::Errno::NOENT.into())),
    };
    if let Some(wanted) = &file.owner {
        let name = user_name(meta.uid());
        if name != *wanted {
            return Err(format!("belongs to {name}, expected {wanted}").into());
        }
    }
    if let Some(wanted) = &file.mode {
        let mode = meta.mode() & 0o7777;
        if u32::from_str_radix(wanted, 8) != Ok(mode) {
            return Err(format!("has mode {mode:04o}, expected {wanted}").into());
        }
    }
    if let Some(most) = file.younger_ms.map(Duration::from_millis) {
        let age = meta.modified().ok().and_then(|written| written.elapsed().ok()).unwrap_or_default();
        if age > most {
            return Err(format!(
                "was last written {} s ago, expected at most {} s",
                age.as_secs(),
                most.as_secs()
            )
            .into());
        }
    }
    if file.expect.is_empty() {
        return Ok("is there as expected".into());
    }
    if meta.len() > MOST {
        return Err(format!("has {} bytes, too many to look at", meta.len()).into());
    }
    let most = usize::try_from(MOST).unwrap_or(usize::MAX);
    let bytes = open_to_read(path).and_then(|file| read_whole(file, most)).map_err(ProbeError::io)?;
    Ok(file.expect.judge("its text", &String::from_utf8_lossy(&bytes))?)
}
