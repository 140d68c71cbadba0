//! A question to a name server, over UDP, and over TCP where the answer was too long (RFC 1035, RFC 7766).

use super::ProbeError;
use super::addresses;
use super::tcp::connect;
use gypsum_core::probe::{Dns, DnsAnswer as Answer};
use simple_dns::rdata::RData;
use simple_dns::{CLASS, Name, Packet, PacketFlag, Question, RCODE, TYPE};
use std::io::{ErrorKind, Read, Write};
use std::net::{Ipv4Addr, Ipv6Addr, SocketAddr, UdpSocket};
use std::time::{Duration, Instant};

/// A packet has no more bytes (RFC 1035, 4.2).
const MOST: usize = 65_535;

/// The answer to the question.
///
/// # Errors
///
/// If it cannot be asked.
pub fn answer(dns: &Dns, limit: Duration) -> Result<Answer, ProbeError> {
    let kind = type_of(&dns.kind).ok_or_else(|| {
        let known = TYPES.map(|(name, _)| name).join(", ");
        format!("{} is no type of record that can be asked for ({known})", dns.kind)
    })?;
    let name = Name::new(dns.name.trim_end_matches('.')).map_err(|error| format!("{}: {error}", dns.name))?;
    let server =
        addresses(&dns.at, 53)?.into_iter().next().ok_or_else(|| format!("{} has no address", dns.at))?;
    ask(&name, kind, server, limit)
}

pub fn probe(dns: &Dns, limit: Duration) -> Result<String, ProbeError> {
    let answer = answer(dns, limit)?;
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

/// The types of records that can be asked for.
const TYPES: [(&str, TYPE); 10] = [
    ("A", TYPE::A),
    ("AAAA", TYPE::AAAA),
    ("CNAME", TYPE::CNAME),
    ("NS", TYPE::NS),
    ("PTR", TYPE::PTR),
    ("MX", TYPE::MX),
    ("TXT", TYPE::TXT),
    ("SRV", TYPE::SRV),
    ("SOA", TYPE::SOA),
    ("CAA", TYPE::CAA),
];

fn type_of(name: &str) -> Option<TYPE> {
    TYPES.iter().find(|(known, _)| known.eq_ignore_ascii_case(name)).map(|(_, kind)| *kind)
}

/// A record as zone files write it (RFC 1035, 5.1); `None` for a type that is not asked for.
fn words(data: &RData<'_>) -> Option<String> {
    Some(match data {
        RData::A(a) => Ipv4Addr::from(a.address).to_string(),
        RData::AAAA(aaaa) => Ipv6Addr::from(aaaa.address).to_string(),
        RData::CNAME(cname) => format!("{}.", cname.0),
        RData::NS(ns) => format!("{}.", ns.0),
        RData::PTR(ptr) => format!("{}.", ptr.0),
        RData::MX(mx) => format!("{} {}.", mx.preference, mx.exchange),
        RData::TXT(txt) => txt.iter_raw().map(|(key, value)| text_of(key, value)).collect(),
        RData::SRV(srv) => format!("{} {} {} {}.", srv.priority, srv.weight, srv.port, srv.target),
        RData::SOA(soa) => format!(
            "{}. {}. {} {} {} {} {}",
            soa.mname, soa.rname, soa.serial, soa.refresh, soa.retry, soa.expire, soa.minimum
        ),
        RData::CAA(caa) => {
            format!("{} {} \"{}\"", caa.flag, caa.tag, String::from_utf8_lossy(&caa.value))
        }
        _ => return None,
    })
}

/// A text record, which the library splits at its first `=`.
fn text_of(key: &[u8], value: Option<&[u8]>) -> String {
    let key = String::from_utf8_lossy(key);
    value.map_or_else(|| key.to_string(), |value| format!("{key}={}", String::from_utf8_lossy(value)))
}

fn ask(name: &Name<'_>, kind: TYPE, server: SocketAddr, limit: Duration) -> Result<Answer, ProbeError> {
    // Several may be asked at once: the time tells them apart.
    let id = jiff::Timestamp::now().subsec_nanosecond() as u16;
    let mut question = Packet::new_query(id);
    question.set_flags(PacketFlag::RECURSION_DESIRED);
    question.questions.push(Question::new(name.clone(), kind.into(), CLASS::IN.into(), false));
    let bytes = question.build_bytes_vec().map_err(|error| error.to_string())?;
    let deadline = Instant::now() + limit;
    let Some(mut answer) = over_udp(&bytes, id, server, deadline)? else { return Ok(Answer::Silence) };
    if parse(&answer)?.has_flags(PacketFlag::TRUNCATION) {
        answer = over_tcp(&bytes, server, limit)?;
    }
    let answer = parse(&answer)?;
    Ok(match answer.rcode() {
        RCODE::NoError => {
            let of_kind = answer.answers.iter().filter(|record| record.rdata.type_code() == kind);
            Answer::Records(of_kind.filter_map(|record| words(&record.rdata)).collect())
        }
        RCODE::Refused => Answer::Refused,
        RCODE::NameError => Answer::NoSuchName,
        RCODE::FormatError => Answer::Failed("that it cannot read the question".into()),
        RCODE::ServerFailure => Answer::Failed("that it failed (SERVFAIL)".into()),
        RCODE::NotImplemented => Answer::Failed("that it does not answer such questions".into()),
        other => Answer::Failed(format!("{other:?}")),
    })
}

fn parse(bytes: &[u8]) -> Result<Packet<'_>, ProbeError> {
    Packet::parse(bytes).map_err(|error| format!("the answer cannot be read: {error}").into())
}

fn over_udp(
    question: &[u8],
    id: u16,
    server: SocketAddr,
    deadline: Instant,
) -> Result<Option<Vec<u8>>, ProbeError> {
    let failed = ProbeError::io;
    let any: SocketAddr = if server.is_ipv4() { ([0, 0, 0, 0], 0).into() } else { ([0u16; 8], 0).into() };
    let socket = UdpSocket::bind(any).map_err(failed)?;
    socket.connect(server).map_err(failed)?;
    let mut bytes = vec![0; MOST];
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
            Ok(length) => {
                bytes.truncate(length);
                if parse(&bytes)?.id() == id {
                    return Ok(Some(bytes));
                }
                bytes.resize(MOST, 0);
            }
            Err(error) if matches!(error.kind(), ErrorKind::WouldBlock | ErrorKind::TimedOut) => {}
            Err(error) => return Err(failed(error)),
        }
    }
}

fn over_tcp(question: &[u8], server: SocketAddr, limit: Duration) -> Result<Vec<u8>, ProbeError> {
    let failed = |error| ProbeError::tried("over TCP", error);
    let (mut stream, _) = connect(&server.to_string(), 53, limit)?;
    stream.set_read_timeout(Some(limit)).map_err(failed)?;
    let length = u16::try_from(question.len()).map_err(|_| "the question is too long")?;
    stream.write_all(&[&length.to_be_bytes(), question].concat()).map_err(failed)?;
    let mut length = [0; 2];
    stream.read_exact(&mut length).map_err(failed)?;
    let mut bytes = vec![0; usize::from(u16::from_be_bytes(length))];
    stream.read_exact(&mut bytes).map_err(failed)?;
    Ok(bytes)
}

#[cfg(test)]
mod tests {
    use super::{TYPES, type_of, words};
    use simple_dns::rdata::{A, MX, RData, TXT};
    use simple_dns::{Name, TYPE};

    #[test]
    fn records_are_written_as_in_zone_files() {
        let a = RData::A(A { address: 0xc000_0207 });
        let mx = RData::MX(MX { preference: 10, exchange: Name::new_unchecked("post.saltmarsh.example") });
        let txt = TXT::new().with_string("v=spf1 -all").unwrap().with_string(" end").unwrap();
        let written = [a, mx, RData::TXT(txt)].map(|record| words(&record));
        let wanted = ["192.0.2.7", "10 post.saltmarsh.example.", "v=spf1 -all end"];
        assert_eq!(written, wanted.map(|text| Some(text.to_owned())));
    }

    #[test]
    fn types_are_known_by_name() {
        assert_eq!(type_of("mx"), Some(TYPE::MX));
        assert_eq!(type_of("BOGUS"), None);
        assert_eq!(TYPES.len(), 10);
    }
}
