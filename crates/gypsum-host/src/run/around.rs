//! What is done around the daemon: watchdogs are held, what a stop took along is started, followers are told, chores are done.

use super::Run;
use super::front::Front;
use crate::service::{self, Acted, ServiceAction};
use crate::world::World;
use gypsum_core::change::{Plan, PlannedNeighbour};
use gypsum_core::event::Event;
use gypsum_core::health::Outcome;
use gypsum_core::probe::Check;
use gypsum_core::profile::{Activation, Chore, Part, RelatedService, Service};
use gypsum_core::service::State as ServiceState;
use gypsum_core::text::fits;
use std::path::Path;
use std::time::Duration;

impl Front {
    /// Finds what starts the service when it is called.
    pub(super) fn look_for_callers(&mut self, world: &dyn World) {
        if let Some(observed) = &self.observed {
            self.callers = world.active_units(&self.service, &observed.callers);
        }
    }

    /// Finds the services around: those that the profile names, and the units that go down or are told with it. All
    /// that is up must be up afterwards.
    pub(super) fn look_around(&mut self, world: &dyn World) {
        if self.activation == Activation::None {
            return;
        }
        if self.activation.replaces() {
            self.find_neighbours();
        }
        let Some(observed) = &self.observed else { return };
        let known = |unit: &&String| {
            self.neighbours.iter().any(|neighbour| neighbour.service.unit.iter().any(|own| own == *unit))
        };
        let along = observed.dependants.iter().chain(&observed.told_along).filter(|unit| !known(unit));
        let mut along: Vec<String> = along.cloned().collect();
        along.sort();
        along.dedup();
        let along = world.active_units(&self.service, &along);
        let watched: Vec<Check> =
            along.iter().chain(&self.callers).map(|unit| Check::of_unit(unit)).collect();
        self.taken_along = along;
        self.taken_along.retain(|unit| observed.dependants.contains(unit));
        for check in watched {
            let said = ServiceState::Running.words().to_owned();
            self.baseline.push(Outcome { name: check.name.clone(), healthy: true, said, ms: 0 });
            self.checks_before.push(check.clone());
            self.checks_after.push(check);
        }
    }

    fn find_neighbours(&mut self) {
        for RelatedService { unit, part, activation } in &self.job.profile.neighbour {
            let wanted = Service {
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
        if self.activation == Activation::StopFirst {
            // They would start it while its files change.
            for caller in std::mem::take(&mut self.callers) {
                let service = self.service.beside(&caller);
                let activation = Activation::Restart;
                self.neighbours.push(PlannedNeighbour { service, part: Part::Watchdog, activation });
            }
        }
    }

    /// The chores that files of this change ask for.
    pub(super) fn chores(&self, files: &[&Path]) -> Vec<Chore> {
        let concerns = |chore: &&Chore| {
            let of = |pattern: &String| files.iter().any(|file| fits(pattern, &file.display().to_string()));
            chore.files.is_empty() || chore.files.iter().any(of)
        };
        self.job.profile.chore.iter().filter(concerns).cloned().collect()
    }
}

impl Run<'_> {
    /// Stops what would start the daemon meanwhile.
    pub(super) fn hold_watchdogs(&mut self) -> Result<(), String> {
        self.around(Part::Watchdog, ServiceAction::Stop)
    }

    /// Starts what a stop took along. What went down by itself is left so, for the checks to see, unless the old
    /// configuration is coming `back`.
    pub(super) fn start_taken_along(&mut self, plan: &Plan, back: bool) {
        if !back && !plan.activation.replaces() {
            return;
        }
        for unit in self.missing(plan, &plan.taken_along) {
            let service = plan.service.beside(unit);
            if back || self.world.observe(&service).state == ServiceState::Stopped {
                self.tell_beside(&service, ServiceAction::Start, plan);
            }
        }
    }

    /// Opens sockets that were held, before the service is started: one that is up already would keep them out.
    pub(super) fn open_sockets(&mut self, plan: &Plan) {
        let is_socket = |neighbour: &&PlannedNeighbour| {
            neighbour.part == Part::Watchdog
                && neighbour.service.unit.iter().any(|unit| unit.ends_with(".socket"))
        };
        for neighbour in plan.neighbours.iter().filter(is_socket) {
            self.tell_beside(&neighbour.service, ServiceAction::Start, plan);
        }
    }

    /// Starts again what called the service and has given up: sockets close for good once it failed too often.
    pub(super) fn call_again(&mut self, plan: &Plan) {
        let missing = self.missing(plan, &plan.callers);
        if missing.iter().any(|unit| unit.ends_with(".socket")) {
            self.tell_beside(&plan.service, ServiceAction::Stop, plan);
        }
        for unit in missing {
            self.tell_beside(&plan.service.beside(unit), ServiceAction::Start, plan);
        }
    }

    /// Those of these units that are not up.
    fn missing<'p>(&self, plan: &Plan, units: &'p [String]) -> Vec<&'p String> {
        let up = self.world.active_units(&plan.service, units);
        units.iter().filter(|unit| !up.contains(unit)).collect()
    }

    /// Tells those that follow, and lets watchdogs go on.
    pub(super) fn rouse(&mut self) {
        if !self.plan.as_ref().is_some_and(|plan| plan.touch_service && plan.activation.replaces()) {
            return;
        }
        // What could not be done is said; the daemon itself is as well as it was found.
        let _ = self.around(Part::Follower, ServiceAction::Restart);
        self.release_watchdogs();
    }

    /// Lets what was held go on.
    pub(super) fn release_watchdogs(&mut self) {
        let _ = self.around(Part::Watchdog, ServiceAction::Start);
    }

    fn around(&mut self, part: Part, deed: ServiceAction) -> Result<(), String> {
        let Some(plan) = self.plan.clone() else { return Ok(()) };
        let mut failed = None;
        let mut neighbours: Vec<_> =
            plan.neighbours.iter().filter(|neighbour| neighbour.part == part).collect();
        if part == Part::Watchdog && deed == ServiceAction::Start {
            // What was held last goes on first.
            neighbours.reverse();
        }
        for neighbour in neighbours {
            let deed = match (part, neighbour.activation) {
                (Part::Follower, Activation::None) => continue,
                (Part::Follower, Activation::Reload) => ServiceAction::Reload,
                _ => deed,
            };
            let name = service::name_of(&neighbour.service);
            let held = (deed == ServiceAction::Stop).then(|| self.world.holdings(&neighbour.service));
            if !self.tell_beside(&neighbour.service, deed, &plan) {
                failed = Some(format!("{} of {name} failed", deed.word()));
                continue;
            }
            // What its manager says of a stop is looked at: one that goes on would start the daemon meanwhile.
            let Some(held) = held else { continue };
            let limit = Duration::from_millis(plan.limit_ms);
            if let Err(left) = self.world.wait(&neighbour.service, &held, limit) {
                failed = Some(format!("{name} was stopped, and {left}"));
            } else if self.world.observe(&neighbour.service).state.is_up() {
                failed = Some(format!("{name} was stopped, and is up again"));
            }
        }
        failed.map_or(Ok(()), Err)
    }

    fn tell_beside(&mut self, service: &Service, deed: ServiceAction, plan: &Plan) -> bool {
        let how = format!("{} {}", deed.word(), service::name_of(service));
        self.do_beside(how, service, deed, plan).ok
    }

    /// Does that and shows it as `how`; nobody ends it before its time.
    pub(super) fn do_beside(
        &mut self,
        how: String,
        service: &Service,
        deed: ServiceAction,
        plan: &Plan,
    ) -> Acted {
        let acted = self.world.act(service, deed, Duration::from_millis(plan.limit_ms), true);
        self.emit(Event::Beside { how, ok: acted.ok, said: acted.said.clone(), ms: acted.ms() });
        acted
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
            self.emit(Event::Beside { how, ok, said: said.clone(), ms });
            if !ok && !back {
                return Err(format!("{} failed: {said}", chore.title));
            }
        }
        Ok(())
    }
}
