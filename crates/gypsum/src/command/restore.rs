//! `gypsum restore`: what earlier changes did is taken back, as a change of its own.

use super::Context;
use super::change::{carry_out, request_of};
use super::keep;
use crate::args::{ChangeOptions, Target};
use crate::target::{NoTarget, profile_of};
use gypsum_core::change::Verdict;
use gypsum_core::exit_status::ExitStatus;
use gypsum_host::disk::RealDisk;
use gypsum_host::error::Error;
use gypsum_host::evidence::Progress;
use gypsum_host::run::{NewContent, TakeBack};
use gypsum_host::state::Entry;
use std::collections::HashSet;

/// What is to be taken back.
pub struct Asked<'a> {
    /// This change; the last one that is live, if neither is given.
    pub change: Option<&'a str>,
    /// All changes after this one.
    pub to: Option<&'a str>,
    /// Whether whole files are restored.
    pub whole: bool,
}

pub fn run(
    context: &Context,
    target: &Target,
    asked: &Asked<'_>,
    options: &ChangeOptions,
) -> Result<ExitStatus, NoTarget> {
    let profile = profile_of(context, target)?;
    if options.hold {
        let error = Error::usage("a restore cannot be held");
        return Err(error.help("-n shows what a restore would do").into());
    }
    let daemon = profile.daemon.clone();
    if asked.change.is_none() && asked.to.is_none() && keep::is_on_probation(context, &daemon)? {
        return keep::restore(context, &daemon);
    }
    let (changes, why) = match (asked.change, asked.to) {
        (Some(word), _) => {
            let entry = context.state.find(&RealDisk, &daemon, word)?;
            must_be_kept(&daemon, &entry, asked.whole)?;
            let why = format!("takes back change {}", entry.number);
            (vec![entry], why)
        }
        (None, Some(word)) => {
            let to = context.state.find(&RealDisk, &daemon, word)?;
            let live = live_changes(context, &daemon)?;
            let later: Vec<Entry> = live.into_iter().filter(|entry| entry.number > to.number).collect();
            if later.is_empty() {
                let error = Error::usage(format!("no change of {daemon} after change {} is live", to.number));
                return Err(error.help(format!("gypsum changes {daemon} lists what was done")).into());
            }
            (later, format!("restores the state after change {}", to.number))
        }
        (None, None) => {
            let last = live_changes(context, &daemon)?.into_iter().next().ok_or_else(|| {
                Error::usage(format!("no change of {daemon} is live that could be taken back"))
                    .help(format!("gypsum changes {daemon} lists what was done"))
            })?;
            let why = format!("takes back change {}", last.number);
            (vec![last], why)
        }
    };
    let mut prune = Vec::new();
    for entry in &changes {
        let plan = entry.evidence(&RealDisk)?.plan;
        prune.extend(plan.into_iter().flat_map(|plan| plan.folders.into_iter().rev()));
    }
    let content = NewContent::Restored(TakeBack { changes, whole: asked.whole });
    let mut request = request_of(profile, content, options)?;
    request.prune = prune;
    request.why.get_or_insert(why);
    carry_out(context, target, request)
}

/// A change that was not kept has nothing live to take back; its old files are a state all the same.
fn must_be_kept(daemon: &str, entry: &Entry, whole: bool) -> Result<(), Error> {
    let number = entry.number;
    match entry.evidence(&RealDisk)?.progress {
        Progress::Ended(Verdict::Kept) | Progress::Unknown => Ok(()),
        // Whether it is at work or interrupted is said when the locks are taken.
        Progress::Open(..) | Progress::Newer(..) => Ok(()),
        Progress::Ended(_) if whole => Ok(()),
        Progress::Ended(verdict) => {
            let error = Error::usage(format!(
                "nothing of change {number} of {daemon} is live: it ended as {}",
                verdict.word()
            ));
            Err(error.help(format!(
                "gypsum restore {daemon} {number} --whole restores the files as they were before it"
            )))
        }
        Progress::NotBegun => {
            Err(Error::usage(format!("change {number} of {daemon} ended before anything was live")))
        }
    }
}

/// The changes that are live and were not taken back, the last one first; those that took others back are none
/// themselves.
fn live_changes(context: &Context, daemon: &str) -> Result<Vec<Entry>, Error> {
    let (mut taken_back, mut live) = (HashSet::new(), Vec::new());
    for entry in context.state.newest(&RealDisk, daemon)? {
        let entry = entry?;
        let is_kept = matches!(entry.evidence(&RealDisk)?.progress, Progress::Ended(Verdict::Kept));
        if !is_kept || taken_back.contains(&entry.number) {
            continue;
        }
        let takes_back = entry.report(&RealDisk).map(|report| report.takes_back).unwrap_or_default();
        if takes_back.is_empty() {
            live.push(entry);
        }
        taken_back.extend(takes_back);
    }
    Ok(live)
}
