//! Probes: one try of a health check, one file a kind. They see the daemon from this host.

pub(crate) mod certificate;
mod command;
mod dns;
mod each;
mod error;
mod file;
mod follow;
mod greeting;
mod handshake;
mod http;
mod listening;
mod listens;
mod log;
mod logged;
mod privileges;
mod process;
mod proxy;
pub(crate) mod replay;
mod ssh;
mod stream;
mod talk;
mod tcp;
mod unit;

pub use error::ProbeError;

use crate::logs::Mark;
use crate::service;
use gypsum_core::health::Outcome;
use gypsum_core::probe::{Answer, Check, Measure, Probe};
use gypsum_core::profile::Service;
use gypsum_core::service::Observation;
use std::net::{SocketAddr, ToSocketAddrs};
use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use std::time::{Duration, Instant};

/// What probes know of the service that they are about.
#[derive(Clone, Debug, Default)]
pub struct ProbeContext {
    /// The service.
    pub service: Service,
    /// How it was seen last.
    pub seen: Option<Observation>,
    /// When it was told of its configuration, and how far its logs had come by then.
    pub since: Option<Mark>,
    /// Set once nobody needs the answer any more.
    pub abandoned: Arc<AtomicBool>,
}

impl ProbeContext {
    /// How the service is, asking its manager only where its main process is another.
    fn look(&self) -> Observation {
        service::glance(&self.service, self.seen.as_ref())
    }
}

/// Tries `check` once: as often in a row as it must hold, each for at most its limit.
pub fn probe(check: &Check, scene: &ProbeContext) -> Outcome {
    let begun = Instant::now();
    let limit = Duration::from_millis(check.limit_ms.max(1));
    let mut seen = Err(ProbeError::from("it was not tried"));
    for _ in 0..check.times.max(1) {
        seen = match &check.measure {
            Some(measure) => answers(&check.probe, scene, limit).and_then(|now| Ok(measure.judge(&now)?)),
            None => look(&check.probe, scene, limit),
        };
        if seen.is_err() {
            break;
        }
    }
    let ms = u64::try_from(begun.elapsed().as_millis()).unwrap_or(u64::MAX);
    Outcome {
        name: check.name.clone(),
        // Whoever could not ask knows nothing of others.
        healthy: seen.as_ref().map_or_else(ProbeError::is_unknown, |_| true),
        is_unknown: seen.as_ref().is_err_and(ProbeError::is_unknown),
        said: seen.unwrap_or_else(|why| why.to_string()),
        ms,
        ..Outcome::default()
    }
}

fn look(probe: &Probe, scene: &ProbeContext, limit: Duration) -> Result<String, ProbeError> {
    match probe {
        Probe::Service => Err("a service is observed, not probed".into()),
        Probe::Unit { name } => unit::probe(name, scene),
        Probe::Listens { address, port, udp } => listens::probe(address.as_deref(), *port, *udp, scene),
        Probe::Replay(replay) => Ok(Measure::default().judge(&replay::answers(replay, limit))?),
        Probe::Sockets => Ok(Measure::default().judge(&[listening::answer(scene)?])?),
        Probe::Tcp(tcp) => tcp::probe(tcp, limit),
        Probe::Greeting(greeting) => greeting::probe(greeting, limit),
        Probe::Talk(talk) => talk::probe(talk, limit),
        Probe::Handshake(handshake) => handshake::probe(handshake, limit),
        Probe::Http(http) => http::probe(http, limit),
        Probe::Tls(tls) => certificate::probe(tls, limit),
        Probe::Dns(dns) => dns::probe(dns, limit),
        Probe::Ssh(ssh) => ssh::probe(ssh, limit),
        Probe::Process(process) => process::probe(process, scene),
        Probe::Log(log) => log::probe(log, scene),
        Probe::Logged(logged) => logged::probe(logged, limit),
        Probe::File(file) => file::probe(file),
        Probe::Command(command) => command::probe(command, scene, limit),
        Probe::Each(probes) => probes.iter().try_fold(String::new(), |_, probe| look(probe, scene, limit)),
    }
}

/// What a client gets, as far as it is compared with what it got before.
///
/// # Errors
///
/// If it gets nothing.
pub fn answers(probe: &Probe, scene: &ProbeContext, limit: Duration) -> Result<Vec<Answer>, ProbeError> {
    match probe {
        Probe::Http(http) => Ok(vec![follow::answer(http, limit)?]),
        Probe::Replay(replay) => Ok(replay::answers(replay, limit)),
        Probe::Sockets => Ok(vec![listening::answer(scene)?]),
        Probe::Talk(talk) => talk::answers(talk, limit),
        Probe::Handshake(handshake) => handshake::answers(handshake, limit),
        Probe::Ssh(ssh) => ssh::answers(ssh, limit),
        Probe::Dns(dns) => Ok(vec![dns.compared(&dns::answer(dns, limit)?)]),
        Probe::Command(command) => command::answers(command, scene, limit),
        Probe::Each(probes) => each::answers_of(probes, scene, limit),
        _ => Err("no answer of this kind is compared".into()),
    }
}

/// The value that a reading shows.
pub fn read(source: &Probe, scene: &ProbeContext, limit: Duration) -> Result<String, ProbeError> {
    match source {
        Probe::Process(process) => process::look(&process.property, scene),
        Probe::Command(command) => command::value(&command.run, limit),
        Probe::Http(http) => http::body(http, limit),
        other => look(other, scene, limit),
    }
}

/// The addresses of `host`, `host:port`, `[six]:port`.
fn addresses(at: &str, usual: u16) -> Result<Vec<SocketAddr>, ProbeError> {
    let bare: Option<std::net::IpAddr> = at.trim_matches(['[', ']']).parse().ok();
    let found: Vec<SocketAddr> = match bare {
        Some(address) => vec![SocketAddr::new(address, usual)],
        None => {
            let has_port = at.rsplit_once(':').is_some_and(|(_, port)| port.parse::<u16>().is_ok());
            let found = if has_port { at.to_socket_addrs() } else { (at, usual).to_socket_addrs() };
            found.map_err(|error| ProbeError::tried(format!("{at} has no address"), error))?.collect()
        }
    };
    if found.is_empty() { Err(format!("{at} has no address").into()) } else { Ok(found) }
}
