//! `gypsum show DAEMON SETTING`: one setting explained.

use super::Context;
use crate::out::{BOLD, DIM};
use crate::view::{columns, styled, when, wrapped};
use gypsum_core::edit::LineDiff;
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::explain::{Explained, explain};
use gypsum_core::profile::{ListedName, NameAnswer, Profile};
use gypsum_core::report::Report;
use gypsum_core::secret::is_secret;
use gypsum_core::survey::Survey;
use gypsum_core::text::one_line;
use gypsum_host::disk::RealDisk;
use gypsum_host::error::Error;
use gypsum_host::files::Loading;
use gypsum_host::rehearse::reported;
use gypsum_host::state::Entry;
use gypsum_host::survey::{described, known_name, listed};
use std::path::Path;

/// So many paragraphs of the manual are shown; the JSON document has all.
const PARAGRAPHS: usize = 1;

/// Explains the setting called `name`; whether there is one. Where neither the files nor the profile have it, the
/// installed daemon is asked.
pub fn run(context: &Context, profile: &Profile, loading: &Loading, name: &str) -> bool {
    let (layers, survey) = (loading.layers(profile), Survey::default());
    let config_view = loading.config_view(&layers, profile, &survey);
    let bare = name.rsplit("..").next().unwrap_or(name);
    let list = listed(profile);
    let same = |one: &&ListedName| profile.dialect.same(one.name.as_bytes(), bare.as_bytes());
    let of_list: Vec<&ListedName> =
        list.as_ref().map_or_else(Vec::new, |(_, names)| names.iter().filter(same).collect());
    // Without its block the name means the block that has it.
    let in_its_block = || {
        let blocks = of_list.iter().filter(|one| !one.block.is_empty() && bare == name);
        blocks
            .map(|one| format!("{}..{}", one.block, one.name))
            .find_map(|whole| explain(&config_view, &whole))
    };
    let is_known = || !of_list.is_empty() || matches!(known_name(profile, name), Some(NameAnswer::Known));
    let only_daemon = || is_known().then(|| Explained::known_to_the_daemon(profile, name));
    let Some(mut one) = explain(&config_view, name).or_else(in_its_block).or_else(only_daemon) else {
        return false;
    };
    let block = name.rsplit_once("..").map_or("", |(block, _)| block);
    if let Some(found) = of_list.iter().find(|one| one.block == block).or(of_list.first())
        && let Some((list, _)) = &list
    {
        one.take_listing(profile, list, found);
    }
    if let Some((page, text)) = described(&profile.manual, bare) {
        one.take_manual(&page, text);
    }
    // In a block the daemon may report another value, and a secret is not for the screen.
    let is_plain = !name.contains("..") && !is_secret(profile, &one.name);
    if let Some(effective) = profile.effective.as_ref().filter(|_| is_plain) {
        let value = reported(effective, Path::new(&profile.files.home), &one.name);
        value.into_iter().for_each(|value| one.take_report(profile, effective, value));
    }
    let last = last_change(context, profile, &one.name);
    if context.out.json {
        let changed = last.as_ref().map(|(entry, _)| entry.clone());
        context.answer(
            ExitStatus::Success,
            serde_json::json!({ "daemon": profile.daemon, "setting": one, "last_change": changed }),
        );
        return true;
    }
    let never = match context.state.is_an_accounts() {
        false => "never through Gypsum",
        true => "never by this account; only root can see what root changed",
    };
    let changed = last.as_ref().map_or(never.to_owned(), |(entry, what)| format!("{what} (change {entry})"));
    lines(&one, &changed, context.out.width).iter().for_each(|line| context.out.print(line));
    true
}

fn lines(one: &Explained, changed: &str, width: usize) -> Vec<String> {
    let mut out = vec![styled(BOLD, &one.name)];
    out.extend(one.about.iter().flat_map(|about| wrapped(about, width - 4)).map(|line| format!("  {line}")));
    let mut rows: Vec<Vec<String>> = Vec::new();
    let mut row = |title: &str, text: &str| {
        for (n, line) in wrapped(text, width - 20).into_iter().enumerate() {
            rows.push(vec![format!("  {}", if n == 0 { title } else { "" }), line]);
        }
    };
    match one.places.iter().find(|place| place.in_effect) {
        Some(place) => row("now", &format!("{}  ({}, line {})", place.value, place.file, place.line)),
        None => match &one.default {
            Some(default) => row("now", &format!("{default}  (the default; it is set nowhere)")),
            None => row("now", "set nowhere"),
        },
    }
    for place in one.places.iter().filter(|place| place.in_effect).skip(1) {
        row("and", &format!("{}  ({}, line {})", place.value, place.file, place.line));
    }
    for place in one.places.iter().filter(|place| !place.in_effect) {
        let why = match &place.decided_by {
            Some(by) => format!("{by} decides"),
            None => "the file is not read".to_owned(),
        };
        row("without effect", &format!("{}  ({}, line {}): {why}", place.value, place.file, place.line));
    }
    for place in &one.commented_out {
        row("commented out", &format!("{}  ({}, line {})", place.value, place.file, place.line));
    }
    one.reported.iter().for_each(|value| row("reported", value));
    one.takes.iter().for_each(|takes| row("takes", takes));
    one.default.iter().for_each(|default| row("default", default));
    row("takes effect", &one.takes_effect);
    one.versions.iter().for_each(|versions| row("versions", versions));
    one.listed.iter().for_each(|listed| row("in its list", listed));
    one.notes.iter().for_each(|note| row("note", note));
    row("last changed", changed);
    for (n, text) in one.manual.iter().take(PARAGRAPHS).enumerate() {
        let more = if n + 1 == PARAGRAPHS && one.manual.len() > PARAGRAPHS { " [...]" } else { "" };
        row(if n == 0 { "manual" } else { "" }, &format!("{text}{more}"));
    }
    one.known_from.iter().enumerate().for_each(|(n, from)| row(if n == 0 { "known from" } else { "" }, from));
    out.extend(
        columns(&rows, &[18, 200])
            .into_iter()
            .map(|line| if line.contains("without effect") { styled(DIM, &line) } else { line }),
    );
    out
}

/// The last change that was kept and touched the setting: its name, and when and by whom it was made.
fn last_change(context: &Context, profile: &Profile, name: &str) -> Option<(String, String)> {
    changes(context, profile).find_map(|(entry, report)| touched(profile, name, &entry, &report))
}

/// The changes of a daemon that have a record, newest first. Those that cannot be read are passed over.
pub(super) fn changes(context: &Context, profile: &Profile) -> impl Iterator<Item = (Entry, Report)> {
    let unread = |error: Error| tracing::warn!(message = error.to_string(), "earlier changes cannot be read");
    let entries = context.state.newest(&RealDisk, &profile.daemon).map_err(unread).ok();
    entries.into_iter().flatten().filter_map(move |entry| {
        let entry = entry.map_err(unread).ok()?;
        let report = entry.report(&RealDisk)?;
        Some((entry, report))
    })
}

/// What a change that was kept made of a setting: its number, and when and by whom it was made; `None` if it did not touch
/// the setting.
pub(super) fn touched(
    profile: &Profile,
    name: &str,
    entry: &Entry,
    report: &Report,
) -> Option<(String, String)> {
    let ours = |address: &str| {
        let bare = address.rsplit("..").next().unwrap_or(address);
        let bare = bare.split('#').next().unwrap_or(bare);
        profile.dialect.same(bare.as_bytes(), name.as_bytes())
    };
    // A whole file is recorded by its lines.
    let written = |text: &Option<String>| {
        let first =
            text.as_deref().unwrap_or_default().split([' ', '\t', '=', ':']).find(|word| !word.is_empty());
        first.is_some_and(|first| profile.dialect.same(first.as_bytes(), name.as_bytes()))
    };
    let kept = report.verdict.is_some_and(|verdict| verdict.word() == "kept");
    let meant = |edit: &&LineDiff| ours(&edit.address) || written(&edit.after) || written(&edit.before);
    let edit = report.edits.iter().find(meant).filter(|_| kept)?;
    let what = edit.after.as_deref().map_or("taken out".to_owned(), one_line);
    let begun = entry.begun().map_or_else(String::new, |begun| when(begun.as_millisecond()));
    Some((entry.number.to_string(), format!("{}, {begun}: {what}", report.who)))
}
