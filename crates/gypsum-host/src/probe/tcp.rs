//! A TCP connection: somebody listens there and takes it.

use std::net::{TcpStream, ToSocketAddrs};
use std::time::{Duration, Instant};

pub fn probe(at: &str, limit: Duration) -> Result<String, String> {
    let addresses: Vec<_> =
        at.to_socket_addrs().map_err(|error| format!("{at} is no address: {error}"))?.collect();
    let deadline = Instant::now() + limit;
    let named = at.parse::<std::net::SocketAddr>().is_err();
    let whose = |address| if named { format!(" at {address}") } else { String::new() };
    let mut why = format!("{at} has no address");
    for address in addresses {
        let left = deadline.saturating_duration_since(Instant::now());
        if left.is_zero() {
            break;
        }
        match TcpStream::connect_timeout(&address, left) {
            Ok(_) => return Ok(format!("accepts connections{}", whose(address))),
            Err(error) => why = format!("{}{}", crate::trouble::plain(&error), whose(address)),
        }
    }
    Err(why)
}
