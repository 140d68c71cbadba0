//! How long a check may fail at first: while a service is on its way up, or old processes make way for new ones.

use super::HealthRun;
use super::service::is_final;
use crate::probe::ProbeContext;
use gypsum_core::health::Outcome;
use gypsum_core::probe::{Check, Probe};
use gypsum_core::service::State;
use std::sync::atomic::Ordering;
use std::time::Duration;

/// How long a service that is down may be on its way up again before that counts.
const GRACE: Duration = Duration::from_millis(400);
/// So long a check may fail that held before a reload: while workers change places, a connection may be lost.
const UNBROKEN_MS: u64 = 300;
/// So long its sockets may be gone once the new configuration is proven to be in use.
const SOCKETS_MS: u64 = 150;
/// So long of it in any case, though they took their time to change places.
const UNBROKEN_LEAST_MS: u64 = 100;
/// So long a sign that the new configuration was taken up is waited for.
const PROOF_MS: i64 = 500;
/// So long something may fail before the log is asked why.
const HEARD_MS: i64 = 60;
/// So often in a row an answer is worse than before until it counts, each time on a new connection.
const ENOUGH: u32 = 2;
/// So long after a start all sockets are there until an answer counts: some daemons open them before they can serve.
const THERE_MS: i64 = 1_000;
/// So long a server that counts who asks is left alone between two tries.
const COUNTED: Duration = Duration::from_secs(1);
/// So long the processes from before may go on taking connections before that is taken as it is.
const LET_GO_MS: i64 = 1_000;

impl HealthRun<'_> {
    /// Waits until the processes from before take no connections any more: some go on for a moment beside the new ones.
    /// How long that took, in milliseconds.
    pub(super) fn let_go(&self) -> u64 {
        let Some(before) = self.before.filter(|_| self.activation.keeps_running()) else { return 0 };
        let begun = self.world.now_ms();
        while self.world.is_accepting(&before.children)
            && self.world.now_ms() - begun < LET_GO_MS
            && !self.cut_short()
        {
            self.world.sleep(Duration::from_millis(10));
        }
        u64::try_from(self.world.now_ms() - begun).unwrap_or(0)
    }

    /// How long a check may fail: one that held goes on holding where the service was never down. `let_go` was waited
    /// for the old processes already.
    pub(super) fn patience_with(&self, check: &Check, baseline: &[Outcome], let_go: u64) -> u64 {
        let held = baseline.iter().any(|before| before.name == check.name && before.healthy);
        let is_proven = self.so_far.proven.load(Ordering::Relaxed);
        let unbroken = match check.probe {
            // Whoever has taken a configuration up has opened its sockets.
            Probe::Sockets | Probe::Tcp(_) | Probe::Listens { .. } if is_proven => SOCKETS_MS,
            _ => UNBROKEN_MS.saturating_sub(let_go).max(UNBROKEN_LEAST_MS),
        };
        if held && self.activation.keeps_running() {
            check.patience_ms.min(unbroken)
        } else {
            check.patience_ms
        }
    }

    pub(super) fn with_patience(
        &self,
        check: &Check,
        scene: &ProbeContext,
        patience_ms: u64,
    ) -> (Outcome, bool) {
        let begun = self.world.now_ms();
        let patience = i64::try_from(patience_ms).unwrap_or(i64::MAX);
        let limit = i64::try_from(self.limit.as_millis()).unwrap_or(i64::MAX);
        let mut pause = Duration::from_millis(3);
        let mut failures = 0;
        if check.probe.is_counted() && self.before.is_some() {
            self.wait_for_sockets(patience);
        }
        loop {
            let (mut outcome, unproven, final_word) = self.try_once(check, scene);
            let spent = self.world.now_ms().saturating_sub(begun);
            outcome.ms = u64::try_from(spent).unwrap_or(0);
            // New workers come a moment after the reload: what shows nothing yet may show it then.
            let settled = outcome.healthy && !(unproven && spent < PROOF_MS);
            if settled || self.cut_short() || self.is_lost() {
                return (outcome, unproven);
            }
            failures += u32::from(!outcome.healthy);
            if failures >= ENOUGH && check.measure.is_some() && self.is_answered_for_good(check) {
                return (outcome, unproven);
            }
            let grace = spent >= GRACE.as_millis() as i64;
            let vain = final_word && (grace || self.has_failed())
                || grace && self.is_down(check)
                || spent >= HEARD_MS && !outcome.healthy && self.has_said_so();
            if vain || spent >= patience && !(spent < limit && self.is_on_its_way()) {
                return (outcome, unproven);
            }
            if check.probe.is_counted() {
                pause = COUNTED;
            }
            let left = u64::try_from(patience - spent).ok().filter(|left| *left > 0);
            self.world.sleep(left.map_or(pause, |left| pause.min(Duration::from_millis(left))));
            // A reload is taken up within some milliseconds, or takes its time.
            pause = if spent < 60 { pause } else { (pause * 3 / 2).min(Duration::from_millis(250)) };
        }
    }

    /// Waits until all sockets are there: a server that counts who asks is not asked before.
    fn wait_for_sockets(&self, patience_ms: i64) {
        let begun = self.world.now_ms();
        while self.so_far.there_ms.load(Ordering::Relaxed) == 0
            && self.world.now_ms() - begun < patience_ms
            && !(self.cut_short() || self.is_lost())
        {
            self.world.sleep(Duration::from_millis(10));
        }
    }

    /// Whether a client's answer is the answer: after a reload as soon as the new configuration is proven to be in use
    /// and all sockets are there, after a start when all sockets have been there for a while.
    fn is_answered_for_good(&self, check: &Check) -> bool {
        // The old configuration gets all the time that it needs.
        if check.probe == Probe::Sockets || self.back {
            return false;
        }
        let there = self.so_far.there_ms.load(Ordering::Relaxed);
        // A reload may open the sockets anew, and a start may open them before anybody is served.
        let at_once = self.activation.keeps_running() && self.so_far.proven.load(Ordering::Relaxed);
        there > 0 && (at_once || self.world.now_ms() - there >= THERE_MS)
    }

    /// Whether there is no point in asking on, since the service itself is down for good.
    fn is_down(&self, check: &Check) -> bool {
        self.of_service().is_some()
            && check.probe != Probe::Service
            && is_final(self.world.observe(self.service).state)
    }

    /// Whether its manager has given it up: nothing is on its way any more.
    fn has_failed(&self) -> bool {
        self.noted().is_some_and(|noted| noted.state == State::Failed)
    }

    /// Whether its manager says that it is still being started: slow daemons are waited for.
    fn is_on_its_way(&self) -> bool {
        self.before.is_some() && self.world.observe(self.service).state == State::Starting
    }
}
