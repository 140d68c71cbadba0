//! A moment in one start of the host, by a clock that nobody sets and that goes on while the host sleeps
//! (`CLOCK_BOOTTIME`, clock_gettime(2)). The start times of processes are counted by the same clock (proc_pid_stat(5)).

use rustix::time::{ClockId, clock_gettime};
use serde::{Deserialize, Serialize};
use std::fs;
use std::time::Duration;

/// A moment in one start of the host.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Moment {
    /// The start (`/proc/sys/kernel/random/boot_id`, random(4)).
    pub(crate) boot: String,
    /// Milliseconds since then.
    pub(crate) at_ms: u64,
}

impl Moment {
    /// The one so long from now.
    pub fn after(time: Duration) -> Self {
        let ms = u64::try_from(time.as_millis()).unwrap_or(u64::MAX);
        Self { boot: boot(), at_ms: since_start().saturating_add(ms) }
    }

    /// How much time is left until then; none once it is over, and after another start.
    pub fn left(&self) -> Option<Duration> {
        let left = self.at_ms.checked_sub(since_start()).filter(|left| *left > 0);
        left.filter(|_| self.boot == boot()).map(Duration::from_millis)
    }

    /// When it was, in milliseconds since the start of the host; none if that was another start.
    pub fn in_this_start(&self) -> Option<u64> {
        (self.boot == boot()).then_some(self.at_ms)
    }
}

fn boot() -> String {
    fs::read_to_string("/proc/sys/kernel/random/boot_id").unwrap_or_default().trim().to_owned()
}

/// Milliseconds since the start of the host.
fn since_start() -> u64 {
    let now = clock_gettime(ClockId::Boottime);
    let seconds = u64::try_from(now.tv_sec).unwrap_or_default();
    seconds.saturating_mul(1_000) + u64::try_from(now.tv_nsec / 1_000_000).unwrap_or_default()
}
