//! What the running daemon has and its files have not, and the other way round.

use crate::beside;
use crate::disk::Disk;
use crate::error::Error;
use crate::files::Loading;
use crate::probe::ProbeContext;
use crate::service;
use crate::state::State;
use crate::unread::{Writer, is_newer, written_by};
use crate::world::World;
use gypsum_core::address::Address;
use gypsum_core::edit::find_active;
use gypsum_core::profile::{Profile, Setting};
use gypsum_core::reading::{Reading, of_change};
use gypsum_core::secret::shown_value;
use gypsum_core::value::same_value;
use serde::Serialize;

/// So many questions are asked at once.
const AT_ONCE: usize = 8;

/// A setting that the running daemon has with another value than its files.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct RunningSetting {
    /// Its name.
    pub name: String,
    /// The value by the files; `None` where it is set in none and the default is not known.
    pub files: Option<String>,
    /// Whether it is set in the files.
    pub is_set: bool,
    /// The value that the running daemon tells.
    pub running: String,
}

/// A file that was written since the service read its files.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct UnreadFile {
    /// The file.
    pub file: String,
    /// By whom, in words.
    pub by: String,
}

/// How the running daemon differs from its files.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Running {
    /// Since when the service runs with what it read, in milliseconds since 1970; `None` where that is not known.
    pub since_ms: Option<i64>,
    /// Whether the daemon tells its values.
    pub tells: bool,
    /// How many settings it was asked for and told.
    pub told: usize,
    /// The settings in which it differs.
    pub settings: Vec<RunningSetting>,
    /// The files that it has not read as they are.
    pub unread: Vec<UnreadFile>,
}

/// Compares the running daemon with its files. Secrets are hidden.
///
/// # Errors
///
/// If it does not run, or its service manager cannot be asked.
pub fn compare(
    world: &dyn World,
    disk: &dyn Disk,
    state: &State,
    profile: &Profile,
    loading: &Loading,
) -> Result<Running, Error> {
    let service = service::resolve(&profile.service)?;
    let seen = world.observe(&service);
    if !seen.state.is_up() {
        return Err(Error::cannot(format!(
            "{} does not run, so there is nothing to compare with",
            service::name_of(&service)
        ))
        .help(format!("gypsum health {}", profile.daemon)));
    }
    let mut running = Running { since_ms: seen.since_ms, ..Running::default() };
    if let Some(since) = seen.since_ms {
        for file in loading.loaded.iter().filter(|file| !file.absent && is_newer(file, since)) {
            let by = match written_by(&profile.daemon, file, state, disk) {
                Writer::Change { is_loaded: true, .. } => continue,
                Writer::Change { number, is_loaded: false } => {
                    format!("change {number}, which was not activated")
                }
                Writer::Other => "without Gypsum".to_owned(),
                Writer::Unknown => "it is not known by whom".to_owned(),
            };
            running.unread.push(UnreadFile { file: file.name.display().to_string(), by });
        }
    }
    let scene = ProbeContext { service, seen: Some(seen), ..ProbeContext::default() };
    ask(world, &scene, profile, loading, &mut running);
    Ok(running)
}

/// Asks the daemon for each setting that the profile knows the value of.
fn ask(world: &dyn World, scene: &ProbeContext, profile: &Profile, loading: &Loading, running: &mut Running) {
    let layers = loading.layers(profile);
    // What may stand several times is not told as one value.
    let one = |(_, setting): &(&String, &Setting)| !setting.repeats && !setting.keyed;
    let names: Vec<String> = profile.setting.iter().filter(one).map(|(name, _)| name.clone()).collect();
    let readings = of_change(&profile.reading, &names);
    running.tells = readings.iter().any(|reading| reading.of.is_some());
    let asked: Vec<&Reading> = readings.iter().filter(|reading| reading.of.is_some()).collect();
    for some in asked.chunks(AT_ONCE) {
        let told: Vec<(&Reading, Option<String>)> = std::thread::scope(|scope| {
            let mut tries = Vec::new();
            for reading in some {
                let source = &reading.source;
                tries.push((*reading, beside::begin(scope, move || world.read(source, scene).ok())));
            }
            tries.into_iter().map(|(reading, one)| (reading, one.wait().ok().flatten())).collect()
        });
        for (reading, value) in told {
            let (Some(name), Some(told)) = (&reading.of, value.filter(|value| !value.is_empty())) else {
                continue;
            };
            running.told += 1;
            let setting = profile.at_address(name).map(|(_, setting)| setting);
            let is_set =
                Address::parse(name).is_ok_and(|address| !find_active(&loading.files, &address).is_empty());
            let files = layers.value(&loading.files, profile, name);
            let differs = files
                .as_ref()
                .is_some_and(|files| same_value(setting, &profile.values, &[], files, &told) == Some(false));
            // Where a setting is in no file, its default may be another one in this version.
            if differs && (is_set || setting.is_some_and(|setting| setting.default.is_some())) {
                let shown = |value: String| shown_value(profile, name, value);
                running.settings.push(RunningSetting {
                    name: name.clone(),
                    files: files.map(shown),
                    is_set,
                    running: shown(told),
                });
            }
        }
    }
}
