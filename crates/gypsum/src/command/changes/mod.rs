//! `gypsum changes`.

mod known;
mod one;
mod report;
mod setting;

use super::Context;
use crate::args::{ChangesArgs, Target};
use crate::out::ERROR;
use crate::target::{NoTarget, profile_of};
use crate::view::{change_lines, styled, wrapped};
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::report::Report;
use gypsum_host::disk::RealDisk;
use gypsum_host::drafts::Draft;
use gypsum_host::error::Error;
use gypsum_host::profiles;
use gypsum_host::state::{Entry, Newest, Way};
use jiff::Timestamp;
use known::{Known, known, local_time};
use serde_json::{Value, json};

/// So many changes are listed on a screen if nothing else is asked for.
const ON_A_SCREEN: usize = 20;

pub fn run(context: &Context, asked: &ChangesArgs) -> Result<ExitStatus, NoTarget> {
    if let (Some(daemon), Some(change)) = (&asked.daemon, &asked.change) {
        let entry = context.state.find(&RealDisk, daemon, change)?;
        return match &asked.report {
            Some(file) => report::run(context, asked, &entry, file),
            None => Ok(one::show_one(context, daemon, &entry)),
        };
    }
    if let (Some(daemon), Some(setting)) = (&asked.daemon, &asked.setting) {
        let target = Target { profile: asked.profile.clone(), ..Target::named(daemon) };
        return setting::run(context, &profile_of(context, &target)?, setting);
    }
    let since = asked.since.as_deref().map(moment_of).transpose()?;
    let daemons = match &asked.daemon {
        Some(daemon) => vec![daemon.clone()],
        None => context.state.daemons(&RealDisk)?,
    };
    let held = held(context, &daemons)?;
    let mut of_daemons = Vec::new();
    for daemon in &daemons {
        of_daemons.push((daemon.as_str(), context.state.newest(&RealDisk, daemon)?));
    }
    let all: usize = of_daemons.iter().map(|(_, changes)| changes.count()).sum();
    if let (Some(daemon), true) = (&asked.daemon, all == 0 && held.is_empty()) {
        must_be_known(daemon)?;
    }
    let removed: Vec<String> = of_daemons.iter().filter_map(removed).collect();
    let listed = list(context, asked, &mut of_daemons, since)?;
    if context.out.json {
        let held: Vec<Value> =
            held.iter().map(|(daemon, draft)| super::drafts::document(daemon, draft)).collect();
        context.answer(ExitStatus::Success, json!({ "changes": listed.documents, "held": held }));
        return Ok(ExitStatus::Success);
    }
    if asked.last.is_none() && listed.more > 0 {
        let last = listed.seen + listed.more;
        context.out.print(&format!("and {} earlier: gypsum changes --last {last}", listed.more));
    }
    if listed.count == 0 {
        context.out.print(&nothing(context, asked, all == 0));
    }
    if listed.more == 0 {
        removed.iter().for_each(|line| context.out.print(line));
    }
    for (daemon, draft) in &held {
        super::drafts::lines(daemon, draft, context.out.width)
            .iter()
            .for_each(|line| context.out.print(line));
    }
    Ok(ExitStatus::Success)
}

/// What was listed.
#[derive(Default)]
struct Listed {
    /// The changes, as documents; none where they were printed.
    documents: Vec<Value>,
    /// How many of them there are.
    count: usize,
    /// How many were looked at.
    seen: usize,
    /// How many are left.
    more: usize,
}

/// Lists the changes that are asked for, the newest first: they are printed at once, or become documents.
fn list(
    context: &Context,
    asked: &ChangesArgs,
    of_daemons: &mut [(&str, Newest<'_>)],
    since: Option<Timestamp>,
) -> Result<Listed, NoTarget> {
    let limit = asked.last.unwrap_or(if context.out.is_screen { ON_A_SCREEN } else { usize::MAX });
    let mut listed = Listed::default();
    while let Some((daemon, entry)) = next_since(of_daemons, since)? {
        if listed.count == limit {
            listed.more = 1 + left_since(of_daemons, since)?;
            break;
        }
        listed.seen += 1;
        let known = known(daemon, &entry);
        if !is_asked_for(asked, known.report.as_ref()) {
            continue;
        }
        if context.out.json {
            listed.documents.push(known.document(daemon, &entry));
        } else {
            print(context, daemon, &entry, &known, asked.daemon.is_none());
        }
        listed.count += 1;
    }
    Ok(listed)
}

/// What is no longer there of a daemon's changes: their numbers begin at 1.
fn removed((daemon, changes): &(&str, Newest<'_>)) -> Option<String> {
    let first = changes.lowest().filter(|first| *first > 1)?;
    Some(format!("changes of {daemon} before {first} were removed; gypsum settings shows how many are kept"))
}

/// The newest change of all these daemons that was not taken yet; `None` after the last one.
fn newest_of<'a>(daemons: &mut [(&'a str, Newest<'_>)]) -> Result<Option<(&'a str, Entry)>, Error> {
    // Names begin with the time, in digits.
    let mut newest: Option<(usize, (String, u32))> = None;
    for (index, (_, changes)) in daemons.iter_mut().enumerate() {
        let Some(entry) = changes.peek()? else { continue };
        let key = (entry.name.clone(), entry.number);
        if newest.as_ref().is_none_or(|(_, found)| key > *found) {
            newest = Some((index, key));
        }
    }
    let Some((daemon, changes)) = newest.and_then(|(index, _)| daemons.get_mut(index)) else {
        return Ok(None);
    };
    Ok(changes.next().transpose()?.map(|entry| (*daemon, entry)))
}

/// The newest change since a moment that was not taken yet; `None` after the last one.
fn next_since<'a>(
    daemons: &mut [(&'a str, Newest<'_>)],
    since: Option<Timestamp>,
) -> Result<Option<(&'a str, Entry)>, Error> {
    while let Some((daemon, entry)) = newest_of(daemons)? {
        if since.is_none_or(|since| entry.begun().is_none_or(|begun| begun >= since)) {
            return Ok(Some((daemon, entry)));
        }
    }
    Ok(None)
}

/// How many changes since a moment were not taken yet. Nothing is listed to count all of them.
fn left_since(daemons: &mut [(&str, Newest<'_>)], since: Option<Timestamp>) -> Result<usize, Error> {
    if since.is_none() {
        return Ok(daemons.iter().map(|(_, changes)| changes.left()).sum());
    }
    let mut left = 0;
    while next_since(daemons, since)?.is_some() {
        left += 1;
    }
    Ok(left)
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
    // What root did is not in the folder of this account.
    let unseen = if !context.state.is_an_accounts() {
        ""
    } else {
        "\nOnly root can see what root changed: sudo gypsum changes"
    };
    match none_at_all && asked.since.is_none() {
        true => format!("No changes{of_daemon} so far (in {root}).{unseen}"),
        false => format!("No such changes{of_daemon} (in {root}).{unseen}"),
    }
}

/// A moment as it is typed: how long ago, a day, or a day and a time, in local time where no zone is given.
fn moment_of(text: &str) -> Result<Timestamp, Error> {
    let zone = gypsum_host::local_zone::local_zone();
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
