//! The beginning of a conversation in bytes: sends what the protocol says, and hands over what comes.

use super::certificate::{SecureStream, secured};
use super::stream::Stream;
use super::{ProbeError, addresses};
use gypsum_core::probe::{Answer, Grade, Handshake, Measure, Received, Step};
use std::io::{ErrorKind, Read, Write};
use std::net::{SocketAddr, UdpSocket};
use std::time::{Duration, Instant};

/// No answer before a login is longer than this, in bytes.
const MOST: usize = 64 << 10;
/// So long an answer to a datagram is waited for before it is sent again: packets get lost.
const AGAIN: Duration = Duration::from_millis(300);

pub fn probe(handshake: &Handshake, limit: Duration) -> Result<String, ProbeError> {
    Ok(Measure::default().judge(&answers(handshake, limit)?)?)
}

/// The answers of the server.
///
/// # Errors
///
/// If it cannot be reached, does not answer in time, or speaks another protocol.
pub fn answers(handshake: &Handshake, limit: Duration) -> Result<Vec<Answer>, ProbeError> {
    let deadline = Instant::now() + limit;
    let at = handshake.at.as_str();
    let at = at.strip_prefix("unix:").unwrap_or(at);
    let mut way = match handshake.is_datagrams() {
        true => Way::datagrams(at)?,
        false => Way::Stream(Stream::to(at, limit)?),
    };
    let mut conversation = handshake.begin();
    let mut received = Received::default();
    loop {
        match conversation.step(&mut received).map_err(|foreign| ProbeError::from(foreign.to_string()))? {
            Step::Say(bytes) => way.say(&bytes)?,
            Step::End(answers) => {
                way.end();
                return Ok(answers);
            }
            Step::Secure => way = way.secured(at, &mut received, deadline)?,
            Step::Wait if received.bytes.len() > MOST => {
                return Err("says more than is known of its protocol".into());
            }
            Step::Wait if received.is_ended => return Err("closes the connection without an answer".into()),
            Step::Wait => {
                let left = deadline.saturating_duration_since(Instant::now());
                if left.is_zero() && handshake.is_datagrams() {
                    // Such servers refuse by silence.
                    return Ok(vec![Answer::new("a question", Grade::Failed, "nothing")]);
                }
                if left.is_zero() {
                    return Err(ProbeError::TimedOut(limit));
                }
                way.hear(&mut received, left)?;
            }
        }
    }
}

/// So long the end of a TLS session is waited for.
const LEAVE: Duration = Duration::from_millis(200);

/// How bytes get there and back.
enum Way {
    Stream(Stream),
    Secure(Box<SecureStream>),
    Datagrams { socket: UdpSocket, last: Vec<u8> },
}

impl Way {
    fn datagrams(at: &str) -> Result<Self, ProbeError> {
        let server = addresses(at, 0)?.into_iter().next().ok_or_else(|| format!("{at} has no address"))?;
        let any: SocketAddr = if server.is_ipv4() { ([0, 0, 0, 0], 0).into() } else { ([0u16; 8], 0).into() };
        let socket = UdpSocket::bind(any).map_err(ProbeError::io)?;
        socket.connect(server).map_err(ProbeError::io)?;
        Ok(Self::Datagrams { socket, last: Vec::new() })
    }

    /// The same connection from now on with TLS.
    fn secured(self, at: &str, received: &mut Received, deadline: Instant) -> Result<Self, ProbeError> {
        let Self::Stream(stream) = self else { return Err("asks for TLS where there is none".into()) };
        // A Unix socket has no name.
        let host = at.rsplit_once(':').map_or("localhost", |(host, _)| host).trim_matches(['[', ']']);
        let left = deadline.saturating_duration_since(Instant::now()).max(Duration::from_millis(1));
        let (stream, shown) = secured(stream, host, left)?;
        received.certificate = Some(shown);
        Ok(Self::Secure(Box::new(stream)))
    }

    fn say(&mut self, bytes: &[u8]) -> Result<(), ProbeError> {
        match self {
            Self::Stream(stream) => stream.write_all(bytes).map_err(ProbeError::io),
            Self::Secure(stream) => {
                stream.write_all(bytes).and_then(|()| stream.flush()).map_err(ProbeError::io)
            }
            Self::Datagrams { socket, last } => {
                *last = bytes.to_vec();
                socket.send(bytes).map(|_| ()).map_err(ProbeError::io)
            }
        }
    }

    /// Leaves in good order: a server whose last bytes nobody takes logs a connection that was reset.
    fn end(&mut self) {
        let Self::Secure(stream) = self else { return };
        stream.conn.send_close_notify();
        // The answers are there; how it ends does not change them.
        if stream.flush().is_ok()
            && stream.sock.end_of_saying().is_ok()
            && stream.sock.wait_at_most(LEAVE).is_ok()
        {
            let mut rest = [0; 512];
            while matches!(stream.sock.read(&mut rest), Ok(length) if length > 0) {}
        }
    }

    /// Waits for more, for at most this time.
    fn hear(&mut self, received: &mut Received, left: Duration) -> Result<(), ProbeError> {
        let mut bytes = [0; 4096];
        let got = match self {
            Self::Stream(stream) => {
                stream.wait_at_most(left).map_err(ProbeError::io)?;
                stream.read(&mut bytes)
            }
            Self::Secure(stream) => {
                stream.sock.wait_at_most(left).map_err(ProbeError::io)?;
                stream.read(&mut bytes)
            }
            Self::Datagrams { socket, .. } => {
                socket.set_read_timeout(Some(left.min(AGAIN))).map_err(ProbeError::io)?;
                socket.recv(&mut bytes)
            }
        };
        match (got, self) {
            (Ok(0), _) => {
                received.is_ended = true;
                Ok(())
            }
            (Ok(length), _) => {
                received.bytes.extend(&bytes[..length]);
                Ok(())
            }
            // What the standard library calls it when the time is up.
            (Err(error), way) if matches!(error.kind(), ErrorKind::WouldBlock | ErrorKind::TimedOut) => {
                match way {
                    Way::Datagrams { socket, last } => socket.send(last).map(|_| ()).map_err(ProbeError::io),
                    // Whoever waits on sees that the time is up.
                    Way::Stream(_) | Way::Secure(_) => Ok(()),
                }
            }
            (Err(error), _) => Err(ProbeError::io(error)),
        }
    }
}
