//! Probes: one try of a health check, one file a kind. They see the daemon from this host.

mod command;
mod http;
mod listens;
mod tcp;

use gypsum_core::health::Outcome;
use gypsum_core::profile::{Check, Probe};
use std::time::{Duration, Instant};

/// Tries `check` once, for at most its limit.
pub fn probe(check: &Check) -> Outcome {
    let begun = Instant::now();
    let limit = Duration::from_millis(check.limit_ms.max(1));
    let seen = match &check.probe {
        Probe::Service => Err("a service is observed, not probed".to_owned()),
        Probe::Listens { address, port, udp } => listens::probe(address.as_deref(), *port, *udp),
        Probe::Tcp { at } => tcp::probe(at, limit),
        Probe::Http { url, status, contains } => http::probe(url, *status, contains.as_deref(), limit),
        Probe::Command { run, status, prints } => command::probe(run, *status, prints.as_deref(), limit),
    };
    let ms = u64::try_from(begun.elapsed().as_millis()).unwrap_or(u64::MAX);
    Outcome { name: check.name.clone(), well: seen.is_ok(), said: seen.unwrap_or_else(|why| why), ms }
}
