//! A plain process: a command starts it, a pid file names it, signals tell it things.

use super::manager::{ServiceManager, Units};
use super::{Acted, ActionError, ServiceAction, named_signal, proc, send, with_logs};
use crate::children::{self, Limit};
use crate::error::Error;
use gypsum_core::profile::{Plain, Service, Stop};
use gypsum_core::service::{Observation, Process, State};
use rustix::process::Signal;
use std::path::Path;
use std::time::{Duration, Instant};

/// No manager: the process of a pid file, or nothing that is known of.
pub struct NoManager;

impl ServiceManager for NoManager {
    fn resolve(&self, service: &Service) -> Result<(Service, Observation), Error> {
        Ok((service.clone(), self.observe(service)))
    }

    fn observe(&self, service: &Service) -> Observation {
        let Some(plain) = &service.plain else { return Observation::only(State::Missing) };
        let main = named(plain);
        Observation {
            main,
            can_reload: plain.reload_signal.is_some(),
            ..Observation::only(if main.is_some() { State::Running } else { State::Stopped })
        }
    }

    fn by_hand(&self, service: &Service) -> String {
        let status = match &service.plain {
            Some(plain) => format!("ps -p \"$(cat {})\"", plain.pid_file),
            None => "see why the daemon does not start".into(),
        };
        with_logs(status, service)
    }

    fn act(&self, service: &Service, action: ServiceAction, limit: Limit<'_>) -> Acted {
        let (begun, limit) = (Instant::now(), limit.time);
        let done = service.plain.as_ref().map_or(Ok(()), |plain| match action {
            ServiceAction::Reload => reload(plain),
            ServiceAction::Stop => stop(plain, limit),
            ServiceAction::Start => start(plain, limit),
            ServiceAction::Signal | ServiceAction::Command | ServiceAction::Reread => {
                Err(ActionError::Unsupported("do that"))
            }
            ServiceAction::Restart => stop(plain, limit).and_then(|()| start(plain, limit)),
        });
        Acted::since(begun, done)
    }

    fn units(&self) -> Option<&dyn Units> {
        None
    }
}

fn named(plain: &Plain) -> Option<Process> {
    proc::of_pid_file(Path::new(&plain.pid_file))
}

fn reload(plain: &Plain) -> Result<(), ActionError> {
    let signal = plain
        .reload_signal
        .as_deref()
        .ok_or(ActionError::Unsupported("reload: its profile names no signal for that"))?;
    let signal = named_signal(signal)?;
    let main = named(plain).ok_or(ActionError::NoMainProcess)?;
    send(main, signal)
}

fn stop(plain: &Plain, limit: Duration) -> Result<(), ActionError> {
    let Some(main) = named(plain) else {
        return Ok(());
    };
    send(
        main,
        match plain.stop {
            Stop::Term => Signal::TERM,
            Stop::Int => Signal::INT,
            Stop::Quit => Signal::QUIT,
        },
    )?;
    let deadline = Instant::now() + limit;
    while proc::process(main.pid) == Some(main) {
        if Instant::now() > deadline {
            // Never killed: it may be writing its data.
            return Err(ActionError::TimedOut { what: format!("process {}", main.pid), limit });
        }
        std::thread::sleep(Duration::from_millis(3));
    }
    Ok(())
}

fn start(plain: &Plain, limit: Duration) -> Result<(), ActionError> {
    if let Some(main) = named(plain) {
        return Err(ActionError::AlreadyRuns(main.pid));
    }
    let ran = children::run_sparing(&plain.start, Limit::of(limit))
        .map_err(|source| ActionError::NotRun { program: plain.start.join(" "), source })?;
    if ran.ok() {
        return Ok(());
    }
    Err(match ran.status {
        _ if ran.timed_out => ActionError::TimedOut { what: plain.start.join(" "), limit },
        Some(status) => {
            ActionError::Failed(format!("start ended with status {status}: {}", ran.last_words()))
        }
        None => ActionError::Failed(format!("start was ended by a signal: {}", ran.last_words())),
    })
}
