//! Symbolic links as something that a file transaction carries like any file: a link reads as bytes that no
//! configuration file holds, and such bytes are written as a link.

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

/// What begins the bytes of a link; a file that holds a NUL byte is never taken for a configuration.
const MARK: &[u8] = b"\0link to\0";

/// The bytes that stand for a link to `target`.
pub fn link_to(target: &Path) -> Vec<u8> {
    [MARK, target.as_os_str().as_bytes()].concat()
}

/// Where the link that `bytes` stand for leads; none where they are a file's own.
pub fn link_target(bytes: &[u8]) -> Option<&Path> {
    bytes.strip_prefix(MARK).map(|target| Path::new(OsStr::from_bytes(target)))
}
