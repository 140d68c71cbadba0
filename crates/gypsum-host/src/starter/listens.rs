//! Where the processes of a service listen.

use super::unit::SeenUnit;
use crate::service::sockets_of_all;
use crate::sockets::listening;
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, SocketAddr};
use std::path::Path;

/// So many of each are named.
const MOST: usize = 4;

/// The addresses at which clients of this host reach the service, and its Unix sockets.
pub(super) fn of(unit: &SeenUnit) -> (Vec<String>, Vec<String>) {
    let inodes = sockets_of_all(&unit.processes);
    let mut at: Vec<SocketAddr> = listening(false)
        .into_iter()
        .filter(|socket| inodes.contains(&socket.inode))
        .map(|socket| reached_at(socket.address))
        .collect();
    at.sort_by_key(|address| (address.port(), address.ip()));
    // Both families at one port are most often one and the same service.
    at.dedup_by_key(|address| (address.port(), address.ip().is_loopback()));
    let unix = procfs::net::unix().into_iter().flatten().filter(|entry| inodes.contains(&entry.inode));
    let mut unix: Vec<String> = unix
        .filter_map(|entry| Some(entry.path?.to_str()?.to_owned()))
        // Some are bound under another name, and then moved.
        .filter(|path| path.starts_with('/') && Path::new(path).exists())
        .collect();
    unix.sort();
    unix.dedup();
    let at = at.into_iter().take(MOST).map(|address| address.to_string()).collect();
    (at, unix.into_iter().take(MOST).collect())
}

/// The address that a client of this host uses.
fn reached_at(address: SocketAddr) -> SocketAddr {
    let ip = match address.ip() {
        IpAddr::V4(ip) if ip.is_unspecified() => Ipv4Addr::LOCALHOST.into(),
        IpAddr::V6(ip) if ip.is_unspecified() => Ipv6Addr::LOCALHOST.into(),
        ip => ip,
    };
    SocketAddr::new(ip, address.port())
}
