//! What looks again and again: a transient timer of systemd, or a process of its own.

use super::ENTRY;
use super::record::{Watch, all};
use crate::children;
use crate::error::Error;
use crate::guardian;
use crate::state::State;
use std::ffi::OsStr;
use std::path::Path;
use std::time::Duration;

/// How long the service manager may take to stop one.
const LIMIT: Duration = Duration::from_secs(10);

/// Starts it. A timer that is there already goes on.
pub(super) fn start(state: &State, watch: &Watch) -> Result<(), Error> {
    let number = watch.number.to_string();
    let unit = format!("gypsum-watch-{number}");
    let about = format!("gypsum: watches {} after change {}", watch.daemon, watch.change);
    let seconds = watch.every_ms.div_ceil(1_000);
    let timer = [
        format!("--on-active={seconds}"),
        format!("--on-unit-active={seconds}"),
        "--timer-property=AccuracySec=1s".into(),
    ];
    let words = |how: &'static str| {
        [OsStr::new(ENTRY), OsStr::new(how), state.root().as_os_str(), OsStr::new(&number)]
    };
    guardian::start(&unit, &about, &timer, &words("look"), &words("stay")).map_err(|error| {
        Error::cannot(format!("watch {number} cannot be started: {}", crate::error::plain(&error)))
    })
}

/// Stops the timer of the watch of this number, where there is one.
pub fn stop(number: u32) {
    if !Path::new("/run/systemd/system").is_dir() {
        return;
    }
    let argv = ["systemctl".to_owned(), "stop".into(), format!("gypsum-watch-{number}.timer")];
    if let Err(error) = children::run(&argv, LIMIT) {
        tracing::debug!(%error, "a timer is not stopped");
    }
}

/// Starts all that have not failed, when the host has started; what cannot be started is printed.
///
/// # Errors
///
/// If the watches cannot be read.
pub fn start_all(state: &State) -> Result<(), Error> {
    for watch in all(state)?.iter().filter(|watch| watch.failed.is_none()) {
        if let Err(error) = start(state, watch) {
            eprintln!("gypsum: {error}");
        }
    }
    Ok(())
}
