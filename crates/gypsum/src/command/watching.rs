//! `gypsum health --watching` and `--stop`, and what the timers of watches run.

use super::Context;
use crate::target::NoTarget;
use crate::view::wrapped;
use gypsum_core::exit_status::ExitStatus;
use gypsum_host::error::Error;
use gypsum_host::local_zone::local_zone;
use gypsum_host::state::State;
use gypsum_host::watching::{Watch, all, end, look, stay, stop as stop_timer};
use serde_json::{Value, json};
use std::path::Path;

/// Lists what is watched on, of one daemon or of all.
pub fn list(context: &Context, daemon: Option<&str>) -> Result<ExitStatus, NoTarget> {
    let mut watches = all(&context.state)?;
    watches.retain(|watch| daemon.is_none_or(|daemon| watch.daemon == daemon));
    let has_failed = watches.iter().any(|watch| watch.failed.is_some());
    let status = if has_failed { ExitStatus::Refused } else { ExitStatus::Success };
    context.answer(status, json!({ "watches": watches.iter().map(document).collect::<Vec<_>>() }));
    if watches.is_empty() {
        context.say_unless_json("Nothing is watched on.");
    }
    for watch in &watches {
        let seen = match (&watch.failed, &watch.last) {
            (Some(why), _) => format!("failed: {why}"),
            (None, Some((at, said))) => format!("{said}, at {}", time(*at)),
            (None, None) => "not looked at yet".to_owned(),
        };
        let (number, daemon, change) = (watch.number, &watch.daemon, watch.change);
        let line = format!(
            "{number}  {daemon}: {}, until {}, after change {change}: {seen}",
            watch.check.name,
            time(watch.until_ms)
        );
        wrapped(&line, context.out.width).iter().for_each(|line| context.say_unless_json(line));
    }
    Ok(status)
}

fn time(ms: i64) -> String {
    let time = jiff::Timestamp::from_millisecond(ms).unwrap_or_default();
    time.to_zoned(local_zone()).strftime("%Y-%m-%d %H:%M:%S %Z").to_string()
}

fn document(watch: &Watch) -> Value {
    let time = |ms: i64| jiff::Timestamp::from_millisecond(ms).map(|time| time.to_string()).ok();
    json!({
        "number": watch.number,
        "daemon": watch.daemon,
        "change": watch.change,
        "check": watch.check.name,
        "until": time(watch.until_ms),
        "looked": watch.last.as_ref().map(|(at, _)| time(*at)),
        "said": watch.last.as_ref().map(|(_, said)| said),
        "failed": watch.failed,
        "restores": watch.restores,
    })
}

/// Ends one.
pub fn stop(context: &Context, number: u32) -> Result<ExitStatus, NoTarget> {
    if !end(&context.state, number)? {
        let error = Error::usage(format!("there is no watch {number}"));
        return Err(error.help("gypsum health --watching lists what there is").into());
    }
    stop_timer(number);
    context.answer(ExitStatus::Success, json!({ "stopped": number }));
    context.say_unless_json(&format!("Watch {number} has ended."));
    Ok(ExitStatus::Success)
}

/// What a timer runs: one look, or look after look; the exit status of the process.
pub fn enter(how: &str, root: &Path, number: &str) -> u8 {
    let run = || {
        let state = State::at(Some(root))?;
        let number: u32 =
            number.parse().map_err(|_| Error::usage(format!("{number:?} is not the number of a watch")))?;
        let has_ended = match how {
            "stay" => stay(&state, number).map(|()| true)?,
            _ => look(&state, number)?.is_none(),
        };
        if has_ended {
            stop_timer(number);
        }
        Ok::<(), Error>(())
    };
    match run() {
        Ok(()) => 0,
        Err(error) => {
            eprintln!("gypsum: {error}");
            error.status().code()
        }
    }
}
