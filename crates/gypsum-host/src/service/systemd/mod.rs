//! systemd, that of the system and a user's own, on the system's bus or through its public commands.
//!
//! What we believe of it (systemd 252): results of jobs and exit statuses of `systemctl` report and prove nothing;
//! `show` answers with status 0 even for unknown units; a unit that ran into its start limit does
//! not start, however good its configuration, before `reset-failed`; ending `systemctl` does not
//! end the job that it asked for; a unit whose files cannot be read stops, and does not start again.

mod bus;
mod credentials;
mod job;
mod journal;
mod shown;
mod whose;

pub use bus::{SystemBus, object_of};
pub use whose::{ManagerScope, as_user};

use super::ActionError;
use super::manager::{ServiceManager, Units};
use super::{ASKING, Acted, ServiceAction, with_logs};
use crate::children::{self, Limit, Ran};
use crate::error::Error;
use crate::logs::Mark;
use bus::{MANAGER, NAME, OBJECT};
use gypsum_core::log::LogLine;
use gypsum_core::profile::{Service, ServiceManagerKind};
use gypsum_core::service::{Observation, State};
use shown::{Likelihood, UnitProperties};
use std::time::{Duration, Instant};

/// systemd.
pub struct Systemd;

impl ServiceManager for Systemd {
    fn resolve(&self, service: &Service) -> Result<(Service, Observation), Error> {
        let mut why = None;
        let mut loaded: Vec<UnitProperties> = Vec::new();
        let whose = ManagerScope::of(service);
        for name in &service.unit {
            let name = full_name(name)?;
            let Some(shown) = UnitProperties::of(&whose, &name) else {
                return Err(Error::cannot(
                    "systemd does not answer: systemctl cannot be run, or systemd is not running here",
                )
                .help("where another thing keeps the daemon running, its profile says so: [service.plain]"));
            };
            match shown.load_state() {
                "loaded" => {
                    let is_running = shown.likelihood() == Likelihood::Runs;
                    loaded.push(shown);
                    if is_running {
                        break;
                    }
                }
                "not-found" => {}
                state => why = Some(unusable(&name, state)),
            }
        }
        // Of equally likely ones the first that the profile names.
        if let Some(shown) = loaded.into_iter().rev().max_by_key(UnitProperties::likelihood) {
            let shown = behind(&whose, &shown).unwrap_or(shown);
            let unit = vec![shown.id().to_owned()];
            let found = Service { unit, keeper: Some(ServiceManagerKind::Systemd), ..service.clone() };
            return Ok((found, shown.observation()));
        }
        let names = service.unit.join(" or ");
        Err(why.unwrap_or_else(|| {
            Error::cannot(format!("systemd knows no unit {names}"))
                .help("systemctl list-units --type=service shows what there is")
        }))
    }

    fn observe(&self, service: &Service) -> Observation {
        let shown = UnitProperties::of(&ManagerScope::of(service), service.name());
        shown.map_or_else(|| Observation::only(State::Unreachable), |shown| shown.observation())
    }

    fn act(&self, service: &Service, action: ServiceAction, limit: Limit<'_>) -> Acted {
        let (begun, whose, unit) = (Instant::now(), ManagerScope::of(service), service.name());
        if action.starts() {
            // A start limit that was hit, or that this start would hit, keeps the best configuration
            // down. Its own status says only whether there was anything to clear.
            reset_failed(&whose, unit);
        }
        // To read all unit files takes long on some hosts, and a service that has failed is down meanwhile.
        let is_read_anyway = || service.reread_own && action.starts() && is_forgotten(&whose, unit);
        // Whatever it says about the need: a unit file was touched.
        let known = match service.reread && !is_read_anyway() {
            true => reread_by(&whose, service, limit.time),
            false => Ok(()),
        };
        Acted::since(begun, known.and_then(|()| tell(&whose, action, unit, limit)))
    }

    fn by_hand(&self, service: &Service) -> String {
        let (whose, unit) = (ManagerScope::of(service), service.name());
        let status = whose.argv(&["status", unit]).join(" ");
        let journal = match whose {
            ManagerScope::System => format!("journalctl -u {unit} -n 30"),
            ManagerScope::Own => format!("journalctl --user -u {unit} -n 30"),
            ManagerScope::Of(_, uid) => format!("journalctl _SYSTEMD_USER_UNIT={unit} _UID={uid} -n 30"),
        };
        with_logs(format!("{status}; {journal}"), service)
    }

    fn units(&self) -> Option<&dyn Units> {
        Some(self)
    }
}

impl Units for Systemd {
    fn logs_since(&self, service: &Service, since: &Mark, until_ms: Option<i64>) -> Vec<LogLine> {
        journal::lines(&ManagerScope::of(service), service.name(), since.at_ms, until_ms)
    }

    fn active(&self, service: &Service, units: &[String]) -> Vec<String> {
        if units.is_empty() {
            return Vec::new();
        }
        let words = ["show", "--no-pager", "-p", "Id,ActiveState", "--"];
        let words: Vec<&str> = words.into_iter().chain(units.iter().map(String::as_str)).collect();
        let Ok(ran) = children::run(&ManagerScope::of(service).argv(&words), ASKING) else {
            return Vec::new();
        };
        let of = |text: &str, key: &str| {
            text.lines().find_map(|line| line.strip_prefix(key)?.strip_prefix('=')).map(str::to_owned)
        };
        let blocks = ran.out.split("\n\n");
        blocks
            .filter(|block| of(block, "ActiveState").is_some_and(|state| state == "active"))
            .filter_map(|block| of(block, "Id"))
            .collect()
    }

    fn was_asked(&self, service: &Service, since_ms: i64) -> bool {
        journal::was_stopping(&ManagerScope::of(service), service.name(), since_ms)
    }
}

/// A unit name that systemd takes as it is: it would make `etc-nginx.mount` of a path.
fn full_name(name: &str) -> Result<String, Error> {
    let plain =
        name.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, ':' | '_' | '.' | '\\' | '@' | '-'));
    if !plain || name.is_empty() {
        return Err(Error::usage(format!("{name:?} cannot be the name of a unit")));
    }
    let kind = name.rsplit_once('.').map(|(_, kind)| kind);
    let typed = kind.is_some_and(|kind| matches!(kind, "service" | "socket" | "target" | "timer"));
    let full = if typed { name.to_owned() } else { format!("{name}.service") };
    match full.split_once("@.") {
        Some((template, kind)) => Err(Error::usage(format!(
            "{full} is a template, and runs only as one of its instances"
        ))
        .help(format!(
            "name one: {template}@NAME.{kind}; systemctl list-units '{template}@*' shows those that there are"
        ))),
        None => Ok(full),
    }
}

/// The instance behind a unit that did its work and only stands for it; none where it stands for several.
fn behind(whose: &ManagerScope, shown: &UnitProperties) -> Option<UnitProperties> {
    let seen = shown.observation();
    let stem = shown.id().strip_suffix(".service").filter(|_| seen.state == State::Exited)?;
    let parts = shown.parts().iter();
    let instances: Vec<UnitProperties> = parts
        .filter(|part| part.strip_prefix(stem).is_some_and(|rest| rest.starts_with('@')))
        .filter_map(|part| UnitProperties::of(whose, part))
        .filter(|shown| !matches!(shown.observation().state, State::Stopped | State::Missing))
        .collect();
    <[UnitProperties; 1]>::try_from(instances).ok().map(|[only]| only)
}

fn unusable(name: &str, state: &str) -> Error {
    if state == "masked" {
        return Error::cannot(format!("{name} is masked: it cannot be started"))
            .help(format!("systemctl unmask {name}"));
    }
    Error::cannot(format!("the unit file of {name} cannot be loaded; once stopped it would not start"))
        .help(format!("systemd-analyze verify {name}"))
}

/// Whether systemd knows a unit of this name; none where it does not answer.
pub fn is_known(name: &str) -> Option<bool> {
    let shown = UnitProperties::of(&ManagerScope::System, &full_name(name).ok()?)?;
    Some(shown.load_state() != "not-found")
}

/// Has the manager read all unit files again, and sees that the service can still be started: what cannot be loaded can
/// be stopped all the same.
pub fn reread(service: &Service, limit: Duration) -> Result<(), ActionError> {
    reread_by(&ManagerScope::of(service), service, limit)
}

/// Whether the manager holds nothing of the unit in memory. One that no other wants is forgotten once it has ended
/// (systemd.unit(5), CollectMode=), and read when it is started. `systemctl show` would read it, so the bus is asked.
fn is_forgotten(whose: &ManagerScope, unit: &str) -> bool {
    if let Some(holds) = whose.bus().and_then(|bus| bus.holds(unit)) {
        return !holds;
    }
    let words = ["call", NAME, OBJECT, MANAGER, "GetUnit", "s", unit];
    let asked = children::run(&whose.busctl(&words), ASKING);
    asked.is_ok_and(|ran| !ran.timed_out && !ran.ok() && ran.err.contains("not loaded"))
}

fn reread_by(whose: &ManagerScope, service: &Service, limit: Duration) -> Result<(), ActionError> {
    let ran = children::run(&whose.argv(&["daemon-reload"]), limit);
    if !ran.as_ref().is_ok_and(Ran::ok) {
        let said = ran.map_or_else(|error| error.to_string(), |ran| ran.last_words());
        return Err(ActionError::NotReread(said));
    }
    let shown = service.unit.first().and_then(|unit| UnitProperties::of(whose, unit));
    match shown {
        Some(shown) if matches!(shown.load_state(), "bad-setting" | "error") => {
            Err(unusable(service.name(), shown.load_state()).into())
        }
        _ => Ok(()),
    }
}

fn reset_failed(whose: &ManagerScope, unit: &str) {
    if !whose.bus().is_some_and(|bus| bus.reset_failed(unit)) {
        drop(children::run(&whose.argv(&["reset-failed", "--", unit]), ASKING));
    }
}

fn tell(
    whose: &ManagerScope,
    action: ServiceAction,
    unit: &str,
    limit: Limit<'_>,
) -> Result<(), ActionError> {
    if let Some(done) = whose.bus().and_then(|bus| job::carry_out(bus, action, unit, limit)) {
        return done;
    }
    match children::run_sparing(&whose.argv(&[action.word(), "--", unit]), limit) {
        Ok(ran) if ran.timed_out && limit.is_out() => Err(ActionError::Interrupted),
        Ok(ran) if ran.timed_out => {
            let what = format!("systemctl {} {unit}", action.word());
            Err(ActionError::TimedOut { what, limit: limit.time })
        }
        Ok(ran) if ran.ok() => Ok(()),
        Ok(ran) => Err(ActionError::Failed(last_words(&ran))),
        Err(source) => Err(ActionError::NotRun { program: "systemctl".into(), source }),
    }
}

/// What it said, without the advice to look elsewhere: we look there ourselves.
fn last_words(ran: &Ran) -> String {
    let text =
        ran.err.lines().filter(|line| !line.starts_with("See \"systemctl") && !line.starts_with("Warning:"));
    text.map(str::trim).filter(|line| !line.is_empty()).collect::<Vec<_>>().join("; ")
}
