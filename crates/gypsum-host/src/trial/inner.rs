//! The first process of a trial. When it ends, all others do.

use super::checks;
use super::lines::Heard;
use super::processes;
use super::spec::TrialSpec;
use super::start::Starter;
use super::{account, mounts, runtime};
use crate::sockets::listening;
use gypsum_core::trial::{Got, Start, TrialRun};
use rustix::process::{Signal, set_parent_process_death_signal};
use std::io;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

/// How often the memory is looked at.
const LOOK: Duration = Duration::from_millis(10);

/// Makes the folders, starts the daemon, asks as clients do, and reports on standard output.
///
/// # Errors
///
/// If the trial cannot be made. What the daemon does is no error.
pub fn enter() -> io::Result<i32> {
    set_parent_process_death_signal(Some(Signal::KILL))?;
    let spec = TrialSpec::of_input()?;
    mounts::arrange(&spec)?;
    let account = account::of(&spec.unit)?;
    runtime::make_folders(&spec.unit.folders, account.as_ref())?;
    let credentials = runtime::hand_over(&spec.unit.credentials, account.as_ref())?;
    let heard = Heard::begin()?;
    let report = Report {
        spec: &spec,
        heard: &heard,
        begun: Instant::now(),
        is_told: Mutex::default(),
        is_over: AtomicBool::default(),
    };
    let done = std::thread::scope(|scope| {
        std::thread::Builder::new().spawn_scoped(scope, || report.end_if_too_large())?;
        let done = Starter::new(&spec, &heard, account, credentials).and_then(|starter| report.of(starter));
        report.is_over.store(true, Ordering::Relaxed);
        done
    });
    done.map(|()| 0)
}

/// The one report of a trial.
struct Report<'a> {
    spec: &'a TrialSpec,
    heard: &'a Heard,
    begun: Instant,
    is_told: Mutex<bool>,
    is_over: AtomicBool,
}

impl Report<'_> {
    /// Starts the daemon, asks, and tells.
    fn of(&self, mut starter: Starter<'_>) -> io::Result<()> {
        let start = starter.start()?;
        if !start.is_ready() {
            return self.tell(start, Vec::new(), false);
        }
        let got = checks::ask(self.spec, || starter.is_alive());
        self.tell(start, got, !starter.is_alive())
    }

    /// Ends the trial once its processes hold more memory than they may.
    fn end_if_too_large(&self) {
        while !self.is_over.load(Ordering::Relaxed) {
            std::thread::sleep(LOOK);
            let memory: u64 = processes::all().iter().map(|one| one.memory).sum();
            if memory > self.spec.memory {
                let told = self.tell(Start::TooLarge, Vec::new(), false);
                std::process::exit(i32::from(told.is_err()));
            }
        }
    }

    /// Prints it, if that was not done yet.
    fn tell(&self, start: Start, got: Vec<Got>, has_died: bool) -> io::Result<()> {
        let mut is_told = self.is_told.lock().unwrap_or_else(PoisonError::into_inner);
        if *is_told {
            return Ok(());
        }
        *is_told = true;
        let both = [false, true].into_iter();
        let all = both.flat_map(|udp| listening(udp).into_iter().map(move |one| (udp, one.address)));
        let run = TrialRun {
            start,
            has_died,
            got,
            listening: all.filter(|(_, at)| !self.spec.is_stood_in_for(at)).collect(),
            said: self.heard.all(),
            ms: u64::try_from(self.begun.elapsed().as_millis()).unwrap_or(u64::MAX),
        };
        Ok(serde_json::to_writer(io::stdout().lock(), &run)?)
    }
}
