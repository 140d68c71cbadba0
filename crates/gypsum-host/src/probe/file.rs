//! A file: whether it is there, whose it is, how old it is, what it holds.

use super::ProbeError;
use gypsum_core::probe::FileProperty;
use std::fs;
use std::os::unix::fs::MetadataExt;
use std::time::Duration;

/// More of a file than this is not looked at.
const MOST: u64 = 8 << 20;

pub fn probe(file: &FileProperty) -> Result<String, ProbeError> {
    let meta = match fs::metadata(&file.path) {
        Ok(_) if file.absent => return Err("it is there, expected that it is not".into()),
        Ok(meta) => meta,
        Err(error) if error.kind() == std::io::ErrorKind::NotFound && file.absent => {
            return Ok("it is not there, as expected".into());
        }
        Err(error) => return Err(ProbeError::io(error)),
    };
    if let Some(wanted) = &file.owner {
        let name = uzers::get_user_by_uid(meta.uid())
            .map_or_else(|| meta.uid().to_string(), |user| user.name().to_string_lossy().into_owned());
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
    let bytes = fs::read(&file.path).map_err(ProbeError::io)?;
    Ok(file.expect.judge("its text", &String::from_utf8_lossy(&bytes))?)
}
