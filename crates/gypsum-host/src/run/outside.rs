//! Health checks from outside: what is asked at 127.0.0.1 is asked, too, at an address of this host that others reach. Much is
//! allowed from 127.0.0.1 that clients are not; still it is this host that asks, and not another one.

use crate::sockets::{Listening, listening};
use gypsum_core::probe::{Check, Probe, Side};
use std::net::{IpAddr, Ipv4Addr, SocketAddr, UdpSocket};

const LOOPBACK: &str = "127.0.0.1";
/// So long it is waited for an answer there, in milliseconds: servers look up who asks, and some find nobody to ask.
const LIMIT_MS: u64 = 3_000;
/// The port of name servers, which checks may leave out.
const DNS: u16 = 53;

/// The same checks at the outside address: those that are meant to be asked there, too, and where somebody listens on
/// it. None where this host has no such address.
pub fn from_outside(checks: &[Check]) -> Vec<Check> {
    let meant: Vec<&Check> = checks.iter().filter(|check| check.side == Side::Both).collect();
    let Some(outside) = (!meant.is_empty()).then(address).flatten() else { return Vec::new() };
    let all: Vec<Listening> = listening(false).into_iter().chain(listening(true)).collect();
    meant.into_iter().filter_map(|check| one(check.clone(), outside, &all)).collect()
}

fn one(mut there: Check, outside: IpAddr, all: &[Listening]) -> Option<Check> {
    let is_asked = match &mut there.probe {
        Probe::Each(probes) => {
            probes.retain_mut(|probe| moved(probe, outside, all));
            !probes.is_empty()
        }
        probe => moved(probe, outside, all),
    };
    is_asked.then(|| named(there, outside))
}

fn named(check: Check, outside: IpAddr) -> Check {
    let name = format!("{} (at {outside})", check.name);
    Check { name, side: Side::Outside, limit_ms: check.limit_ms.min(LIMIT_MS), ..check }
}

/// Asks at the outside address instead; whether that is one where somebody listens.
fn moved(probe: &mut Probe, outside: IpAddr, all: &[Listening]) -> bool {
    let is_open = |port: u16| {
        let fits = |at: &SocketAddr| at.port() == port && (at.ip().is_unspecified() || at.ip() == outside);
        all.iter().any(|one| fits(&one.address))
    };
    let mut is_moved = false;
    for text in probe.texts() {
        let (scheme, usual) = match text.split_once("://") {
            Some((scheme, _)) => (format!("{scheme}://"), if scheme == "https" { 443 } else { 80 }),
            None => (String::new(), DNS),
        };
        let Some(rest) = text.strip_prefix(&format!("{scheme}{LOOPBACK}")) else { continue };
        let port = match rest.strip_prefix(':') {
            Some(rest) => rest.split('/').next().and_then(|port| port.parse().ok()),
            None => (rest.is_empty() || rest.starts_with('/')).then_some(usual),
        };
        if port.is_some_and(is_open) {
            *text = format!("{scheme}{outside}{rest}");
            is_moved = true;
        }
    }
    is_moved
}

/// The address from which this host reaches others, by its routes; nothing is sent.
fn address() -> Option<IpAddr> {
    let socket = UdpSocket::bind((Ipv4Addr::UNSPECIFIED, 0)).ok()?;
    // An address of documentation (RFC 5737): no host has it.
    socket.connect(("192.0.2.1", 9)).ok()?;
    let address = socket.local_addr().ok()?.ip();
    (!address.is_loopback() && !address.is_unspecified()).then_some(address)
}
