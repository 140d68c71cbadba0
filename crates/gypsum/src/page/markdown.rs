//! The same as text, for a ticket that takes Markdown (CommonMark, with tables).

use super::timeline::away_in;
use super::{Page, html::moment, stage_words};
use crate::view::{time, value_text};
use gypsum_core::text::one_line;
use std::fmt::Write;

/// The whole text.
pub fn markdown(page: &Page) -> String {
    let report = &page.report;
    let mut out = format!("# {}: {}\n\n{}\n\n", page.title(), page.verdict(), plain(&report.summary));
    let _ = writeln!(out, "- By: {}", plain(&report.who));
    for (name, text) in [
        ("Why", report.why.clone()),
        ("Begun", report.begun.as_deref().map(moment)),
        ("Ended", report.ended.as_deref().map(moment)),
        ("Because", report.reason.clone()),
    ] {
        if let Some(text) = text {
            let _ = writeln!(out, "- {name}: {}", plain(&text));
        }
    }
    files(&mut out, page);
    checked(&mut out, page);
    stages(&mut out, page);
    health(&mut out, page);
    rest(&mut out, page);
    way_back(&mut out, page);
    out
}

/// What changes in the files.
fn files(out: &mut String, page: &Page) {
    let _ = writeln!(out, "\n## {}\n", page.about_files());
    for file in &page.files {
        let _ = writeln!(out, "`{}`\n", file.name);
        if !file.settings.is_empty() {
            out.push_str("| Setting | Before | After |\n|---|---|---|\n");
            for one in &file.settings {
                let cells =
                    [one.address.clone(), value_text(one.other.as_ref()), value_text(one.this.as_ref())];
                let _ = writeln!(out, "| {} |", cells.map(|cell| plain(&cell)).join(" | "));
            }
            out.push('\n');
        }
        if !file.lines.is_empty() {
            let _ = writeln!(out, "{}", fenced("diff", &file.lines.join("\n")));
        }
    }
}

/// What was checked, and what was found.
fn checked(out: &mut String, page: &Page) {
    let report = &page.report;
    out.push_str("## What was checked\n\n");
    for one in &report.checked_by {
        let _ = writeln!(out, "- {}, {}", plain(&one.name), time(one.ms));
    }
    for finding in &report.findings {
        let _ = writeln!(out, "- {}: {}", finding.severity.word(), plain(&finding.message));
    }
    for line in &page.unread {
        let _ = writeln!(out, "- not known: {}", plain(line));
    }
}

/// How long the stages took.
fn stages(out: &mut String, page: &Page) {
    let report = &page.report;
    out.push_str("\n## How long it took\n\n| Stage | Outcome | Time |\n|---|---|---|\n");
    for one in &report.stages {
        let away = if away_in(page, &one.name) { "; the service was away" } else { "" };
        let _ = writeln!(out, "| {} | {}{away} | {} |", stage_words(&one.name), one.outcome, time(one.ms));
    }
}

/// The health before and after.
fn health(out: &mut String, page: &Page) {
    let moments = page.moments();
    let titles: Vec<&str> = moments.iter().map(|(when, _)| *when).collect();
    let _ = writeln!(
        out,
        "\n## Health before and after\n\n| Check | {} |\n|{}",
        titles.join(" | "),
        "---|".repeat(titles.len() + 1)
    );
    for name in page.checks() {
        let cell = |all: &[gypsum_core::health::Outcome]| match all.iter().find(|one| one.name == name) {
            Some(one) if one.healthy => plain(&one.said),
            Some(one) => format!("unhealthy: {}", plain(&one.said)),
            None => "not looked at".to_owned(),
        };
        let cells: Vec<String> = moments.iter().map(|(_, all)| cell(all)).collect();
        let _ = writeln!(out, "| {} | {} |", plain(name), cells.join(" | "));
    }
}

/// What was read, and what the service logged.
fn rest(out: &mut String, page: &Page) {
    let report = &page.report;
    if !report.readings.is_empty() {
        out.push_str("\n## Readings\n\n| Value | Before | After |\n|---|---|---|\n");
        for one in &report.readings {
            let _ =
                writeln!(out, "| {} | {} | {} |", plain(&one.name), plain(&one.before), plain(&one.after));
        }
    }
    if !report.log.is_empty() {
        let _ = write!(out, "\n## What the service logged\n\n{}", fenced("", &report.log.join("\n")));
    }
}

/// The backup, and how to undo it.
fn way_back(out: &mut String, page: &Page) {
    let report = &page.report;
    out.push_str("\n## Backup and the way back\n\n");
    if let Some(backup) = &report.backup {
        let _ = writeln!(out, "- the files as they were: `{backup}`");
    }
    let _ = writeln!(out, "- the record of the change: `{}`", page.folder);
    match page.undo() {
        Some(undo) => {
            let _ = writeln!(out, "- to undo it: `{undo}`");
        }
        None => out.push_str("- there is nothing to undo: its files are not live\n"),
    }
}

/// A block of code whose fence is longer than any in it.
fn fenced(language: &str, text: &str) -> String {
    let longest =
        text.lines().map(|line| line.trim_start().bytes().take_while(|byte| *byte == b'`').count()).max();
    let fence = "`".repeat(longest.unwrap_or(0).max(2) + 1);
    format!("{fence}{language}\n{text}\n{fence}\n")
}

/// Text in which nothing is markup.
fn plain(text: &str) -> String {
    let text = one_line(text);
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        if matches!(c, '\\' | '`' | '*' | '_' | '[' | ']' | '<' | '>' | '#' | '|') {
            out.push('\\');
        }
        out.push(c);
    }
    out
}
