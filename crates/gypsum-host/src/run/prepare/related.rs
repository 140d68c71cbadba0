//! The services around the daemon that an activation touches, too.

use super::check::Checked;
use super::measured::ActivationPlan;
use super::measured::Baseline;
use crate::service;
use crate::world::World;
use gypsum_core::change::PlannedRelated;
use gypsum_core::profile::{Activation, Hook, Part, RelatedService, Service};
use gypsum_core::text::glob_match;
use std::path::Path;

impl ActivationPlan {
    /// Finds the services around: those that the profile names, and the units that go down or are reloaded with the
    /// service. All that are up must be up afterwards.
    pub(super) fn find_related(&mut self, world: &dyn World, checked: &Checked, baseline: &mut Baseline) {
        if self.activation == Activation::None {
            return;
        }
        if self.activation.replaces() {
            self.find_named(checked);
        }
        let Some(observed) = &baseline.observed else { return };
        let known = |unit: &&String| {
            self.related.iter().any(|related| related.service.unit.iter().any(|own| own == *unit))
        };
        let along = observed.dependants.iter().chain(&observed.told_along).filter(|unit| !known(unit));
        let mut along: Vec<String> = along.cloned().collect();
        along.sort();
        along.dedup();
        let along = world.active_units(&checked.service, &along);
        let stopped_along = along.iter().filter(|unit| observed.dependants.contains(unit)).cloned();
        self.taken_along = stopped_along.collect();
        for unit in along.iter().chain(&self.callers) {
            baseline.watch_unit(unit);
        }
    }

    fn find_named(&mut self, checked: &Checked) {
        for RelatedService { unit, part, activation } in &checked.proposal.request.profile.related {
            let wanted = Service {
                unit: unit.clone(),
                keeper: checked.service.keeper,
                user: checked.service.user,
                ..Default::default()
            };
            // One that is not installed here, or is down, has nothing to lose.
            let Ok((service, seen)) = service::find(&wanted) else { continue };
            if seen.state.is_up() {
                self.related.push(PlannedRelated { service, part: *part, activation: *activation });
            }
        }
        if self.activation == Activation::StopFirst {
            // They would start it while its files change.
            for caller in std::mem::take(&mut self.callers) {
                let service = checked.service.beside(&caller);
                let activation = Activation::Restart;
                self.related.push(PlannedRelated { service, part: Part::Watchdog, activation });
            }
        }
    }
}

impl Checked {
    /// The hooks that files of this change ask for.
    pub(super) fn hooks(&self, files: &[&Path]) -> Vec<Hook> {
        let concerns = |hook: &&Hook| {
            let of =
                |pattern: &String| files.iter().any(|file| glob_match(pattern, &file.display().to_string()));
            hook.files.is_empty() || hook.files.iter().any(of)
        };
        self.proposal.request.profile.hook.iter().filter(concerns).cloned().collect()
    }
}
