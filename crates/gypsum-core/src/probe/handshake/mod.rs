//! The beginning of a conversation in bytes: as far as a client without a password gets. What is said next is decided
//! here, a protocol a file; the host sends and receives.

mod fastcgi;
mod haproxy;
mod imap_tls;
mod mysql;
mod ntp;
mod postgresql;
mod postgresql_tls;
mod smb;
mod smtp_tls;

use super::answer::{Answer, Aspect, Grade};
use super::expect::Expect;
use super::kind::Kind;
use super::{BadWords, Probe, ShownCertificate};
use serde::{Deserialize, Serialize};

/// A protocol of which the beginning is known.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Protocol {
    /// PostgreSQL: by which method an account logs in.
    #[default]
    Postgresql,
    /// PostgreSQL over TLS: the certificate, and by which method an account logs in.
    PostgresqlTls,
    /// MySQL and MariaDB: the greeting, and that nobody logs in without a password.
    Mysql,
    /// FastCGI: the answer to a request for a script that is not there.
    Fastcgi,
    /// NTP: the time.
    Ntp,
    /// SMTP: the certificate behind STARTTLS.
    SmtpTls,
    /// IMAP: the certificate behind STARTTLS.
    ImapTls,
    /// SMB: a session without a name, and whether it opens a share.
    Smb,
    /// The administration socket of HAProxy: how each server behind it is.
    Haproxy,
}

/// The beginning of a conversation.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Handshake {
    /// Where, as `host:port` or the path of a Unix socket.
    pub at: String,
    /// The protocol.
    pub of: Protocol,
    /// What is asked for, where the protocol has something to ask for: of SMB a share.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub asks: Option<String>,
}

/// What came over a connection.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Received {
    /// The bytes that are not used up yet.
    pub bytes: Vec<u8>,
    /// The certificate that the server showed, once the connection speaks TLS.
    pub certificate: Option<ShownCertificate>,
    /// Whether the server closed its side.
    pub is_ended: bool,
}

/// What is to be done next.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Step {
    /// This is said.
    Say(Vec<u8>),
    /// More is waited for.
    Wait,
    /// From here on both speak TLS.
    Secure,
    /// It is over; these are the answers.
    End(Vec<Answer>),
}

/// What a server says is not of the protocol.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("does not speak {0}")]
pub struct Foreign(pub &'static str);

/// What is offered to a client that asks for it.
const TLS: &str = "TLS";

/// A conversation that goes on.
pub trait Conversation {
    /// What is next.
    ///
    /// # Errors
    ///
    /// If what came is not of the protocol.
    fn step(&mut self, received: &mut Received) -> Result<Step, Foreign>;
}

impl Received {
    /// The first `length` bytes, which are used up by that; `None` while they are not there.
    fn take(&mut self, length: usize) -> Option<Vec<u8>> {
        (self.bytes.len() >= length).then(|| self.bytes.drain(..length).collect())
    }

    /// The first line without its end, which is used up by that; `None` while it is not there.
    fn take_line(&mut self) -> Option<String> {
        let end = memchr::memchr(b'\n', &self.bytes)?;
        let line: Vec<u8> = self.bytes.drain(..=end).collect();
        Some(String::from_utf8_lossy(&line).trim_end().to_owned())
    }
}

/// How a client leaves that came for the certificate alone: it says so, over TLS or not, and then that was all. `None` while
/// it has neither the certificate nor left.
fn leave(received: &Received, has_left: &mut bool, says: &[u8]) -> Option<Step> {
    match (&received.certificate, *has_left) {
        (Some(shown), true) => Some(Step::End(vec![with_tls(shown)])),
        (None, true) => Some(Step::End(vec![without_tls()])),
        (Some(_), false) => {
            *has_left = true;
            Some(Step::Say(says.to_vec()))
        }
        (None, false) => None,
    }
}

/// What a client with TLS gets, once the connection speaks it.
fn with_tls(shown: &ShownCertificate) -> Answer {
    let mut answer = Answer::state(TLS, Grade::Served, "offered");
    answer.ways.extend(shown.is_valid.then(|| "a certificate that is valid today".to_owned()));
    answer.about.insert(Aspect::Certificate, shown.digest.clone());
    answer
}

/// What such a client gets where the server does not speak it.
fn without_tls() -> Answer {
    Answer::state(TLS, Grade::Refused, "not offered")
}

impl Handshake {
    /// Begins it.
    pub fn begin(&self) -> Box<dyn Conversation> {
        match self.of {
            Protocol::Postgresql => Box::new(postgresql::Postgresql::default()),
            Protocol::PostgresqlTls => Box::new(postgresql_tls::PostgresqlTls::default()),
            Protocol::Mysql => Box::new(mysql::Mysql::default()),
            Protocol::Fastcgi => Box::new(fastcgi::Fastcgi::default()),
            Protocol::Ntp => Box::new(ntp::Ntp::default()),
            Protocol::SmtpTls => Box::new(smtp_tls::SmtpTls::default()),
            Protocol::ImapTls => Box::new(imap_tls::ImapTls::default()),
            Protocol::Smb => Box::new(smb::Smb::of(self.asks.as_deref())),
            Protocol::Haproxy => Box::new(haproxy::Haproxy::default()),
        }
    }

    /// Whether it goes in datagrams.
    pub fn is_datagrams(&self) -> bool {
        self.of == Protocol::Ntp
    }

    /// Whom it asks, and for what.
    pub(super) fn to(&self) -> String {
        match &self.asks {
            Some(asks) => format!("{} for {asks}", self.at),
            None => self.at.clone(),
        }
    }

    pub(super) fn texts(&mut self) -> Vec<&mut String> {
        std::iter::once(&mut self.at).chain(&mut self.asks).collect()
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
    /// What is asked for: of SMB the name of a share.
    asks: Option<String>,
}

impl Kind for Written {
    const WORD: &'static str = "handshake";
    const EXAMPLE: &'static str = "handshake 127.0.0.1:5432 of postgresql";

    fn probe(self, _: Expect) -> Result<(String, Probe), BadWords> {
        let Self { handshake: at, of, asks } = self;
        Ok((format!("handshake with {at}"), Probe::Handshake(Handshake { at, of, asks })))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// What a client says to these answers of a server, in two pieces each, and what it comes to.
    pub(super) fn held(of: Protocol, server: &[&[u8]]) -> (usize, Result<Vec<Answer>, Foreign>) {
        let mut conversation = Handshake { of, ..Handshake::default() }.begin();
        let (mut received, mut said) = (Received::default(), 0);
        let mut pieces = server.iter().flat_map(|bytes| {
            let (one, two) = bytes.split_at(bytes.len() / 2);
            [one.to_vec(), two.to_vec()]
        });
        loop {
            match conversation.step(&mut received) {
                Ok(Step::Say(bytes)) => said += usize::from(!bytes.is_empty()),
                Ok(Step::End(answers)) => return (said, Ok(answers)),
                Err(foreign) => return (said, Err(foreign)),
                Ok(Step::Secure) => {
                    let digest = "kelp".to_owned();
                    received.certificate =
                        Some(ShownCertificate { digest, is_valid: true, is_for_name: false });
                }
                Ok(Step::Wait) => match pieces.next() {
                    Some(piece) => received.bytes.extend(piece),
                    None if received.is_ended => return (said, Ok(Vec::new())),
                    None => received.is_ended = true,
                },
            }
        }
    }

    const EVERY: [Protocol; 9] = [
        Protocol::Postgresql,
        Protocol::PostgresqlTls,
        Protocol::Mysql,
        Protocol::Fastcgi,
        Protocol::Ntp,
        Protocol::SmtpTls,
        Protocol::ImapTls,
        Protocol::Smb,
        Protocol::Haproxy,
    ];

    /// What a server of SMB says: a status, and what goes with it.
    fn smb(command: u8, status: u32, body: &[u8]) -> Vec<u8> {
        let mut message = b"\xfeSMB".to_vec();
        message.resize(64, 0);
        message[8..12].copy_from_slice(&status.to_le_bytes());
        message[12] = command;
        message.extend(body);
        let length = u32::try_from(message.len()).unwrap();
        [length.to_be_bytes().as_slice(), &message].concat()
    }

    proptest! {
        /// Whatever a server says, a client that hears it ends, and says little.
        #[test]
        fn no_server_keeps_a_client_talking(
            server in proptest::collection::vec(proptest::collection::vec(any::<u8>(), 0..90), 0..6),
            head in proptest::sample::select(vec![&b"220 x\r\n"[..], b"* OK x\r\n", b"S", b"\0\0\0\x40\xfeSMB", b"R\0\0\0", b"# "]),
        ) {
            let pieces: Vec<&[u8]> = std::iter::once(head).chain(server.iter().map(Vec::as_slice)).collect();
            for of in EVERY {
                prop_assert!(held(of, &pieces).0 < 8, "{of:?}");
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
        assert!(words(Protocol::Mysql, &[&greeting]).is_empty());
        let hears = |last: &[u8]| words(Protocol::Mysql, &[&greeting, last]);
        let denied = b"\x05\0\0\x02\xff\x15\x04no";
        assert_eq!(hears(denied), [served("greeted"), refused("refused (error 1045)")]);
        assert_eq!(hears(b"\x01\0\0\x02\0"), [served("greeted"), served("let in")]);
        let other = [b"\x03\0\0\x02\xfex\0".as_slice(), denied].concat();
        assert_eq!(hears(&other), [served("greeted"), refused("refused (error 1045)")]);
        assert_eq!(words(Protocol::Mysql, &[b"\x05\0\0\0\xff\x6a\x04no"]), [refused("refused (error 1130)")]);
        assert_eq!(words(Protocol::Mysql, &[b"\x05\0\0\0\xff\x10\x04no"]), [failed("refused (error 1040)")]);
        let of = |kind: u8, content: &[u8]| {
            let length = u8::try_from(content.len()).unwrap();
            [&[1, kind, 0, 1, 0, length, 0, 0], content].concat()
        };
        let no_file = of(6, b"Status: 404 Not Found\r\nContent-type: text/html\r\n\r\nFile not found.\n");
        let end = of(3, &[0; 8]);
        assert_eq!(words(Protocol::Fastcgi, &[&no_file, &end]), [served("404")]);
        assert_eq!(words(Protocol::Fastcgi, &[&of(6, b"Status: 403 x\r\n\r\n"), &end]), [refused("403")]);
        assert_eq!(words(Protocol::Fastcgi, &[&of(6, b"Status: 500 x\r\n\r\n"), &end]), [failed("500")]);
        let tls = [served("offered")];
        let no_tls = [refused("not offered")];
        assert_eq!(words(Protocol::PostgresqlTls, &[b"N"]), no_tls);
        assert_eq!(words(Protocol::PostgresqlTls, &[b"S", sasl]), [tls[0].clone(), served("SASL")]);
        let (hello, more) = (b"220 x\r\n", b"250-x\r\n250 STARTTLS\r\n");
        assert_eq!(words(Protocol::SmtpTls, &[hello, more, b"220 go on\r\n"]), tls);
        assert_eq!(words(Protocol::SmtpTls, &[hello, more, b"454 not now\r\n"]), no_tls);
        assert_eq!(words(Protocol::SmtpTls, &[hello, b"250-x\r\n250 SIZE\r\n"]), no_tls);
        assert_eq!(words(Protocol::ImapTls, &[b"* OK x\r\n", b"* x\r\na OK go on\r\n"]), tls);
        assert_eq!(words(Protocol::ImapTls, &[b"* OK x\r\n", b"a BAD no\r\n"]), no_tls);
        let agreed = smb(0, 0, &[65, 0, 1, 0, 0x11, 3]);
        let (again, in_session) = (smb(1, 0xc000_0016, &[]), smb(1, 0, &[]));
        let shares = |last: &[u8]| words(Protocol::Smb, &[&agreed, &again, &in_session, last]);
        let begun = [served("SMB 3.1.1"), served("allowed")];
        assert_eq!(shares(&smb(3, 0, &[])), [&begun[..], &[served("open")]].concat());
        assert_eq!(shares(&smb(3, 0xc000_00cc, &[])), [&begun[..], &[refused("not there")]].concat());
        let turned_away = smb(1, 0xc000_0022, &[]);
        assert_eq!(
            words(Protocol::Smb, &[&agreed, &turned_away]),
            [begun[0].clone(), refused("refused (access denied)")]
        );
        let figures = b"# pxname,svname,x,status\nb,FRONTEND,,OPEN\nb,one,,UP 1/2\nb,two,,no check\nb,off,,MAINT\nb,sad,,DOWN\n\n";
        assert_eq!(
            words(Protocol::Haproxy, &[figures]),
            [served("UP"), served("not checked"), refused("MAINT"), failed("DOWN")]
        );
        let mut time = vec![0x24, 2];
        time.resize(48, 0);
        assert_eq!(words(Protocol::Ntp, &[&time]), [served("the time")]);
        time[1] = 0;
        time[12..16].copy_from_slice(b"DENY");
        assert_eq!(words(Protocol::Ntp, &[&time]), [refused("DENY")]);
    }

    #[test]
    fn what_is_of_another_protocol_is_said() {
        let strange: &[&[u8]] = &[&[b'x'; 80], &[b'\n'; 80], &[b'z'; 80]];
        for of in EVERY {
            assert!(held(of, strange).1.is_err(), "{of:?}");
            // A server that says no more leaves the client waiting; the host ends that.
            let said = held(of, &[b"\0"]).1;
            assert!(
                said == Ok(Vec::new()) || of == Protocol::Haproxy || of == Protocol::PostgresqlTls,
                "{said:?}"
            );
        }
    }
}
