//! PostgreSQL (its manual, 55.2 and 55.7): by which method the first account logs in over the network.

use super::{Conversation, Foreign, Received, Step};
use crate::probe::{Answer, Grade};

pub(super) const NAME: &str = "the protocol of PostgreSQL";
/// The end of a session that began.
const TERMINATE: [u8; 5] = [b'X', 0, 0, 0, 4];
/// The method by which nobody is asked for anything.
const NO_PASSWORD: &str = "no password";
/// No message before the login is longer than this.
const MOST: usize = 30_000;

/// A conversation with such a server. A client that closes the connection when it is asked for a password leaves no trace in
/// the log.
#[derive(Default)]
pub(super) struct Postgresql {
    has_asked: bool,
    answer: Option<Answer>,
}

impl Conversation for Postgresql {
    fn step(&mut self, received: &mut Received) -> Result<Step, Foreign> {
        if let Some(answer) = self.answer.take() {
            return Ok(Step::End(vec![answer]));
        }
        if !self.has_asked {
            self.has_asked = true;
            return Ok(Step::Say(startup()));
        }
        let Some(head) = received.bytes.get(..5) else { return Ok(Step::Wait) };
        let (kind, length) = (head[0], u32::from_be_bytes([head[1], head[2], head[3], head[4]]));
        let length = length as usize;
        if !matches!(kind, b'R' | b'E') || !(4..MOST).contains(&length) {
            return Err(Foreign(NAME));
        }
        let Some(message) = received.take(length + 1) else { return Ok(Step::Wait) };
        let body = message.get(5..).unwrap_or_default();
        let (grade, word) = if kind == b'R' { method(body) } else { refusal(body) };
        let has_begun = word == NO_PASSWORD;
        let to = match received.certificate {
            Some(_) => "a login over TLS",
            None => "a login over the network",
        };
        let answer = Answer::new(to, grade, word);
        if has_begun {
            self.answer = Some(answer);
            return Ok(Step::Say(TERMINATE.to_vec()));
        }
        Ok(Step::End(vec![answer]))
    }
}

fn startup() -> Vec<u8> {
    let body = b"\0\x03\0\0user\0postgres\0database\0postgres\0\0";
    let length = body.len() as u32 + 4;
    [length.to_be_bytes().as_slice(), body].concat()
}

/// By which method the account is to log in.
fn method(body: &[u8]) -> (Grade, String) {
    let code =
        body.get(..4).map_or(u32::MAX, |code| u32::from_be_bytes([code[0], code[1], code[2], code[3]]));
    let word = match code {
        0 => NO_PASSWORD,
        3 => "password",
        5 => "MD5",
        7 | 8 => "GSSAPI",
        10 => "SASL",
        _ => "another method",
    };
    (Grade::Served, word.to_owned())
}

/// The SQLSTATE of an error (its manual, appendix A): of class 28 it is about who asks.
fn refusal(body: &[u8]) -> (Grade, String) {
    let state = body.split(|byte| *byte == 0).find_map(|field| field.strip_prefix(b"C"));
    let state = String::from_utf8_lossy(state.unwrap_or_default()).into_owned();
    let grade =
        if state.starts_with("28") || state.starts_with("3D") { Grade::Refused } else { Grade::Failed };
    (grade, state)
}
