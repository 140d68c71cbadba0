//! What the logs said of a configuration: quoted where something went wrong, and kept with the change.

use crate::logs::Mark;
use crate::probe::ProbeContext;
use crate::run::live::{Live, LogExcerpt};
use crate::world::texts;
use gypsum_core::change::Plan;
use gypsum_core::event::Event;
use gypsum_core::health::Outcome;
use gypsum_core::log::{LogLine, excerpt, has_error};
use gypsum_core::probe::{Check, Probe};
use gypsum_core::profile::Service;
use gypsum_core::replay::is_of_client;

/// So many lines of a log are kept with a change.
const MOST_LINES: usize = 40;
/// So many of them are shown where something is wrong.
const SHOWN_LINES: usize = 5;

/// Remembers up to where the logs are about the new configuration. Its own files are read at once, since they have
/// no times; the journal can wait until nobody waits for us.
pub(in crate::run) fn mark_log(live: &mut Live<'_>) {
    if let Some(since) = live.service.probes.since.clone() {
        let files = lines_of(&live.cx.world.logged(&live.service.probes));
        let beside = live.service.down.iter().map(|unit| live.service.probes.service.beside(unit));
        let services = std::iter::once(live.service.probes.service.clone()).chain(beside).collect();
        live.service.excerpt = Some(LogExcerpt { services, since, until_ms: live.cx.world.now_ms(), files });
    }
}

/// Shows the lines of the logs that say why a configuration did not work, and keeps more for the record.
pub(in crate::run) fn quote_log(live: &mut Live<'_>) {
    let Some(LogExcerpt { services, since, .. }) = &live.service.excerpt else { return };
    let (services, since) = (services.clone(), since.clone());
    let Some((journal, files)) = take_excerpt(live) else { return };
    let of_files = files.iter().map(|line| LogLine::of_daemon(line.as_str()));
    let mut lines = without_our_own(live, journal.iter().cloned().chain(of_files));
    if !has_error(&lines) {
        // Perhaps it said why a little later. By now the old configuration is back, and what that says is no error.
        let later = without_our_own(live, lines_of_all(live, services, &since));
        if has_error(&later) {
            lines = later;
        }
    }
    let shown = excerpt(&lines, SHOWN_LINES);
    if !shown.is_empty() {
        live.emit(Event::Log { lines: shown });
    }
    record_log(live, texts(journal), files);
}

/// Without what the daemon says of health checks and of its clients: it would look like the reason.
fn without_our_own(live: &Live<'_>, lines: impl IntoIterator<Item = LogLine>) -> Vec<LogLine> {
    let own = &live.plan.service.looked_at;
    let is_ours = |line: &LogLine| own.iter().any(|text| line.text.contains(text.as_str()));
    lines.into_iter().filter(|line| !is_ours(line) && !is_of_client(&line.text)).collect()
}

/// All that came into the logs of these services since.
fn lines_of_all(live: &Live<'_>, services: Vec<Service>, since: &Mark) -> Vec<LogLine> {
    let world = live.cx.world;
    let mut lines: Vec<LogLine> =
        services.iter().flat_map(|service| world.logs_since(service, since, None)).collect();
    // Only the daemon itself has files of its own here.
    let service = services.into_iter().next().unwrap_or_default();
    let scene = ProbeContext { service, since: Some(since.clone()), ..ProbeContext::default() };
    lines.extend(lines_of(&world.logged(&scene)).into_iter().map(LogLine::of_daemon));
    lines
}

/// Keeps what the logs said meanwhile, whatever it is good for later.
pub(in crate::run) fn keep_log(live: &mut Live<'_>) {
    if let Some((journal, files)) = take_excerpt(live) {
        record_log(live, texts(journal), files);
    }
}

/// What the journal and the log files said up to the mark; once.
fn take_excerpt(live: &mut Live<'_>) -> Option<(Vec<LogLine>, Vec<String>)> {
    let said = live.service.excerpt.take()?;
    let of = |service| live.cx.world.logs_since(service, &said.since, Some(said.until_ms));
    Some((said.services.iter().flat_map(of).collect(), said.files))
}

fn record_log(live: &mut Live<'_>, mut lines: Vec<String>, files: Vec<String>) {
    lines.extend(files);
    // What clients asked for is theirs.
    lines.retain(|line| !is_of_client(line));
    if !lines.is_empty() {
        live.emit(Event::Logged { lines: last(&lines, MOST_LINES) });
    }
}

/// The lines of a text that are not empty.
fn lines_of(text: &str) -> Vec<String> {
    text.lines().filter(|line| !line.trim().is_empty()).map(str::to_owned).collect()
}

fn last(lines: &[String], count: usize) -> Vec<String> {
    lines[lines.len().saturating_sub(count)..].to_vec()
}

/// The units beside the service that are down.
pub(super) fn units_down(checks: &[Check], health: &[Outcome]) -> Vec<String> {
    let down = |(check, outcome): (&Check, &Outcome)| match &check.probe {
        Probe::Unit { name } if !outcome.healthy => Some(name.clone()),
        _ => None,
    };
    checks.iter().zip(health).filter_map(down).collect()
}

/// The log files that are read from here on.
pub(super) fn logs_of(plan: &Plan) -> Vec<String> {
    let named = plan.checks_after.iter().filter_map(|check| match &check.probe {
        Probe::Log(log) => log.file.clone(),
        _ => None,
    });
    plan.service.log.iter().cloned().chain(named).collect()
}
