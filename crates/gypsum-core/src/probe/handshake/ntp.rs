//! NTP (RFC 5905, 7.3): a client asks for the time.

use super::{Conversation, Foreign, Received, Step};
use crate::probe::{Answer, Grade};

/// A packet without extensions, in bytes.
const LENGTH: usize = 48;
/// Version 4, of a client.
const ASK: u8 = 4 << 3 | 3;
/// The mode of a server, in the lowest three bits.
const SERVER: u8 = 4;

/// A conversation with such a server.
#[derive(Default)]
pub(super) struct Ntp {
    has_asked: bool,
}

impl Conversation for Ntp {
    fn step(&mut self, received: &mut Received) -> Result<Step, Foreign> {
        if !self.has_asked {
            self.has_asked = true;
            let mut packet = vec![0; LENGTH];
            packet[0] = ASK;
            return Ok(Step::Say(packet));
        }
        let Some(packet) = received.take(LENGTH) else { return Ok(Step::Wait) };
        if packet[0] & 7 != SERVER {
            return Err(Foreign("NTP"));
        }
        // Of stratum 0 is a refusal, with the reason in four letters. Whether the clock is synchronised yet is another
        // question: that takes its time behind a start.
        let (grade, word) = match packet[1] {
            0 if packet[12..16].iter().all(u8::is_ascii_uppercase) => {
                (Grade::Refused, String::from_utf8_lossy(&packet[12..16]).into_owned())
            }
            _ => (Grade::Served, "the time".to_owned()),
        };
        Ok(Step::End(vec![Answer::new("a question", grade, word)]))
    }
}
