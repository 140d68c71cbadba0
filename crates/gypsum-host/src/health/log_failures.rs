//! What its log says of a failure, while it is looked at: a daemon that says so needs no more time.

use super::HealthRun;
use gypsum_core::health::Outcome;

/// So often a log is read while something is not well.
const AGAIN_MS: i64 = 150;

/// A line of the log that the profile knows as a failure, once there is one.
#[derive(Debug, Default)]
pub(super) struct LogFailures {
    line: Option<String>,
    /// When it was looked for last, in milliseconds since 1970.
    at_ms: i64,
}

impl HealthRun<'_> {
    /// A line of its log that the profile knows as a failure counts, whatever else was seen.
    pub(super) fn check_log(&self, outcomes: &mut [(Outcome, bool)]) {
        let Some(n) = self.of_service().filter(|n| outcomes[*n].0.healthy) else { return };
        if let Some(line) = self.failure() {
            outcomes[n].0.healthy = false;
            outcomes[n].0.said = format!("its log says: {line}");
        }
    }

    /// Whether its log says meanwhile that it failed. Of several who ask, one reads.
    pub(super) fn has_said_so(&self) -> bool {
        let Ok(mut heard) = self.so_far.heard.try_lock() else { return false };
        let now = self.world.now_ms();
        if heard.line.is_none() && now - heard.at_ms >= AGAIN_MS {
            heard.at_ms = now;
            heard.line = self.failure();
        }
        heard.line.is_some()
    }

    fn failure(&self) -> Option<String> {
        let failed = &self.service.failed;
        if failed.is_empty() || self.before.is_none() || self.back {
            return None;
        }
        let text = crate::world::log_text(self.world, self.scene);
        let says = |line: &&str| failed.iter().any(|pattern| line.contains(pattern.as_str()));
        text.lines().find(says).map(|line| line.trim().to_owned())
    }
}
