//! MySQL and MariaDB: the greeting of the server, or the error in its place, and that nobody logs in without a password
//! (MariaDB's documentation of its protocol, "Connecting").

use super::{Conversation, Foreign, Received, Step};
use crate::probe::{Answer, Grade};

const NAME: &str = "the protocol of MySQL";
/// The version of the protocol that all servers of today speak.
const VERSION: u8 = 10;
/// The marks of an answer: all is well, another method is asked for, an error.
const OK: u8 = 0;
const OTHER_METHOD: u8 = 0xfe;
const ERROR: u8 = 0xff;
/// The server speaks TLS (the capability CLIENT_SSL).
const TLS: u16 = 1 << 11;
/// What the client can: PROTOCOL_41, SECURE_CONNECTION and PLUGIN_AUTH.
const CAPABILITIES: u32 = 1 << 9 | 1 << 15 | 1 << 19;
/// The errors by which a server refuses a client by its address: host not privileged, host blocked, access denied.
const BY_ADDRESS: [u16; 3] = [1130, 1129, 1045];
/// No packet before the login is longer than this.
const MOST: usize = 4_096;
/// An account that no server has; logs show it.
const NOBODY: &str = "gypsum-asks";
/// The first packet of a session: it is over.
const QUIT: [u8; 5] = [1, 0, 0, 0, 1];

/// A conversation with such a server, which speaks first. A client that ends behind its greeting would count as one that
/// broke off, so it is refused in good order.
#[derive(Default)]
pub(super) struct Mysql {
    /// The number of the last packet.
    number: u8,
    answers: Vec<Answer>,
    is_over: bool,
}

impl Conversation for Mysql {
    fn step(&mut self, received: &mut Received) -> Result<Step, Foreign> {
        if self.is_over {
            return Ok(self.end());
        }
        let Some(&[low, middle, high, number]) = received.bytes.first_chunk() else { return Ok(Step::Wait) };
        let length = u32::from_le_bytes([low, middle, high, 0]) as usize;
        if !(1..MOST).contains(&length) {
            return Err(Foreign(NAME));
        }
        let Some(packet) = received.take(length + 4) else { return Ok(Step::Wait) };
        self.number = number;
        let body = packet.get(4..).unwrap_or_default();
        if self.answers.is_empty() { self.greeted(body) } else { self.refused(body) }
    }
}

impl Mysql {
    fn end(&mut self) -> Step {
        Step::End(std::mem::take(&mut self.answers))
    }

    fn say(&self, body: &[u8]) -> Step {
        let [low, middle, high, _] = (body.len() as u32).to_le_bytes();
        Step::Say([&[low, middle, high, self.number.wrapping_add(1)], body].concat())
    }

    fn greeted(&mut self, body: &[u8]) -> Result<Step, Foreign> {
        let to = "a new connection";
        match body.first() {
            Some(&VERSION) => {
                let mut answer = Answer::state(to, Grade::Served, "greeted");
                answer.ways.extend(speaks_tls(body).then(|| "TLS".to_owned()));
                self.answers.push(answer);
                Ok(self.say(&login()))
            }
            Some(&ERROR) => {
                let code = code(body);
                let grade = if BY_ADDRESS.contains(&code) { Grade::Refused } else { Grade::Failed };
                self.answers.push(Answer::state(to, grade, format!("refused (error {code})")));
                Ok(self.end())
            }
            _ => Err(Foreign(NAME)),
        }
    }

    fn refused(&mut self, body: &[u8]) -> Result<Step, Foreign> {
        let (grade, word) = match body.first() {
            // By whichever method: there is no password.
            Some(&OTHER_METHOD) => return Ok(self.say(&[])),
            Some(&OK) => (Grade::Served, "let in".to_owned()),
            Some(&ERROR) => (Grade::Refused, format!("refused (error {})", code(body))),
            _ => return Err(Foreign(NAME)),
        };
        let to = format!("a login as {NOBODY:?} without a password");
        self.answers.push(Answer { is_guard: true, ..Answer::state(to, grade, word) });
        if grade == Grade::Served {
            self.is_over = true;
            return Ok(Step::Say(QUIT.to_vec()));
        }
        Ok(self.end())
    }
}

fn code(body: &[u8]) -> u16 {
    body.get(1..).and_then(|code| code.first_chunk()).map_or(0, |code| u16::from_le_bytes(*code))
}

/// The answer to a greeting: what the client can, the longest packet, the character set, the account, no password, and the
/// method that goes with that.
fn login() -> Vec<u8> {
    let mut body = CAPABILITIES.to_le_bytes().to_vec();
    body.extend((1u32 << 24).to_le_bytes());
    // UTF-8.
    body.push(33);
    body.extend([0; 23]);
    body.extend(NOBODY.bytes());
    body.extend([0, 0]);
    body.extend(b"mysql_native_password\0");
    body
}

/// Whether the capabilities in a greeting have TLS: they come behind the version, four bytes of a number, eight of a
/// salt and an empty one.
fn speaks_tls(body: &[u8]) -> bool {
    let behind = body.iter().position(|byte| *byte == 0).map(|end| end + 1 + 4 + 8 + 1);
    let low = behind.and_then(|at| body.get(at..at + 2));
    low.is_some_and(|low| u16::from_le_bytes([low[0], low[1]]) & TLS != 0)
}
