//! The calm: all that held goes on holding, each check for its own time.

use super::HealthRun;
use super::service::{gone, running};
use crate::beside;
use crate::probe::ProbeContext;
use gypsum_core::health::Outcome;
use gypsum_core::probe::{Check, Probe};
use gypsum_core::service::{Observation, State};
use std::time::Duration;

/// How often a service is looked at while it must stay well.
const PULSE: Duration = Duration::from_millis(100);
/// So long after a check failed it is tried once more: once may be chance.
const ONCE_MORE: Duration = Duration::from_millis(200);
/// So long the old configuration is watched at most, when it is restored.
const BACK: Duration = Duration::from_secs(2);
/// So often somebody else may restart the service meanwhile.
const MOST_RESTARTS: u32 = 3;

/// Whether a service goes on.
enum Going {
    /// As the same run of it.
    On,
    /// As another run: another process asked its manager for that, so it is no crash.
    Restarted(Box<Observation>),
    /// It ended, and how.
    Ended(String),
}

impl HealthRun<'_> {
    /// How long all of it takes.
    pub fn steady_time(&self) -> Duration {
        let longest = self.checks.iter().map(|check| self.time_of(check)).max().unwrap_or_default();
        longest.max(self.at_most(self.steady))
    }

    /// How long a check must go on holding: its own time, else that of the daemon.
    fn time_of(&self, check: &Check) -> Duration {
        self.at_most(check.steady_ms.map_or(self.steady, Duration::from_millis))
    }

    /// The old configuration has shown what it is worth before: it is not watched for long.
    fn at_most(&self, time: Duration) -> Duration {
        if self.back { time.min(BACK) } else { time }
    }

    /// Looks at the service until the time is over, and at every check once more when its own is.
    pub(super) fn stay(&self, outcomes: &mut [(Outcome, bool)]) {
        let service = self.of_service();
        let now = || match self.noted() {
            Some(last) => self.world.glance(self.service, &last),
            None => self.world.observe(self.service),
        };
        let mut first = service.filter(|n| outcomes[*n].0.healthy).map(|n| (n, now()));
        let mut scene = ProbeContext { seen: self.noted(), ..self.scene.clone() };
        let (mut begun, mut reached, mut restarts) = (self.world.now_ms(), Duration::ZERO, 0);
        let steady_time = self.steady_time();
        loop {
            let spent = Duration::from_millis(u64::try_from(self.world.now_ms() - begun).unwrap_or(0));
            self.ask_again(outcomes, &scene, (reached, spent));
            reached = spent;
            if spent >= steady_time || self.cut_short() {
                break;
            }
            self.world.sleep(PULSE.min(steady_time));
            let Some((n, last)) = &first else { continue };
            match self.is_still_up(last, begun) {
                Going::On => {}
                Going::Restarted(now) if restarts < MOST_RESTARTS => {
                    // It must stay well from its own start on.
                    let said =
                        format!("{}: another process restarted it meanwhile", running(Some(last), &now));
                    outcomes[*n].0.said = said;
                    scene.seen = Some((*now).clone());
                    first = Some((*n, *now));
                    (begun, reached, restarts) = (self.world.now_ms(), Duration::ZERO, restarts + 1);
                }
                Going::Restarted(now) => return down(&mut outcomes[*n].0, gone(last, &now)),
                Going::Ended(said) => return down(&mut outcomes[*n].0, said),
            }
        }
        // On a busy host the sign that it took the new configuration up may have come only meanwhile.
        if let Some(n) = service.filter(|n| outcomes[*n].0.healthy && outcomes[*n].1) {
            let (outcome, unproven, _) = self.try_service(&self.checks[n]);
            outcomes[n] = (outcome, unproven);
        }
    }

    /// Whether the service goes on that was seen as `last`; `begun` is since when a restart may have been asked for.
    fn is_still_up(&self, last: &Observation, begun: i64) -> Going {
        let mut now = self.world.glance(self.service, last);
        if now.state.is_up() && last.same_start(&now) {
            return Going::On;
        }
        // A manager that starts it again by itself counts that.
        let by_itself = |now: &Observation| now.restarts.unwrap_or(0) > last.restarts.unwrap_or(0);
        let failed = matches!(now.state, State::Failed | State::BackingOff) || by_itself(&now);
        if failed || self.world.was_asked(self.service, begun) != Some(true) {
            return Going::Ended(gone(last, &now));
        }
        let asked = self.world.now_ms();
        let limit = i64::try_from(self.limit.as_millis()).unwrap_or(i64::MAX);
        while !now.state.is_up() && self.world.now_ms().saturating_sub(asked) < limit && !self.cut_short() {
            if super::service::is_final(now.state) && self.world.now_ms() - asked > PULSE.as_millis() as i64 {
                let said = format!("another process stopped it meanwhile: it is {}", now.state.words());
                return Going::Ended(said);
            }
            self.world.sleep(PULSE);
            now = self.world.observe(self.service);
        }
        if now.state.is_up() && !by_itself(&now) {
            Going::Restarted(Box::new(now))
        } else {
            Going::Ended(gone(last, &now))
        }
    }

    /// Asks again, side by side, whatever must hold for a time that ended between these two.
    fn ask_again(
        &self,
        outcomes: &mut [(Outcome, bool)],
        scene: &ProbeContext,
        (from, to): (Duration, Duration),
    ) {
        let ends = |check: &Check| {
            let time = self.time_of(check);
            !time.is_zero() && from < time && time <= to
        };
        let due: Vec<usize> = (0..self.checks.len())
            .filter(|n| {
                let probe = &self.checks[*n].probe;
                *probe != Probe::Service
                    && !probe.is_counted()
                    && outcomes[*n].0.healthy
                    && ends(&self.checks[*n])
            })
            .collect();
        let again: Vec<(usize, Option<Outcome>)> = std::thread::scope(|scope| {
            let begin = |n: usize| (n, beside::begin(scope, move || self.once_more(&self.checks[n], scene)));
            let tries: Vec<_> = due.into_iter().map(begin).collect();
            tries.into_iter().map(|(n, one)| (n, one.wait().ok())).collect()
        });
        for (n, outcome) in again {
            let outcome = outcome.unwrap_or_else(|| super::broken(&self.checks[n]));
            // What was first may be the answer of a process that was about to go.
            let ms = outcomes[n].0.ms;
            outcomes[n].0 = match outcome.healthy {
                true => Outcome { ms, ..outcome },
                false => Outcome { said: format!("{} (it was healthy at first)", outcome.said), ..outcome },
            };
        }
    }

    fn once_more(&self, check: &Check, scene: &ProbeContext) -> Outcome {
        let again = self.try_once(check, scene).0;
        if again.healthy {
            return again;
        }
        self.world.sleep(ONCE_MORE);
        self.try_once(check, scene).0
    }
}

fn down(outcome: &mut Outcome, said: String) {
    (outcome.healthy, outcome.said) = (false, said);
}
