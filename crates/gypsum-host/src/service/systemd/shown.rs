//! What `systemctl show` says of a unit.

use super::credentials;
use super::whose::ManagerScope;
use crate::children;
use crate::service::{ASKING, proc};
use gypsum_core::service::{Observation, StartedAs, State};

const PROPERTIES: &str = "Id,Type,UnitFileState,LoadState,ActiveState,SubState,Result,MainPID,NRestarts,InvocationID,CanReload,TriggeredBy,RequiredBy,RequisiteOf,BoundBy,ConsistsOf,PropagatesReloadTo,StateChangeTimestamp,TimeoutStartUSec,TimeoutStopUSec,User,EnvironmentFiles,LoadCredential,LoadCredentialEncrypted,FragmentPath,DropInPaths,NeedDaemonReload";

/// What speaks for a unit being the daemon's own, the least first.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Likelihood {
    /// That it is there.
    Exists,
    /// It did its work, and no process of it is meant to live.
    RanOnce,
    /// This host starts it.
    IsEnabled,
    /// It runs.
    Runs,
}

/// The properties of a unit, by their names. One that is a list may be there several times.
pub struct UnitProperties {
    shown: Vec<(String, String)>,
    /// The files that the manager hands it as credentials.
    credentials: Vec<String>,
}

impl UnitProperties {
    /// Asks for them; none where the manager does not answer.
    pub fn of(whose: &ManagerScope, unit: &str) -> Option<Self> {
        let words = ["show", "--no-pager", "--timestamp=us+utc", "-p", PROPERTIES, "--", unit];
        let ran = children::run(&whose.argv(&words), ASKING).ok()?;
        let pairs = ran.out.lines().filter_map(|line| line.split_once('='));
        let shown = pairs.map(|(key, value)| (key.to_owned(), value.to_owned())).collect();
        let mut shown = Self { shown, credentials: Vec::new() };
        let may_have_some = shown.may_have_credentials();
        let has_credentials = |key: &&&str| may_have_some && !shown.get(key).is_empty();
        let lists: Vec<&str> =
            ["LoadCredential", "LoadCredentialEncrypted"].iter().filter(has_credentials).copied().collect();
        shown.credentials =
            lists.into_iter().flat_map(|list| credentials::files(whose, shown.id(), list)).collect();
        (ran.ok() && !shown.load_state().is_empty()).then_some(shown)
    }

    /// Whether the bus is to be asked, which takes its time: versions of systemd say `[unprintable]` of none, too. The files
    /// that were loaded name them, unless they are others by now.
    fn may_have_credentials(&self) -> bool {
        let files = [self.get("FragmentPath").to_owned()].into_iter().chain(self.words("DropInPaths"));
        let mut files = files.filter(|file| !file.is_empty());
        // One that cannot be read may name some.
        let names =
            |file: String| std::fs::read_to_string(file).map_or(true, |text| text.contains("LoadCredential"));
        self.get("NeedDaemonReload") == "yes" || files.any(names)
    }

    fn get(&self, key: &str) -> &str {
        self.all(key).next().unwrap_or_default()
    }

    fn all(&self, key: &str) -> impl Iterator<Item = &str> {
        self.shown.iter().filter(move |(known, _)| known == key).map(|(_, value)| value.as_str())
    }

    fn started_as(&self) -> StartedAs {
        let account = Some(self.get("User")).filter(|user| !matches!(*user, "" | "root" | "0"));
        // Each is followed by whether it may be missing: `PATH (ignore_errors=yes)`.
        let variables = self.all("EnvironmentFiles").filter_map(|value| value.split(" (").next());
        StartedAs {
            account: account.map(str::to_owned),
            variables: variables.filter(|file| !file.is_empty()).map(str::to_owned).collect(),
            credentials: self.credentials.clone(),
        }
    }

    fn words(&self, key: &str) -> Vec<String> {
        self.get(key).split_whitespace().map(str::to_owned).collect()
    }

    /// Its own name, whatever it was asked for by.
    pub fn id(&self) -> &str {
        self.get("Id")
    }

    /// Whether its files could be read: `loaded`, `not-found`, `masked`, `bad-setting`, `error`.
    pub fn load_state(&self) -> &str {
        self.get("LoadState")
    }

    /// Whether a process of its own is meant to live as long as it does.
    fn keeps_a_process(&self) -> bool {
        self.get("Type") != "oneshot"
    }

    /// How likely it is the daemon's own unit among several that are there.
    pub fn likelihood(&self) -> Likelihood {
        let is_started_here = matches!(self.get("UnitFileState"), "enabled" | "enabled-runtime");
        match (self.observation().state.is_up(), self.keeps_a_process()) {
            (true, true) => Likelihood::Runs,
            (false, true) if is_started_here => Likelihood::IsEnabled,
            (true, false) => Likelihood::RanOnce,
            (false, _) => Likelihood::Exists,
        }
    }

    /// The units that are stopped and restarted with it.
    pub fn parts(&self) -> Vec<String> {
        self.words("ConsistsOf")
    }

    /// What that amounts to.
    pub fn observation(&self) -> Observation {
        let filled = |key: &str| Some(self.get(key).to_owned()).filter(|value| !value.is_empty());
        let pid: Option<u32> = self.get("MainPID").parse().ok().filter(|pid| *pid > 0);
        Observation {
            main: pid.and_then(proc::process),
            invocation: filled("InvocationID"),
            restarts: self.get("NRestarts").parse().ok(),
            result: filled("Result"),
            can_reload: self.get("CanReload") == "yes",
            since_ms: moment(self.get("StateChangeTimestamp")),
            allowed_ms: span(self.get("TimeoutStartUSec"))
                .zip(span(self.get("TimeoutStopUSec")))
                .map(|(start, stop)| start + stop),
            callers: self.words("TriggeredBy"),
            dependants: ["RequiredBy", "RequisiteOf", "BoundBy", "ConsistsOf"]
                .into_iter()
                .flat_map(|key| self.words(key))
                .collect(),
            told_along: self.words("PropagatesReloadTo"),
            started_as: self.started_as(),
            ..Observation::only(state_of(
                self.load_state(),
                self.get("ActiveState"),
                self.get("SubState"),
                self.get("Type"),
            ))
        }
    }
}

/// A moment as `show --timestamp=us+utc` has it, in milliseconds since 1970: `Mon 2026-11-23 06:02:22.275445 UTC`.
fn moment(text: &str) -> Option<i64> {
    let (_, text) = text.split_once(' ')?;
    let time = jiff::civil::DateTime::strptime("%Y-%m-%d %H:%M:%S%.f", text.strip_suffix(" UTC")?).ok()?;
    Some(time.to_zoned(jiff::tz::TimeZone::UTC).ok()?.timestamp().as_millisecond())
}

/// A time as `show` has it, in milliseconds: `1min 30s`. None where there is no end to it.
fn span(text: &str) -> Option<u64> {
    let span: jiff::SignedDuration = text.parse().ok()?;
    u64::try_from(span.as_millis()).ok()
}

/// `active (exited)` is what a unit that does its work once is meant to be. Of any other it says that its processes are
/// gone, and that its manager was told not to mind (systemd.service(5), RemainAfterExit; so is every System V script).
fn state_of(load: &str, active: &str, sub: &str, kind: &str) -> State {
    match (active, sub) {
        _ if load == "not-found" && active == "inactive" => State::Missing,
        ("active", "exited") if kind == "oneshot" => State::Exited,
        ("active", "exited") => State::Gone,
        ("active", _) => State::Running,
        ("reloading", _) => State::Reloading,
        ("activating", "auto-restart" | "auto-restart-queued") => State::BackingOff,
        ("activating", _) => State::Starting,
        ("deactivating", _) => State::Stopping,
        ("failed", _) => State::Failed,
        _ => State::Stopped,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_are_read_as_systemd_writes_them() {
        for (text, ms) in [
            ("1min 30s", Some(90_000)),
            ("15min", Some(900_000)),
            ("500ms", Some(500)),
            ("infinity", None),
            ("", None),
        ] {
            assert_eq!(span(text), ms, "{text}");
        }
        assert_eq!(moment("Mon 2026-11-23 06:02:22.275445 UTC"), Some(1_795_413_742_275));
        assert_eq!(moment("n/a"), None);
    }
}
