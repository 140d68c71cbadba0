//! Somebody listens on a port: the kernel's table says so, whatever the one who listens answers.

use procfs::net::{TcpState, UdpState};
use std::net::{IpAddr, SocketAddr};

pub fn probe(address: Option<&str>, port: u16, udp: bool) -> Result<String, String> {
    let wanted: Option<IpAddr> = address.and_then(|address| address.parse().ok());
    let fits = |at: &SocketAddr| {
        let all = at.ip().is_unspecified();
        at.port() == port && wanted.is_none_or(|wanted| all || at.ip() == wanted)
    };
    let there = if udp {
        let tables = procfs::net::udp().into_iter().chain(procfs::net::udp6()).flatten();
        tables.filter(|entry| entry.state == UdpState::Close).any(|entry| fits(&entry.local_address))
    } else {
        let tables = procfs::net::tcp().into_iter().chain(procfs::net::tcp6()).flatten();
        tables.filter(|entry| entry.state == TcpState::Listen).any(|entry| fits(&entry.local_address))
    };
    if there { Ok("somebody listens there".into()) } else { Err("nobody listens there".into()) }
}
