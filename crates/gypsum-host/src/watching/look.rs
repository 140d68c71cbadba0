//! One look at what is watched, and what follows from it.

use super::record::{Watch, path_of, read};
use crate::children;
use crate::disk::RealDisk;
use crate::error::Error;
use crate::host_log;
use crate::probe::{ProbeContext, probe};
use crate::service::observe;
use crate::state::State;
use crate::tell;
use gypsum_core::health::Outcome;
use gypsum_core::probe::Probe;
use std::time::Duration;

/// A check that failed is tried once more after this time: something may have been busy.
const AGAIN: Duration = Duration::from_secs(3);
/// How long the change may take to be taken back.
const RESTORE: Duration = Duration::from_secs(900);

/// Looks again and again until it has ended: for hosts without timers.
///
/// # Errors
///
/// If its record cannot be read or written.
pub fn stay(state: &State, number: u32) -> Result<(), Error> {
    while let Some(watch) = look(state, number)? {
        std::thread::sleep(Duration::from_millis(watch.every_ms));
    }
    Ok(())
}

/// Looks once; what is to be looked at again, none once it has ended, or failed.
///
/// # Errors
///
/// If its record cannot be read or written.
pub fn look(state: &State, number: u32) -> Result<Option<Watch>, Error> {
    let path = path_of(state, number);
    let Some(mut watch) = read(&path)?.filter(|watch| watch.failed.is_none()) else { return Ok(None) };
    let now = || jiff::Timestamp::now().as_millisecond();
    if now() >= watch.until_ms {
        super::end(state, number)?;
        return Ok(None);
    }
    let mut outcome = once(&watch);
    // What cannot be seen counts as healthy.
    if !outcome.healthy {
        std::thread::sleep(AGAIN);
        outcome = once(&watch);
    }
    // Who ended it meanwhile does not want it back.
    if !path.exists() {
        return Ok(None);
    }
    watch.last = Some((now(), outcome.said.clone()));
    watch.failed = (!outcome.healthy).then(|| outcome.said.clone());
    watch.write(state)?;
    if outcome.healthy {
        return Ok(Some(watch));
    }
    let failed = |error: Error| format!("; change {} could not be taken back: {error}", watch.change);
    let then = if watch.restores { take_back(state, &watch).unwrap_or_else(failed) } else { String::new() };
    let message = format!(
        "{}: {} is unhealthy: {} (watched since change {} by {}; gypsum changes {} {}){then}",
        watch.daemon, outcome.name, outcome.said, watch.change, watch.who, watch.daemon, watch.change
    );
    host_log::write_watch(&watch.daemon, watch.change, &watch.who, &message);
    for failed in tell::tell_watch(state, &watch.daemon, watch.change, number, &message) {
        eprintln!("gypsum: {failed}");
    }
    Ok(None)
}

fn once(watch: &Watch) -> Outcome {
    let scene = ProbeContext { service: watch.service.clone(), ..ProbeContext::default() };
    if watch.check.probe != Probe::Service {
        return probe(&watch.check, &scene);
    }
    let state = observe(&watch.service).state;
    Outcome {
        name: watch.check.name.clone(),
        healthy: state.is_up(),
        said: state.words().to_owned(),
        ..Outcome::default()
    }
}

/// Takes the change back, unless a later one was made; what came of it, for the message.
fn take_back(state: &State, watch: &Watch) -> Result<String, Error> {
    let newest = state.newest(&RealDisk, &watch.daemon)?.highest();
    if newest != watch.change {
        return Ok(format!("; not restored: change {newest} was made later"));
    }
    // This program, also where its file was replaced meanwhile.
    let mut argv = vec![
        "/proc/self/exe".to_owned(),
        "restore".into(),
        watch.daemon.clone(),
        watch.change.to_string(),
        "--quiet".into(),
        "--yes".into(),
        format!("--why=what was watched after change {} failed", watch.change),
        "--state".into(),
        state.root().display().to_string(),
    ];
    argv.extend_from_slice(&watch.target);
    let ran = children::run(&argv, RESTORE).map_err(Error::because)?;
    Ok(match ran.ok() {
        true => format!("; change {} is taken back", watch.change),
        false => format!("; change {} could not be taken back: {}", watch.change, ran.last_words()),
    })
}
