//! A TCP connection: somebody listens there and takes it, or nobody must.

use super::ProbeError;
use gypsum_core::probe::Tcp;
use std::net::{SocketAddr, TcpStream};
use std::time::{Duration, Instant};

pub fn probe(tcp: &Tcp, limit: Duration) -> Result<String, ProbeError> {
    let at = tcp.at.as_str();
    match (connect(at, 0, limit), tcp.refused) {
        (Ok((_, address)), false) if at.parse::<SocketAddr>().is_ok() || address.port() == 0 => {
            Ok("accepts connections".into())
        }
        (Ok((_, address)), false) => Ok(format!("accepts connections at {address}")),
        (Ok((_, address)), true) => {
            Err(format!("accepts connections at {address}, expected no listener").into())
        }
        (Err(why), false) => Err(why),
        (Err(why), true) => Ok(format!("{why}, as expected")),
    }
}

/// A connection to one of the addresses of `at`, and which.
pub fn connect(at: &str, usual: u16, limit: Duration) -> Result<(TcpStream, SocketAddr), ProbeError> {
    let deadline = Instant::now() + limit;
    let named = at.parse::<SocketAddr>().is_err();
    let whose = |address| if named { format!(" at {address}") } else { String::new() };
    let mut why = ProbeError::Unmet(format!("{at} has no address"));
    for address in super::addresses(at, usual)? {
        let left = deadline.saturating_duration_since(Instant::now());
        if left.is_zero() {
            break;
        }
        match TcpStream::connect_timeout(&address, left) {
            Ok(stream) => return Ok((stream, address)),
            Err(error) => why = format!("{}{}", crate::error::plain(&error), whose(address)).into(),
        }
    }
    Err(why)
}
