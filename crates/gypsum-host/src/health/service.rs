//! The service as a check of its own: it runs, and as the generation that the activation implies.

use super::HealthRun;
use gypsum_core::health::Outcome;
use gypsum_core::probe::Check;
use gypsum_core::service::{Observation, State, TakenUp, taken_up};

impl HealthRun<'_> {
    /// What one look at the service says: the outcome, whether it leaves something unproven, whether trying again is vain.
    pub(super) fn judge_service(&self, check: &Check, now: &Observation, ms: u64) -> (Outcome, bool, bool) {
        let outcome = |healthy, said: String| Outcome {
            name: check.name.clone(),
            healthy,
            said,
            ms,
            ..Outcome::default()
        };
        if !now.state.is_up() || now.state == State::Reloading {
            let said = format!("{}{}", now.state.words(), now.result_words());
            return (outcome(false, said), false, is_final(now.state));
        }
        let Some(before) = self.before else {
            return (outcome(true, running(None, now)), false, false);
        };
        match taken_up(before, now, self.activation, self.service.proof.as_ref()) {
            TakenUp::Yes => (outcome(true, running(Some(before), now)), false, false),
            TakenUp::Unproven => {
                let said = format!(
                    "{}; nothing shows whether it took up the new configuration",
                    running(Some(before), now)
                );
                (outcome(true, said), true, false)
            }
            TakenUp::No => {
                let said = format!("{}, still on the configuration from before", running(Some(before), now));
                (outcome(false, said), false, false)
            }
        }
    }
}

/// That it runs, and as which process: the old one is easily taken for the new.
pub(super) fn running(before: Option<&Observation>, now: &Observation) -> String {
    let words = now.state.words();
    match (before.and_then(|before| before.main), now.main) {
        (_, None) => words.to_owned(),
        (None, Some(main)) => format!("{words}, process {}", main.pid),
        (Some(old), Some(main)) if old == main => format!("{words}, the same process {}", main.pid),
        (Some(_), Some(main)) => format!("{words}, a new process {}", main.pid),
    }
}

/// States that do not become well by waiting. A unit that is failing and being restarted might, but
/// then it has died once with this configuration already.
pub(super) fn is_final(state: State) -> bool {
    matches!(state, State::Failed | State::BackingOff | State::Missing | State::Stopped | State::Gone)
}

pub(super) fn gone(first: &Observation, now: &Observation) -> String {
    match now.state {
        State::Running | State::Reloading | State::Exited => {
            let times = match (first.restarts, now.restarts) {
                (Some(before), Some(after)) if after > before => format!(" ({} times)", after - before),
                _ => String::new(),
            };
            format!("it ended and was started again{times}")
        }
        state => format!("it ran at first, and is {} now{}", state.words(), now.result_words()),
    }
}
