//! The world around the files: services, health checks, time. A test has one of its own.

use crate::children::Limit;
use crate::disk::{Disk, RealDisk};
use crate::interrupt;
use crate::logs::Mark;
use crate::probe::{ProbeContext, ProbeError};
use crate::service::{self, Acted, ActionError, OwnedResources, ServiceAction};
use crate::state::{Entry, State};
use crate::watching::{self, Watch};
use gypsum_core::change::{Plan, PlannedWatch};
use gypsum_core::health::Outcome;
use gypsum_core::log::LogLine;
use gypsum_core::probe::{Check, Probe};
use gypsum_core::profile::Service;
use gypsum_core::report::Report;
use gypsum_core::service::{Observation, Process};
use std::io::IsTerminal;
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::mpsc::RecvTimeoutError;
use std::time::{Duration, Instant};

/// How long a reading may take.
const READING: Duration = Duration::from_secs(5);

/// What a change needs of the world.
pub trait World: Sync {
    /// The disk.
    fn disk(&self) -> &dyn Disk;
    /// One look at a service.
    fn observe(&self, service: &Service) -> Observation;
    /// One more look at a service that was seen as `last` a moment ago.
    fn observe_again(&self, service: &Service, last: &Observation) -> Observation;
    /// Whether a service goes on as it was seen `last`, without the marks of its generation.
    fn glance(&self, service: &Service, last: &Observation) -> Observation;
    /// Whether one of these processes, which were there before, still listens.
    fn is_accepting(&self, processes: &[Process]) -> bool;
    /// Those of these units that are up, of the manager that the service is with.
    fn active_units(&self, service: &Service, units: &[String]) -> Vec<String>;
    /// Tells a service something, and waits until that is done or the time is up; until somebody wants out, too, unless
    /// the old configuration is coming `back`.
    fn act(&self, service: &Service, action: ServiceAction, limit: Duration, back: bool) -> Acted;
    /// One try of a health check other than that of the service.
    fn probe(&self, check: &Check, scene: &ProbeContext) -> Outcome;
    /// The value that a reading shows.
    fn read(&self, source: &Probe, scene: &ProbeContext) -> Result<String, ProbeError>;
    /// Runs a command to its end; its last words where it does not end well.
    fn run(&self, argv: &[String], limit: Duration) -> Result<(), ActionError>;
    /// What a service holds now: its processes and the sockets on which they listen.
    fn holdings(&self, service: &Service) -> OwnedResources;
    /// Waits until nothing of that is left of a service that was stopped; in words what is left where the time is up.
    fn wait(&self, held: &OwnedResources, limit: Duration) -> Result<(), ActionError>;
    /// Where all logs have come to now, these files among them.
    fn mark(&self, files: &[String]) -> Mark;
    /// What came into a service's own log files since it was told.
    fn logged(&self, scene: &ProbeContext) -> String;
    /// What was in a service's own log files before it was told, as far back as is looked.
    fn logged_before(&self, scene: &ProbeContext) -> String;
    /// The last lines of the log that its manager keeps of a service, from a mark on and up to a moment (milliseconds
    /// since 1970).
    fn logs_since(&self, service: &Service, since: &Mark, until_ms: Option<i64>) -> Vec<LogLine>;
    /// Whether the service manager was asked, since a moment, to stop or to restart a service; none where it keeps no
    /// account of that.
    fn was_asked(&self, service: &Service, since_ms: i64) -> Option<bool>;
    /// Milliseconds since 1970.
    fn now_ms(&self) -> i64;
    /// The time since some moment in the past. Nothing but the passing of time moves it.
    fn uptime(&self) -> Duration;
    /// Waits.
    fn sleep(&self, time: Duration);
    /// Whether the person wants out.
    fn interrupted(&self) -> bool;
    /// Whether somebody else sends this process away, with whatever it does: its session or service is ended.
    fn is_sent_away(&self) -> bool;
    /// Tells the log of the host how a change ended.
    fn log_change(&self, report: &Report, number: u32);
    /// Whether a person at a terminal sees how this ends.
    fn is_watched(&self) -> bool;
    /// Tells people who did not look on how a change ended; what could not be told, a sentence each.
    fn tell(&self, state: &State, report: &Report, number: u32) -> Vec<String>;
    /// Starts a process that goes on with the change of `daemon` on probation where this one is lost.
    fn guard(&self, state: &State, daemon: &str);
    /// Begins what is looked at after a change was kept; what was begun, or why not, a sentence each.
    fn watch_on(&self, state: &State, entry: &Entry, plan: &Plan) -> Vec<String>;
    /// So many of the checks that are waited for are healthy.
    fn note_progress(&self, healthy: usize, of: usize);
    /// Whether the person wants out, and forgets it: who does once more asks for something else.
    fn take_interrupt(&self) -> bool;
}

/// What came into a service's logs since its last action.
pub fn log_text(world: &dyn World, scene: &ProbeContext) -> String {
    // A daemon that has its own logs says there what matters.
    match scene.since.as_ref().filter(|_| scene.service.log.is_empty()) {
        Some(since) => texts(world.logs_since(&scene.service, since, None)).join("\n"),
        None => world.logged(scene),
    }
}

/// How many of the checks that are waited for are healthy, for who shows it.
#[derive(Clone, Debug, Default)]
pub struct Progress(Arc<(AtomicUsize, AtomicUsize)>);

impl Progress {
    /// So many are healthy of so many; of none where nothing is waited for.
    pub fn get(&self) -> (usize, usize) {
        (self.0.0.load(Ordering::Relaxed), self.0.1.load(Ordering::Relaxed))
    }

    fn set(&self, healthy: usize, of: usize) {
        self.0.0.store(healthy, Ordering::Relaxed);
        self.0.1.store(of, Ordering::Relaxed);
    }
}

/// The lines of a log without what is known of them.
pub fn texts(lines: Vec<LogLine>) -> Vec<String> {
    lines.into_iter().map(|line| line.text).collect()
}

/// This machine.
#[derive(Clone, Debug)]
pub struct RealWorld {
    progress: Progress,
    begun: Instant,
    disk: RealDisk,
    sent_away: Arc<AtomicBool>,
    watched: Arc<AtomicBool>,
}

impl RealWorld {
    /// This machine; from now on an interrupt asks the change to end well instead of ending it. A
    /// hang-up (the session is gone) does not: the change goes on to its verdict.
    pub fn new() -> std::io::Result<Self> {
        let world = Self {
            progress: Progress::default(),
            begun: Instant::now(),
            disk: RealDisk,
            sent_away: Arc::default(),
            watched: Arc::new(AtomicBool::new(std::io::stderr().is_terminal())),
        };
        // Before what makes an end of it: whoever sees that must know why.
        signal_hook::flag::register(signal_hook::consts::SIGTERM, Arc::clone(&world.sent_away))?;
        interrupt::watch()?;
        signal_hook::flag::register(signal_hook::consts::SIGHUP, Arc::default())?;
        Ok(world)
    }

    /// Where it is kept whether a person at a terminal looks on: for a process that shows what it does through another one.
    pub fn watched(&self) -> Arc<AtomicBool> {
        Arc::clone(&self.watched)
    }

    /// Where to read how many checks are healthy.
    pub fn progress(&self) -> Progress {
        self.progress.clone()
    }
}

impl World for RealWorld {
    fn disk(&self) -> &dyn Disk {
        &self.disk
    }

    fn observe(&self, service: &Service) -> Observation {
        service::observe(service)
    }

    fn observe_again(&self, service: &Service, last: &Observation) -> Observation {
        service::observe_again(service, last)
    }

    fn glance(&self, service: &Service, last: &Observation) -> Observation {
        service::glance(service, Some(last))
    }

    fn is_accepting(&self, processes: &[Process]) -> bool {
        service::is_accepting(processes)
    }

    fn active_units(&self, service: &Service, units: &[String]) -> Vec<String> {
        service::active_units(service, units)
    }

    fn act(&self, service: &Service, action: ServiceAction, limit: Duration, back: bool) -> Acted {
        let limit = if back { Limit::of(limit) } else { Limit::unless(limit, &interrupt::is_requested) };
        service::act(service, action, limit)
    }

    fn probe(&self, check: &Check, scene: &ProbeContext) -> Outcome {
        debug_assert!(check.probe != Probe::Service, "a service is observed, not probed");
        interruptible(check, scene)
    }

    fn read(&self, source: &Probe, scene: &ProbeContext) -> Result<String, ProbeError> {
        crate::probe::read(source, scene, READING)
    }

    fn run(&self, argv: &[String], limit: Duration) -> Result<(), ActionError> {
        service::run(argv, limit)
    }

    fn holdings(&self, service: &Service) -> OwnedResources {
        OwnedResources::of(&service::glance(service, None))
    }

    fn wait(&self, held: &OwnedResources, limit: Duration) -> Result<(), ActionError> {
        service::wait_until_gone(held, limit)
    }

    fn mark(&self, files: &[String]) -> Mark {
        Mark::at(self.now_ms(), files)
    }

    fn logged(&self, scene: &ProbeContext) -> String {
        let of_file = |file: &String| scene.since.as_ref()?.since(Path::new(file)).ok();
        scene.service.log.iter().filter_map(of_file).collect::<Vec<_>>().join("\n")
    }

    fn logged_before(&self, scene: &ProbeContext) -> String {
        let of_file = |file: &String| scene.since.as_ref()?.before(Path::new(file)).ok();
        scene.service.log.iter().filter_map(of_file).collect::<Vec<_>>().join("\n")
    }

    fn logs_since(&self, service: &Service, since: &Mark, until_ms: Option<i64>) -> Vec<LogLine> {
        service::logs_since(service, since, until_ms)
    }

    fn was_asked(&self, service: &Service, since_ms: i64) -> Option<bool> {
        service::was_asked(service, since_ms)
    }

    fn now_ms(&self) -> i64 {
        jiff::Timestamp::now().as_millisecond()
    }

    fn uptime(&self) -> Duration {
        self.begun.elapsed()
    }

    fn sleep(&self, time: Duration) {
        std::thread::sleep(time);
    }

    fn interrupted(&self) -> bool {
        interrupt::is_requested()
    }

    fn log_change(&self, report: &Report, number: u32) {
        crate::host_log::write(report, number);
    }

    fn is_watched(&self) -> bool {
        self.watched.load(Ordering::Relaxed)
    }

    fn tell(&self, state: &State, report: &Report, number: u32) -> Vec<String> {
        crate::tell::tell(state, report, number)
    }

    fn guard(&self, state: &State, daemon: &str) {
        if let Err(error) = crate::guardian::stand_by(state.root(), daemon) {
            tracing::warn!(%error, "the second guardian could not be started");
        }
    }

    fn watch_on(&self, state: &State, entry: &Entry, plan: &Plan) -> Vec<String> {
        let begin = |planned: &PlannedWatch| {
            let mut watch = Watch::new(entry, plan, planned, self.now_ms());
            match watching::begin(state, &mut watch) {
                Ok(()) => format!("watch {} looks on: {}", watch.number, watch.check.name),
                Err(error) => format!("{} is not watched on: {error}", planned.check.name),
            }
        };
        plan.watches.iter().map(begin).collect()
    }

    fn note_progress(&self, healthy: usize, of: usize) {
        self.progress.set(healthy, of);
    }

    fn take_interrupt(&self) -> bool {
        interrupt::take()
    }

    fn is_sent_away(&self) -> bool {
        self.sent_away.load(Ordering::Relaxed)
    }
}

/// How often somebody who waits for a probe looks whether the person wants out.
const LOOK_UP: Duration = Duration::from_millis(20);

/// One try of a check, which is left to itself where the person wants out: no probe changes anything.
fn interruptible(check: &Check, scene: &ProbeContext) -> Outcome {
    let (tell, told) = std::sync::mpsc::channel();
    let (its_check, its_scene) = (check.clone(), scene.clone());
    let started = std::thread::Builder::new().spawn(move || {
        // Nobody may listen any more.
        let _ = tell.send(crate::probe::probe(&its_check, &its_scene));
    });
    if started.is_err() {
        // Without a thread it is tried here, and cannot be left.
        return crate::probe::probe(check, scene);
    }
    let begun = Instant::now();
    loop {
        match told.recv_timeout(LOOK_UP) {
            Ok(outcome) => return outcome,
            Err(RecvTimeoutError::Timeout)
                if !interrupt::is_requested() && !scene.abandoned.load(Ordering::Relaxed) => {}
            Err(error) => {
                let is_left = error == RecvTimeoutError::Timeout && !interrupt::is_requested();
                let said = match error {
                    RecvTimeoutError::Timeout if interrupt::is_requested() => "it was interrupted",
                    RecvTimeoutError::Timeout => "no answer until something else was unhealthy",
                    RecvTimeoutError::Disconnected => "the check itself failed",
                };
                let ms = u64::try_from(begun.elapsed().as_millis()).unwrap_or(u64::MAX);
                let (name, said) = (check.name.clone(), said.into());
                return Outcome { name, said, ms, is_left, ..Outcome::default() };
            }
        }
    }
}
