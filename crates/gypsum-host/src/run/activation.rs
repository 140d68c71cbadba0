//! What a change needs: the activation, the services around, the readings that tell whether it worked.

use super::Run;
use super::front::Front;
use crate::probe::Scene;
use crate::service;
use crate::trouble::Trouble;
use crate::world::World;
use gypsum_core::change::PlannedNeighbour;
use gypsum_core::happening::Happening;
use gypsum_core::probe::{Check, Expect, Probe, parse_source};
use gypsum_core::profile::{Activation, Chore, Neighbour, Part};
use gypsum_core::reading::{Reading, Seen, of_change, unmoved};
use gypsum_core::report;
use gypsum_core::text::{fits, nearest};
use std::time::Duration;

/// From this time on it is said how long a service will be away.
const WORTH_SAYING: Duration = Duration::from_secs(1);

impl Front {
    /// The least that the changed settings need, unless the person knows better.
    pub(super) fn needed(&self) -> Result<Activation, Trouble> {
        if !service::exists(&self.service) || !self.touches_service() {
            return Ok(Activation::None);
        }
        let profile = &self.job.profile;
        let usual = profile.service.activation;
        let own = self.moved().into_iter().map(|address| {
            profile.at_address(&address).and_then(|(_, setting)| setting.activation).unwrap_or(usual)
        });
        let wanted = self.job.activation.unwrap_or_else(|| own.max().unwrap_or(usual));
        let lacks = |what: &str| {
            let message = format!("{} has no {what} in its profile to be told by", profile.daemon);
            Err(Trouble::usage(message).mend("--activation reload or restart tells it otherwise"))
        };
        let up = self.observed.as_ref().is_some_and(|seen| seen.state.is_up());
        let reloadable = self.observed.as_ref().is_some_and(|seen| seen.can_reload && seen.state.is_up());
        Ok(match wanted {
            Activation::Signal if self.service.signal.is_none() => return lacks("signal"),
            Activation::Command if self.service.command.is_none() => return lacks("command"),
            // Under an active socket unit a reloaded daemon would bind its ports beside it.
            Activation::Reload if !reloadable || self.has_sockets() => Activation::Restart,
            Activation::Signal | Activation::Command if !up => Activation::Restart,
            other => other,
        })
    }

    fn has_sockets(&self) -> bool {
        self.observed.as_ref().is_some_and(|seen| service::needs_restart_for_sockets(&self.service, seen))
    }

    /// Finds the services around, and which of them a stop would take along.
    pub(super) fn look_around(&mut self, world: &dyn World) -> Result<(), Trouble> {
        if !self.activation.replaces() {
            return Ok(());
        }
        for Neighbour { unit, part, activation } in &self.job.profile.neighbour {
            let wanted = gypsum_core::profile::Service {
                unit: unit.clone(),
                keeper: self.service.keeper,
                user: self.service.user,
                ..Default::default()
            };
            // One that is not installed here, or is down, has nothing to lose.
            let Ok((service, seen)) = service::find(&wanted) else { continue };
            if seen.state.is_up() {
                self.neighbours.push(PlannedNeighbour { service, part: *part, activation: *activation });
            }
        }
        let Some(observed) = &self.observed else { return Ok(()) };
        let known = |unit: &str| {
            self.neighbours.iter().any(|neighbour| neighbour.service.unit.iter().any(|own| own == unit))
        };
        let dependants: Vec<String> =
            observed.dependants.iter().filter(|unit| !known(unit)).cloned().collect();
        self.taken_along = world.active_units(&self.service, &dependants);
        if self.activation == Activation::StopFirst {
            // They would start it while its files change.
            for caller in world.active_units(&self.service, &observed.callers) {
                let service = gypsum_core::profile::Service { unit: vec![caller], ..self.service.clone() };
                let activation = Activation::Restart;
                self.neighbours.push(PlannedNeighbour { service, part: Part::Watchdog, activation });
            }
        }
        Ok(())
    }

    /// The chores that files of this change ask for.
    pub(super) fn chores(&self, files: &[&std::path::Path]) -> Vec<Chore> {
        let concerns = |chore: &&Chore| {
            let of = |pattern: &String| files.iter().any(|file| fits(pattern, &file.display().to_string()));
            chore.files.is_empty() || chore.files.iter().any(of)
        };
        self.job.profile.chore.iter().filter(concerns).cloned().collect()
    }

    /// What is read before and after this change.
    pub(super) fn readings(&self) -> Result<Vec<Reading>, Trouble> {
        let settings: Vec<String> = self.moved_settings();
        let mut known = self.job.profile.reading.clone();
        known.extend(self.job.readings.iter().cloned());
        let mut readings = of_change(&known, &settings);
        for (name, _) in &self.job.expects {
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
        self.job.profile.dialect.same(reading.name.as_bytes(), name.as_bytes())
    }

    fn no_reading(&self, name: &str, readings: &[Reading]) -> Trouble {
        let names = || readings.iter().map(|reading| reading.name.as_str());
        let near = nearest(name, names());
        let near = near.first().map_or(String::new(), |near| format!("did you mean {near}? "));
        let all: Vec<&str> = names().collect();
        let known = if all.is_empty() { String::new() } else { format!("There are {}; ", all.join(", ")) };
        Trouble::usage(format!("nothing called {name:?} is read of {}", self.job.profile.daemon))
            .mend(format!("{near}{known}a sentence does, too: --expect \"process niceness=5\""))
    }

    /// The addresses of settings that have another value, or are new in a block that is new as a whole.
    fn moved(&self) -> Vec<String> {
        let mut all = self.changed.clone();
        let files = self.after_loading.as_ref().map_or(&[][..], |loading| &loading.files);
        let fresh = self.fresh.iter().filter_map(|(file, leaf)| Some((&files.get(*file)?.doc, *leaf)));
        // The new statements are those of a set: their order tells nothing.
        let mut fresh: Vec<String> = fresh
            .filter(|(doc, leaf)| doc.tree().kind(*leaf) == gypsum_core::doc::Kind::Setting)
            .map(|(doc, leaf)| gypsum_core::address::address_of(doc, leaf).to_string())
            .collect();
        fresh.sort();
        all.extend(fresh);
        all
    }

    /// The settings that have another value, by the names that the profile has for them.
    fn moved_settings(&self) -> Vec<String> {
        let profile = &self.job.profile;
        let name = |address: &String| Some(profile.at_address(address)?.0.to_owned());
        let mut names: Vec<String> = self.moved().iter().filter_map(name).collect();
        names.sort();
        names.dedup();
        names
    }

    /// What is expected of readings, as health checks.
    pub(super) fn expected(&self, readings: &[Reading]) -> Result<Vec<Check>, Trouble> {
        let mut checks = Vec::new();
        for (name, value) in &self.job.expects {
            let reading = readings.iter().find(|reading| self.is_named(reading, name));
            let mut source = reading.map(|reading| reading.source.clone()).ok_or_else(|| {
                Trouble::usage(format!("nothing called {name:?} is read of {}", self.job.profile.daemon))
            })?;
            let wanted = Expect { is: Some(value.clone()), ..Expect::default() };
            match &mut source {
                Probe::Process { expect, .. } | Probe::Command { expect, .. } => *expect = wanted,
                Probe::Http(http) => http.expect = Expect { contains: Some(value.clone()), ..wanted },
                _ => {
                    return Err(Trouble::usage(format!("{name:?} shows no value to compare"))
                        .mend("--must says in a sentence what must hold"));
                }
            }
            checks.push(Check::expected(&format!("{name}={value}"), source));
        }
        Ok(checks)
    }

    /// What will be done, in words.
    pub(super) fn planned(&self) -> String {
        let name = service::name_of(&self.service);
        let away = || match self.service.away.and_then(|away| Duration::try_from(away).ok()) {
            Some(away) if away >= WORTH_SAYING => format!("is away for about {} s", away.as_secs()),
            _ => "is away for that moment".to_owned(),
        };
        let along = if self.taken_along.is_empty() {
            String::new()
        } else {
            format!(", and with it {}", self.taken_along.join(", "))
        };
        let around: String = self
            .neighbours
            .iter()
            .map(|neighbour| match neighbour.part {
                Part::Watchdog => format!("; {} is held until then", service::name_of(&neighbour.service)),
                Part::Follower => {
                    let name = service::name_of(&neighbour.service);
                    format!("; then {} {name}", neighbour.activation.word())
                }
            })
            .collect();
        match self.activation {
            _ if !service::exists(&self.service) => "nothing to activate: no service is known".into(),
            _ if !self.touches_service() => {
                format!("nothing: {name} is stopped, and stays so (--start starts it)")
            }
            Activation::None => format!("nothing: {name} needs no telling"),
            Activation::Signal => {
                format!("send {} to {name}", self.service.signal.as_deref().unwrap_or("a signal"))
            }
            Activation::Command => {
                format!(
                    "run {}",
                    self.service.command.iter().flatten().cloned().collect::<Vec<_>>().join(" ")
                )
            }
            Activation::Reload => format!("reload {name}"),
            Activation::Restart => format!("restart {name}{along}; it {}{around}", away()),
            Activation::StopFirst => {
                format!("stop {name}{along}, write, start it; it {}{around}", away())
            }
        }
    }
}

/// What readings show now, side by side.
pub(super) fn look_at(world: &dyn World, readings: &[Reading], scene: &Scene) -> Vec<Seen> {
    std::thread::scope(|scope| {
        let begin = |reading| scope.spawn(move || seen(world, reading, scene));
        let tries: Vec<_> = readings.iter().map(begin).collect();
        tries.into_iter().filter_map(|one| one.join().ok()).collect()
    })
}

fn seen(world: &dyn World, reading: &Reading, scene: &Scene) -> Seen {
    let value = world.read(&reading.source, scene).ok();
    Seen { name: reading.name.clone(), of: reading.of.clone(), value }
}

impl Run<'_> {
    /// Reads again what was read before, shows both, and warns of what should have moved.
    pub(super) fn read_again(&mut self, scene: &Scene) -> Result<(), Trouble> {
        let world = self.world;
        let Some(front) = self.front.as_ref().filter(|front| !front.readings.is_empty()) else {
            return Ok(());
        };
        let now = look_at(world, &front.readings, scene);
        let before = &front.readings_before;
        let shown = |seen: &Seen| {
            let old = before.iter().find(|old| old.name == seen.name).and_then(|old| old.value.clone());
            let text = |value: Option<String>| value.unwrap_or_else(|| "not to be seen".into());
            report::Reading { name: seen.name.clone(), before: text(old), after: text(seen.value.clone()) }
        };
        let readings: Vec<report::Reading> = now.iter().map(shown).collect();
        let findings = unmoved(before, &now, &front.moved_settings());
        self.emit(Happening::Read { readings });
        for finding in findings {
            self.emit(Happening::Found { finding });
        }
        Ok(())
    }

    /// Stops what would start the daemon meanwhile.
    pub(super) fn hold_watchdogs(&mut self) -> Result<(), String> {
        self.around(Part::Watchdog, service::Deed::Stop)
    }

    /// Starts what a stop took along, tells those that follow, and lets watchdogs go on.
    pub(super) fn rouse(&mut self) {
        let Some(plan) = self.plan.clone().filter(|plan| plan.touch_service && plan.activation.replaces())
        else {
            return;
        };
        let up = self.world.active_units(&plan.service, &plan.taken_along);
        for unit in plan.taken_along.iter().filter(|unit| !up.contains(unit)) {
            let service = gypsum_core::profile::Service { unit: vec![unit.clone()], ..plan.service.clone() };
            self.tell_beside(&service, service::Deed::Start, &plan);
        }
        // What could not be done is said; the daemon itself is as well as it was found.
        let _ = self.around(Part::Follower, service::Deed::Restart);
        self.release_watchdogs();
    }

    /// Lets what was held go on.
    pub(super) fn release_watchdogs(&mut self) {
        let _ = self.around(Part::Watchdog, service::Deed::Start);
    }

    fn around(&mut self, part: Part, deed: service::Deed) -> Result<(), String> {
        let Some(plan) = self.plan.clone() else { return Ok(()) };
        let mut failed = None;
        for neighbour in plan.neighbours.iter().filter(|neighbour| neighbour.part == part) {
            let deed = match (part, neighbour.activation) {
                (Part::Follower, Activation::None) => continue,
                (Part::Follower, Activation::Reload) => service::Deed::Reload,
                _ => deed,
            };
            let acted = self.tell_beside(&neighbour.service, deed, &plan);
            // What its manager says of a stop is looked at: one that goes on would start the daemon meanwhile.
            let goes_on = deed == service::Deed::Stop && self.world.observe(&neighbour.service).state.is_up();
            if !acted || goes_on {
                failed = Some(format!("{} of {} failed", deed.word(), service::name_of(&neighbour.service)));
            }
        }
        failed.map_or(Ok(()), Err)
    }

    fn tell_beside(
        &mut self,
        service: &gypsum_core::profile::Service,
        deed: service::Deed,
        plan: &gypsum_core::change::Plan,
    ) -> bool {
        let acted = self.world.act(service, deed, Duration::from_millis(plan.limit_ms));
        let ms = u64::try_from(acted.took.as_millis()).unwrap_or(u64::MAX);
        let how = format!("{} {}", deed.word(), service::name_of(service));
        self.emit(Happening::Beside { how, ok: acted.ok, said: acted.said, ms });
        acted.ok
    }

    /// Does the chores of this change; on the way back those that take them back.
    pub(super) fn do_chores(&mut self, back: bool) -> Result<(), String> {
        let Some(plan) = self.plan.clone() else { return Ok(()) };
        for chore in &plan.chores {
            let argv = if back { chore.undo.as_ref().unwrap_or(&chore.run) } else { &chore.run };
            let limit = chore.limit.and_then(|limit| limit.try_into().ok());
            let limit = limit.unwrap_or(Duration::from_millis(plan.limit_ms));
            let begun = self.world.now_ms();
            let done = self.world.run(argv, limit);
            let ms = u64::try_from(self.world.now_ms() - begun).unwrap_or(0);
            let how = if back { format!("undo {}", chore.title) } else { format!("chore {}", chore.title) };
            let (ok, said) = (done.is_ok(), done.err().unwrap_or_default());
            self.emit(Happening::Beside { how, ok, said: said.clone(), ms });
            if !ok && !back {
                return Err(format!("{} failed: {said}", chore.title));
            }
        }
        Ok(())
    }
}
