//! What a daemon says in a trial, wherever it says it: standard output and error, the sockets of syslog and of the journal,
//! files in the empty folder for logs.

use crate::disk::walk::open_to_read;
use gypsum_core::trial::Said;
use std::fs;
use std::io::{self, Read};
use std::os::unix::fs::PermissionsExt;
use std::os::unix::net::UnixDatagram;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

/// More lines than this are not kept.
const MOST: usize = 2_000;
/// More of a log than this is not read, in bytes.
const MOST_BYTES: u64 = 256 << 10;
/// So many log files are read.
const MOST_FILES: usize = 64;
/// A message to the journal is not longer than this, in bytes.
const LONGEST: usize = 64 << 10;

const SYSLOG: &str = "/dev/log";
const JOURNAL: [&str; 2] = ["/run/systemd/journal/dev-log", "/run/systemd/journal/socket"];
/// Where the daemon says that it is ready.
pub const NOTIFY: &str = "/run/gypsum-notify";
/// Where its output goes.
pub const OUTPUT: &str = "/run/gypsum-output";

/// What comes over sockets.
#[derive(Clone, Default)]
pub struct Heard(Arc<Mutex<Told>>);

#[derive(Default)]
struct Told {
    said: Vec<Said>,
    is_ready: bool,
}

impl Heard {
    /// Opens the sockets, and listens.
    ///
    /// # Errors
    ///
    /// If one cannot be opened.
    pub fn begin() -> io::Result<Self> {
        let heard = Self::default();
        for path in JOURNAL {
            if let Some(folder) = Path::new(path).parent() {
                fs::create_dir_all(folder)?;
            }
        }
        for path in [SYSLOG].into_iter().chain(JOURNAL).chain([NOTIFY]) {
            let socket = UnixDatagram::bind(path)?;
            fs::set_permissions(path, fs::Permissions::from_mode(0o666))?;
            let heard = heard.clone();
            std::thread::Builder::new().spawn(move || heard.listen(&socket, path))?;
        }
        Ok(heard)
    }

    fn listen(&self, socket: &UnixDatagram, path: &str) {
        let mut buffer = vec![0; LONGEST];
        while let Ok(length) = socket.recv(&mut buffer) {
            let text = String::from_utf8_lossy(&buffer[..length]);
            let mut told = self.0.lock().unwrap_or_else(PoisonError::into_inner);
            if path == NOTIFY {
                told.is_ready |= text.lines().any(|line| line == "READY=1");
                continue;
            }
            let said = if path == JOURNAL[1] { of_journal(&text) } else { Some(of_syslog(&text)) };
            if told.said.len() < MOST {
                told.said.extend(said);
            }
        }
    }

    /// Whether the daemon said that it is ready.
    pub fn is_ready(&self) -> bool {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).is_ready
    }

    /// All that was said, in files, too.
    pub fn all(&self) -> Vec<Said> {
        let mut all = lines_of(Path::new(OUTPUT));
        all.extend(self.0.lock().unwrap_or_else(PoisonError::into_inner).said.iter().cloned());
        let mut files = Vec::new();
        files_in(Path::new("/var/log"), &mut files);
        all.extend(files.iter().flat_map(|file| lines_of(file)));
        all.truncate(MOST);
        all
    }
}

/// A message as programs write it to `/dev/log`: `<30>Nov 30 05:00:00 name[1]: text`, the time and name being optional.
fn of_syslog(text: &str) -> Said {
    let (severity, rest) = match text.strip_prefix('<').and_then(|rest| rest.split_once('>')) {
        Some((number, rest)) => (number.parse::<u8>().ok().map(|number| number % 8), rest),
        None => (None, text),
    };
    let rest = rest.trim_end_matches(['\n', '\0']);
    // Behind the sender's name and number.
    let behind = rest.split_once("]: ").filter(|(head, _)| head.contains('[') && !head.contains(": "));
    Said { text: behind.map_or(rest, |(_, text)| text).to_owned(), severity }
}

/// A message as the journal's own library sends it: `NAME=VALUE` lines.
fn of_journal(text: &str) -> Option<Said> {
    let field = |name: &str| text.lines().find_map(|line| line.strip_prefix(name)?.strip_prefix('='));
    let severity = field("PRIORITY").and_then(|number| number.parse().ok());
    Some(Said { text: field("MESSAGE")?.to_owned(), severity })
}

fn lines_of(file: &Path) -> Vec<Said> {
    let mut bytes = Vec::new();
    // One that is gone, or that is no file, says nothing.
    if let Ok(file) = open_to_read(file)
        && let Err(error) = file.take(MOST_BYTES).read_to_end(&mut bytes)
    {
        tracing::debug!(%error, "a log of the trial cannot be read");
    }
    let text = String::from_utf8_lossy(&bytes);
    let lines = text.lines().filter(|line| !line.trim().is_empty());
    lines.map(|line| Said { text: line.to_owned(), severity: None }).collect()
}

fn files_in(folder: &Path, files: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        match entry.file_type() {
            Ok(kind) if kind.is_dir() => files_in(&entry.path(), files),
            Ok(kind) if kind.is_file() && files.len() < MOST_FILES => files.push(entry.path()),
            // Links and sockets are no logs.
            Ok(_) | Err(_) => {}
        }
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    #[test]
    fn messages_are_read_as_they_are_sent() {
        for (sent, text, severity) in [
            ("<27>Nov 30 05:00:00 sshd[7]: error: Bind to port 22", "error: Bind to port 22", Some(3)),
            ("<30>boards[7]: ready\n", "ready", Some(6)),
            ("plain [7]", "plain [7]", None),
            ("<x>odd", "odd", None),
        ] {
            assert_eq!(of_syslog(sent), Said { text: text.into(), severity }, "{sent}");
        }
        let sent = "PRIORITY=3\nMESSAGE=no such quay\nX=1\n";
        assert_eq!(of_journal(sent).unwrap(), Said { text: "no such quay".into(), severity: Some(3) });
        assert_eq!(of_journal("X=1"), None);
    }
}
