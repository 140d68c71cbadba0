//! What the daemon says at an activation that it did not say at earlier ones. Many things that are wrong no client sees at
//! first, and only the log tells of them.

use crate::logs::Mark;
use crate::probe::ProbeContext;
use crate::world::World;
use gypsum_core::change::Plan;
use gypsum_core::log::{LogLine, new_errors};
use gypsum_core::replay::is_of_client;

/// So far back what a log said before counts, in milliseconds: three weeks.
const BACK_MS: i64 = 21 * 86_400_000;
/// So many complaints are shown.
const SHOWN: usize = 5;
/// A line is not shown longer than this, in characters.
const LONGEST: usize = 300;

/// What its log said up to the activation.
pub(super) fn said_before(world: &dyn World, scene: &ProbeContext, with_journal: bool) -> Vec<LogLine> {
    let Some(since) = &scene.since else { return Vec::new() };
    let from = Mark::moment(since.at_ms - BACK_MS);
    // A moment before: what was told at the mark belongs to what comes.
    let journal = match with_journal {
        true => world.logs_since(&scene.service, &from, Some(since.at_ms - 1)),
        false => Vec::new(),
    };
    lines(journal, &world.logged_before(scene))
}

/// What its log says since the activation; of its own files alone where nobody waits.
pub(super) fn said_since(world: &dyn World, scene: &ProbeContext, with_journal: bool) -> Vec<LogLine> {
    let journal = match &scene.since {
        Some(since) if with_journal => world.logs_since(&scene.service, since, None),
        Some(_) | None => Vec::new(),
    };
    lines(journal, &world.logged(scene))
}

fn lines(mut journal: Vec<LogLine>, files: &str) -> Vec<LogLine> {
    journal.extend(files.lines().map(LogLine::of_daemon));
    journal
}

/// In words what is new among what it says.
pub(super) fn complaints(before: &[LogLine], now: &[LogLine], plan: &Plan) -> Vec<String> {
    let sort = if plan.activation.keeps_running() { "Reload" } else { "Start" };
    let is_comparable = before.iter().any(|line| line.by_manager && line.text.starts_with(sort));
    let is_ours = |text: &str| plan.service.looked_at.iter().any(|own| text.contains(own.as_str()));
    let mut new = new_errors(before, now, is_comparable);
    new.retain(|text| !is_ours(text) && !is_of_client(text));
    // Where no such activation was logged before, nobody knows what is new.
    let lead = if !is_comparable { "its log says" } else { "its log says for the first time" };
    let more = new.len().saturating_sub(SHOWN);
    let short = |text: &String| text.chars().take(LONGEST).collect::<String>();
    let mut said: Vec<String> =
        new.iter().take(SHOWN).map(|text| format!("{lead}: {}", short(text))).collect();
    said.extend((more > 0).then(|| format!("its log has {more} more such lines")));
    said
}
