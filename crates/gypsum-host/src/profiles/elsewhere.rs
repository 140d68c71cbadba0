//! Installations of a daemon at another place, as they run on this host: the kernel says which program a process is, its
//! command line which main file it was started with, and its control group which unit it is of.

use crate::error::Error;
use crate::service;
use gypsum_core::profile::{Elsewhere, Profile};
use procfs::process::{Process, all_processes};
use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

/// An installation that runs.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Running {
    file: String,
    unit: String,
}

/// The names of the installations at other places that run.
pub(super) fn names(profile: &Profile) -> Vec<String> {
    running(profile).into_keys().collect()
}

/// Takes the installation that is meant: the one of this name, where one is named; else the only one that runs, where
/// the usual one does not. The others that run are noted in the profile.
pub(super) fn take(profile: &mut Profile, name: Option<&str>) -> Result<(), Error> {
    let running = running(profile);
    let daemon = profile.daemon.clone();
    let others: Vec<String> = running.keys().map(|name| format!("{daemon}@{name}")).collect();
    if let Some(name) = name {
        let Some(found) = running.get(name) else {
            let help = match others.as_slice() {
                [] if !rustix::process::geteuid().is_root() => {
                    "only root can see which programs others run: try it with sudo".to_owned()
                }
                [] => format!("no other {daemon} runs here; leave out the @"),
                others => format!("there is {}", others.join(", ")),
            };
            return Err(Error::usage(format!("no {daemon}@{name} is seen running on this host")).help(help));
        };
        profile.take_elsewhere(&found.file, &found.unit);
        return Ok(());
    }
    if running.is_empty() || service::find(&profile.service).is_ok_and(|(_, seen)| seen.state.is_up()) {
        profile.also_runs = others;
        return Ok(());
    }
    match running.into_iter().collect::<Vec<_>>().as_slice() {
        [(name, only)] => {
            profile.take_elsewhere(&only.file, &only.unit);
            profile.daemon = format!("{daemon}@{name}");
            Ok(())
        }
        _ => {
            let message = format!("several installations of {daemon} run here: {}", others.join(", "));
            Err(Error::usage(message).help("name one of them"))
        }
    }
}

fn running(profile: &Profile) -> BTreeMap<String, Running> {
    let Some(elsewhere) = &profile.elsewhere else { return BTreeMap::new() };
    let processes = all_processes().into_iter().flatten().flatten();
    let found = processes.filter_map(|process| of_process(profile, elsewhere, &process));
    found.map(|one| (name_of(profile, &one.unit), one)).collect()
}

fn of_process(profile: &Profile, elsewhere: &Elsewhere, process: &Process) -> Option<Running> {
    let program = process.exe().ok()?;
    if program.file_name()?.to_str()? != elsewhere.program {
        return None;
    }
    let line = fs::read(format!("/proc/{}/cmdline", process.pid)).ok()?;
    let file = elsewhere.file_in(&String::from_utf8_lossy(&line))?;
    let real = |path: &str| fs::canonicalize(path).unwrap_or_else(|_| PathBuf::from(path));
    let usual = profile.layout.iter().map(|layout| &layout.home).chain([&profile.files.home]);
    let is_usual = usual.into_iter().any(|home| real(home) == real(&file));
    // One of a user's manager is no daemon of this host.
    let unit = service::unit_of_process(process.pid).filter(|_| !service::is_of_user(process.pid))?;
    (!is_usual && Path::new(&file).is_file()).then_some(Running { file, unit })
}

/// What an installation is called behind the `@`: what its unit is called besides the daemon.
fn name_of(profile: &Profile, unit: &str) -> String {
    let stem = unit.strip_suffix(".service").unwrap_or(unit);
    if let Some((_, instance)) = stem.split_once('@').filter(|(_, instance)| !instance.is_empty()) {
        return instance.to_owned();
    }
    let usual = profile.service.unit.iter().map(|unit| unit.strip_suffix(".service").unwrap_or(unit));
    let known = usual.chain([profile.daemon.as_str()]);
    let rest = known.into_iter().find_map(|known| stem.strip_prefix(known)?.strip_prefix('-'));
    rest.filter(|rest| !rest.is_empty()).unwrap_or(stem).to_owned()
}

#[cfg(test)]
mod tests {
    use super::name_of;
    use gypsum_core::profile::{built_in, read};

    #[test]
    fn an_installation_is_called_by_its_unit() {
        let nginx = read(built_in("nginx").unwrap().text).unwrap();
        let cases = [
            ("nginx-quay.service", "quay"),
            ("nginx@north.service", "north"),
            ("boards-web.service", "boards-web"),
        ];
        for (unit, name) in cases {
            assert_eq!(name_of(&nginx, unit), name);
        }
    }
}
