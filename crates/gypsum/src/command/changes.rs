//! `gypsum changes`.

use super::Context;
use crate::out::{BOLD, ERROR};
use crate::target::NoTarget;
use crate::view::{ChangeView, change_lines, difference, sizes, styled, wrapped};
use gypsum_core::event::Event;
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::record::Recorded;
use gypsum_core::report::Report;
use gypsum_host::disk::RealDisk;
use gypsum_host::drafts::{Draft, Reason};
use gypsum_host::error::Error;
use gypsum_host::evidence::Progress;
use gypsum_host::profiles;
use gypsum_host::run::Observer;
use gypsum_host::state::{Entry, Way};
use std::fs;
use std::path::{Path, PathBuf};

pub fn run(context: &Context, daemon: Option<&str>, change: Option<&str>) -> Result<ExitStatus, NoTarget> {
    if let (Some(daemon), Some(change)) = (daemon, change) {
        let entry = context.state.find(&RealDisk, daemon, change)?;
        return Ok(show_one(context, daemon, &entry));
    }
    let daemons = match daemon {
        Some(daemon) => vec![daemon.to_owned()],
        None => context.state.daemons(&RealDisk)?,
    };
    let mut listed = Vec::new();
    for daemon in &daemons {
        let entries = context.state.entries(&RealDisk, daemon)?;
        if context.out.json {
            listed.extend(entries.iter().map(|entry| document(daemon, entry)));
            continue;
        }
        if !entries.is_empty() && daemons.len() > 1 {
            context.out.line(&styled(BOLD, daemon));
        }
        for entry in &entries {
            let Known { way, report, damaged } = known(daemon, entry);
            let mut lines = change_lines(entry.number, &when(entry), report.as_ref(), &way);
            // What is unknown says it itself.
            if !matches!(way, Way::Unknown(_)) {
                let wrapped = damaged.iter().flat_map(|text| wrapped(text, 70));
                lines.extend(wrapped.map(|line| format!("       {}", styled(ERROR, &line))));
            }
            lines.iter().for_each(|line| context.out.line(line));
        }
        // A held change has no number yet: it is a draft until it goes live.
        let held = held(context, daemon)?;
        for draft in &held {
            super::drafts::lines(daemon, draft).iter().for_each(|line| context.out.line(line));
        }
        listed.extend(entries.iter().map(|_| serde_json::Value::Null));
        listed.extend(held.iter().map(|_| serde_json::Value::Null));
    }
    if context.out.json {
        let schema = gypsum_core::report::SCHEMA;
        let mut all_held = Vec::new();
        for daemon in &daemons {
            let held = held(context, daemon)?;
            all_held.extend(held.iter().map(|draft| super::drafts::document(daemon, draft)));
        }
        context.out.document(&serde_json::json!({ "schema": schema, "changes": listed, "held": all_held }));
    } else if listed.is_empty() {
        let whose = daemon.map_or(String::new(), |daemon| format!(" of {daemon}"));
        context.out.line(&format!("No changes{whose} so far (in {}).", context.state.root().display()));
    }
    Ok(ExitStatus::Success)
}

/// The changes of a daemon that are held, as drafts.
fn held(context: &Context, daemon: &str) -> Result<Vec<Draft>, Error> {
    let mut drafts = gypsum_host::drafts::all(&context.state, daemon)?;
    drafts.retain(|draft| draft.note.because == Reason::Ready);
    Ok(drafts)
}

fn when(entry: &Entry) -> String {
    let zone = jiff::tz::TimeZone::system();
    let local = entry.begun().map(|begun| begun.to_zoned(zone).strftime("%Y-%m-%d %H:%M:%S").to_string());
    local.unwrap_or_else(|| entry.name.clone())
}

/// What is known of a change.
struct Known {
    way: Way,
    /// The record, or as much of it as there is yet, or as can still be read; `None` if nothing was ever live.
    report: Option<Report>,
    /// The records that are damaged, in words.
    damaged: Vec<String>,
}

fn known(daemon: &str, entry: &Entry) -> Known {
    let so_far = || entry.so_far(&RealDisk, Report::new(daemon));
    let evidence = match entry.evidence(&RealDisk) {
        Ok(evidence) => evidence,
        Err(error) => {
            let way = Way::Unknown(error.to_string());
            let report = entry.report(&RealDisk).or_else(|| Some(so_far()));
            return Known { way, report, damaged: vec![error.to_string()] };
        }
    };
    let way = entry.way(&evidence);
    let damaged = evidence.damage.iter().map(|damage| damage.words()).collect();
    let report = match (evidence.report, evidence.progress) {
        (Some(report), _) => Some(report),
        (None, Progress::NotBegun) => None,
        (None, Progress::Ended(verdict)) => Some(Report { verdict: Some(verdict), ..so_far() }),
        (None, Progress::Open(..) | Progress::Unknown | Progress::Newer(..)) => Some(so_far()),
    };
    Known { way, report, damaged }
}

fn document(daemon: &str, entry: &Entry) -> serde_json::Value {
    let Known { way, report, damaged } = known(daemon, entry);
    serde_json::json!({
        "daemon": daemon,
        "change": entry.name,
        "number": entry.number,
        "way": match way {
            Way::Ended => "ended",
            Way::GoesOn(_) => "goes on",
            Way::CutOff => "interrupted",
            Way::Unknown(_) => "unknown",
        },
        "damaged": damaged,
        "verdict": report.as_ref().and_then(|report| report.verdict),
        "who": report.as_ref().map(|report| report.who.clone()),
        "why": report.as_ref().and_then(|report| report.why.clone()),
        "edits": report.as_ref().map(|report| report.edits.clone()),
        "backup": entry.folder.join("before"),
    })
}

/// One change, drawn again from what happened, and the difference that it made.
fn show_one(context: &Context, daemon: &str, entry: &Entry) -> ExitStatus {
    if context.out.json {
        match entry.report(&RealDisk) {
            Some(report) => context.report(&report),
            None => context.out.document(&document(daemon, entry)),
        }
        return ExitStatus::Success;
    }
    context.out.line(&format!("change {} of {}", entry.number, when(entry)));
    let mut view = ChangeView::replay(context.out);
    for (n, event) in entry.events(&RealDisk).into_iter().enumerate() {
        match event {
            Recorded::Whole(Event::Waiting { .. }) | Recorded::Absent => {}
            Recorded::Whole(event) => view.on_event(&event),
            Recorded::Damaged(why) => {
                context.out.aside(&format!("events.jsonl is damaged, line {}: {why}", n + 1));
            }
            Recorded::Newer(_) => {
                context.out.aside(&format!("events.jsonl, line {}: a newer Gypsum wrote it", n + 1));
            }
        }
    }
    let Known { way, report, damaged } = known(daemon, entry);
    match way {
        Way::Unknown(why) => wrapped(&why, 78).iter().for_each(|line| context.out.aside(line)),
        Way::Ended | Way::GoesOn(_) | Way::CutOff => damaged.iter().for_each(|line| context.out.aside(line)),
    }
    let profile = profiles::load(daemon, None).ok();
    let edits = report.as_ref().map_or(&[][..], |report| &report.edits);
    let mut copies = Vec::new();
    gather(&entry.folder.join("after"), &mut copies);
    for after in copies {
        let inner = after.strip_prefix(entry.folder.join("after")).unwrap_or(&after);
        let before = entry.folder.join("before").join(inner);
        let read = |path: &Path| fs::read(path).unwrap_or_default();
        let (old, new) = (read(&before), read(&after));
        let name = format!("/{}", inner.display());
        // What was only put beside the configuration may hold anything: a key, passwords.
        let is_companion = edits.iter().any(|edit| edit.companion && edit.file == name);
        let lines = match is_companion {
            true => vec![sizes(&name, &old, &new)],
            false => difference(profile.as_ref(), &name, &old, &new, edits),
        };
        lines.iter().for_each(|line| context.out.line(line));
    }
    ExitStatus::Success
}

fn gather(folder: &Path, out: &mut Vec<PathBuf>) {
    let mut entries: Vec<PathBuf> =
        fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path()).collect();
    entries.sort();
    for path in entries {
        if path.is_dir() { gather(&path, out) } else { out.push(path) }
    }
}
