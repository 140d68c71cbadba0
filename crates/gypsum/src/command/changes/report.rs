//! `gypsum changes DAEMON N --report FILE`: one change as a page, or as text for a ticket.

use super::Context;
use crate::args::{ChangesArgs, Target};
use crate::page::{Page, html, markdown};
use crate::target::{NoTarget, profile_of};
use gypsum_core::exit_status::ExitStatus;
use gypsum_host::disk::RealDisk;
use gypsum_host::error::Error;
use gypsum_host::state::Entry;
use serde_json::json;
use std::fs::OpenOptions;
use std::io::Write;
use std::os::unix::fs::OpenOptionsExt;
use std::path::Path;

pub fn run(
    context: &Context,
    asked: &ChangesArgs,
    entry: &Entry,
    file: &Path,
) -> Result<ExitStatus, NoTarget> {
    let daemon = asked.daemon.as_deref().unwrap_or_default();
    let draw = match file.extension().and_then(|end| end.to_str()) {
        Some("html" | "htm") => html,
        Some("md") => markdown,
        _ => {
            let error = Error::usage(format!(
                "--report {}: the name ends neither in .html nor in .md",
                file.display()
            ));
            return Err(error.help("for example: --report change.html").into());
        }
    };
    let report = entry.report(&RealDisk).ok_or_else(|| {
        Error::cannot(format!("change {} of {daemon} has no record that can be read", entry.number))
            .help(format!("what is known of it: gypsum changes {daemon} {}", entry.number))
    })?;
    // A daemon that was only named has no profile, and its changes are told all the same.
    let target = Target { profile: asked.profile.clone(), ..Target::named(daemon) };
    let profile = match profile_of(context, &target) {
        Ok(profile) => Some(profile),
        Err(_) if asked.profile.is_none() => None,
        Err(why) => return Err(why),
    };
    let text = draw(&Page::of(daemon, entry, profile.as_ref(), report));
    let written = OpenOptions::new().write(true).create(true).truncate(true).mode(0o640).open(file).and_then(
        |mut open| {
            open.write_all(text.as_bytes())?;
            open.sync_all()
        },
    );
    written.map_err(|error| Error::file("write", file, error))?;
    context.say_unless_json(&format!("written to {}", file.display()));
    context.answer(ExitStatus::Success, json!({ "daemon": daemon, "report": file }));
    Ok(ExitStatus::Success)
}
