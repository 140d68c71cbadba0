//! Scripts in `/etc/init.d`, as System V had them (LSB 5, section 22).
//!
//! What we believe of them: status 0 says running, 1 dead with a pid file, 3 stopped, and a stale pid file whose
//! number another program has says "running"; a reload of a dead daemon may end with 0. So processes are looked at.

use super::manager::{ServiceManager, Units};
use super::{Acted, ServiceAction, bare, output, proc, tell, unknown, with_logs};
use crate::children::{self, Limit};
use crate::error::Error;
use gypsum_core::profile::{Service, ServiceManagerKind};
use gypsum_core::service::{Observation, Process, State};
use std::fs;
use std::path::{Path, PathBuf};

fn path(name: &str) -> PathBuf {
    Path::new("/etc/init.d").join(name)
}

/// Whether there is a script of this name.
pub fn exists(name: &str) -> bool {
    !name.contains('/') && path(name).is_file()
}

/// Whether the script has a word for that.
pub fn knows(name: &str, word: &str) -> bool {
    let text = fs::read_to_string(path(name)).unwrap_or_default();
    text.split(|c: char| !c.is_ascii_alphanumeric() && !matches!(c, '-' | '_')).any(|one| one == word)
}

/// The pid file that the profile, or else the script's own head, names.
pub fn pid_file(name: &str, service: &Service) -> Option<PathBuf> {
    if let Some(path) = &service.pid_file {
        return Some(path.into());
    }
    let text = fs::read_to_string(path(name)).ok()?;
    text.lines().find_map(|line| {
        let line = line.trim().trim_start_matches('#').trim_start();
        let (key, value) = line.split_once(['=', ':'])?;
        let key = key.trim().to_ascii_lowercase();
        let value = value.trim().trim_matches(['"', '\'']);
        (matches!(key.as_str(), "pidfile" | "pid_file" | "pid")
            && value.starts_with('/')
            && !value.contains('$'))
        .then(|| value.into())
    })
}

/// The process that the pid file names. A number that was given to another process since the file was written means
/// that ours has ended.
pub fn of_pid_file(name: &str, service: &Service) -> Option<Process> {
    proc::of_pid_file(&pid_file(name, service)?)
}

/// The service of these names that has a script here, as this manager sees it.
pub fn resolve(
    manager: &dyn ServiceManager,
    keeper: ServiceManagerKind,
    service: &Service,
) -> Result<(Service, Observation), Error> {
    let names = || service.unit.iter().map(|unit| bare(unit));
    let name = names().find(|name| exists(name)).ok_or_else(|| unknown(keeper, service))?;
    let log = if service.log.is_empty() { output::of_script(name) } else { service.log.clone() };
    let found = Service { unit: vec![name.to_owned()], keeper: Some(keeper), log, ..service.clone() };
    let seen = manager.observe(&found);
    Ok((found, seen))
}

/// Where systemd is installed, too, its scripts would hand over to it.
fn argv<'a>(path: &'a str, word: &'a str) -> [&'a str; 4] {
    ["env", "_SYSTEMCTL_SKIP_REDIRECT=1", path, word]
}

/// Scripts in `/etc/init.d`.
pub struct Script;

impl ServiceManager for Script {
    fn resolve(&self, service: &Service) -> Result<(Service, Observation), Error> {
        resolve(self, ServiceManagerKind::Script, service)
    }

    fn observe(&self, service: &Service) -> Observation {
        let name = service.name();
        let (main, known) = (of_pid_file(name, service), pid_file(name, service).is_some());
        let script = path(name).display().to_string();
        let ran = children::run(&argv(&script, "status").map(str::to_owned), super::ASKING);
        let status = ran.ok().and_then(|ran| ran.status);
        let state = match (main, status) {
            (Some(_), _) => State::Running,
            // It says so, and the process that it goes by is not there.
            (None, Some(0)) if known => State::Failed,
            (None, Some(0)) => State::Running,
            (None, Some(1 | 2)) => State::Failed,
            (None, Some(3)) => State::Stopped,
            (None, _) if known => State::Stopped,
            (None, _) => State::Unreachable,
        };
        Observation { main, can_reload: knows(name, "reload"), ..Observation::only(state) }
    }

    fn by_hand(&self, service: &Service) -> String {
        with_logs(format!("/etc/init.d/{} status", service.name()), service)
    }

    fn act(&self, service: &Service, action: ServiceAction, limit: Limit<'_>) -> Acted {
        tell(&argv(&path(service.name()).display().to_string(), action.word()), limit.time)
    }

    fn units(&self) -> Option<&dyn Units> {
        None
    }
}
