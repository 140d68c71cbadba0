//! MySQL and MariaDB: the greeting of the server, or the error in its place (MariaDB's documentation of its protocol,
//! "Connecting").

use super::{Conversation, Foreign, Step, take};
use crate::probe::{Answer, Grade};

const NAME: &str = "the protocol of MySQL";
/// The version of the protocol that all servers of today speak.
const VERSION: u8 = 10;
/// The mark of an error.
const ERROR: u8 = 0xff;
/// The server speaks TLS (the capability CLIENT_SSL).
const TLS: u16 = 1 << 11;
/// The errors by which a server refuses a client by its address: host not privileged, host blocked, access denied.
const BY_ADDRESS: [u16; 3] = [1130, 1129, 1045];
/// No greeting is longer than this.
const MOST: usize = 4_096;

/// A conversation with such a server, which speaks first.
pub(super) struct Mysql;

impl Conversation for Mysql {
    fn step(&mut self, received: &mut Vec<u8>) -> Result<Step, Foreign> {
        let Some(head) = received.get(..4) else { return Ok(Step::Wait) };
        let length = u32::from_le_bytes([head[0], head[1], head[2], 0]) as usize;
        if !(1..MOST).contains(&length) {
            return Err(Foreign(NAME));
        }
        let Some(packet) = take(received, length + 4) else { return Ok(Step::Wait) };
        let body = packet.get(4..).unwrap_or_default();
        let to = "a new connection";
        let answer = match body.first() {
            Some(&VERSION) => {
                let mut answer = Answer::new(to, Grade::Served, "a greeting");
                answer.ways.extend(speaks_tls(body).then(|| "TLS".to_owned()));
                answer
            }
            Some(&ERROR) => {
                let code = body.get(1..3).map_or(0, |code| u16::from_le_bytes([code[0], code[1]]));
                let grade = if BY_ADDRESS.contains(&code) { Grade::Refused } else { Grade::Failed };
                Answer::new(to, grade, format!("error {code}"))
            }
            _ => return Err(Foreign(NAME)),
        };
        Ok(Step::End(vec![answer]))
    }
}

/// Whether the capabilities in a greeting have TLS: they come behind the version, four bytes of a number, eight of a
/// salt and an empty one.
fn speaks_tls(body: &[u8]) -> bool {
    let behind = body.iter().position(|byte| *byte == 0).map(|end| end + 1 + 4 + 8 + 1);
    let low = behind.and_then(|at| body.get(at..at + 2));
    low.is_some_and(|low| u16::from_le_bytes([low[0], low[1]]) & TLS != 0)
}
