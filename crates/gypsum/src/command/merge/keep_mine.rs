//! `gypsum merge DAEMON --keep-mine`: the new version that waits is put away, and nothing of it is taken.

use super::{Context, put_away};
use crate::args::{MergeArgs, Target};
use crate::command::whole;
use crate::target::{NoTarget, profile_of};
use gypsum_core::exit_status::ExitStatus;
use gypsum_host::error::Error;
use gypsum_host::files::load;
use gypsum_host::shipped::{Records, Waiting, Waits, waiting};
use serde_json::json;
use std::path::Path;

pub fn run(context: &Context, asked: &MergeArgs) -> Result<ExitStatus, NoTarget> {
    let target = Target { profile: asked.profile.clone(), ..Target::named(&asked.daemon) };
    let profile = profile_of(context, &target)?;
    let loading = load(&profile, None)?;
    let records = Records::read().map_err(Error::because)?;
    let is_meant = |one: &Waiting| {
        let within = asked.within.as_ref().is_none_or(|within| *within == one.file || *within == one.real);
        within && matches!(one.waits, Waits::Version { .. } | Waits::NotPlaced { .. } | Waits::Stale { .. })
    };
    let all: Vec<Waiting> = waiting(&loading, &records).into_iter().filter(is_meant).collect();
    let mut texts = Vec::new();
    for one in &all {
        if let Some(theirs) = one.theirs() {
            texts.push((one.real.clone(), whole(theirs)?));
        }
    }
    let pairs = texts.iter().map(|(path, bytes)| (path.as_path() as &Path, bytes.as_slice()));
    let put = put_away(context, &profile.daemon, all.iter(), pairs)?;
    if put.is_empty() {
        context.say_unless_json(&format!("no new version waits for {}", profile.daemon));
    }
    context.answer(
        ExitStatus::Success,
        json!({ "daemon": profile.daemon, "files": [], "put_away": put, "findings": [] }),
    );
    Ok(ExitStatus::Success)
}
