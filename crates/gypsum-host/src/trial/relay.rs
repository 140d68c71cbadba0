//! A relay for names: a trial has no way out, and a daemon that looks up a name at its start would fail for that alone.
//! Questions to the host's name servers are passed on, by sockets that were made before the host's network was left.

use std::collections::HashMap;
use std::io;
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, SocketAddr, UdpSocket};
use std::sync::{Arc, Mutex, PoisonError};

/// The port of name servers.
pub const DNS_PORT: u16 = 53;
/// A message over UDP is not longer than this, in bytes (RFC 6891, 6.2.5).
const LONGEST: usize = 4_096;
/// More questions than this do not wait for an answer.
const MOST: usize = 1_000;

/// The way out to one name server.
pub struct WayOut {
    server: IpAddr,
    socket: UdpSocket,
}

impl WayOut {
    /// Made in the host's network.
    ///
    /// # Errors
    ///
    /// If there is no way to that server.
    pub fn to(server: IpAddr) -> io::Result<Self> {
        let any: IpAddr = match server {
            IpAddr::V4(_) => Ipv4Addr::UNSPECIFIED.into(),
            IpAddr::V6(_) => Ipv6Addr::UNSPECIFIED.into(),
        };
        let socket = UdpSocket::bind((any, 0))?;
        socket.connect((server, DNS_PORT))?;
        Ok(Self { server, socket })
    }

    /// Answers in the trial's network at the server's address, as long as this process lives.
    ///
    /// # Errors
    ///
    /// If that address cannot be had.
    pub fn serve(self) -> io::Result<()> {
        let here = Arc::new(UdpSocket::bind((self.server, DNS_PORT))?);
        let out = Arc::new(self.socket);
        let asked: Arc<Mutex<HashMap<[u8; 2], SocketAddr>>> = Arc::default();
        let (inwards, back, waiting) = (Arc::clone(&here), Arc::clone(&out), Arc::clone(&asked));
        std::thread::Builder::new().spawn(move || {
            let mut buffer = [0; LONGEST];
            while let Ok((length, from)) = inwards.recv_from(&mut buffer) {
                // Every message begins with the number of its question (RFC 1035, 4.1.1).
                let [first, second, ..] = buffer[..length] else { continue };
                let mut waiting = waiting.lock().unwrap_or_else(PoisonError::into_inner);
                if waiting.len() < MOST {
                    waiting.insert([first, second], from);
                    // One that is lost is asked again, as everywhere.
                    let _ = back.send(&buffer[..length]);
                }
            }
        })?;
        std::thread::Builder::new().spawn(move || {
            let mut buffer = [0; LONGEST];
            loop {
                // Nobody listens there: the answer to the next question may come.
                let Ok(length) = out.recv(&mut buffer) else { continue };
                let [first, second, ..] = buffer[..length] else { continue };
                let to = asked.lock().unwrap_or_else(PoisonError::into_inner).remove(&[first, second]);
                if let Some(to) = to {
                    let _ = here.send_to(&buffer[..length], to);
                }
            }
        })?;
        Ok(())
    }
}
