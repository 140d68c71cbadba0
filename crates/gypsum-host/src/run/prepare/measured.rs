//! A checked proposal, with the state of the service before anything is touched.

use super::check::Checked;
use gypsum_core::change::PlannedRelated;
use gypsum_core::health::Outcome;
use gypsum_core::probe::Check;
use gypsum_core::profile::Activation;
use gypsum_core::reading::{Reading, Seen};
use gypsum_core::service::{Observation, State as ServiceState};
use std::time::Duration;

/// A checked proposal, with the state of the service before anything is touched.
pub(super) struct Measured {
    pub checked: Checked,
    pub baseline: Baseline,
    pub activation: ActivationPlan,
}

/// How the service is before anything is touched.
#[derive(Debug, Default)]
pub(super) struct Baseline {
    /// The service; `None` if it has none.
    pub observed: Option<Observation>,
    /// The health checks for the configuration as it is.
    pub checks_before: Vec<Check>,
    /// Those for the configuration as it will be.
    pub checks_after: Vec<Check>,
    /// What the former showed.
    pub outcomes: Vec<Outcome>,
    /// What is read before and after.
    pub readings: Vec<Reading>,
    /// What was read before.
    pub readings_before: Vec<Seen>,
}

impl Baseline {
    /// Whether the service does not run, and nothing is wrong with that.
    pub fn is_stopped(&self) -> bool {
        self.observed.as_ref().is_some_and(|seen| seen.state == ServiceState::Stopped)
    }

    /// Whether the service runs.
    pub fn is_up(&self) -> bool {
        self.observed.as_ref().is_some_and(|seen| seen.state.is_up())
    }

    /// A unit that is up now, and must be up afterwards.
    pub fn watch_unit(&mut self, unit: &str) {
        let check = Check::of_unit(unit);
        let said = ServiceState::Running.words().to_owned();
        self.outcomes.push(Outcome {
            name: check.name.clone(),
            healthy: true,
            said,
            ms: 0,
            ..Outcome::default()
        });
        self.checks_before.push(check.clone());
        self.checks_after.push(check);
    }
}

/// What the service is to do, and what else that touches.
#[derive(Debug)]
pub(super) struct ActivationPlan {
    pub activation: Activation,
    /// How long the service was away when it was restarted last, where that is known.
    pub last_away: Option<Duration>,
    /// Further services, resolved.
    pub related: Vec<PlannedRelated>,
    /// Units that were up and that a stop takes along.
    pub taken_along: Vec<String>,
    /// Units that are up and start the service when they are called: its sockets, timers.
    pub callers: Vec<String>,
}
