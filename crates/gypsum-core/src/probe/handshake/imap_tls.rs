//! IMAP (RFC 9051, 6.2.1): what a client gets that asks for TLS.

use super::{Conversation, Foreign, Received, Step, leave};

const LOGOUT: &[u8] = b"b LOGOUT\r\n";

/// A conversation with such a server, which speaks first.
#[derive(Default)]
pub(super) struct ImapTls {
    is_greeted: bool,
    has_left: bool,
}

impl Conversation for ImapTls {
    fn step(&mut self, received: &mut Received) -> Result<Step, Foreign> {
        if let Some(step) = leave(received, &mut self.has_left, LOGOUT) {
            return Ok(step);
        }
        loop {
            let Some(line) = received.take_line() else { return Ok(Step::Wait) };
            let mut words = line.split(' ');
            let (tag, word) = (words.next().unwrap_or_default(), words.next().unwrap_or_default());
            let is_served = word.eq_ignore_ascii_case("OK") || word.eq_ignore_ascii_case("PREAUTH");
            match (self.is_greeted, tag) {
                (false, "*") if is_served => {
                    self.is_greeted = true;
                    return Ok(Step::Say(b"a STARTTLS\r\n".to_vec()));
                }
                (true, "a") if is_served => return Ok(Step::Secure),
                // It greets nobody, or speaks no TLS.
                (false, "*") | (true, "a") => {
                    self.has_left = true;
                    return Ok(Step::Say(LOGOUT.to_vec()));
                }
                // What the server says unasked.
                (true, "*") => {}
                _ => return Err(Foreign("IMAP")),
            }
        }
    }
}
