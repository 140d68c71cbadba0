//! `gypsum diff DAEMON --running`: what the running daemon has and its files have not, and the other way round.

use super::{Context, world};
use crate::out::{BOLD, DIM};
use crate::target::NoTarget;
use crate::view::{columns, styled, when, wrapped};
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::profile::Profile;
use gypsum_host::disk::RealDisk;
use gypsum_host::files::load;
use gypsum_host::running::{Running, compare};
use serde_json::json;

pub fn run(context: &Context, profile: &Profile) -> Result<ExitStatus, NoTarget> {
    let loading = load(profile, None)?;
    let world = world()?;
    let running = compare(&world, &RealDisk, &context.state, profile, &loading)?;
    let status = match running.settings.is_empty() && running.unread.is_empty() {
        true => ExitStatus::Success,
        false => ExitStatus::Refused,
    };
    context.answer(status, json!({ "daemon": profile.daemon, "running": running }));
    if !context.out.json {
        lines(profile, &running, context.out.width).iter().for_each(|line| context.out.print(line));
    }
    Ok(status)
}

fn lines(profile: &Profile, running: &Running, width: usize) -> Vec<String> {
    let daemon = &profile.daemon;
    let mut out = Vec::new();
    match running.since_ms {
        Some(since) => out.push(format!("{daemon} runs with what it read at {}", when(since))),
        None => out.push(format!("when {daemon} read its files is not known")),
    }
    for one in &running.unread {
        out.push(styled(BOLD, &one.file));
        out.extend(wrapped(
            &format!("  was written after that ({}): what is new in it does not run", one.by),
            width,
        ));
    }
    let rows: Vec<Vec<String>> = running
        .settings
        .iter()
        .map(|one| {
            let files = match (&one.files, one.is_set) {
                (Some(value), true) => format!("{value} in its files"),
                (Some(value), false) => format!("in no file; the default is {value}"),
                (None, _) => "in no file".to_owned(),
            };
            vec![format!("  {}", one.name), one.running.clone(), format!("({files})")]
        })
        .collect();
    if !rows.is_empty() {
        out.push(styled(BOLD, "runs with another value than its files have"));
        out.extend(columns(&rows, &[34, 30, 200]));
    }
    let told = match (running.tells, running.told) {
        (false, _) => {
            format!("{daemon} does not tell the values that it runs with, so only its files were compared")
        }
        (true, told) => format!("{told} settings were asked of the running {daemon}"),
    };
    out.extend(wrapped(&told, width).into_iter().map(|line| styled(DIM, &line)));
    if running.settings.is_empty() && running.unread.is_empty() {
        out.push("nothing differs".to_owned());
    }
    out
}
