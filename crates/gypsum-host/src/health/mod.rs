//! Looking: until every check holds within its patience, and then on for a while, for nothing counts
//! that dies a second later.

mod log_failures;
mod patience;
mod service;
mod steady;

use crate::beside;
use crate::probe::ProbeContext;
use crate::world::World;
use gypsum_core::health::{Judgement, Outcome, held, judge};
use gypsum_core::probe::{Check, Probe};
use gypsum_core::profile::{Activation, Service};
use gypsum_core::service::Observation;
use log_failures::LogFailures;
use std::sync::atomic::{AtomicBool, AtomicI64, AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;

/// What is looked at, and against what.
pub struct HealthRun<'a> {
    /// The world.
    pub world: &'a dyn World,
    /// The service.
    pub service: &'a Service,
    /// The checks.
    pub checks: &'a [Check],
    /// The service just before it was told; none where it was not told anything.
    pub before: Option<&'a Observation>,
    /// How it was seen last, a moment ago.
    pub last: Option<&'a Observation>,
    /// Outcomes that are known already; these checks are not tried again.
    pub known: &'a [Outcome],
    /// What it was told.
    pub activation: Activation,
    /// How long all must stay well.
    pub steady: Duration,
    /// What probes know of it.
    pub scene: &'a ProbeContext,
    /// How long a service that is on its way up is waited for, whatever the patience.
    pub limit: Duration,
    /// What these looks saw so far.
    pub so_far: SoFar,
    /// Whether the old configuration is coming back: then it is watched for a short time, and its log may still speak of
    /// the new one.
    pub back: bool,
}

/// What was seen since the looking began.
#[derive(Debug, Default)]
pub struct SoFar {
    /// How the service was.
    service: Mutex<Option<Observation>>,
    /// What its log said of a failure, and when it was read last.
    heard: Mutex<LogFailures>,
    /// Whether something got worse for good: nothing else is waited for then.
    lost: Arc<AtomicBool>,
    /// Whether the new configuration is proven to be in use.
    proven: AtomicBool,
    /// How many of the checks of its sockets hold.
    there: AtomicUsize,
    /// When all its sockets were there, in milliseconds since 1970; 0 until then.
    there_ms: AtomicI64,
    /// How many checks are healthy.
    healthy: AtomicUsize,
}

impl<'a> HealthRun<'a> {
    /// How these checks are now, of a service that was told nothing.
    pub fn at(
        world: &'a dyn World,
        service: &'a Service,
        checks: &'a [Check],
        scene: &'a ProbeContext,
    ) -> Self {
        Self {
            world,
            service,
            checks,
            scene,
            before: None,
            last: None,
            known: &[],
            activation: Activation::None,
            steady: Duration::ZERO,
            limit: Duration::ZERO,
            so_far: SoFar::default(),
            back: false,
        }
    }

    /// One try of each check, side by side, without patience: how it is now, and how the service is.
    pub fn once(&self) -> (Vec<Outcome>, Option<Observation>) {
        std::thread::scope(|scope| {
            let try_one = |check| beside::begin(scope, move || self.world.probe(check, self.scene));
            let probed = |check: &&Check| check.probe != Probe::Service && self.known(check).is_none();
            let tries: Vec<_> = self.checks.iter().filter(probed).map(try_one).collect();
            let begun = self.world.now_ms();
            let seen = self.of_service().map(|_| match self.last {
                Some(last) => self.world.observe_again(self.service, last),
                None => self.world.observe(self.service),
            });
            let ms = u64::try_from(self.world.now_ms() - begun).unwrap_or(0);
            let mut tries = tries.into_iter();
            let mut outcomes = Vec::new();
            for check in self.checks {
                outcomes.push(match (&seen, self.known(check)) {
                    (_, Some(known)) => known.clone(),
                    (Some(seen), None) if check.probe == Probe::Service => {
                        self.judge_service(check, seen, ms).0
                    }
                    _ => tries.next().and_then(|one| one.wait().ok()).unwrap_or_else(|| broken(check)),
                });
            }
            (outcomes, seen)
        })
    }

    /// The outcome of a check, where it is known already.
    fn known(&self, check: &Check) -> Option<&Outcome> {
        self.known.iter().find(|outcome| outcome.name == check.name && check.measure.is_some())
    }

    /// Where the check of the service itself is.
    fn of_service(&self) -> Option<usize> {
        self.checks.iter().position(|check| check.probe == Probe::Service)
    }

    /// All checks with their patience, then on for the steady time, then once more; judged against
    /// `baseline`. The service comes first: an old generation answers for some milliseconds after it was told.
    pub fn carefully(&self, baseline: &[Outcome]) -> (Vec<Outcome>, Judgement) {
        let judged = self.watched(baseline);
        // Nothing is waited for any more.
        self.world.note_progress(0, 0);
        judged
    }

    fn watched(&self, baseline: &[Outcome]) -> (Vec<Outcome>, Judgement) {
        if self.checks.is_empty() {
            // Nothing is known that could be looked at, and waiting would not make it known.
            return (Vec::new(), Judgement::Unproven);
        }
        self.world.note_progress(0, self.checks.len());
        let names: Vec<&str> = self.checks.iter().map(|check| check.name.as_str()).collect();
        let tried = |n: usize, scene: &ProbeContext, patience_ms: u64| {
            let tried = self.with_patience(&self.checks[n], scene, patience_ms);
            if tried.0.healthy && is_about_sockets(&self.checks[n]) {
                let there = self.so_far.there.fetch_add(1, Ordering::Relaxed) + 1;
                if there == self.checks.iter().filter(|check| is_about_sockets(check)).count() {
                    self.so_far.there_ms.store(self.world.now_ms(), Ordering::Relaxed);
                }
            }
            if tried.0.healthy {
                let healthy = self.so_far.healthy.fetch_add(1, Ordering::Relaxed) + 1;
                self.world.note_progress(healthy, self.checks.len());
            }
            if !tried.0.healthy && held(baseline, &names, n) {
                self.so_far.lost.store(true, Ordering::Relaxed);
            }
            tried
        };
        let service = self.of_service();
        let first = service.map(|n| tried(n, self.scene, self.checks[n].patience_ms));
        let is_proven = first.as_ref().is_some_and(|(outcome, unproven)| outcome.healthy && !unproven);
        self.so_far.proven.store(is_proven, Ordering::Relaxed);
        let let_go = if self.steady.is_zero() || self.is_lost() { 0 } else { self.let_go() };
        let abandoned = Arc::clone(&self.so_far.lost);
        let scene = &ProbeContext { seen: self.noted(), abandoned, ..self.scene.clone() };
        let mut outcomes: Vec<(Outcome, bool)> = std::thread::scope(|scope| {
            let begin = |n: usize| {
                let patience = self.patience_with(&self.checks[n], baseline, let_go);
                beside::begin(scope, move || tried(n, scene, patience))
            };
            let tries: Vec<_> =
                (0..self.checks.len()).map(|n| (Some(n) != service).then(|| begin(n))).collect();
            let mut outcomes = Vec::new();
            for (check, one) in self.checks.iter().zip(tries) {
                let outcome = match one {
                    Some(one) => one.wait().ok(),
                    None => first.clone(),
                };
                outcomes.push(outcome.unwrap_or_else(|| (broken(check), false)));
            }
            outcomes
        });
        let plain = |outcomes: &[(Outcome, bool)]| -> Vec<Outcome> {
            outcomes.iter().map(|(one, _)| one.clone()).collect()
        };
        self.check_log(&mut outcomes);
        if judge(baseline, &plain(&outcomes)) == Judgement::Worse {
            // It may have died while the others were waited for.
            if let Some(n) = service.filter(|n| outcomes[*n].0.healthy) {
                outcomes[n].0 = self.try_service(&self.checks[n]).0;
            }
            return (plain(&outcomes), Judgement::Worse);
        }
        if !self.steady_time().is_zero() {
            self.stay(&mut outcomes);
            self.check_log(&mut outcomes);
        }
        let judgement = match judge(baseline, &plain(&outcomes)) {
            Judgement::Healthy if outcomes.iter().any(|(_, unproven)| *unproven) => Judgement::Unproven,
            judgement => judgement,
        };
        (plain(&outcomes), judgement)
    }

    fn is_lost(&self) -> bool {
        self.so_far.lost.load(Ordering::Relaxed)
    }

    fn noted(&self) -> Option<Observation> {
        self.so_far.service.lock().ok().and_then(|noted| noted.clone())
    }

    fn cut_short(&self) -> bool {
        self.world.interrupted()
    }

    /// One try: the outcome, whether it leaves something unproven, whether trying again is vain.
    fn try_once(&self, check: &Check, scene: &ProbeContext) -> (Outcome, bool, bool) {
        if check.probe == Probe::Service {
            self.try_service(check)
        } else {
            (self.world.probe(check, scene), false, false)
        }
    }

    fn try_service(&self, check: &Check) -> (Outcome, bool, bool) {
        let begun = self.world.now_ms();
        let now = match self.before.filter(|_| !self.activation.replaces()) {
            Some(before) => self.world.observe_again(self.service, before),
            None => self.world.observe(self.service),
        };
        let ms = u64::try_from(self.world.now_ms() - begun).unwrap_or(0);
        let judged = self.judge_service(check, &now, ms);
        if let Ok(mut noted) = self.so_far.service.lock() {
            *noted = Some(now);
        }
        judged
    }
}

/// Whether a check is about where the service listens, by the kernel.
fn is_about_sockets(check: &Check) -> bool {
    matches!(check.probe, Probe::Sockets | Probe::Listens { .. })
}

fn broken(check: &Check) -> Outcome {
    Outcome {
        name: check.name.clone(),
        healthy: false,
        said: "the check itself failed".into(),
        ms: 0,
        ..Outcome::default()
    }
}
