//! Looking, at a world that is made up: what decides, and what is waited for.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, missing_docs)]

use gypsum_core::health::{Judgement, Outcome};
use gypsum_core::log::LogLine;
use gypsum_core::probe::{Check, Probe};
use gypsum_core::profile::{Activation, Service};
use gypsum_core::report::Report;
use gypsum_core::service::{Observation, Process, State};
use gypsum_host::disk::{Disk, RealDisk};
use gypsum_host::health::HealthRun;
use gypsum_host::logs::Mark;
use gypsum_host::probe::{ProbeContext, ProbeError};
use gypsum_host::service::{Acted, ActionError, OwnedResources, ServiceAction};
use gypsum_host::world::World;
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::Duration;

/// A service that goes on, checks that hold as their names say, and a log.
#[derive(Default)]
struct Quay {
    log: &'static str,
    asked: AtomicU32,
}

fn running(pid: u32) -> Observation {
    Observation { main: Some(Process { pid, started: 7 }), ..Observation::only(State::Running) }
}

impl World for Quay {
    fn disk(&self) -> &dyn Disk {
        &RealDisk
    }
    fn observe(&self, _: &Service) -> Observation {
        running(2)
    }
    fn act(&self, _: &Service, _: ServiceAction, _: Duration, _: bool) -> Acted {
        unreachable!("nothing is told")
    }
    fn probe(&self, check: &Check, _: &ProbeContext) -> Outcome {
        let asked = self.asked.fetch_add(1, Ordering::Relaxed);
        // One holds at first, and then not any more.
        let healthy = check.name == "holds" || check.name == "held" && asked == 0;
        Outcome { name: check.name.clone(), healthy, said: String::new(), ms: 0, ..Outcome::default() }
    }
    fn read(&self, _: &Probe, _: &ProbeContext) -> Result<String, ProbeError> {
        unreachable!("nothing is read")
    }
    fn run(&self, _: &[String], _: Duration) -> Result<(), ActionError> {
        unreachable!("nothing is run")
    }
    fn observe_again(&self, service: &Service, _: &Observation) -> Observation {
        self.observe(service)
    }
    fn glance(&self, service: &Service, _: &Observation) -> Observation {
        self.observe(service)
    }
    fn is_accepting(&self, _: &[Process]) -> bool {
        false
    }
    fn active_units(&self, _: &Service, _: &[String]) -> Vec<String> {
        unreachable!("it has no other units")
    }
    fn holdings(&self, _: &Service) -> OwnedResources {
        unreachable!("nothing is stopped")
    }
    fn wait(&self, _: &OwnedResources, _: Duration) -> Result<(), ActionError> {
        unreachable!("nothing is stopped")
    }
    fn mark(&self, _: &[String]) -> Mark {
        unreachable!("no log is marked")
    }
    fn logged(&self, _: &ProbeContext) -> String {
        self.log.to_owned()
    }
    fn logged_before(&self, _: &ProbeContext) -> String {
        String::new()
    }

    fn logs_since(&self, _: &Service, _: &Mark, _: Option<i64>) -> Vec<LogLine> {
        unreachable!("the manager keeps no log")
    }
    fn was_asked(&self, _: &Service, _: i64) -> Option<bool> {
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
    fn uptime(&self) -> Duration {
        Duration::from_millis(u64::try_from(self.now_ms()).unwrap())
    }
    fn now_ms(&self) -> i64 {
        jiff::Timestamp::now().as_millisecond()
    }
    fn sleep(&self, time: Duration) {
        std::thread::sleep(time);
    }
    fn interrupted(&self) -> bool {
        false
    }
}

fn check(name: &str, patience_ms: u64, steady_ms: u64) -> Check {
    let check = Check::of_unit(name);
    Check { patience_ms, steady_ms: Some(steady_ms), ..check }
}

fn outcome(name: &str, healthy: bool) -> Outcome {
    Outcome { name: name.into(), healthy, said: String::new(), ms: 0, ..Outcome::default() }
}

/// Looks after a restart: the judgement, and what each check said.
fn looked(world: &Quay, checks: &[Check], baseline: &[Outcome], back: bool) -> (Judgement, Vec<Outcome>) {
    let service = Service { failed: vec!["cannot".into()], ..Service::default() };
    let (scene, before) = (ProbeContext::default(), running(1));
    let look = HealthRun {
        before: Some(&before),
        activation: Activation::Restart,
        back,
        ..HealthRun::at(world, &service, checks, &scene)
    };
    let (outcomes, judgement) = look.carefully(baseline);
    (judgement, outcomes)
}

#[test]
fn one_check_that_got_worse_ends_the_waiting_of_all() {
    let checks = [Check::of_service("boards"), check("fails", 30, 0), check("late", 60_000, 0)];
    let healthy = [outcome("boards", true), outcome("fails", true), outcome("late", true)];
    let (judgement, outcomes) = looked(&Quay::default(), &checks, &healthy, false);
    assert_eq!(judgement, Judgement::Worse);
    assert!(outcomes[2].ms < 30_000, "it was not waited for: {outcomes:?}");
    // One that failed before decides nothing: what is new has its time, and is worse.
    let unhealthy = [outcome("boards", true), outcome("fails", false)];
    let checks = [Check::of_service("boards"), check("fails", 10, 0), check("late", 400, 0)];
    let (judgement, outcomes) = looked(&Quay::default(), &checks, &unhealthy, false);
    assert_eq!(judgement, Judgement::Worse);
    assert!(outcomes[2].ms >= 400, "it had its time: {outcomes:?}");
    let (judgement, _) = looked(&Quay::default(), &checks[..2], &unhealthy, false);
    assert_eq!(judgement, Judgement::AsBefore);
}

#[test]
fn what_its_log_says_decides_on_the_way_there_and_not_on_the_way_back() {
    let world = Quay { log: "it starts\nit cannot bind\n", ..Quay::default() };
    let checks = [Check::of_service("boards"), check("holds", 60_000, 0)];
    let (judgement, outcomes) = looked(&world, &checks, &[], false);
    assert_eq!(judgement, Judgement::Worse);
    assert_eq!(outcomes[0].said, "its log says: it cannot bind");
    // What is still said there is of the configuration that did not work.
    assert_eq!(looked(&world, &checks, &[], true).0, Judgement::Healthy);
    // It ends the waiting, too.
    let checks = [Check::of_service("boards"), check("late", 60_000, 0)];
    let (judgement, outcomes) = looked(&world, &checks, &[], false);
    assert_eq!(judgement, Judgement::Worse);
    assert!(outcomes[1].ms < 30_000, "{outcomes:?}");
}

#[test]
fn each_check_is_asked_once_more_when_its_own_time_is_over() {
    let checks = |steady| [Check::of_service("boards"), check("held", 0, steady)];
    assert_eq!(looked(&Quay::default(), &checks(150), &[], false).0, Judgement::Worse);
    // Without a time nobody asks again.
    assert_eq!(looked(&Quay::default(), &checks(0), &[], false).0, Judgement::Healthy);
}
