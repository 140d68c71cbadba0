//! The sockets on which somebody listens, from the kernel.
//!
//! It is asked for those alone (sock_diag(7)): the tables in `/proc/net` hold every connection, and reading them goes
//! through all of the kernel's table for those, some milliseconds on a large host. Where it does not answer, they are
//! read all the same.

use netlink_packet_core::{NLM_F_DUMP, NLM_F_REQUEST, NetlinkHeader, NetlinkMessage, NetlinkPayload};
use netlink_packet_sock_diag::SockDiagMessage;
use netlink_packet_sock_diag::constants::{AF_INET, AF_INET6, IPPROTO_TCP, IPPROTO_UDP};
use netlink_packet_sock_diag::inet::{ExtensionFlags, InetRequest, SocketId, StateFlags};
use netlink_sys::Socket;
use netlink_sys::protocols::NETLINK_SOCK_DIAG;
use procfs::net::{TcpNetEntry, TcpState, UdpNetEntry, UdpState};
use std::io;
use std::net::SocketAddr;

/// A socket on which somebody listens.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Listening {
    /// Where.
    pub address: SocketAddr,
    /// Its inode: `/proc/PID/fd` of who holds it leads there.
    pub inode: u64,
}

/// All of them, of TCP or of UDP.
pub fn listening(udp: bool) -> Vec<Listening> {
    let asked = dump(AF_INET, udp).and_then(|mut four| {
        four.extend(dump(AF_INET6, udp)?);
        Ok(four)
    });
    asked.unwrap_or_else(|_| if udp { udp_tables() } else { tcp_tables() })
}

fn dump(family: u8, udp: bool) -> io::Result<Vec<Listening>> {
    let mut socket = Socket::new(NETLINK_SOCK_DIAG)?;
    socket.bind_auto()?;
    let mut header = NetlinkHeader::default();
    header.flags = NLM_F_REQUEST | NLM_F_DUMP;
    let request = InetRequest {
        family,
        protocol: if udp { IPPROTO_UDP } else { IPPROTO_TCP },
        extensions: ExtensionFlags::empty(),
        // A bound socket of UDP that is not connected counts as closed.
        states: if udp { StateFlags::CLOSE } else { StateFlags::LISTEN },
        socket_id: if family == AF_INET { SocketId::new_v4() } else { SocketId::new_v6() },
    };
    let mut message = NetlinkMessage::new(header, SockDiagMessage::InetRequest(request).into());
    message.finalize();
    let mut bytes = vec![0; message.buffer_len()];
    message.serialize(&mut bytes);
    socket.send(&bytes, 0)?;
    let mut found = Vec::new();
    loop {
        let (packet, _) = socket.recv_from_full()?;
        let mut rest = packet.as_slice();
        while !rest.is_empty() {
            let message = NetlinkMessage::<SockDiagMessage>::deserialize(rest)
                .map_err(|error| io::Error::other(error.to_string()))?;
            let length = message.header.length as usize;
            match message.payload {
                NetlinkPayload::InnerMessage(SockDiagMessage::InetResponse(one)) => {
                    let id = &one.header.socket_id;
                    let address = SocketAddr::new(id.source_address, id.source_port);
                    found.push(Listening { address, inode: u64::from(one.header.inode) });
                }
                NetlinkPayload::Done(_) => return Ok(found),
                NetlinkPayload::Error(error) => return Err(error.to_io()),
                _ => {}
            }
            // Messages begin at multiples of four.
            rest = rest.get(length.next_multiple_of(4).max(4)..).unwrap_or_default();
        }
    }
}

/// The same from `/proc/net`.
fn tcp_tables() -> Vec<Listening> {
    of_tcp(procfs::net::tcp().into_iter().chain(procfs::net::tcp6()).flatten())
}

fn udp_tables() -> Vec<Listening> {
    let tables = procfs::net::udp().into_iter().chain(procfs::net::udp6()).flatten();
    let open = tables.filter(|entry: &UdpNetEntry| entry.state == UdpState::Close);
    open.map(|entry| Listening { address: entry.local_address, inode: entry.inode }).collect()
}

/// The listening ones among the entries of a table.
pub fn of_tcp(entries: impl Iterator<Item = TcpNetEntry>) -> Vec<Listening> {
    let open = entries.filter(|entry| entry.state == TcpState::Listen);
    open.map(|entry| Listening { address: entry.local_address, inode: entry.inode }).collect()
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use std::net::{TcpListener, UdpSocket};

    #[test]
    fn both_ways_show_who_listens() {
        let (four, six) = (TcpListener::bind("127.0.0.1:0").unwrap(), TcpListener::bind("[::1]:0"));
        let datagrams = UdpSocket::bind("127.0.0.1:0").unwrap();
        let has =
            |all: &[Listening], at: SocketAddr| all.iter().any(|one| one.address == at && one.inode > 0);
        for all in [listening(false), tcp_tables()] {
            assert!(has(&all, four.local_addr().unwrap()), "{all:?}");
            // Some hosts have no IPv6.
            assert!(six.as_ref().is_ok_and(|six| has(&all, six.local_addr().unwrap())) || six.is_err());
        }
        for all in [listening(true), udp_tables()] {
            assert!(has(&all, datagrams.local_addr().unwrap()), "{all:?}");
        }
    }
}
