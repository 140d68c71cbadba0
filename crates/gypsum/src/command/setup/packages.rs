//! `gypsum setup packages`: the hook of the package manager.

use crate::args::setup::PackagesArgs;
use crate::command::Context;
use crate::target::NoTarget;
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::finding::Severity;
use gypsum_core::profile::Profile;
use gypsum_host::disk::RealDisk;
use gypsum_host::error::Error;
use gypsum_host::files::load;
use gypsum_host::profiles;
use gypsum_host::shipped::{Records, findings, hook, keep_bases};
use serde_json::json;
use std::path::Path;

pub fn packages(context: &Context, asked: &PackagesArgs) -> Result<ExitStatus, NoTarget> {
    if asked.tell {
        return Ok(tell(context));
    }
    if asked.remove {
        let was_there = hook::remove()?;
        let text = if was_there { "the hook is removed" } else { "there is no hook" };
        context.say_unless_json(text);
        context.answer(ExitStatus::Success, json!({ "hook": null, "kept": 0 }));
        return Ok(ExitStatus::Success);
    }
    let file = match asked.keep {
        true => None,
        false => Some(hook::install()?),
    };
    let count = keep(context)?;
    if let Some(file) = &file {
        context.say_unless_json(&format!(
            "written to {}: before each upgrade the shipped text of edited files is kept",
            file.display()
        ));
        context.say_unless_json(&format!("the shipped text of {count} files is kept now"));
    }
    context.answer(ExitStatus::Success, json!({ "hook": file, "kept": count }));
    Ok(ExitStatus::Success)
}

/// Keeps the shipped texts of the files of all daemons of this host; how many.
fn keep(context: &Context) -> Result<usize, Error> {
    let records = Records::read().map_err(Error::because)?;
    let now = jiff::Timestamp::now().as_millisecond();
    let mut count = 0;
    for profile in here() {
        let kept = load(&profile, None).and_then(|loading| {
            keep_bases(&RealDisk, &context.state, &profile.daemon, &loading, &records, now)
        });
        // One daemon must not keep the others from it.
        match kept {
            Ok(kept) => count += kept,
            Err(error) => context.out.error(&error),
        }
    }
    Ok(count)
}

/// Says what waits, for all daemons. Nothing is said where nothing waits.
fn tell(context: &Context) -> ExitStatus {
    let records = Records::read();
    for profile in here() {
        let Ok(loading) = load(&profile, None) else { continue };
        for one in
            findings(&loading, &profile.daemon, &records).iter().filter(|one| one.severity > Severity::Hint)
        {
            let help = one.help.as_ref().map_or_else(String::new, |help| format!(": {help}"));
            context.say_unless_json(&format!("gypsum: {}{help}", one.message));
        }
    }
    ExitStatus::Success
}

/// The daemons whose files are on this host.
fn here() -> impl Iterator<Item = Profile> {
    let all =
        profiles::names().into_iter().filter_map(|(name, file)| profiles::load(&name, file.as_deref()).ok());
    all.filter(|profile| Path::new(&profile.files.home).exists())
}
