//! The beginning of a conversation in bytes: as far as a client without a password gets. What is said next is decided
//! here, a protocol a file; the host sends and receives.

mod fastcgi;
mod mysql;
mod ntp;
mod postgresql;

use super::answer::Answer;
use super::expect::Expect;
use super::kind::Kind;
use super::{BadWords, Probe};
use serde::{Deserialize, Serialize};

/// A protocol of which the beginning is known.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Protocol {
    /// PostgreSQL: by which method an account logs in.
    #[default]
    Postgresql,
    /// MySQL and MariaDB: the greeting.
    Mysql,
    /// FastCGI: the answer to a request for a script that is not there.
    Fastcgi,
    /// NTP: the time.
    Ntp,
}

/// The beginning of a conversation.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Handshake {
    /// Where, as `host:port` or the path of a Unix socket.
    pub at: String,
    /// The protocol.
    pub of: Protocol,
}

/// What is to be done next.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Step {
    /// This is said.
    Say(Vec<u8>),
    /// More is waited for.
    Wait,
    /// It is over; these are the answers.
    End(Vec<Answer>),
}

/// What a server says is not of the protocol.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("does not speak {0}")]
pub struct Foreign(pub &'static str);

/// A conversation that goes on.
pub trait Conversation {
    /// What is next. `received` is what came over this connection and is not used up yet.
    ///
    /// # Errors
    ///
    /// If what came is not of the protocol.
    fn step(&mut self, received: &mut Vec<u8>) -> Result<Step, Foreign>;
}

impl Handshake {
    /// Begins it.
    pub fn begin(&self) -> Box<dyn Conversation> {
        match self.of {
            Protocol::Postgresql => Box::new(postgresql::Postgresql::default()),
            Protocol::Mysql => Box::new(mysql::Mysql),
            Protocol::Fastcgi => Box::new(fastcgi::Fastcgi::default()),
            Protocol::Ntp => Box::new(ntp::Ntp::default()),
        }
    }

    /// Whether it goes in datagrams.
    pub fn is_datagrams(&self) -> bool {
        self.of == Protocol::Ntp
    }

    pub(super) fn texts(&mut self) -> Vec<&mut String> {
        vec![&mut self.at]
    }
}

/// The beginning of a conversation in bytes, as far as a client without a password gets.
#[derive(Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct Written {
    /// Where: `HOST:PORT`, or the path of a Unix socket.
    handshake: String,
    /// The protocol.
    of: Protocol,
}

impl Kind for Written {
    const WORD: &'static str = "handshake";
    const EXAMPLE: &'static str = "handshake 127.0.0.1:5432 of postgresql";

    fn probe(self, _: Expect) -> Result<(String, Probe), BadWords> {
        let Self { handshake: at, of } = self;
        Ok((format!("handshake with {at}"), Probe::Handshake(Handshake { at, of })))
    }
}

/// The first `length` bytes of what came, which are used up by that; `None` while they are not there.
fn take(received: &mut Vec<u8>, length: usize) -> Option<Vec<u8>> {
    (received.len() >= length).then(|| received.drain(..length).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::probe::Grade;

    /// What a client says to these answers of a server, in two pieces each, and what it comes to.
    pub(super) fn held(of: Protocol, server: &[&[u8]]) -> (usize, Result<Vec<Answer>, Foreign>) {
        let mut conversation = Handshake { at: String::new(), of }.begin();
        let (mut received, mut said) = (Vec::new(), 0);
        let mut pieces = server.iter().flat_map(|bytes| {
            let (one, two) = bytes.split_at(bytes.len() / 2);
            [one.to_vec(), two.to_vec()]
        });
        loop {
            match conversation.step(&mut received) {
                Ok(Step::Say(bytes)) => said += usize::from(!bytes.is_empty()),
                Ok(Step::End(answers)) => return (said, Ok(answers)),
                Err(foreign) => return (said, Err(foreign)),
                Ok(Step::Wait) => match pieces.next() {
                    Some(piece) => received.extend(piece),
                    None => return (said, Ok(Vec::new())),
                },
            }
        }
    }

    fn words(of: Protocol, server: &[&[u8]]) -> Vec<(Grade, String)> {
        let answers = held(of, server).1.unwrap();
        answers.into_iter().map(|answer| (answer.grade, answer.word)).collect()
    }

    #[test]
    fn answers_mean_what_the_protocols_say() {
        let served = |word: &str| (Grade::Served, word.to_owned());
        let refused = |word: &str| (Grade::Refused, word.to_owned());
        let failed = |word: &str| (Grade::Failed, word.to_owned());
        let error = |code: &[u8]| [b"E\0\0\0\x0eSFATAL\0C", code, b"\0"].concat();
        let sized = |code: &[u8]| {
            let mut bytes = error(code);
            bytes[4] = u8::try_from(bytes.len() - 1).unwrap();
            bytes
        };
        let sasl: &[u8] = b"R\0\0\0\x17\0\0\0\x0aSCRAM-SHA-256\0\0";
        assert_eq!(words(Protocol::Postgresql, &[sasl]), [served("SASL")]);
        assert_eq!(words(Protocol::Postgresql, &[b"R\0\0\0\x08\0\0\0\0"]), [served("no password")]);
        assert_eq!(words(Protocol::Postgresql, &[&sized(b"28000")]), [refused("28000")]);
        assert_eq!(words(Protocol::Postgresql, &[&sized(b"57P03")]), [failed("57P03")]);
        let greeting =
            [b"\x1c\0\0\0\x0a11.8\0".as_slice(), &[0; 13], b"\xff\xff", b"\0\0\0\0\0\0\0"].concat();
        assert_eq!(words(Protocol::Mysql, &[&greeting]), [served("a greeting")]);
        assert_eq!(words(Protocol::Mysql, &[b"\x05\0\0\0\xff\x6a\x04no"]), [refused("error 1130")]);
        assert_eq!(words(Protocol::Mysql, &[b"\x05\0\0\0\xff\x10\x04no"]), [failed("error 1040")]);
        let of = |kind: u8, content: &[u8]| {
            let length = u8::try_from(content.len()).unwrap();
            [&[1, kind, 0, 1, 0, length, 0, 0], content].concat()
        };
        let no_file = of(6, b"Status: 404 Not Found\r\nContent-type: text/html\r\n\r\nFile not found.\n");
        let end = of(3, &[0; 8]);
        assert_eq!(words(Protocol::Fastcgi, &[&no_file, &end]), [served("404")]);
        assert_eq!(words(Protocol::Fastcgi, &[&of(6, b"Status: 403 x\r\n\r\n"), &end]), [refused("403")]);
        assert_eq!(words(Protocol::Fastcgi, &[&of(6, b"Status: 500 x\r\n\r\n"), &end]), [failed("500")]);
        let mut time = vec![0x24, 2];
        time.resize(48, 0);
        assert_eq!(words(Protocol::Ntp, &[&time]), [served("the time")]);
        time[1] = 0;
        time[12..16].copy_from_slice(b"DENY");
        assert_eq!(words(Protocol::Ntp, &[&time]), [refused("DENY")]);
    }

    #[test]
    fn what_is_of_another_protocol_is_said() {
        let strange: &[&[u8]] = &[&[b'x'; 80], &[b'y'; 80], &[b'z'; 80]];
        for of in [Protocol::Postgresql, Protocol::Mysql, Protocol::Fastcgi, Protocol::Ntp] {
            assert!(held(of, strange).1.is_err(), "{of:?}");
            // A server that says no more leaves the client waiting; the host ends that.
            assert_eq!(held(of, &[b"\0"]).1, Ok(Vec::new()), "{of:?}");
        }
    }
}
