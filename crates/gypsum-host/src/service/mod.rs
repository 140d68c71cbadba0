//! Services: what keeps a daemon running, one file a manager. Telling reports; looking judges.

mod plain;
mod proc;
mod systemd;

use crate::children;
use crate::trouble::Trouble;
use gypsum_core::profile::{Proof, Service};
use gypsum_core::service::{Observation, State};
use std::time::Duration;
use systemd::Manager;

/// What a service can be told.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Deed {
    /// To read its configuration again.
    Reload,
    /// To stop and start.
    Restart,
    /// To start.
    Start,
    /// To stop.
    Stop,
}

impl Deed {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Reload => "reload",
            Self::Restart => "restart",
            Self::Start => "start",
            Self::Stop => "stop",
        }
    }
}

/// What came of telling a service something. It is a report and no proof.
#[derive(Clone, Debug)]
pub struct Acted {
    /// Whether the command ended well.
    pub ok: bool,
    /// What it said.
    pub said: String,
    /// How long it took.
    pub took: Duration,
}

/// How long a question to a service manager may take.
const ASKING: Duration = Duration::from_secs(10);

/// The service with the one unit of its names that exists on this host, and how it is; without a service manager
/// entry it stays as it is.
pub fn find(service: &Service) -> Result<(Service, Observation), Trouble> {
    if service.plain.is_none() && !service.unit.is_empty() {
        return systemd::find(service);
    }
    let seen = service.plain.as_ref().map_or_else(|| Observation::only(State::Missing), plain::observe);
    Ok((service.clone(), seen))
}

/// The service with the one unit of its names that exists on this host.
pub fn resolve(service: &Service) -> Result<Service, Trouble> {
    find(service).map(|(service, _)| service)
}

/// What a person calls the service.
pub fn name_of(service: &Service) -> String {
    match (&service.plain, service.unit.first()) {
        (Some(plain), _) => {
            plain.start.first().map_or("process", |word| word.rsplit('/').next().unwrap_or(word)).into()
        }
        (None, Some(unit)) => unit.clone(),
        (None, None) => "no service".into(),
    }
}

/// What one service has and no other: the name of its lock.
pub fn lock_name(service: &Service) -> Option<String> {
    match (&service.plain, service.unit.first()) {
        (Some(plain), _) => Some(format!("the process of {}", plain.pid_file)),
        (None, Some(unit)) => Some(format!("the service {unit}")),
        (None, None) => None,
    }
}

/// Whether there is anything to observe.
pub fn exists(service: &Service) -> bool {
    service.plain.is_some() || !service.unit.is_empty()
}

/// One look at a service.
pub fn observe(service: &Service) -> Observation {
    let mut seen = match (&service.plain, service.unit.first()) {
        (Some(plain), _) => plain::observe(plain),
        (None, Some(unit)) => systemd::observe(&Manager::of(service), unit),
        (None, None) => return Observation::only(State::Missing),
    };
    if let Some(main) = seen.main {
        seen.listeners = proc::listeners(main.pid);
        seen.children = proc::children(main.pid);
    }
    if let (Some(Proof::Prints(argv)), true) = (&service.proof, seen.state.is_up()) {
        seen.printed = children::run(argv, ASKING).ok().filter(children::Ran::ok).map(|ran| ran.out);
    }
    seen
}

/// The processes below a process, its children and theirs.
pub fn children_of(pid: u32) -> Vec<u32> {
    let mut all: Vec<u32> = proc::children(pid).into_iter().map(|child| child.pid).collect();
    let mut at = 0;
    while let Some(next) = all.get(at).copied() {
        let more = proc::children(next).into_iter().map(|child| child.pid);
        all.extend(more.filter(|pid| !all.contains(pid)).collect::<Vec<_>>());
        at += 1;
    }
    all
}

/// The main process of a service and all below it.
pub fn processes(seen: &Observation) -> Vec<u32> {
    let Some(main) = seen.main else { return Vec::new() };
    std::iter::once(main.pid).chain(children_of(main.pid)).collect()
}

/// The memory that the service's processes hold, in bytes.
pub fn memory(seen: &Observation) -> u64 {
    processes(seen).into_iter().map(proc::memory).sum()
}

/// Whether systemd knows a unit of this name; none where it does not answer.
pub fn unit_exists(name: &str) -> Option<bool> {
    systemd::is_known(name)
}

/// Whether the service's sockets belong to somebody else, who would not see a reload.
pub fn needs_restart_for_sockets(service: &Service, seen: &Observation) -> bool {
    let sockets: Vec<&str> =
        seen.callers.iter().map(String::as_str).filter(|name| name.ends_with(".socket")).collect();
    !sockets.is_empty() && systemd::any_active(&Manager::of(service), &sockets)
}

/// Tells a service something and waits until that is done or the time is up.
pub fn act(service: &Service, deed: Deed, limit: Duration) -> Acted {
    match (&service.plain, service.unit.first()) {
        (Some(plain), _) => plain::act(plain, deed, limit),
        (None, Some(unit)) => systemd::act(&Manager::of(service), service.reread, unit, deed, limit),
        (None, None) => Acted { ok: true, said: String::new(), took: Duration::ZERO },
    }
}

/// The last lines of its log since a moment.
pub fn log_since(service: &Service, at_ms: i64) -> Vec<String> {
    match service.unit.first() {
        Some(unit) if service.plain.is_none() => systemd::log_since(unit, at_ms),
        _ => Vec::new(),
    }
}
