//! Services: what keeps a daemon running, one file a manager. Telling reports; looking judges.

mod action_error;
mod holdings;
mod manager;
mod openrc;
mod output;
mod plain;
mod proc;
mod runit;
mod script;
mod systemd;

pub use holdings::OwnedResources;
pub use proc::{
    environment as environment_of, is_of_user, namespace, sockets as sockets_of, sockets_of_all,
    unit_of as unit_of_process,
};
pub use systemd::{ManagerScope, SystemBus, object_of};

use crate::children::{self, Limit};
use crate::error::Error;
use crate::logs::Mark;
pub use action_error::ActionError;
use gypsum_core::log::LogLine;
use gypsum_core::profile::{Proof, Service, ServiceManagerKind};
use gypsum_core::service::{Observation, Process, State};
use manager::ServiceManager;
pub use manager::wait_until_gone;
use rustix::process::{Pid, Signal, kill_process};
use std::path::Path;
use std::time::{Duration, Instant};

/// What a service can be told.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ServiceAction {
    /// Its main process gets the signal of its profile.
    Signal,
    /// The command of its profile is run.
    Command,
    /// To read its configuration again.
    Reload,
    /// To stop and start.
    Restart,
    /// To start.
    Start,
    /// To stop.
    Stop,
    /// Its manager is told that unit files were touched.
    Reread,
}

impl ServiceAction {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Signal => "signal",
            Self::Command => "command",
            Self::Reload => "reload",
            Self::Restart => "restart",
            Self::Start => "start",
            Self::Stop => "stop",
            Self::Reread => "re-read",
        }
    }

    /// Whether it brings the service up.
    fn starts(self) -> bool {
        matches!(self, Self::Restart | Self::Start)
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

impl Acted {
    /// What came of an action that was begun at this moment.
    fn since(begun: Instant, done: Result<(), ActionError>) -> Self {
        let said = done.as_ref().err().map(ToString::to_string).unwrap_or_default();
        Self { ok: done.is_ok(), said, took: begun.elapsed() }
    }

    /// How long it took, in milliseconds.
    pub fn ms(&self) -> u64 {
        u64::try_from(self.took.as_millis()).unwrap_or(u64::MAX)
    }
}

/// How long a question to a service manager may take.
pub(crate) const ASKING: Duration = Duration::from_secs(10);

/// What has a service.
fn manager_of(service: &Service) -> &'static dyn ServiceManager {
    if service.plain.is_some() || service.unit.is_empty() {
        return &plain::NoManager;
    }
    match service.keeper.unwrap_or_else(keeper_of_host) {
        ServiceManagerKind::Systemd => &systemd::Systemd,
        ServiceManagerKind::Openrc => &openrc::Openrc,
        ServiceManagerKind::Runit => &runit::Runit,
        ServiceManagerKind::Script => &script::Script,
    }
}

/// Which of systemd's managers has a service; none where another service manager does, or none at all.
pub fn systemd_of(service: &Service) -> Option<ManagerScope> {
    let is_unit = service.plain.is_none() && !service.unit.is_empty();
    let keeper = service.keeper.unwrap_or_else(keeper_of_host);
    (is_unit && keeper == ServiceManagerKind::Systemd).then(|| ManagerScope::of(service))
}

/// A command as the account runs it whose service it is: that of a user where a user's own manager has it.
pub fn as_its_user(service: &Service, argv: &[String]) -> Vec<String> {
    match systemd_of(service) {
        Some(ManagerScope::Of(name, uid)) => systemd::as_user(&name, uid, argv),
        Some(ManagerScope::System | ManagerScope::Own) | None => argv.to_vec(),
    }
}

/// The service manager that this host was booted with.
fn keeper_of_host() -> ServiceManagerKind {
    let there = |path: &str| Path::new(path).exists();
    if there("/run/systemd/system") {
        ServiceManagerKind::Systemd
    } else if there("/run/openrc/softlevel") {
        ServiceManagerKind::Openrc
    } else if runit::runs() {
        ServiceManagerKind::Runit
    } else if there("/usr/bin/systemctl") && !there("/etc/init.d/rcS") {
        // Nothing was booted: systemd's own answer says so best.
        ServiceManagerKind::Systemd
    } else {
        ServiceManagerKind::Script
    }
}

/// The service with the one unit of its names that exists on this host, and how it is; without a service manager
/// entry it stays as it is.
pub fn find(service: &Service) -> Result<(Service, Observation), Error> {
    let odd = |name: &&String| name.is_empty() || name.contains(char::is_whitespace);
    if let Some(name) = service.unit.iter().find(odd) {
        return Err(Error::usage(format!("{name:?} cannot be the name of a service")));
    }
    manager_of(service).resolve(service)
}

/// The name without what only systemd writes behind it.
fn bare(unit: &str) -> &str {
    unit.strip_suffix(".service").unwrap_or(unit)
}

/// That none of its names is one of a service here.
fn unknown(keeper: ServiceManagerKind, service: &Service) -> Error {
    let names = service.unit.iter().map(|unit| bare(unit)).collect::<Vec<_>>().join(" or ");
    Error::cannot(format!("{} knows no service {names}", keeper.title()))
        .help("its profile may name the service manager: keeper = \"runit\"")
}

/// The service with the one unit of its names that exists on this host.
pub fn resolve(service: &Service) -> Result<Service, Error> {
    find(service).map(|(service, _)| service)
}

/// What a person calls the service.
pub fn name_of(service: &Service) -> String {
    match (&service.plain, service.unit.first()) {
        (Some(plain), _) => {
            plain.start.first().map_or("process", |word| word.rsplit('/').next().unwrap_or(word)).into()
        }
        (None, Some(unit)) if unit.starts_with('/') => unit.rsplit('/').next().unwrap_or(unit).to_owned(),
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
    with_generation(service, manager_of(service).observe(service))
}

/// With what the profile knows as the mark of a generation, and no more: the tables of sockets are long.
fn with_generation(service: &Service, mut seen: Observation) -> Observation {
    if !seen.state.is_up() {
        return seen;
    }
    if let Some(main) = seen.main {
        if matches!(service.proof, None | Some(Proof::Listeners)) {
            seen.listeners = proc::listeners(main.pid);
        }
        seen.children = proc::children(main.pid);
    }
    if let Some(Proof::Prints(argv)) = &service.proof {
        seen.printed = children::run(argv, ASKING).ok().filter(children::Ran::ok).map(|ran| ran.out);
    }
    seen
}

/// One more look at a service that was seen as `last` a moment ago.
pub fn observe_again(service: &Service, last: &Observation) -> Observation {
    with_generation(service, glance(service, Some(last)))
}

/// Whether a service is as it was seen `last`: while its main process is the same, the manager has nothing new to say.
pub fn glance(service: &Service, last: Option<&Observation>) -> Observation {
    let goes_on = |last: &&Observation| last.state == State::Running && last.main.is_some_and(proc::is_alive);
    last.filter(goes_on).cloned().unwrap_or_else(|| manager_of(service).observe(service))
}

/// Whether one of these processes, as they were, still has a listening socket.
pub fn is_accepting(processes: &[Process]) -> bool {
    processes
        .iter()
        .filter(|process| proc::is_alive(**process))
        .any(|process| !proc::listeners(process.pid).is_empty())
}

/// The main process of a service and all below it.
pub fn processes(seen: &Observation) -> Vec<u32> {
    seen.main.into_iter().flat_map(proc::family).map(|process| process.pid).collect()
}

/// The memory that the service's processes hold, in bytes.
pub fn memory(seen: &Observation) -> u64 {
    processes(seen).into_iter().map(proc::memory).sum()
}

/// Whether systemd knows a unit of this name; none where it does not answer.
pub fn unit_exists(name: &str) -> Option<bool> {
    systemd::is_known(name)
}

/// How a person looks at a service and its log: a line for the shell.
pub fn by_hand(service: &Service) -> String {
    manager_of(service).by_hand(service)
}

/// The same line, and the ends of the log files that are known.
fn with_logs(line: String, service: &Service) -> String {
    let logs = service.log.iter().map(|log| format!("; tail -n 30 {log}"));
    std::iter::once(line).chain(logs).collect()
}

/// Those of these units that are up, of the manager that the service is with.
pub fn active_units(service: &Service, units: &[String]) -> Vec<String> {
    manager_of(service).units().map(|manager| manager.active(service, units)).unwrap_or_default()
}

/// Tells a service something and waits until that is done or the time is up.
pub fn act(service: &Service, action: ServiceAction, limit: Limit<'_>) -> Acted {
    let begun = Instant::now();
    let done = match action {
        ServiceAction::Signal => signal(service),
        ServiceAction::Command => command(service, limit.time),
        // Whatever has the service: the file is a unit's.
        ServiceAction::Reread if keeper_of_host() == ServiceManagerKind::Systemd => {
            systemd::reread(service, limit.time)
        }
        ServiceAction::Reread => Ok(()),
        _ => return manager_of(service).act(service, action, limit),
    };
    Acted::since(begun, done)
}

/// The last lines of the log that its manager keeps, from a mark on and up to a moment (milliseconds since 1970).
pub fn logs_since(service: &Service, since: &Mark, until_ms: Option<i64>) -> Vec<LogLine> {
    let units = manager_of(service).units();
    units.map(|manager| manager.logs_since(service, since, until_ms)).unwrap_or_default()
}

/// Whether its manager was asked, since a moment, to stop or to restart it; none where it keeps no account of that.
pub fn was_asked(service: &Service, since_ms: i64) -> Option<bool> {
    manager_of(service).units().map(|manager| manager.was_asked(service, since_ms))
}

fn signal(service: &Service) -> Result<(), ActionError> {
    let name = service.signal.as_deref().ok_or(ActionError::NotInProfile("signal"))?;
    let signal = named_signal(name)?;
    let main = manager_of(service).observe(service).main.ok_or(ActionError::NoMainProcess)?;
    send(main, signal)
}

/// A signal that a profile may send.
fn named_signal(name: &str) -> Result<Signal, ActionError> {
    match name.strip_prefix("SIG").unwrap_or(name) {
        "HUP" => Ok(Signal::HUP),
        "USR1" => Ok(Signal::USR1),
        "USR2" => Ok(Signal::USR2),
        other => Err(ActionError::NoSuchSignal(other.into())),
    }
}

fn send(process: Process, signal: Signal) -> Result<(), ActionError> {
    let pid = i32::try_from(process.pid).ok().and_then(Pid::from_raw).ok_or(ActionError::NoMainProcess)?;
    kill_process(pid, signal).map_err(|error| ActionError::Signal { pid: process.pid, source: error.into() })
}

fn command(service: &Service, limit: Duration) -> Result<(), ActionError> {
    run(service.command.as_ref().ok_or(ActionError::NotInProfile("command"))?, limit)
}

/// Runs a command to its end; its last words where it does not end well.
pub fn run(argv: &[String], limit: Duration) -> Result<(), ActionError> {
    report(children::run(argv, limit), &argv.join(" "), limit)
}

/// What came of a command, for a person.
fn report(ran: std::io::Result<children::Ran>, name: &str, limit: Duration) -> Result<(), ActionError> {
    match ran {
        Ok(ran) if ran.timed_out => Err(ActionError::TimedOut { what: name.into(), limit }),
        Ok(ran) if ran.ok() => Ok(()),
        Ok(ran) => Err(ActionError::Failed(ran.last_words())),
        Err(error) => Err(ActionError::NotRun { program: name.into(), source: error }),
    }
}

/// Runs a service's script or tool, and reports.
fn tell(argv: &[&str], limit: Duration) -> Acted {
    let begun = Instant::now();
    let argv: Vec<String> = argv.iter().map(|word| (*word).to_owned()).collect();
    let done = report(children::run_sparing(&argv, Limit::of(limit)), &argv.join(" "), limit);
    Acted::since(begun, done)
}
