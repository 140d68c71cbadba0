//! A message that reaches a log: sent as programs send theirs, and looked for in the file.

use super::ProbeError;
use gypsum_core::probe::Logged;
use memchr::memmem;
use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom};
use std::os::unix::net::UnixDatagram;
use std::path::Path;
use std::time::{Duration, Instant};

/// Where the syslog daemon hears messages: from systemd's journal, which hears programs first and drops those of a unit that
/// are below its level, as ours are; else from programs (syslog(3)).
const SOCKETS: [&str; 2] = ["/run/systemd/journal/syslog", "/dev/log"];
/// How often the file is looked at.
const LOOK: Duration = Duration::from_millis(20);
/// So much of what came to the file is searched at one look, in bytes.
const MOST: u64 = 4 << 20;

pub fn probe(logged: &Logged, limit: Duration) -> Result<String, ProbeError> {
    let begun = Instant::now();
    let from = size_of(logged)?;
    let token = token()?;
    send(logged.priority, &token, limit)?;
    loop {
        if has(logged, from, token.as_bytes())? {
            return Ok(format!("a message of {} came after {} ms", logged.of, begun.elapsed().as_millis()));
        }
        if begun.elapsed() >= limit {
            let (of, ms) = (&logged.of, limit.as_millis());
            return Err(format!("a message of {of} did not come within {ms} ms").into());
        }
        std::thread::sleep(LOOK);
    }
}

/// A word that no other message has.
fn token() -> Result<String, ProbeError> {
    let token = std::fs::read_to_string("/proc/sys/kernel/random/uuid").map_err(ProbeError::io)?;
    Ok(token.trim().to_owned())
}

/// As syslog(3) writes it to a local socket: the daemon adds the time and the host.
fn send(priority: u16, token: &str, limit: Duration) -> Result<(), ProbeError> {
    let message = format!("<{priority}>gypsum: a health check writes this line: {token}");
    let at = SOCKETS.into_iter().find(|path| Path::new(path).exists()).unwrap_or(SOCKETS[1]);
    let socket = UnixDatagram::unbound().map_err(ProbeError::io)?;
    // A daemon that has stopped reading takes no more at some time.
    socket.set_write_timeout(Some(limit)).map_err(ProbeError::io)?;
    let sent = socket.send_to(message.as_bytes(), at);
    sent.map(drop).map_err(|error| ProbeError::tried(format!("{at} takes no message"), error))
}

/// How long the file is; nothing of one that is not there yet.
fn size_of(logged: &Logged) -> Result<u64, ProbeError> {
    Ok(open(logged)?
        .map(|file| file.metadata().map(|meta| meta.len()))
        .transpose()
        .map_err(ProbeError::io)?
        .unwrap_or(0))
}

fn open(logged: &Logged) -> Result<Option<File>, ProbeError> {
    match File::open(&logged.file) {
        Ok(file) => Ok(Some(file)),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(error) if error.kind() == io::ErrorKind::PermissionDenied => {
            Err(ProbeError::NotAllowed(logged.file.clone()))
        }
        Err(error) => Err(ProbeError::tried(format!("{} cannot be read", logged.file), error)),
    }
}

/// Whether it came, from there on; from the beginning of a file that was begun anew meanwhile.
fn has(logged: &Logged, from: u64, token: &[u8]) -> Result<bool, ProbeError> {
    let Some(mut file) = open(logged)? else { return Ok(false) };
    let mut text = Vec::new();
    let read = file.metadata().and_then(|meta| {
        let from = if meta.len() < from { 0 } else { from };
        file.seek(SeekFrom::Start(from))?;
        (&mut file).take(MOST).read_to_end(&mut text)
    });
    read.map_err(ProbeError::io)?;
    Ok(memmem::find(&text, token).is_some())
}
