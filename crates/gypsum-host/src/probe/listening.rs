//! All sockets on which a service listens, by the kernel.

use super::{ProbeContext, ProbeError};
use crate::service;
use crate::sockets::listening;
use gypsum_core::probe::{Answer, sockets};
use procfs::net::UnixState;
use std::fs;
use std::net::SocketAddr;
use std::ops::RangeInclusive;

/// The ports that the kernel gives to whoever names none (ip(7)); these where it does not say.
const RANGE: &str = "/proc/sys/net/ipv4/ip_local_port_range";
const USUAL_RANGE: RangeInclusive<u16> = 32_768..=60_999;

/// The sockets, as far as they are compared.
///
/// # Errors
///
/// If they cannot be seen, or its manager holds them for the service.
pub fn answer(scene: &ProbeContext) -> Result<Answer, ProbeError> {
    let seen = scene.look();
    let processes = service::processes(&seen);
    if !seen.callers.is_empty() || processes.is_empty() {
        return Err("its sockets are not its own, or it does not run".into());
    }
    let own = service::sockets_of_all(&processes);
    let of = |udp: bool| -> Vec<SocketAddr> {
        listening(udp).into_iter().filter(|one| own.contains(&one.inode)).map(|one| one.address).collect()
    };
    let unix = procfs::net::unix().map_err(|error| ProbeError::from(error.to_string()))?;
    // Those of single clients are connected, and have the same path.
    let unix: Vec<String> = unix
        .into_iter()
        .filter(|entry| own.contains(&entry.inode) && entry.state == UnixState::UNCONNECTED)
        .filter_map(|entry| Some(entry.path?.to_string_lossy().into_owned()))
        .collect();
    Ok(sockets(&processes, &of(false), &of(true), &unix, &changing()))
}

fn changing() -> RangeInclusive<u16> {
    let text = fs::read_to_string(RANGE).unwrap_or_default();
    let mut numbers = text.split_whitespace().filter_map(|number| number.parse().ok());
    match (numbers.next(), numbers.next()) {
        (Some(from), Some(to)) => from..=to,
        _ => USUAL_RANGE,
    }
}
