//! IMAP (RFC 9051, 6.2.1): what a client gets that asks for TLS.

use super::{Conversation, Foreign, Received, Step, with_tls, without_tls};

/// A conversation with such a server, which speaks first.
#[derive(Default)]
pub(super) struct ImapTls {
    at: At,
}

/// What is waited for.
#[derive(Clone, Copy, Default)]
enum At {
    /// The greeting.
    #[default]
    Greeting,
    /// The answer to STARTTLS.
    Start,
    /// Nothing: what can be said is known.
    End,
}

impl Conversation for ImapTls {
    fn step(&mut self, received: &mut Received) -> Result<Step, Foreign> {
        if let Some(shown) = &received.certificate {
            if matches!(self.at, At::End) {
                return Ok(Step::End(vec![with_tls(shown)]));
            }
            self.at = At::End;
            return Ok(Step::Say(b"b LOGOUT\r\n".to_vec()));
        }
        if matches!(self.at, At::End) {
            return Ok(Step::End(vec![without_tls()]));
        }
        loop {
            let Some(line) = received.take_line() else { return Ok(Step::Wait) };
            let mut words = line.split(' ');
            let (tag, word) = (words.next().unwrap_or_default(), words.next().unwrap_or_default());
            match (self.at, tag) {
                (At::Greeting, "*") => {
                    let is_served = word.eq_ignore_ascii_case("OK") || word.eq_ignore_ascii_case("PREAUTH");
                    let (next, says): (At, &[u8]) = match is_served {
                        true => (At::Start, b"a STARTTLS\r\n"),
                        false => (At::End, b"a LOGOUT\r\n"),
                    };
                    self.at = next;
                    return Ok(Step::Say(says.to_vec()));
                }
                (At::Start, "a") if word.eq_ignore_ascii_case("OK") => return Ok(Step::Secure),
                (At::Start, "a") => {
                    self.at = At::End;
                    return Ok(Step::Say(b"b LOGOUT\r\n".to_vec()));
                }
                // What the server says unasked.
                (At::Start, "*") => {}
                _ => return Err(Foreign("IMAP")),
            }
        }
    }
}
