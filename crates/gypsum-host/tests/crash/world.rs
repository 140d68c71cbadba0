//! A world with a disk in memory and a daemon that starts on a good configuration.

use crate::disk::FakeDisk;
use crate::{EDITED, FILES};
use gypsum_core::health::Outcome;
use gypsum_core::probe::{Check, Probe};
use gypsum_core::profile::Service;
use gypsum_core::service::{Observation, State};
use gypsum_host::disk::Disk;
use gypsum_host::probe::ProbeContext;
use gypsum_host::service::{Acted, ServiceAction};
use gypsum_host::world::World;
use std::path::Path;
use std::sync::atomic::{AtomicI64, Ordering};
use std::time::Duration;

pub struct FakeWorld<'a> {
    disk: &'a FakeDisk,
    bad: bool,
    now_ms: AtomicI64,
}

impl<'a> FakeWorld<'a> {
    pub fn new(disk: &'a FakeDisk, bad: bool) -> Self {
        Self { disk, bad, now_ms: AtomicI64::new(1_795_000_000_000) }
    }
}

impl World for FakeWorld<'_> {
    fn disk(&self) -> &dyn Disk {
        self.disk
    }

    fn observe(&self, _service: &Service) -> Observation {
        Observation::only(State::Running)
    }

    fn act(&self, _service: &Service, _deed: ServiceAction, _limit: Duration, _back: bool) -> Acted {
        let live = self.disk.read(Path::new(EDITED)).unwrap();
        let new = FILES.iter().any(|(path, _, after)| *path == EDITED && live.as_deref() == *after);
        Acted { ok: !(self.bad && new), said: String::new(), took: Duration::ZERO }
    }

    fn probe(&self, _check: &Check, _scene: &ProbeContext) -> Outcome {
        unreachable!("there are no health checks here")
    }

    fn read(&self, _source: &Probe, _scene: &ProbeContext) -> Result<String, String> {
        unreachable!("there are no readings here")
    }

    fn run(&self, _argv: &[String], _limit: Duration) -> Result<(), String> {
        unreachable!("there are no chores here")
    }

    fn now_ms(&self) -> i64 {
        self.now_ms.fetch_add(1, Ordering::Relaxed)
    }

    fn sleep(&self, time: Duration) {
        self.now_ms.fetch_add(i64::try_from(time.as_millis()).unwrap(), Ordering::Relaxed);
    }

    fn interrupted(&self) -> bool {
        false
    }
}
