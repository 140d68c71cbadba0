//! `gypsum changes`.

mod known;
mod one;

use super::Context;
use crate::args::ChangesArgs;
use crate::out::ERROR;
use crate::target::NoTarget;
use crate::view::{change_lines, styled, wrapped};
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::report::Report;
use gypsum_host::disk::RealDisk;
use gypsum_host::drafts::Draft;
use gypsum_host::error::Error;
use gypsum_host::state::{Entry, Way};
use gypsum_host::{profiles, prune};
use jiff::Timestamp;
use known::{Known, known, local_time};
use serde_json::{Value, json};

/// So many changes are listed on a screen if nothing else is asked for.
const ON_A_SCREEN: usize = 20;

pub fn run(context: &Context, asked: &ChangesArgs) -> Result<ExitStatus, NoTarget> {
    if let (Some(daemon), Some(change)) = (&asked.daemon, &asked.change) {
        let entry = context.state.find(&RealDisk, daemon, change)?;
        return Ok(one::show_one(context, daemon, &entry));
    }
    let since = asked.since.as_deref().map(moment_of).transpose()?;
    let daemons = match &asked.daemon {
        Some(daemon) => vec![daemon.clone()],
        None => context.state.daemons(&RealDisk)?,
    };
    let held = held(context, &daemons)?;
    let mut entries = entries(context, &daemons)?;
    if let (Some(daemon), true) = (&asked.daemon, entries.is_empty() && held.is_empty()) {
        must_be_known(daemon)?;
    }
    let removed: Vec<String> = daemons.iter().filter_map(|daemon| removed(daemon, &entries)).collect();
    entries.retain(|(_, entry)| since.is_none_or(|since| entry.begun().is_none_or(|begun| begun >= since)));
    let limit = asked.last.unwrap_or(if context.out.is_screen { ON_A_SCREEN } else { usize::MAX });
    let (mut listed, mut count) = (Vec::new(), 0);
    let mut rest = entries.iter();
    for (daemon, entry) in rest.by_ref() {
        let known = known(daemon, entry);
        if !is_asked_for(asked, known.report.as_ref()) {
            continue;
        }
        if context.out.json {
            listed.push(known.document(daemon, entry));
        } else {
            print(context, daemon, entry, &known, asked.daemon.is_none());
        }
        count += 1;
        if count == limit {
            break;
        }
    }
    if context.out.json {
        let held: Vec<Value> =
            held.iter().map(|(daemon, draft)| super::drafts::document(daemon, draft)).collect();
        context.answer(ExitStatus::Success, json!({ "changes": listed, "held": held }));
        return Ok(ExitStatus::Success);
    }
    if asked.last.is_none() && rest.len() > 0 {
        let (more, all) = (rest.len(), entries.len());
        context.out.print(&format!("and {more} earlier: gypsum changes --last {all}"));
    }
    if count == 0 {
        context.out.print(&nothing(context, asked, entries.is_empty()));
    }
    if rest.len() == 0 {
        removed.iter().for_each(|line| context.out.print(line));
    }
    for (daemon, draft) in &held {
        super::drafts::lines(daemon, draft, context.out.width)
            .iter()
            .for_each(|line| context.out.print(line));
    }
    Ok(ExitStatus::Success)
}

/// What is no longer there of a daemon's changes: their numbers begin at 1.
fn removed(daemon: &str, entries: &[(String, Entry)]) -> Option<String> {
    let numbers = entries.iter().filter(|(of, _)| of == daemon).map(|(_, entry)| entry.number);
    let first = numbers.min().filter(|first| *first > 1)?;
    let most = prune::MOST_CHANGES;
    Some(format!(
        "changes of {daemon} before {first} were removed: the last {most} are kept, up to 1 GiB of them"
    ))
}

/// The changes of these daemons, newest first.
fn entries(context: &Context, daemons: &[String]) -> Result<Vec<(String, Entry)>, Error> {
    let mut all = Vec::new();
    for daemon in daemons {
        let entries = context.state.entries(&RealDisk, daemon)?;
        all.extend(entries.into_iter().map(|entry| (daemon.clone(), entry)));
    }
    // Their names begin with the time, in digits.
    all.sort_by(|(_, one), (_, other)| (&other.name, other.number).cmp(&(&one.name, one.number)));
    Ok(all)
}

/// A daemon without a change, a draft and a profile is probably a typing error.
pub(super) fn must_be_known(daemon: &str) -> Result<(), Error> {
    if profiles::load(daemon, None).is_ok() {
        return Ok(());
    }
    Err(Error::usage(format!("{daemon} has no changes, and no profile has that name"))
        .help("gypsum changes lists those of all daemons"))
}

/// Whether the change is one of those that were asked for.
fn is_asked_for(asked: &ChangesArgs, report: Option<&Report>) -> bool {
    let by = asked.by.as_ref().is_none_or(|by| report.is_some_and(|report| report.who == *by));
    let verdict = asked.verdict.as_ref();
    by && verdict.is_none_or(|word| report.is_some_and(|report| report.verdict == Some((*word).into())))
}

fn nothing(context: &Context, asked: &ChangesArgs, none_at_all: bool) -> String {
    let of_daemon = asked.daemon.as_ref().map_or(String::new(), |daemon| format!(" of {daemon}"));
    let root = context.state.root().display();
    match none_at_all && asked.since.is_none() {
        true => format!("No changes{of_daemon} so far (in {root})."),
        false => format!("No such changes{of_daemon} (in {root})."),
    }
}

/// A moment as it is typed: how long ago, a day, or a day and a time, in local time where no zone is given.
fn moment_of(text: &str) -> Result<Timestamp, Error> {
    let zone = jiff::tz::TimeZone::system();
    let ago =
        text.parse::<jiff::Span>().ok().and_then(|span| jiff::Zoned::now().checked_sub(span.abs()).ok());
    let local = || {
        let day = text.parse::<jiff::civil::DateTime>().ok()?;
        day.to_zoned(zone).ok()
    };
    let moment = ago.map(|ago| ago.timestamp());
    let moment = moment.or_else(|| text.parse().ok()).or_else(|| local().map(|local| local.timestamp()));
    moment.ok_or_else(|| {
        Error::usage(format!("--since {text:?} is no time"))
            .help("for example --since 3d, --since 2026-11-28 or --since '2026-11-28 18:00'")
    })
}

/// The changes of these daemons that are held, as drafts.
fn held(context: &Context, daemons: &[String]) -> Result<Vec<(String, Draft)>, Error> {
    let mut held = Vec::new();
    for daemon in daemons {
        let drafts = gypsum_host::drafts::held(&context.state, daemon)?;
        held.extend(drafts.into_iter().map(|draft| (daemon.clone(), draft)));
    }
    Ok(held)
}

fn print(context: &Context, daemon: &str, entry: &Entry, known: &Known, several: bool) {
    let width = context.out.width;
    let title = if several { format!("{daemon} {}", entry.number) } else { format!("{:>5}", entry.number) };
    let Known { way, report, damaged } = known;
    let mut lines = change_lines(&title, &local_time(entry), report.as_ref(), way, width);
    // What is unknown says it itself.
    if !matches!(way, Way::Unknown(_)) {
        let wrapped = damaged.iter().flat_map(|text| wrapped(text, width - 10));
        lines.extend(wrapped.map(|line| format!("       {}", styled(ERROR, &line))));
    }
    lines.iter().for_each(|line| context.out.print(line));
}
