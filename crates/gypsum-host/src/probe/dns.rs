//! A question to a name server, over UDP, and over TCP where the answer was too long (RFC 1035, RFC 7766).

use super::ProbeError;
use super::addresses;
use super::tcp::connect;
use gypsum_core::probe::Dns;
use hickory_proto::op::{Message, MessageType, OpCode, Query, ResponseCode};
use hickory_proto::rr::{Name, RecordType};
use std::io::{ErrorKind, Read, Write};
use std::net::{SocketAddr, UdpSocket};
use std::str::FromStr;
use std::time::{Duration, Instant};

/// What came of a question.
enum Answer {
    Records(Vec<String>),
    Refused,
    NoSuchName,
    Failed(String),
    Silence,
}

pub fn probe(dns: &Dns, limit: Duration) -> Result<String, ProbeError> {
    let kind = RecordType::from_str(&dns.kind).map_err(|_| format!("{} is no type of record", dns.kind))?;
    let mut name = Name::from_ascii(&dns.name).map_err(|error| format!("{}: {error}", dns.name))?;
    name.set_fqdn(true);
    let server =
        addresses(&dns.at, 53)?.into_iter().next().ok_or_else(|| format!("{} has no address", dns.at))?;
    let answer = ask(&name, kind, server, limit)?;
    let wanted = dns.says.as_deref();
    let expected = wanted.map_or(String::new(), |wanted| format!(", expected {wanted}"));
    match (&answer, wanted) {
        (Answer::Refused, Some("refused")) => Ok("refused, as expected".into()),
        (Answer::NoSuchName, Some("no-such-name")) => Ok("no such name, as expected".into()),
        (Answer::Silence, Some("no-answer")) => Ok("no answer, as expected".into()),
        (Answer::Refused, _) => Err(format!("refused{expected}").into()),
        (Answer::NoSuchName, _) => Err(format!("no such name{expected}").into()),
        (Answer::Silence, _) => Err(format!("no answer within {} ms{expected}", limit.as_millis()).into()),
        (Answer::Failed(why), _) => Err(format!("the server says {why}{expected}").into()),
        (Answer::Records(records), None) if records.is_empty() => {
            Err(format!("the name has no record of type {}", dns.kind).into())
        }
        (Answer::Records(records), wanted) => {
            let shown = if records.is_empty() { "no such record".into() } else { records.join(", ") };
            let same = |record: &String| {
                wanted.is_none_or(|wanted| {
                    let plain = |text: &str| text.trim_matches('"').trim_end_matches('.').to_lowercase();
                    plain(record) == plain(wanted)
                })
            };
            if records.iter().any(same) {
                Ok(format!("says {shown}"))
            } else {
                Err(format!("says {shown}{expected}").into())
            }
        }
    }
}

fn ask(name: &Name, kind: RecordType, server: SocketAddr, limit: Duration) -> Result<Answer, ProbeError> {
    // Several may be asked at once: the time tells them apart.
    let id = jiff::Timestamp::now().subsec_nanosecond() as u16;
    let mut question = Message::new(id, MessageType::Query, OpCode::Query);
    question.add_query(Query::query(name.clone(), kind));
    question.metadata.recursion_desired = true;
    let bytes = question.to_vec().map_err(|error| error.to_string())?;
    let deadline = Instant::now() + limit;
    let Some(answer) = over_udp(&bytes, id, server, deadline)? else { return Ok(Answer::Silence) };
    let answer = if answer.metadata.truncation { over_tcp(&bytes, server, limit)? } else { answer };
    Ok(match answer.metadata.response_code {
        ResponseCode::NoError => {
            let of_kind = answer.answers.iter().filter(|record| record.record_type() == kind);
            Answer::Records(of_kind.map(|record| record.data.to_string()).collect())
        }
        ResponseCode::Refused => Answer::Refused,
        ResponseCode::NXDomain => Answer::NoSuchName,
        other => Answer::Failed(other.to_string()),
    })
}

fn over_udp(
    question: &[u8],
    id: u16,
    server: SocketAddr,
    deadline: Instant,
) -> Result<Option<Message>, ProbeError> {
    let failed = ProbeError::io;
    let any: SocketAddr = if server.is_ipv4() { ([0, 0, 0, 0], 0).into() } else { ([0u16; 8], 0).into() };
    let socket = UdpSocket::bind(any).map_err(failed)?;
    socket.connect(server).map_err(failed)?;
    let mut bytes = vec![0; 65_536];
    // Packets get lost, and a daemon that is starting does not wait for them.
    let again = Duration::from_millis(800);
    loop {
        let left = deadline.saturating_duration_since(Instant::now());
        if left.is_zero() {
            return Ok(None);
        }
        socket.send(question).map_err(failed)?;
        socket.set_read_timeout(Some(left.min(again))).map_err(failed)?;
        match socket.recv(&mut bytes) {
            Ok(length) => match Message::from_vec(&bytes[..length]) {
                Ok(answer) if answer.metadata.id == id => return Ok(Some(answer)),
                Ok(_) => {}
                Err(error) => return Err(format!("the answer cannot be read: {error}").into()),
            },
            Err(error) if matches!(error.kind(), ErrorKind::WouldBlock | ErrorKind::TimedOut) => {}
            Err(error) => return Err(failed(error)),
        }
    }
}

fn over_tcp(question: &[u8], server: SocketAddr, limit: Duration) -> Result<Message, ProbeError> {
    let failed = |error| ProbeError::tried("over TCP", error);
    let (mut stream, _) = connect(&server.to_string(), 53, limit)?;
    stream.set_read_timeout(Some(limit)).map_err(failed)?;
    let length = u16::try_from(question.len()).map_err(|_| "the question is too long")?;
    stream.write_all(&[&length.to_be_bytes(), question].concat()).map_err(failed)?;
    let mut length = [0; 2];
    stream.read_exact(&mut length).map_err(failed)?;
    let mut bytes = vec![0; usize::from(u16::from_be_bytes(length))];
    stream.read_exact(&mut bytes).map_err(failed)?;
    Message::from_vec(&bytes).map_err(|error| format!("the answer cannot be read: {error}").into())
}
