//! Readings: what is read before and after a change, what should have moved, and what is expected of it.

use super::check::Checked;
use super::measured::Measured;
use crate::beside;
use crate::error::Error;
use crate::probe::ProbeContext;
use crate::world::World;
use gypsum_core::probe::{Check, Command, Expect, Probe, Process, parse_source};
use gypsum_core::reading::{Reading, Seen, of_change};
use gypsum_core::text::nearest;
use gypsum_core::value::same_value;

/// So long a property of a process may be another than expected.
const SETTLED_MS: u64 = 1_000;

impl Checked {
    /// What is read before and after this change.
    pub(super) fn readings(&self) -> Result<Vec<Reading>, Error> {
        let settings = self.changed_settings();
        let mut known = self.proposal.request.profile.reading.clone();
        known.extend(self.proposal.request.wishes.readings.iter().cloned());
        let mut readings = of_change(&known, &settings);
        for (name, _) in &self.proposal.request.wishes.expects {
            if readings.iter().any(|reading| self.is_named(reading, name)) {
                continue;
            }
            let source = parse_source(name).map_err(|_| self.no_reading(name, &readings))?;
            readings.push(Reading { name: name.clone(), source, of: None });
        }
        Ok(readings)
    }

    /// Whether a person means this reading by that name: in any spelling that the daemon takes for the same.
    fn is_named(&self, reading: &Reading, name: &str) -> bool {
        self.proposal.request.profile.dialect.same(reading.name.as_bytes(), name.as_bytes())
    }

    fn no_reading(&self, name: &str, readings: &[Reading]) -> Error {
        let names = || readings.iter().map(|reading| reading.name.as_str());
        let near = nearest(name, names());
        let near = near.first().map_or(String::new(), |near| format!("did you mean {near}? "));
        let all: Vec<&str> = names().collect();
        let known = if all.is_empty() { String::new() } else { format!("There are {}; ", all.join(", ")) };
        Error::usage(format!("nothing called {name:?} is read of {}", self.proposal.request.profile.daemon))
            .help(format!("{near}{known}a sentence does, too: --expect \"process niceness=5\""))
    }

    /// The settings that are written otherwise, by the names that the profile has for them.
    pub(super) fn changed_settings(&self) -> Vec<String> {
        let profile = &self.proposal.request.profile;
        let name = |address: &String| Some(profile.at_address(address)?.0.to_owned());
        let mut names: Vec<String> = self.proposal.changed.iter().filter_map(name).collect();
        names.sort();
        names.dedup();
        names
    }

    /// What is expected of readings, as health checks.
    pub(super) fn expected(&self, readings: &[Reading]) -> Result<Vec<Check>, Error> {
        let mut checks = Vec::new();
        for (name, value) in &self.proposal.request.wishes.expects {
            let reading = readings.iter().find(|reading| self.is_named(reading, name));
            let mut source = reading.ok_or_else(|| self.no_reading(name, readings))?.source.clone();
            let wanted = Expect { is: Some(value.clone()), ..Expect::default() };
            match &mut source {
                Probe::Process(Process { expect, .. }) | Probe::Command(Command { expect, .. }) => {
                    *expect = wanted
                }
                Probe::Http(http) => http.expect = Expect { contains: Some(value.clone()), ..wanted },
                _ => {
                    return Err(Error::usage(format!("{name:?} shows no value to compare"))
                        .help("--must says in a sentence what must hold"));
                }
            }
            // What a process was started with does not come by waiting.
            let settled = matches!(source, Probe::Process(_));
            let check = Check::expected(&format!("{name}={value}"), source);
            let patience_ms = if settled { SETTLED_MS } else { check.patience_ms };
            checks.push(Check { patience_ms, ..check });
        }
        Ok(checks)
    }
}

impl Measured {
    /// The settings whose value in effect is another one afterwards: one that is set to what holds already moves nothing.
    pub(super) fn moved_settings(&self) -> Vec<String> {
        let checked = &self.checked;
        let (before, after) = (&checked.proposal.before, &checked.after);
        let profile = &checked.proposal.request.profile;
        let layers = (before.layers(profile), after.layers(profile));
        let moves = |name: &String| {
            let setting = profile.at_address(name).map(|(_, setting)| setting);
            let differ = |a: &str, b: &str| same_value(setting, &profile.values, &[], a, b) == Some(false);
            let was = layers.0.value(&before.files, profile, name);
            let Some(is) = layers.1.value(&after.files, profile, name) else {
                return was.is_some();
            };
            // Where the default is not known, the running process shows it.
            let shown = self.baseline.readings_before.iter().find(|seen| seen.of.as_ref() == Some(name));
            match was.as_ref().or(shown.and_then(|seen| seen.value.as_ref())) {
                Some(was) => differ(was, &is),
                None => true,
            }
        };
        checked.changed_settings().into_iter().filter(moves).collect()
    }
}

/// What readings show now, side by side.
pub(in crate::run) fn read_all(world: &dyn World, readings: &[Reading], scene: &ProbeContext) -> Vec<Seen> {
    std::thread::scope(|scope| {
        let begin = |reading| beside::begin(scope, move || seen(world, reading, scene));
        let tries: Vec<_> = readings.iter().map(begin).collect();
        tries.into_iter().filter_map(|one| one.wait().ok()).collect()
    })
}

fn seen(world: &dyn World, reading: &Reading, scene: &ProbeContext) -> Seen {
    let value = world.read(&reading.source, scene).ok();
    Seen { name: reading.name.clone(), of: reading.of.clone(), value }
}
