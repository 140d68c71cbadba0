//! OpenRC, through `rc-service`.
//!
//! What we believe of it (0.45): status 0 says started and 3 stopped; a daemon that was killed may stay "started", so
//! its process is looked at; then `zap` comes before a start.

use super::manager::{ServiceManager, Units};
use super::{Acted, ServiceAction, proc, script, tell, with_logs};
use crate::children::{self, Limit};
use crate::error::Error;
use gypsum_core::profile::{Service, ServiceManagerKind};
use gypsum_core::service::{Observation, Process, State};
use std::fs;

const TOOL: &str = "rc-service";

/// OpenRC.
pub struct Openrc;

impl ServiceManager for Openrc {
    fn resolve(&self, service: &Service) -> Result<(Service, Observation), Error> {
        script::resolve(self, ServiceManagerKind::Openrc, service)
    }

    fn observe(&self, service: &Service) -> Observation {
        let name = service.name();
        let words = [TOOL, name, "status"].map(str::to_owned);
        let Ok(ran) = children::run(&words, super::ASKING) else {
            return Observation::only(State::Unreachable);
        };
        let main = main(name, service);
        let state = match ran.status {
            _ if ran.timed_out => State::Unreachable,
            // Started, and its process is gone.
            Some(0) if main.is_none() && knows_process(name, service) => State::Failed,
            Some(0) => State::Running,
            Some(3) => State::Stopped,
            Some(4 | 8 | 16) => State::Starting,
            Some(32 | 64) => State::Failed,
            _ => State::Unreachable,
        };
        Observation { main, can_reload: script::knows(name, "reload"), ..Observation::only(state) }
    }

    fn by_hand(&self, service: &Service) -> String {
        with_logs(format!("rc-service {} status", service.name()), service)
    }

    fn act(&self, service: &Service, action: ServiceAction, limit: Limit<'_>) -> Acted {
        let name = service.name();
        if action.starts() && self.observe(service).state == State::Failed {
            // It still counts as started: without this a start does nothing. What follows tells how it went.
            let _ = tell(&[TOOL, name, "zap"], limit.time);
            return tell(&[TOOL, name, "start"], limit.time);
        }
        tell(&[TOOL, name, action.word()], limit.time)
    }

    fn units(&self) -> Option<&dyn Units> {
        None
    }
}

fn options(name: &str) -> String {
    format!("/run/openrc/options/{name}")
}

/// Its process: under a supervisor that of the child, else that of its pid file.
fn main(name: &str, service: &Service) -> Option<Process> {
    let child = fs::read_to_string(format!("{}/child_pid", options(name))).ok();
    child
        .and_then(|pid| proc::process(pid.trim().parse().ok()?))
        .or_else(|| script::of_pid_file(name, service))
}

fn knows_process(name: &str, service: &Service) -> bool {
    fs::metadata(format!("{}/child_pid", options(name))).is_ok() || script::pid_file(name, service).is_some()
}
