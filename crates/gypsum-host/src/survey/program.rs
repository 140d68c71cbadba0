//! The names that a running program holds.

use gypsum_core::service::Observation;
use gypsum_core::survey::Answer;
use memchr::memmem;
use std::fs::File;
use std::io::{self, Read};

/// More of a program than this is not searched, in bytes.
const MOST: u64 = 128 << 20;

/// Which of these names the main process's program holds, each with a NUL byte behind it.
pub(super) fn holds(seen: &Observation, names: &[String]) -> Answer {
    let Some(main) = seen.main else { return Answer::Unknown };
    // The kernel's own name of it leads to the program that runs, though another one is in its place by now.
    let read = || -> io::Result<Vec<u8>> {
        let mut bytes = Vec::new();
        File::open(format!("/proc/{}/exe", main.pid))?.take(MOST).read_to_end(&mut bytes)?;
        Ok(bytes)
    };
    match read() {
        Ok(bytes) => {
            let is_held = |name: &&String| memmem::find(&bytes, &[name.as_bytes(), b"\0"].concat()).is_some();
            Answer::Words(names.iter().filter(is_held).cloned().collect())
        }
        Err(error) => {
            tracing::debug!(%error, "the running program cannot be read");
            Answer::Unknown
        }
    }
}
