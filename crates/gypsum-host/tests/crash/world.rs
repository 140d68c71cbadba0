//! A world with a disk in memory and a daemon that starts on a good configuration.

use crate::disk::FakeDisk;
use crate::{EDITED, FILES};
use gypsum_core::change::Verdict;
use gypsum_core::health::Outcome;
use gypsum_core::log::LogLine;
use gypsum_core::probe::{Check, Probe};
use gypsum_core::profile::Service;
use gypsum_core::report::Report;
use gypsum_core::service::{Observation, Process, State};
use gypsum_host::disk::Disk;
use gypsum_host::logs::Mark;
use gypsum_host::probe::{ProbeContext, ProbeError};
use gypsum_host::service::{Acted, ActionError, OwnedResources, ServiceAction};
use gypsum_host::world::World;
use std::path::Path;
use std::sync::atomic::{AtomicI64, Ordering};
use std::time::Duration;

/// How the daemon takes the new configuration.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Daemon {
    /// It runs on it.
    Takes,
    /// It does not start on it.
    StaysDown,
    /// It starts, and answers no client.
    Unhealthy,
}

impl Daemon {
    pub const ALL: [Self; 3] = [Self::Takes, Self::StaysDown, Self::Unhealthy];

    /// Of how many operations one is cut, where each cut is a sweep of its own: the files go the same way back from an
    /// unhealthy daemon as from one that stays down.
    pub fn every(self) -> usize {
        if self == Self::Unhealthy { 8 } else { 3 }
    }

    /// How a change ends that nothing cuts off.
    pub fn verdict(self) -> Verdict {
        if self == Self::Takes { Verdict::Kept } else { Verdict::Restored }
    }
}

pub struct FakeWorld<'a> {
    disk: &'a FakeDisk,
    daemon: Daemon,
    now_ms: AtomicI64,
}

impl<'a> FakeWorld<'a> {
    pub fn new(disk: &'a FakeDisk, daemon: Daemon) -> Self {
        Self { disk, daemon, now_ms: AtomicI64::new(1_795_000_000_000) }
    }

    /// Whether the new configuration is live.
    fn is_new(&self) -> bool {
        let live = self.disk.peek(Path::new(EDITED));
        FILES.iter().any(|(path, _, after)| *path == EDITED && live.as_deref() == *after)
    }
}

impl World for FakeWorld<'_> {
    fn disk(&self) -> &dyn Disk {
        self.disk
    }

    fn observe(&self, _service: &Service) -> Observation {
        Observation::only(State::Running)
    }

    fn act(&self, _service: &Service, _action: ServiceAction, _limit: Duration, _back: bool) -> Acted {
        let ok = self.daemon != Daemon::StaysDown || !self.is_new();
        Acted { ok, said: String::new(), took: Duration::ZERO }
    }

    fn probe(&self, check: &Check, _scene: &ProbeContext) -> Outcome {
        let healthy = self.daemon == Daemon::Takes || !self.is_new();
        Outcome { name: check.name.clone(), healthy, said: "asked".into(), ms: 1, ..Outcome::default() }
    }

    fn read(&self, _source: &Probe, _scene: &ProbeContext) -> Result<String, ProbeError> {
        unreachable!("there are no readings here")
    }

    fn run(&self, _argv: &[String], _limit: Duration) -> Result<(), ActionError> {
        unreachable!("there are no hooks here")
    }

    fn observe_again(&self, service: &Service, _last: &Observation) -> Observation {
        self.observe(service)
    }

    fn glance(&self, service: &Service, _last: &Observation) -> Observation {
        self.observe(service)
    }

    fn is_accepting(&self, _processes: &[Process]) -> bool {
        false
    }

    fn active_units(&self, _service: &Service, _units: &[String]) -> Vec<String> {
        Vec::new()
    }

    fn holdings(&self, _service: &Service) -> OwnedResources {
        OwnedResources::default()
    }

    fn wait(&self, _held: &OwnedResources, _limit: Duration) -> Result<(), ActionError> {
        Ok(())
    }

    fn mark(&self, _files: &[String]) -> Mark {
        Mark::at(self.now_ms(), &[])
    }

    fn logged(&self, _scene: &ProbeContext) -> String {
        String::new()
    }

    fn logged_before(&self, _: &ProbeContext) -> String {
        String::new()
    }

    fn logs_since(&self, _service: &Service, _since: &Mark, _until_ms: Option<i64>) -> Vec<LogLine> {
        Vec::new()
    }

    fn was_asked(&self, _service: &Service, _since_ms: i64) -> Option<bool> {
        None
    }

    fn log_change(&self, _report: &Report, _number: u32) {}

    fn guard(&self, _state: &gypsum_host::state::State, _daemon: &str) {}

    fn watch_on(
        &self,
        _state: &gypsum_host::state::State,
        _entry: &gypsum_host::state::Entry,
        _plan: &gypsum_core::change::Plan,
    ) -> Vec<String> {
        Vec::new()
    }

    fn is_watched(&self) -> bool {
        true
    }

    fn tell(&self, _state: &gypsum_host::state::State, _report: &Report, _number: u32) -> Vec<String> {
        Vec::new()
    }

    fn note_progress(&self, _healthy: usize, _of: usize) {}

    fn take_interrupt(&self) -> bool {
        false
    }

    fn is_sent_away(&self) -> bool {
        false
    }

    fn now_ms(&self) -> i64 {
        self.now_ms.fetch_add(1, Ordering::Relaxed)
    }

    fn uptime(&self) -> Duration {
        Duration::from_millis(u64::try_from(self.now_ms()).unwrap())
    }

    fn sleep(&self, time: Duration) {
        self.now_ms.fetch_add(i64::try_from(time.as_millis()).unwrap(), Ordering::Relaxed);
    }

    fn interrupted(&self) -> bool {
        false
    }
}
