//! What a server says first, or to the first thing that it is told: SMTP, databases, caches.

use super::ProbeError;
use super::tcp::connect;
use gypsum_core::probe::Greeting;
use std::io::{ErrorKind, Read, Write};
use std::time::{Duration, Instant};

/// More of an answer than this is not read.
const MOST: usize = 4096;

pub fn probe(greeting: &Greeting, limit: Duration) -> Result<String, ProbeError> {
    let Greeting { at, sends, expect } = greeting;
    let begun = Instant::now();
    let (mut stream, _) = connect(at, 0, limit)?;
    let failed = |error: std::io::Error| match error.kind() {
        // What the standard library calls it when the time is up.
        ErrorKind::WouldBlock | ErrorKind::TimedOut => {
            format!("takes the connection and says nothing within {} ms", limit.as_millis())
        }
        _ => format!("takes the connection, and then: {}", crate::error::plain(&error)),
    };
    if let Some(text) = sends {
        let text = text.replace("\\r", "\r").replace("\\n", "\n");
        let text = if text.ends_with('\n') { text } else { format!("{text}\r\n") };
        stream.write_all(text.as_bytes()).map_err(failed)?;
    }
    let left = limit.saturating_sub(begun.elapsed()).max(Duration::from_millis(1));
    stream.set_read_timeout(Some(left)).map_err(failed)?;
    let mut bytes = vec![0; MOST];
    let length = stream.read(&mut bytes).map_err(failed)?;
    if length == 0 {
        return Err("closes the connection without a word".into());
    }
    let said: String = String::from_utf8_lossy(&bytes[..length])
        .chars()
        .map(|c| if c.is_control() && c != '\n' { ' ' } else { c })
        .collect();
    if expect.is_empty() {
        let first: String = said.lines().next().unwrap_or_default().chars().take(60).collect();
        return Ok(format!("says {first:?}"));
    }
    Ok(expect.judge("what it says", &said)?)
}
