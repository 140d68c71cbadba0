//! A plain process: a command starts it, a pid file names it, signals tell it things.

use super::{Acted, Deed, proc};
use crate::children;
use gypsum_core::profile::{Plain, Stop};
use gypsum_core::service::{Observation, Process, State};
use rustix::process::{Pid, Signal, kill_process};
use std::fs;
use std::os::unix::fs::MetadataExt;
use std::time::{Duration, Instant};

pub fn observe(plain: &Plain) -> Observation {
    let main = named(plain);
    Observation {
        main,
        can_reload: plain.reload_signal.is_some(),
        ..Observation::only(if main.is_some() { State::Running } else { State::Stopped })
    }
}

/// The process that the pid file names. A number that was given to another process since the file
/// was written means that ours has ended.
fn named(plain: &Plain) -> Option<Process> {
    let pid = fs::read_to_string(&plain.pid_file).ok()?.trim().parse().ok()?;
    let process = proc::process(pid)?;
    let written = fs::metadata(&plain.pid_file).ok()?.mtime();
    let started = i64::try_from(proc::started_at(process)?).ok()?;
    (started <= written + 2).then_some(process)
}

pub fn act(plain: &Plain, deed: Deed, limit: Duration) -> Acted {
    let begun = Instant::now();
    let result = match deed {
        Deed::Reload => reload(plain),
        Deed::Stop => stop(plain, limit),
        Deed::Start => start(plain, limit),
        Deed::Restart => stop(plain, limit).and_then(|()| start(plain, limit)),
    };
    Acted { ok: result.is_ok(), said: result.err().unwrap_or_default(), took: begun.elapsed() }
}

fn reload(plain: &Plain) -> Result<(), String> {
    let signal = match plain.reload_signal.as_deref() {
        Some("HUP") => Signal::HUP,
        Some("USR1") => Signal::USR1,
        Some("USR2") => Signal::USR2,
        Some(other) => return Err(format!("{other} is no signal that a profile may send (HUP, USR1, USR2)")),
        None => return Err("it cannot be told to read its configuration again".into()),
    };
    let main = named(plain).ok_or("it does not run")?;
    send(main, signal)
}

fn stop(plain: &Plain, limit: Duration) -> Result<(), String> {
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
            return Err(format!("process {} did not end within {}s", main.pid, limit.as_secs()));
        }
        std::thread::sleep(Duration::from_millis(3));
    }
    Ok(())
}

fn start(plain: &Plain, limit: Duration) -> Result<(), String> {
    if let Some(main) = named(plain) {
        return Err(format!("it runs already, as process {}", main.pid));
    }
    let ran =
        children::run(&plain.start, limit).map_err(|error| format!("{}: {error}", plain.start.join(" ")))?;
    if ran.ok() {
        return Ok(());
    }
    Err(match ran.status {
        _ if ran.timed_out => format!("it did not start within {}s", limit.as_secs()),
        Some(status) => format!("start ended with status {status}: {}", ran.last_words()),
        None => format!("start was ended by a signal: {}", ran.last_words()),
    })
}

fn send(process: Process, signal: Signal) -> Result<(), String> {
    let pid = i32::try_from(process.pid).ok().and_then(Pid::from_raw).ok_or("no such process")?;
    kill_process(pid, signal).map_err(|error| format!("process {} cannot be signalled: {error}", process.pid))
}
