//! A message that reaches a log: sent as programs send theirs, and looked for in the file.

use super::ProbeError;
use crate::logs::Mark;
use gypsum_core::probe::Logged;
use std::io;
use std::os::unix::net::UnixDatagram;
use std::path::Path;
use std::time::{Duration, Instant};

/// Where the syslog daemon hears messages: from systemd's journal, which hears programs first and drops those of a unit that
/// are below its level, as ours are; else from programs (syslog(3)).
const SOCKETS: [&str; 2] = ["/run/systemd/journal/syslog", "/dev/log"];
/// How often the file is looked at.
const LOOK: Duration = Duration::from_millis(20);

pub fn probe(logged: &Logged, limit: Duration) -> Result<String, ProbeError> {
    let begun = Instant::now();
    let file = Path::new(&logged.file);
    let mark = Mark::at(0, std::slice::from_ref(&logged.file));
    let came = || mark.since(file).map_err(|error| unreadable(logged, error));
    // Nothing is written where nothing could be seen.
    came()?;
    let token = token()?;
    send(logged.priority, &token, limit)?;
    loop {
        if came()?.contains(&token) {
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

fn unreadable(logged: &Logged, error: io::Error) -> ProbeError {
    match error.kind() {
        io::ErrorKind::PermissionDenied => ProbeError::NotAllowed(logged.file.clone()),
        _ => ProbeError::tried(format!("{} cannot be read", logged.file), error),
    }
}
