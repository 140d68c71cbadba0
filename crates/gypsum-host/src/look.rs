//! Looking: until every check holds within its patience, and then on for a while, for nothing counts
//! that dies a second later.

use crate::probe::Scene;
use crate::world::World;
use gypsum_core::health::{Judgement, Outcome, judge};
use gypsum_core::probe::{Check, Probe};
use gypsum_core::profile::{Activation, Service};
use gypsum_core::service::{Observation, State, TakenUp, taken_up};
use std::sync::Mutex;
use std::time::Duration;

/// What is looked at, and against what.
pub struct Look<'a> {
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
    /// What it was told.
    pub activation: Activation,
    /// How long all must stay well.
    pub steady: Duration,
    /// What probes know of it.
    pub scene: &'a Scene,
    /// How long a service that is on its way up is waited for, whatever the patience.
    pub limit: Duration,
    /// How the service was seen by these looks.
    pub noted: Mutex<Option<Observation>>,
    /// Whether the person may end it: not while the old configuration is coming back.
    pub interruptible: bool,
}

/// How long a service that is down may be on its way up again before that counts.
const GRACE: Duration = Duration::from_millis(400);
/// So long a check may fail that held before a reload: while workers change places, a connection may be lost.
const UNBROKEN_MS: u64 = 300;
/// So long a sign that the new configuration was taken up is waited for.
const PROOF_MS: i64 = 500;
/// So long the processes from before may go on taking connections before that is taken as it is.
const LET_GO_MS: i64 = 1_000;
/// How often a service is looked at while it must stay well.
const PULSE: Duration = Duration::from_millis(100);

impl<'a> Look<'a> {
    /// How these checks are now, of a service that was told nothing.
    pub fn at(world: &'a dyn World, service: &'a Service, checks: &'a [Check], scene: &'a Scene) -> Self {
        Self {
            world,
            service,
            checks,
            scene,
            before: None,
            last: None,
            activation: Activation::None,
            steady: Duration::ZERO,
            limit: Duration::ZERO,
            noted: Mutex::default(),
            interruptible: true,
        }
    }

    /// One try of each check, side by side, without patience: how it is now, and how the service is.
    pub fn once(&self) -> (Vec<Outcome>, Option<Observation>) {
        std::thread::scope(|scope| {
            let try_one = |check| scope.spawn(move || self.world.probe(check, self.scene));
            let probed = |check: &&Check| check.probe != Probe::Service;
            let tries: Vec<_> = self.checks.iter().filter(probed).map(try_one).collect();
            let begun = self.world.now_ms();
            let seen = self.watches_service().then(|| match self.last {
                Some(last) => self.world.observe_again(self.service, last),
                None => self.world.observe(self.service),
            });
            let ms = u64::try_from(self.world.now_ms() - begun).unwrap_or(0);
            let mut tries = tries.into_iter();
            let mut outcomes = Vec::new();
            for check in self.checks {
                outcomes.push(match (&seen, check.probe == Probe::Service) {
                    (Some(seen), true) => self.judge_service(check, seen, ms).0,
                    _ => tries.next().and_then(|one| one.join().ok()).unwrap_or_else(|| broken(check)),
                });
            }
            (outcomes, seen)
        })
    }

    fn watches_service(&self) -> bool {
        self.checks.iter().any(|check| check.probe == Probe::Service)
    }

    /// All checks with their patience, then on for the steady time, then once more; judged against
    /// `baseline`. The service comes first: an old generation answers for some milliseconds after it was told.
    pub fn carefully(&self, baseline: &[Outcome]) -> (Vec<Outcome>, Judgement) {
        if self.checks.is_empty() {
            // Nothing is known that could be looked at, and waiting would not make it known.
            return (Vec::new(), Judgement::Unproven);
        }
        let of_service = |check: &&Check| check.probe == Probe::Service;
        let first = self.checks.iter().find(of_service);
        let first = first.map(|check| self.with_patience(check, self.scene, check.patience_ms));
        if !self.steady.is_zero() {
            self.let_go();
        }
        let scene = &Scene { seen: self.noted(), ..self.scene.clone() };
        let mut outcomes: Vec<(Outcome, bool)> = std::thread::scope(|scope| {
            let others = self.checks.iter().filter(|check| !of_service(check));
            let mut tries: std::collections::VecDeque<_> = others
                .map(|check| {
                    let patience = self.patience_with(check, baseline);
                    scope.spawn(move || self.with_patience(check, scene, patience))
                })
                .collect();
            let mut outcome = |check: &Check| match (&first, check.probe == Probe::Service) {
                (Some(first), true) => first.clone(),
                _ => {
                    let tried = tries.pop_front().and_then(|one| one.join().ok());
                    tried.unwrap_or_else(|| (broken(check), false))
                }
            };
            self.checks.iter().map(&mut outcome).collect()
        });
        let plain = |outcomes: &[(Outcome, bool)]| -> Vec<Outcome> {
            outcomes.iter().map(|(one, _)| one.clone()).collect()
        };
        self.heed_log(&mut outcomes);
        if judge(baseline, &plain(&outcomes)) == Judgement::Worse {
            // It may have died while the others were waited for.
            for (check, outcome) in self.checks.iter().zip(&mut outcomes) {
                if check.probe == Probe::Service && outcome.0.well {
                    outcome.0 = self.try_service(check).0;
                }
            }
            return (plain(&outcomes), Judgement::Worse);
        }
        if !self.steady.is_zero() {
            self.stay(&mut outcomes);
            self.heed_log(&mut outcomes);
        }
        let judgement = match judge(baseline, &plain(&outcomes)) {
            Judgement::Well if outcomes.iter().any(|(_, unproven)| *unproven) => Judgement::Unproven,
            judgement => judgement,
        };
        (plain(&outcomes), judgement)
    }

    /// A line of its log that the profile knows as a failure counts, whatever else was seen.
    fn heed_log(&self, outcomes: &mut [(Outcome, bool)]) {
        let failed = &self.service.failed;
        let service = self.checks.iter().position(|check| check.probe == Probe::Service);
        let Some(n) = service.filter(|n| outcomes[*n].0.well && !failed.is_empty() && self.before.is_some())
        else {
            return;
        };
        let text = self.world.log_text(self.scene);
        let says = |line: &&str| failed.iter().any(|pattern| line.contains(pattern.as_str()));
        if let Some(line) = text.lines().find(says) {
            outcomes[n].0.well = false;
            outcomes[n].0.said = format!("its log says: {}", line.trim());
        }
    }

    fn noted(&self) -> Option<Observation> {
        self.noted.lock().ok().and_then(|noted| noted.clone())
    }

    fn cut_short(&self) -> bool {
        self.interruptible && self.world.interrupted()
    }

    /// Waits until the processes from before take no connections any more: some go on for a moment beside the new ones.
    fn let_go(&self) {
        let Some(before) = self.before.filter(|_| self.activation.goes_on()) else { return };
        let begun = self.world.now_ms();
        while self.world.is_accepting(&before.children)
            && self.world.now_ms() - begun < LET_GO_MS
            && !self.cut_short()
        {
            self.world.sleep(Duration::from_millis(10));
        }
    }

    /// How long a check may fail: one that held goes on holding where the service was never down.
    fn patience_with(&self, check: &Check, baseline: &[Outcome]) -> u64 {
        let held = baseline.iter().any(|before| before.name == check.name && before.well);
        if held && self.activation.goes_on() { check.patience_ms.min(UNBROKEN_MS) } else { check.patience_ms }
    }

    fn with_patience(&self, check: &Check, scene: &Scene, patience_ms: u64) -> (Outcome, bool) {
        let begun = self.world.now_ms();
        let patience = i64::try_from(patience_ms).unwrap_or(i64::MAX);
        let limit = i64::try_from(self.limit.as_millis()).unwrap_or(i64::MAX);
        let mut pause = Duration::from_millis(3);
        loop {
            let (mut outcome, unproven, final_word) = self.try_once(check, scene);
            let spent = self.world.now_ms().saturating_sub(begun);
            outcome.ms = u64::try_from(spent).unwrap_or(0);
            let grace = spent >= GRACE.as_millis() as i64;
            let vain = final_word && (grace || self.has_failed()) || grace && self.is_down(check);
            let over = spent >= patience && !(spent < limit && self.is_on_its_way());
            // New workers come a moment after the reload: what shows nothing yet may show it then.
            let settled = outcome.well && !(unproven && spent < PROOF_MS);
            if settled || over || self.cut_short() || vain {
                return (outcome, unproven);
            }
            self.world.sleep(pause);
            // A reload is taken up within some milliseconds, or takes its time.
            pause = if spent < 60 { pause } else { (pause * 3 / 2).min(Duration::from_millis(250)) };
        }
    }

    /// Whether there is no point in asking on, since the service itself is down for good.
    fn is_down(&self, check: &Check) -> bool {
        let known = self.checks.iter().any(|check| check.probe == Probe::Service);
        known && check.probe != Probe::Service && is_final(self.world.observe(self.service).state)
    }

    /// Whether its manager has given it up: nothing is on its way any more.
    fn has_failed(&self) -> bool {
        self.noted().is_some_and(|noted| noted.state == State::Failed)
    }

    /// Whether its manager says that it is still being started: slow daemons are waited for.
    fn is_on_its_way(&self) -> bool {
        self.before.is_some() && self.world.observe(self.service).state == State::Starting
    }

    /// Looks at the service until the steady time is over, and at everything once more at its end.
    fn stay(&self, outcomes: &mut [(Outcome, bool)]) {
        let service = self.checks.iter().position(|check| check.probe == Probe::Service);
        let now = || match self.noted() {
            Some(last) => self.world.glance(self.service, &last),
            None => self.world.observe(self.service),
        };
        let first = service.filter(|n| outcomes[*n].0.well).map(|n| (n, now()));
        let scene = &Scene { seen: self.noted(), ..self.scene.clone() };
        let begun = self.world.now_ms();
        let steady = i64::try_from(self.steady.as_millis()).unwrap_or(i64::MAX);
        while self.world.now_ms().saturating_sub(begun) < steady && !self.cut_short() {
            self.world.sleep(PULSE.min(self.steady));
            if let Some((n, first)) = &first {
                let now = self.world.glance(self.service, first);
                if !now.state.is_up() || !first.same_start(&now) {
                    outcomes[*n].0.well = false;
                    outcomes[*n].0.said = gone(first, &now);
                    return;
                }
            }
        }
        // On a busy host the sign that it took the new configuration up may have come only meanwhile.
        if let Some(n) = service.filter(|n| outcomes[*n].0.well && outcomes[*n].1) {
            let (outcome, unproven, _) = self.try_service(&self.checks[n]);
            outcomes[n] = (outcome, unproven);
        }
        for (n, check) in self.checks.iter().enumerate().filter(|(_, check)| check.probe != Probe::Service) {
            if outcomes[n].0.well {
                let mut again = self.try_once(check, scene).0;
                if !again.well {
                    // Once may be chance.
                    self.world.sleep(Duration::from_millis(200));
                    again = self.try_once(check, scene).0;
                }
                if !again.well {
                    again.said = format!("{} (it was well at first)", again.said);
                    outcomes[n].0 = again;
                }
            }
        }
    }

    /// One try: the outcome, whether it leaves something unproven, whether trying again is vain.
    fn try_once(&self, check: &Check, scene: &Scene) -> (Outcome, bool, bool) {
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
        if let Ok(mut noted) = self.noted.lock() {
            *noted = Some(now);
        }
        judged
    }

    fn judge_service(&self, check: &Check, now: &Observation, ms: u64) -> (Outcome, bool, bool) {
        let outcome = |well, said: String| Outcome { name: check.name.clone(), well, said, ms };
        if !now.state.is_up() || now.state == State::Reloading {
            let said = match &now.result {
                Some(result) if result != "success" => format!("{} ({result})", now.state.words()),
                _ => now.state.words().to_owned(),
            };
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
fn running(before: Option<&Observation>, now: &Observation) -> String {
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
fn is_final(state: State) -> bool {
    matches!(state, State::Failed | State::BackingOff | State::Missing | State::Stopped)
}

fn gone(first: &Observation, now: &Observation) -> String {
    match now.state {
        State::Running | State::Reloading | State::Exited => {
            let times = match (first.restarts, now.restarts) {
                (Some(before), Some(after)) if after > before => format!(" ({} times)", after - before),
                _ => String::new(),
            };
            format!("it ended and was started again{times}")
        }
        state => {
            let result = now.result.as_deref().filter(|result| *result != "success");
            let result = result.map_or(String::new(), |result| format!(" ({result})"));
            format!("it ran at first, and is {} now{result}", state.words())
        }
    }
}

fn broken(check: &Check) -> Outcome {
    Outcome { name: check.name.clone(), well: false, said: "the check itself failed".into(), ms: 0 }
}
