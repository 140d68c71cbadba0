//! SMTP (RFC 3207): what a client gets that asks for TLS.

use super::{Conversation, Foreign, Received, Step, leave};

const QUIT: &[u8] = b"QUIT\r\n";

/// A conversation with such a server, which speaks first.
#[derive(Default)]
pub(super) struct SmtpTls {
    at: At,
    offers_tls: bool,
    has_left: bool,
}

/// What is waited for.
#[derive(Clone, Copy, Default)]
enum At {
    /// The greeting.
    #[default]
    Greeting,
    /// The answer to EHLO.
    Hello,
    /// The answer to STARTTLS.
    Start,
}

impl Conversation for SmtpTls {
    fn step(&mut self, received: &mut Received) -> Result<Step, Foreign> {
        if let Some(step) = leave(received, &mut self.has_left, QUIT) {
            return Ok(step);
        }
        loop {
            let Some(line) = received.take_line() else { return Ok(Step::Wait) };
            let code = line.get(..3).filter(|code| code.bytes().all(|byte| byte.is_ascii_digit()));
            let Some(code) = code else { return Err(Foreign("SMTP")) };
            self.offers_tls |= line.get(4..).is_some_and(|word| word.trim().eq_ignore_ascii_case("STARTTLS"));
            // More lines of this answer follow.
            if line.as_bytes().get(3) == Some(&b'-') {
                continue;
            }
            let is_served = code.starts_with('2');
            let (next, says): (At, &[u8]) = match self.at {
                At::Greeting if is_served => (At::Hello, b"EHLO localhost\r\n"),
                At::Hello if is_served && self.offers_tls => (At::Start, b"STARTTLS\r\n"),
                At::Start if is_served => return Ok(Step::Secure),
                at => {
                    self.has_left = true;
                    (at, QUIT)
                }
            };
            self.at = next;
            return Ok(Step::Say(says.to_vec()));
        }
    }
}
