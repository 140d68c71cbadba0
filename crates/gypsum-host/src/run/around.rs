//! What is done around the daemon: watchdogs are held, what a stop took along is started, followers are told, chores are done.

use super::Run;
use super::front::Front;
use crate::service::{self, Deed};
use crate::trouble::Trouble;
use crate::world::World;
use gypsum_core::change::{Plan, PlannedNeighbour};
use gypsum_core::happening::Happening;
use gypsum_core::profile::{Activation, Chore, Neighbour, Part, Service};
use gypsum_core::text::fits;
use std::path::Path;
use std::time::Duration;

impl Front {
    /// Finds the services around, and which of them a stop would take along.
    pub(super) fn look_around(&mut self, world: &dyn World) -> Result<(), Trouble> {
        if !self.activation.replaces() {
            return Ok(());
        }
        for Neighbour { unit, part, activation } in &self.job.profile.neighbour {
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
                let service = Service { unit: vec![caller], ..self.service.clone() };
                let activation = Activation::Restart;
                self.neighbours.push(PlannedNeighbour { service, part: Part::Watchdog, activation });
            }
        }
        Ok(())
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
        self.around(Part::Watchdog, Deed::Stop)
    }

    /// Starts what a stop took along, tells those that follow, and lets watchdogs go on.
    pub(super) fn rouse(&mut self) {
        let Some(plan) = self.plan.clone().filter(|plan| plan.touch_service && plan.activation.replaces())
        else {
            return;
        };
        let up = self.world.active_units(&plan.service, &plan.taken_along);
        for unit in plan.taken_along.iter().filter(|unit| !up.contains(unit)) {
            let service = Service { unit: vec![unit.clone()], ..plan.service.clone() };
            self.tell_beside(&service, Deed::Start, &plan);
        }
        // What could not be done is said; the daemon itself is as well as it was found.
        let _ = self.around(Part::Follower, Deed::Restart);
        self.release_watchdogs();
    }

    /// Lets what was held go on.
    pub(super) fn release_watchdogs(&mut self) {
        let _ = self.around(Part::Watchdog, Deed::Start);
    }

    fn around(&mut self, part: Part, deed: Deed) -> Result<(), String> {
        let Some(plan) = self.plan.clone() else { return Ok(()) };
        let mut failed = None;
        let mut neighbours: Vec<_> =
            plan.neighbours.iter().filter(|neighbour| neighbour.part == part).collect();
        if part == Part::Watchdog && deed == Deed::Start {
            // What was held last goes on first.
            neighbours.reverse();
        }
        for neighbour in neighbours {
            let deed = match (part, neighbour.activation) {
                (Part::Follower, Activation::None) => continue,
                (Part::Follower, Activation::Reload) => Deed::Reload,
                _ => deed,
            };
            let before = (deed == Deed::Stop).then(|| self.world.observe(&neighbour.service));
            let acted = self.tell_beside(&neighbour.service, deed, &plan);
            // What its manager says of a stop is looked at: one that goes on would start the daemon meanwhile.
            let deadline = self.deadline(Duration::from_millis(plan.limit_ms));
            let gone = before.is_none_or(|before| self.is_gone(&before, deadline).is_ok());
            let up = deed == Deed::Stop && self.world.observe(&neighbour.service).state.is_up();
            if !acted || !gone || up {
                failed = Some(format!("{} of {} failed", deed.word(), service::name_of(&neighbour.service)));
            }
        }
        failed.map_or(Ok(()), Err)
    }

    fn tell_beside(&mut self, service: &Service, deed: Deed, plan: &Plan) -> bool {
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
