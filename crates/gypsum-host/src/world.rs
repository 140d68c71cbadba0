//! The world around the files: services, health checks, time. A test has one of its own.

use crate::disk::{Disk, RealDisk};
use crate::service::{self, Acted, Deed};
use gypsum_core::health::Outcome;
use gypsum_core::profile::{Check, Probe, Service};
use gypsum_core::service::Observation;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

/// What a change needs of the world.
pub trait World: Sync {
    /// The disk.
    fn disk(&self) -> &dyn Disk;
    /// One look at a service.
    fn observe(&self, service: &Service) -> Observation;
    /// Tells a service something, and waits until that is done or the time is up.
    fn act(&self, service: &Service, deed: Deed, limit: Duration) -> Acted;
    /// One try of a health check other than that of the service.
    fn probe(&self, check: &Check) -> Outcome;
    /// The last lines of a service's log since a moment (milliseconds since 1970).
    fn log_since(&self, service: &Service, at_ms: i64) -> Vec<String>;
    /// Milliseconds since 1970.
    fn now_ms(&self) -> i64;
    /// Waits.
    fn sleep(&self, time: Duration);
    /// Whether the person wants out.
    fn interrupted(&self) -> bool;
}

/// This machine.
#[derive(Clone, Debug, Default)]
pub struct RealWorld {
    disk: RealDisk,
    interrupted: Arc<AtomicBool>,
}

impl RealWorld {
    /// This machine; from now on an interrupt asks the change to end well instead of ending it. A
    /// hang-up (the session is gone) does not: the change goes on to its verdict.
    pub fn new() -> std::io::Result<Self> {
        let world = Self::default();
        for signal in [signal_hook::consts::SIGINT, signal_hook::consts::SIGTERM] {
            signal_hook::flag::register(signal, Arc::clone(&world.interrupted))?;
        }
        signal_hook::flag::register(signal_hook::consts::SIGHUP, Arc::default())?;
        Ok(world)
    }
}

impl World for RealWorld {
    fn disk(&self) -> &dyn Disk {
        &self.disk
    }

    fn observe(&self, service: &Service) -> Observation {
        service::observe(service)
    }

    fn act(&self, service: &Service, deed: Deed, limit: Duration) -> Acted {
        service::act(service, deed, limit)
    }

    fn probe(&self, check: &Check) -> Outcome {
        debug_assert!(check.probe != Probe::Service, "a service is observed, not probed");
        crate::probe::probe(check)
    }

    fn log_since(&self, service: &Service, at_ms: i64) -> Vec<String> {
        service::log_since(service, at_ms)
    }

    fn now_ms(&self) -> i64 {
        jiff::Timestamp::now().as_millisecond()
    }

    fn sleep(&self, time: Duration) {
        std::thread::sleep(time);
    }

    fn interrupted(&self) -> bool {
        self.interrupted.load(Ordering::Relaxed)
    }
}
