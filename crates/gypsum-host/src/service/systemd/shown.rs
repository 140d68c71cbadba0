//! What systemd says of a unit, on its bus or by `systemctl show`.

use super::bus::Properties;
use super::credentials;
use super::whose::ManagerScope;
use crate::children;
use crate::service::{ASKING, proc};
use gypsum_core::service::{Observation, StartedAs, State};
use zbus::{OwnedVariant, Variant};

const PROPERTIES: &str = "Id,Type,UnitFileState,LoadState,ActiveState,SubState,Result,MainPID,NRestarts,InvocationID,CanReload,TriggeredBy,RequiredBy,RequisiteOf,BoundBy,ConsistsOf,PropagatesReloadTo,StateChangeTimestamp,TimeoutStartUSec,TimeoutStopUSec,User,EnvironmentFiles,LoadCredential,LoadCredentialEncrypted,FragmentPath,DropInPaths,NeedDaemonReload";

/// The properties that name the units that end with it, or depend on it.
const DEPENDANTS: [&str; 4] = ["RequiredBy", "RequisiteOf", "BoundBy", "ConsistsOf"];

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

/// The properties of a unit that count here (org.freedesktop.systemd1(5)).
#[derive(Debug, Default, PartialEq)]
pub struct UnitProperties {
    id: String,
    /// Whether it could be read: `loaded`, `not-found`, `masked`, `bad-setting`, `error`.
    load_state: String,
    file_state: String,
    active: String,
    sub: String,
    kind: String,
    result: String,
    main: u32,
    restarts: Option<u32>,
    invocation: String,
    can_reload: bool,
    since_ms: Option<i64>,
    /// How long it may take to start and to stop, in milliseconds; none where there is no end to it.
    start_ms: Option<u64>,
    stop_ms: Option<u64>,
    triggered_by: Vec<String>,
    dependants: Vec<String>,
    parts: Vec<String>,
    told_along: Vec<String>,
    user: String,
    variables: Vec<String>,
    /// The files that the manager hands it as credentials.
    credentials: Vec<String>,
}

impl UnitProperties {
    /// Asks for them, on the bus if there is one; none where the manager does not answer.
    pub fn of(whose: &ManagerScope, unit: &str) -> Option<Self> {
        let told = whose.bus().and_then(|bus| bus.properties(unit)).map(|told| Self::told(&told));
        told.or_else(|| Self::shown(whose, unit)).filter(|unit| !unit.load_state.is_empty())
    }

    /// As the bus tells them.
    fn told(told: &Properties) -> Self {
        let text = |key: &str| of_kind::<&str>(told, key).unwrap_or_default().to_owned();
        let texts = |key: &str| list::<String>(told, key);
        let flag = |key: &str| of_kind::<bool>(told, key).unwrap_or_default();
        let micros = |key: &str| of_kind::<u64>(told, key).filter(|time| !matches!(*time, 0 | u64::MAX));
        let files = |key: &str| list::<(String, String)>(told, key).into_iter().map(|(_, file)| file);
        let invocation = list::<u8>(told, "InvocationID");
        Self {
            main: of_kind(told, "MainPID").unwrap_or_default(),
            restarts: of_kind(told, "NRestarts"),
            invocation: invocation.iter().map(|byte| format!("{byte:02x}")).collect(),
            can_reload: flag("CanReload"),
            since_ms: micros("StateChangeTimestamp").map(|time| (time / 1_000).cast_signed()),
            start_ms: micros("TimeoutStartUSec").map(|time| time / 1_000),
            stop_ms: micros("TimeoutStopUSec").map(|time| time / 1_000),
            variables: list::<(String, bool)>(told, "EnvironmentFiles").into_iter().map(|(f, _)| f).collect(),
            credentials: files("LoadCredential").chain(files("LoadCredentialEncrypted")).collect(),
            ..Self::in_words(text, texts)
        }
    }

    /// What is a word, or a list of words, however it was told.
    fn in_words(text: impl Fn(&str) -> String, texts: impl Fn(&str) -> Vec<String>) -> Self {
        Self {
            id: text("Id"),
            load_state: text("LoadState"),
            file_state: text("UnitFileState"),
            active: text("ActiveState"),
            sub: text("SubState"),
            kind: text("Type"),
            result: text("Result"),
            triggered_by: texts("TriggeredBy"),
            dependants: DEPENDANTS.iter().flat_map(|key| texts(key)).collect(),
            parts: texts("ConsistsOf"),
            told_along: texts("PropagatesReloadTo"),
            user: text("User"),
            ..Self::default()
        }
    }

    /// As `systemctl show` prints them.
    fn shown(whose: &ManagerScope, unit: &str) -> Option<Self> {
        let words = ["show", "--no-pager", "--timestamp=us+utc", "-p", PROPERTIES, "--", unit];
        let ran = children::run(&whose.argv(&words), ASKING).ok()?;
        let printed = Printed::of(&ran.out);
        let credentials = printed.credentials(whose);
        ran.ok().then(|| Self { credentials, ..printed.read() })
    }

    fn started_as(&self) -> StartedAs {
        let account = Some(self.user.clone()).filter(|user| !matches!(user.as_str(), "" | "root" | "0"));
        let (variables, credentials) = (self.variables.clone(), self.credentials.clone());
        StartedAs { account, variables, credentials }
    }

    /// Its own name, whatever it was asked for by.
    pub fn id(&self) -> &str {
        &self.id
    }

    /// Whether its files could be read: `loaded`, `not-found`, `masked`, `bad-setting`, `error`.
    pub fn load_state(&self) -> &str {
        &self.load_state
    }

    /// Whether a process of its own is meant to live as long as it does.
    fn keeps_a_process(&self) -> bool {
        self.kind != "oneshot"
    }

    /// How likely it is the daemon's own unit among several that are there.
    pub fn likelihood(&self) -> Likelihood {
        let is_started_here = matches!(self.file_state.as_str(), "enabled" | "enabled-runtime");
        match (self.observation().state.is_up(), self.keeps_a_process()) {
            (true, true) => Likelihood::Runs,
            (false, true) if is_started_here => Likelihood::IsEnabled,
            (true, false) => Likelihood::RanOnce,
            (false, _) => Likelihood::Exists,
        }
    }

    /// The units that are stopped and restarted with it.
    pub fn parts(&self) -> &[String] {
        &self.parts
    }

    /// What that amounts to.
    pub fn observation(&self) -> Observation {
        let filled = |text: &str| Some(text.to_owned()).filter(|text| !text.is_empty());
        Observation {
            main: Some(self.main).filter(|pid| *pid > 0).and_then(proc::process),
            invocation: filled(&self.invocation),
            restarts: self.restarts,
            result: filled(&self.result),
            can_reload: self.can_reload,
            since_ms: self.since_ms,
            allowed_ms: self.start_ms.zip(self.stop_ms).map(|(start, stop)| start + stop),
            callers: self.triggered_by.clone(),
            dependants: self.dependants.clone(),
            told_along: self.told_along.clone(),
            started_as: self.started_as(),
            ..Observation::only(state_of(&self.load_state, &self.active, &self.sub, &self.kind))
        }
    }
}

/// The value of a property, where it is of this kind.
fn of_kind<'a, T: TryFrom<&'a Variant<'a>>>(told: &'a Properties, key: &str) -> Option<T> {
    T::try_from(told.get(key)?).ok()
}

/// The values of a property that is a list of these.
fn list<T>(told: &Properties, key: &str) -> Vec<T>
where
    Vec<T>: TryFrom<OwnedVariant>,
{
    told.get(key).and_then(|value| value.try_clone().ok()?.try_into().ok()).unwrap_or_default()
}

/// What `systemctl show` printed. A property that is a list may be there several times.
struct Printed<'a>(Vec<(&'a str, &'a str)>);

impl<'a> Printed<'a> {
    fn of(out: &'a str) -> Self {
        Self(out.lines().filter_map(|line| line.split_once('=')).collect())
    }

    fn get(&self, key: &str) -> &'a str {
        self.all(key).next().unwrap_or_default()
    }

    fn all(&self, key: &str) -> impl Iterator<Item = &'a str> {
        self.0.iter().filter(move |(known, _)| *known == key).map(|(_, value)| *value)
    }

    fn words(&self, key: &str) -> Vec<String> {
        self.get(key).split_whitespace().map(str::to_owned).collect()
    }

    fn read(&self) -> UnitProperties {
        let text = |key: &str| self.get(key).to_owned();
        // Each is followed by whether it may be missing: `PATH (ignore_errors=yes)`.
        let variables = self.all("EnvironmentFiles").filter_map(|value| value.split(" (").next());
        UnitProperties {
            main: self.get("MainPID").parse().unwrap_or_default(),
            restarts: self.get("NRestarts").parse().ok(),
            invocation: text("InvocationID"),
            can_reload: self.get("CanReload") == "yes",
            since_ms: moment(self.get("StateChangeTimestamp")),
            start_ms: span(self.get("TimeoutStartUSec")),
            stop_ms: span(self.get("TimeoutStopUSec")),
            variables: variables.filter(|file| !file.is_empty()).map(str::to_owned).collect(),
            ..UnitProperties::in_words(text, |key| self.words(key))
        }
    }

    /// The files of its credentials, which `show` cannot print.
    fn credentials(&self, whose: &ManagerScope) -> Vec<String> {
        let may_have_some = self.may_have_credentials();
        let has_credentials = |key: &&&str| may_have_some && !self.get(key).is_empty();
        let lists = ["LoadCredential", "LoadCredentialEncrypted"];
        let lists: Vec<&str> = lists.iter().filter(has_credentials).copied().collect();
        lists.into_iter().flat_map(|list| credentials::files(whose, self.get("Id"), list)).collect()
    }

    /// Whether another program is to be asked, which takes its time: versions of systemd say `[unprintable]` of none, too.
    /// The files that were loaded name them, unless they are others by now.
    fn may_have_credentials(&self) -> bool {
        let files = [self.get("FragmentPath").to_owned()].into_iter().chain(self.words("DropInPaths"));
        let mut files = files.filter(|file| !file.is_empty());
        // One that cannot be read may name some.
        let names =
            |file: String| std::fs::read_to_string(file).map_or(true, |text| text.contains("LoadCredential"));
        self.get("NeedDaemonReload") == "yes" || files.any(names)
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
