//! The unit of a daemon, and what runs as it.

use crate::children;
use crate::error::Error;
use crate::service;
use gypsum_core::profile::Service;
use gypsum_core::service::State;
use procfs::process::Process;
use std::fs;
use std::path::PathBuf;
use std::time::Duration;

/// How long the service manager may take to answer.
const LIMIT: Duration = Duration::from_secs(5);

/// A unit and its process.
pub(super) struct SeenUnit {
    /// Its full name.
    pub name: String,
    /// The program of its main process; of the unit's first command where it does not run.
    pub program: Option<PathBuf>,
    /// The words of the unit's first command, and of the main process's command line.
    pub words: Vec<String>,
    /// The commands that are run before it, each as its words.
    pub before: Vec<Vec<String>>,
    /// The commands by which it is reloaded.
    pub reloads: Vec<Vec<String>>,
    /// The account that the service manager runs it as, where that is not root.
    pub account: Option<String>,
    /// The files with variables for its commands.
    pub variables: Vec<PathBuf>,
    /// The processes of the service.
    pub processes: Vec<u32>,
}

/// The unit that is named, or the one that is called like the daemon; `None` if there is none of that name.
pub(super) fn find(daemon: &str, named: Option<&str>) -> Result<Option<SeenUnit>, Error> {
    let stem = daemon.trim_end_matches(|c: char| c.is_ascii_digit());
    let guesses = [daemon.to_owned(), format!("{daemon}d"), format!("{daemon}-server"), stem.to_owned()];
    let names = match named {
        Some(named) => vec![named.to_owned()],
        None => guesses.into_iter().filter(|name| service::unit_exists(name) == Some(true)).take(1).collect(),
    };
    if names.is_empty() {
        return Ok(None);
    }
    let (resolved, seen) = service::find(&Service { unit: names, ..Service::default() })?;
    if seen.state == State::Missing {
        return Ok(None);
    }
    let name = service::name_of(&resolved);
    let shown = shown(&name);
    let of = |key: &str| -> Vec<&str> {
        shown.iter().filter(|(known, _)| known == key).map(|(_, value)| value.as_str()).collect()
    };
    let environment: Vec<(String, String)> = of("Environment")
        .into_iter()
        .flat_map(|value| shlex::split(value).unwrap_or_default())
        .filter_map(|pair| pair.split_once('=').map(|(name, value)| (name.to_owned(), value.to_owned())))
        .collect();
    let commands = |key: &str| -> Vec<Vec<String>> {
        let all = of(key).into_iter().flat_map(commands);
        all.map(|words| words.iter().flat_map(|word| filled_in(word, &environment)).collect()).collect()
    };
    let main = seen.main.and_then(|main| Process::new(i32::try_from(main.pid).ok()?).ok());
    let start = commands("ExecStart").into_iter().next().unwrap_or_default();
    // Some daemons put other words in the place of their command line.
    let running = main.as_ref().and_then(|main| main.cmdline().ok()).unwrap_or_default();
    Ok(Some(SeenUnit {
        program: main.as_ref().and_then(|main| main.exe().ok()).or_else(|| start.first().map(PathBuf::from)),
        words: start.iter().cloned().chain(running.into_iter().skip(1)).collect(),
        before: commands("ExecStartPre"),
        reloads: commands("ExecReload"),
        account: of("User")
            .first()
            .filter(|user| !user.is_empty() && **user != "root")
            .map(|user| (*user).to_owned()),
        // Each is followed by whether it may be missing: `PATH (ignore_errors=yes)`.
        variables: of("EnvironmentFiles")
            .iter()
            .filter_map(|value| value.split(" (").next())
            .map(PathBuf::from)
            .collect(),
        processes: service::processes(&seen)
            .into_iter()
            .chain(of("ControlGroup").first().map(|group| members(group)).unwrap_or_default())
            .collect(),
        name,
    }))
}

/// The processes in a control group, which are the service's though its main process may not be known.
fn members(group: &str) -> Vec<u32> {
    if group.is_empty() {
        return Vec::new();
    }
    // The older hierarchy has those of systemd in a folder of their own.
    let read = |root: &str| fs::read_to_string(format!("{root}{group}/cgroup.procs")).ok();
    let text = read("/sys/fs/cgroup").or_else(|| read("/sys/fs/cgroup/systemd")).unwrap_or_default();
    text.lines().filter_map(|line| line.parse().ok()).collect()
}

fn shown(unit: &str) -> Vec<(String, String)> {
    let words = [
        "systemctl",
        "show",
        "--no-pager",
        "-p",
        "ExecStart,ExecStartPre,ExecReload,User,Environment,EnvironmentFiles,ControlGroup",
        "--",
        unit,
    ];
    let argv: Vec<String> = words.into_iter().map(str::to_owned).collect();
    let ran = children::run_interruptible(&argv, LIMIT);
    let ran = ran.inspect_err(|error| tracing::warn!(%error, "systemd cannot be asked about {unit}"));
    let Ok(ran) = ran else { return Vec::new() };
    let pairs = ran.out.lines().filter_map(|line| line.split_once('='));
    pairs.map(|(key, value)| (key.to_owned(), value.to_owned())).collect()
}

/// The commands in the value of such a property: `{ path=… ; argv[]=WORD WORD ; … }` (systemctl(1), show).
fn commands(value: &str) -> Vec<Vec<String>> {
    let argv = value.split("argv[]=").skip(1);
    let words = argv.filter_map(|rest| shlex::split(rest.split(" ; ").next()?));
    words.filter(|words| !words.is_empty()).collect()
}

/// A word of a command with the unit's variables filled in; none where it is a variable that is not set, and several where
/// its value has blanks (systemd.service(5), command lines).
fn filled_in(word: &str, environment: &[(String, String)]) -> Vec<String> {
    let value =
        |name: &str| environment.iter().find(|(known, _)| known == name).map(|(_, value)| value.as_str());
    if let Some(name) = word.strip_prefix('$').filter(|name| !name.starts_with('{')) {
        return value(name).unwrap_or_default().split_whitespace().map(str::to_owned).collect();
    }
    let mut text = word.to_owned();
    for (name, value) in environment {
        text = text.replace(&format!("${{{name}}}"), value);
    }
    vec![text]
}

#[cfg(test)]
mod tests {
    use super::{commands, filled_in};

    #[test]
    fn variables_are_filled_in() {
        let environment = [("CONFIG".to_owned(), "/etc/tide.conf".to_owned())];
        assert_eq!(filled_in("$CONFIG", &environment), ["/etc/tide.conf"]);
        assert_eq!(filled_in("--file=${CONFIG}", &environment), ["--file=/etc/tide.conf"]);
        assert!(filled_in("$EXTRA", &environment).is_empty());
    }

    #[test]
    fn commands_are_read_as_systemd_shows_them() {
        let value = "{ path=/usr/sbin/tide ; argv[]=/usr/sbin/tide -t -c /etc/tide.conf ; ignore_errors=no ; start_time=[n/a] ; pid=0 ; code=(null) }";
        assert_eq!(commands(value), [["/usr/sbin/tide", "-t", "-c", "/etc/tide.conf"]]);
    }
}
