//! systemd's system units, through its public commands.
//!
//! What we believe of it (systemd 252): exit statuses of `systemctl` report and prove nothing;
//! `show` answers with status 0 even for unknown units; a unit that ran into its start limit does
//! not start, however good its configuration, before `reset-failed`; ending `systemctl` does not
//! end the job that it asked for.

use super::{ASKING, Acted, Deed};
use crate::children::{self, Ran};
use crate::service::proc;
use crate::trouble::Trouble;
use gypsum_core::profile::{Keeper, Service};
use gypsum_core::service::{Observation, State};
use std::collections::HashMap;
use std::time::{Duration, Instant};

const PROPERTIES: &str = "Id,LoadState,ActiveState,SubState,Result,MainPID,NRestarts,InvocationID,CanReload,TriggeredBy,RequiredBy,RequisiteOf,BoundBy,ConsistsOf,Job,StateChangeTimestamp";

/// So many lines of a journal are read.
const MOST_LINES: &str = "400";

type Shown = HashMap<String, String>;

fn argv(words: &[&str]) -> Vec<String> {
    words.iter().map(|word| (*word).to_owned()).collect()
}

/// Which of systemd's managers is asked: that of the system, or a user's own.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Manager {
    /// That of the system.
    System,
    /// Our own account's.
    Own,
    /// Another account's, by its name and number.
    Of(String, u32),
}

impl Manager {
    /// `systemctl` with these words, for this manager.
    fn argv(&self, words: &[&str]) -> Vec<String> {
        let lead: Vec<String> = match self {
            Self::System => argv(&["systemctl"]),
            Self::Own => argv(&["systemctl", "--user"]),
            Self::Of(name, uid) => {
                let folder = format!("XDG_RUNTIME_DIR=/run/user/{uid}");
                argv(&["runuser", "-u", name, "--", "env", &folder, "systemctl", "--user"])
            }
        };
        lead.into_iter().chain(argv(words)).collect()
    }

    /// The one that a service of this profile is with. A user's service is our own one's; for root, that of the first
    /// user whose manager runs it.
    pub fn of(service: &Service) -> Self {
        if !service.user {
            return Self::System;
        }
        if !rustix::process::geteuid().is_root() {
            return Self::Own;
        }
        let unit = service.unit.first().map_or("", String::as_str);
        let running = |manager: &Self| {
            let asked = children::run(&manager.argv(&["is-active", "-q", "--", unit]), ASKING);
            asked.is_ok_and(|ran| ran.ok())
        };
        let folders = std::fs::read_dir("/run/user").into_iter().flatten().flatten();
        let users = folders.filter_map(|entry| {
            let uid: u32 = entry.file_name().to_str()?.parse().ok()?;
            let user = uzers::get_user_by_uid(uid)?;
            Some(Self::Of(user.name().to_str()?.to_owned(), uid))
        });
        let users: Vec<Self> = users.collect();
        let first = users.first().cloned();
        users.into_iter().find(running).or(first).unwrap_or(Self::Own)
    }
}

fn show(manager: &Manager, unit: &str) -> Option<Shown> {
    let words = ["show", "--no-pager", "--timestamp=us+utc", "-p", PROPERTIES, "--", unit];
    let ran = children::run(&manager.argv(&words), ASKING).ok()?;
    let pairs = ran.out.lines().filter_map(|line| line.split_once('='));
    let shown: Shown = pairs.map(|(key, value)| (key.to_owned(), value.to_owned())).collect();
    (ran.ok() && shown.contains_key("LoadState")).then_some(shown)
}

/// A unit name that systemd takes as it is: it would make `etc-nginx.mount` of a path.
fn full_name(name: &str) -> Option<String> {
    let plain =
        name.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, ':' | '_' | '.' | '\\' | '@' | '-'));
    let typed = name
        .rsplit_once('.')
        .is_some_and(|(_, kind)| matches!(kind, "service" | "socket" | "target" | "timer"));
    (plain && !name.is_empty()).then(|| if typed { name.to_owned() } else { format!("{name}.service") })
}

/// The one of its units that exists here, and how it is.
pub fn find(service: &Service) -> Result<(Service, Observation), Trouble> {
    let mut why = None;
    let manager = Manager::of(service);
    for name in &service.unit {
        let Some(name) = full_name(name) else {
            return Err(Trouble::usage(format!("{name:?} cannot be the name of a unit")));
        };
        let Some(shown) = show(&manager, &name) else {
            return Err(Trouble::cannot(
                "systemd does not answer: it is not running here, or systemctl is missing",
            )
            .mend("where another thing keeps the daemon running, its profile says so: [service.plain]"));
        };
        let get = |key: &str| shown.get(key).map_or("", String::as_str);
        match get("LoadState") {
            "loaded" => {
                let unit = vec![get("Id").to_owned()];
                let found = Service { unit, keeper: Some(Keeper::Systemd), ..service.clone() };
                return Ok((found, seen(&shown)));
            }
            "masked" => {
                why = Some(
                    Trouble::cannot(format!("{name} is masked: it cannot be started"))
                        .mend(format!("systemctl unmask {name}")),
                )
            }
            "bad-setting" | "error" => {
                why = Some(
                    Trouble::cannot(format!(
                        "the unit file of {name} cannot be loaded; once stopped it would not start"
                    ))
                    .mend(format!("systemd-analyze verify {name}")),
                );
            }
            _ => {}
        }
    }
    let names = service.unit.join(" or ");
    Err(why.unwrap_or_else(|| {
        Trouble::cannot(format!("systemd knows no unit {names}"))
            .mend("systemctl list-units --type=service shows what there is")
    }))
}

/// A moment as `show --timestamp=us+utc` has it, in milliseconds since 1970: `Mon 2026-11-23 06:02:22.275445 UTC`.
fn moment(text: &str) -> Option<i64> {
    let (_, text) = text.split_once(' ')?;
    let time = jiff::civil::DateTime::strptime("%Y-%m-%d %H:%M:%S%.f", text.strip_suffix(" UTC")?).ok()?;
    Some(time.to_zoned(jiff::tz::TimeZone::UTC).ok()?.timestamp().as_millisecond())
}

pub fn is_known(name: &str) -> Option<bool> {
    let shown = show(&Manager::System, &full_name(name)?)?;
    Some(shown.get("LoadState").is_some_and(|state| state != "not-found"))
}

pub fn observe(manager: &Manager, unit: &str) -> Observation {
    show(manager, unit).map_or_else(|| Observation::only(State::Unreachable), |shown| seen(&shown))
}

fn seen(shown: &Shown) -> Observation {
    let get = |key: &str| shown.get(key).map_or("", String::as_str);
    let filled = |key: &str| Some(get(key).to_owned()).filter(|value| !value.is_empty());
    let words = |key: &str| get(key).split_whitespace().map(str::to_owned).collect::<Vec<_>>();
    let pid: Option<u32> = get("MainPID").parse().ok().filter(|pid| *pid > 0);
    Observation {
        main: pid.and_then(proc::process),
        invocation: filled("InvocationID"),
        restarts: get("NRestarts").parse().ok(),
        result: filled("Result"),
        can_reload: get("CanReload") == "yes",
        since_ms: moment(get("StateChangeTimestamp")),
        callers: words("TriggeredBy"),
        dependants: ["RequiredBy", "RequisiteOf", "BoundBy", "ConsistsOf"]
            .into_iter()
            .flat_map(words)
            .collect(),
        ..Observation::only(state_of(get("LoadState"), get("ActiveState"), get("SubState")))
    }
}

fn state_of(load: &str, active: &str, sub: &str) -> State {
    match (active, sub) {
        _ if load == "not-found" && active == "inactive" => State::Missing,
        ("active", "exited") => State::Exited,
        ("active", _) => State::Running,
        ("reloading", _) => State::Reloading,
        ("activating", "auto-restart" | "auto-restart-queued") => State::BackingOff,
        ("activating", _) => State::Starting,
        ("deactivating", _) => State::Stopping,
        ("failed", _) => State::Failed,
        _ => State::Stopped,
    }
}

/// Those of these units that are active.
pub fn active(manager: &Manager, units: &[&str]) -> Vec<String> {
    let words = ["show", "--no-pager", "-p", "Id,ActiveState", "--"];
    let words: Vec<&str> = words.into_iter().chain(units.iter().copied()).collect();
    let Ok(ran) = children::run(&manager.argv(&words), ASKING) else { return Vec::new() };
    let of = |text: &str, key: &str| {
        text.lines().find_map(|line| line.strip_prefix(key)?.strip_prefix('=')).map(str::to_owned)
    };
    let blocks = ran.out.split("\n\n");
    blocks
        .filter(|block| of(block, "ActiveState").is_some_and(|state| state == "active"))
        .filter_map(|block| of(block, "Id"))
        .collect()
}

pub fn act(manager: &Manager, reread: bool, unit: &str, deed: Deed, limit: Duration) -> Acted {
    let begun = Instant::now();
    if reread {
        // Whatever it says about the need: a unit file was touched.
        let _ = children::run(&manager.argv(&["daemon-reload"]), limit);
    }
    if matches!(deed, Deed::Restart | Deed::Start) {
        // A start limit that was hit, or that this start would hit, keeps the best configuration
        // down. Its own status says only whether there was anything to clear.
        let _ = children::run(&manager.argv(&["reset-failed", "--", unit]), ASKING);
    }
    let asked = children::run_sparing(&manager.argv(&[deed.word(), "--", unit]), limit);
    let (ok, said) = match asked {
        Ok(ran) if ran.timed_out => {
            (false, format!("systemctl {} {unit} did not end within {}s", deed.word(), limit.as_secs()))
        }
        Ok(ran) => (ran.ok(), last_words(&ran)),
        Err(error) => (false, format!("systemctl could not be run: {error}")),
    };
    Acted { ok, said, took: begun.elapsed() }
}

/// What it said, without the advice to look elsewhere: we look there ourselves.
fn last_words(ran: &Ran) -> String {
    let text =
        ran.err.lines().filter(|line| !line.starts_with("See \"systemctl") && !line.starts_with("Warning:"));
    text.map(str::trim).filter(|line| !line.is_empty()).collect::<Vec<_>>().join("; ")
}

/// The last lines of its journal between two moments.
pub fn journal(manager: &Manager, unit: &str, since_ms: i64, until_ms: Option<i64>) -> Vec<String> {
    let moment = |word: &str, ms: i64| format!("--{word}=@{}.{:03}", ms / 1000, ms % 1000);
    let (since, until) = (moment("since", since_ms), until_ms.map(|ms| moment("until", ms)));
    let mut words: Vec<&str> = vec!["journalctl", "-q", "--no-pager", "-o", "cat", "-n", MOST_LINES, &since];
    words.extend(until.as_deref());
    let (by_unit, about_unit, by_user_unit) =
        (format!("_SYSTEMD_UNIT={unit}"), format!("UNIT={unit}"), format!("_SYSTEMD_USER_UNIT={unit}"));
    match manager {
        Manager::System => words.extend([by_unit.as_str(), "+", &about_unit]),
        Manager::Own | Manager::Of(..) => words.push(&by_user_unit),
    }
    let lines = children::run(&argv(&words), ASKING).map(|ran| ran.out).unwrap_or_default();
    lines.lines().map(str::to_owned).collect()
}

/// Whether a line of the journal is only about what the service manager was asked to do.
pub fn is_about_jobs(line: &str) -> bool {
    ["Starting ", "Started ", "Stopping ", "Stopped ", "Reloading ", "Reloaded "]
        .iter()
        .any(|word| line.starts_with(word))
}
