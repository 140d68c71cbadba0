//! Somebody listens on a port, and it is the service: the kernel's table says so, whatever the one who listens answers.

use super::ProbeContext;
use super::ProbeError;
use crate::service;
use crate::sockets::{Listening, listening};
use gypsum_core::service::Observation;
use std::collections::HashSet;
use std::net::{IpAddr, SocketAddr};

pub fn probe(
    address: Option<&str>,
    port: u16,
    udp: bool,
    scene: &ProbeContext,
) -> Result<String, ProbeError> {
    let wanted: Option<IpAddr> = address.and_then(|address| address.parse().ok());
    let fits = |at: &SocketAddr| {
        let all = at.ip().is_unspecified();
        at.port() == port && wanted.is_none_or(|wanted| all || at.ip() == wanted)
    };
    let there: Vec<Listening> = listening(udp).into_iter().filter(|one| fits(&one.address)).collect();
    if there.is_empty() {
        return Err("no process listens there".into());
    }
    // Where its sockets cannot be seen, or the service manager holds them, that somebody does must do.
    let Some(own) = sockets_of(&scene.look()).filter(|own| !own.is_empty()) else {
        return Ok("a process listens there".into());
    };
    if !there.iter().any(|one| own.contains(&one.inode)) {
        return Err("another process listens there".into());
    }
    // Of both families it may have got one.
    let for_all = |address: &SocketAddr| wanted.is_none() && address.ip().is_unspecified();
    match there.iter().find(|one| for_all(&one.address) && !own.contains(&one.inode)) {
        Some(other) => Err(format!("another process listens on {}", other.address).into()),
        None => Ok("the service listens there".into()),
    }
}

/// The sockets that the processes of a service hold; none where its main process is not known, or somebody else (its
/// service manager) keeps them for it.
fn sockets_of(seen: &Observation) -> Option<HashSet<u64>> {
    if !seen.callers.is_empty() {
        return None;
    }
    let mut own = HashSet::new();
    for pid in service::processes(seen) {
        own.extend(service::sockets_of(pid)?);
    }
    Some(own)
}
