//! The page as HTML: no script, nothing from elsewhere, readable on paper, in the dark, on a phone, and aloud.

use super::timeline::{away_in, timeline};
use super::{FilePart, Page, stage_words};
use crate::view::{time, value_text};
use gypsum_core::finding::Finding;
use gypsum_core::health::Outcome;
use html_escape::encode_text;
use std::fmt::Write;

const STYLE: &str = include_str!("page.css");
const SETTING: [&str; 4] = ["Setting", "Before", "After", "What it does"];
const STAGE: [&str; 3] = ["Stage", "Outcome", "Time"];
const READING: [&str; 3] = ["Value", "Before", "After"];

/// The whole page.
pub fn html(page: &Page) -> String {
    let report = &page.report;
    let mut body = String::new();
    let class = if page.is_good() { "good" } else { "bad" };
    let _ = writeln!(
        body,
        "<header>\n<p class=\"verdict {class}\">{}</p>\n<h1>{}</h1>\n<p class=\"summary\">{}</p>\n</header>",
        page.verdict(),
        encode_text(&page.title()),
        encode_text(&sentence(&report.summary))
    );
    body.push_str(&facts(page));
    section(
        &mut body,
        page.about_files(),
        &page.files.iter().map(file).collect::<String>(),
        "No file was changed.",
    );
    section(&mut body, "What was checked", &checked(page), "Nothing was checked.");
    section(&mut body, "How long it took", &stages(page), "No stage is recorded.");
    section(&mut body, "Health before and after", &health(page), "There was no health check.");
    let readings: String =
        report.readings.iter().map(|one| row(&READING, &[&one.name, &one.before, &one.after])).collect();
    if !readings.is_empty() {
        let table = format!("<table><thead>{}</thead><tbody>{readings}</tbody></table>\n", head(&READING));
        section(&mut body, "Readings", &table, "");
    }
    if !report.log.is_empty() {
        let log = format!("<pre>{}</pre>\n", encode_text(&report.log.join("\n")));
        section(&mut body, "What the service logged", &log, "");
    }
    section(&mut body, "Backup and the way back", &way_back(page), "");
    format!(
        "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\"/>\n<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\"/>\n<meta name=\"color-scheme\" content=\"light dark\"/>\n<title>{}: {}</title>\n<style>\n{STYLE}</style>\n</head>\n<body>\n<main>\n{body}</main>\n</body>\n</html>\n",
        encode_text(&page.title()),
        page.verdict()
    )
}

fn section(out: &mut String, title: &str, inner: &str, otherwise: &str) {
    let inner = match inner.is_empty() {
        true => format!("<p>{otherwise}</p>\n"),
        false => inner.to_owned(),
    };
    let _ = writeln!(out, "<section>\n<h2>{title}</h2>\n{inner}</section>");
}

/// Who, when, why.
fn facts(page: &Page) -> String {
    let report = &page.report;
    let mut rows: Vec<(&str, String)> = vec![("By", report.who.clone())];
    if let Some(why) = &report.why {
        rows.push(("Why", why.clone()));
    }
    let moment = |text: &Option<String>| text.as_deref().map(super::html::moment);
    rows.extend(moment(&report.begun).map(|text| ("Begun", text)));
    rows.extend(moment(&report.ended).map(|text| ("Ended", text)));
    rows.push((
        "Service",
        match page.away_ms() {
            Some(ms) => format!("restarted; away for {} at the most", time(ms)),
            None => report
                .activation
                .as_ref()
                .map_or_else(|| "not touched".to_owned(), |one| format!("{}; it was never away", one.how)),
        },
    ));
    rows.extend(report.reason.as_ref().map(|reason| ("Because", sentence(reason))));
    let rows: String =
        rows.iter().map(|(name, text)| format!("<dt>{name}</dt><dd>{}</dd>\n", encode_text(text))).collect();
    format!("<dl class=\"facts\">\n{rows}</dl>\n")
}

fn file(part: &FilePart) -> String {
    let mut out = format!("<h3><code>{}</code></h3>\n", encode_text(&part.name));
    if !part.settings.is_empty() {
        let rows: String = part
            .settings
            .iter()
            .map(|one| {
                let about = one.about.clone().unwrap_or_default();
                row(
                    &SETTING,
                    &[&one.address, &value_text(one.other.as_ref()), &value_text(one.this.as_ref()), &about],
                )
            })
            .collect();
        let _ = writeln!(out, "<table><thead>{}</thead><tbody>{rows}</tbody></table>", head(&SETTING));
    }
    let lines: String = part
        .lines
        .iter()
        .map(|line| {
            let text = encode_text(line);
            let is_head = line.starts_with("--- ") || line.starts_with("+++ ");
            match line.as_bytes().first().filter(|_| !is_head) {
                Some(b'+') => format!("<ins>{text}</ins>\n"),
                Some(b'-') => format!("<del>{text}</del>\n"),
                _ => format!("{text}\n"),
            }
        })
        .collect();
    if !lines.is_empty() {
        let _ = writeln!(out, "<pre class=\"lines\">{lines}</pre>");
    }
    out
}

fn checked(page: &Page) -> String {
    let report = &page.report;
    let mut out = String::new();
    if !report.checked_by.is_empty() {
        let by: String = report
            .checked_by
            .iter()
            .map(|one| format!("<li>{}, {}</li>\n", encode_text(&one.name), time(one.ms)))
            .collect();
        let _ = writeln!(out, "<ul>\n{by}</ul>");
    }
    if report.findings.is_empty() {
        out.push_str("<p>Nothing was found.</p>\n");
    }
    for finding in &report.findings {
        out.push_str(&found(finding));
    }
    for line in &page.unread {
        let _ = writeln!(out, "<p class=\"finding\"><strong>not known</strong> {}</p>", encode_text(line));
    }
    out
}

fn found(finding: &Finding) -> String {
    let place = match (&finding.file, finding.line) {
        (Some(file), Some(line)) => format!("<br/><code>{}</code>, line {line}", encode_text(file)),
        (Some(file), None) => format!("<br/><code>{}</code>", encode_text(file)),
        (None, _) => String::new(),
    };
    let accepted = match (&finding.reason, finding.accepted) {
        (Some(reason), true) => format!("<br/>accepted: {}", encode_text(reason)),
        (None, true) => "<br/>accepted".to_owned(),
        (_, false) => String::new(),
    };
    format!(
        "<p class=\"finding\"><strong>{}</strong> {}{place}{accepted}</p>\n",
        finding.severity.word(),
        encode_text(&finding.message)
    )
}

fn stages(page: &Page) -> String {
    if page.report.stages.is_empty() {
        return String::new();
    }
    let rows: String = page
        .report
        .stages
        .iter()
        .map(|one| {
            let away = if away_in(page, &one.name) { "; the service was away" } else { "" };
            row(&STAGE, &[stage_words(&one.name), &format!("{}{away}", one.outcome), &time(one.ms)])
        })
        .collect();
    let table =
        format!("<table class=\"aloud\"><thead>{}</thead><tbody>{rows}</tbody></table>\n", head(&STAGE));
    let total: u64 = page.report.stages.iter().map(|one| one.ms).sum();
    let away = match page.away_ms() {
        Some(ms) => format!("In the hatched part the service was away: {} at the most.", time(ms)),
        None => "The service was never away.".to_owned(),
    };
    format!(
        "<figure>\n{}<figcaption>{} in all. {away}</figcaption>\n</figure>\n{table}",
        timeline(page),
        time(total)
    )
}

fn health(page: &Page) -> String {
    let moments = page.moments();
    let cell = |when: &str, outcome: Option<&Outcome>| match outcome {
        Some(one) if one.healthy => format!("<td data-title=\"{when}\">{}</td>", encode_text(&one.said)),
        Some(one) => {
            format!(
                "<td data-title=\"{when}\" class=\"ill\"><strong>unhealthy:</strong> {}</td>",
                encode_text(&one.said)
            )
        }
        None => format!("<td data-title=\"{when}\">not looked at</td>"),
    };
    let line = |name: &str| {
        let cells = moments.iter().map(|(when, all)| cell(when, all.iter().find(|one| one.name == name)));
        format!("<tr><th scope=\"row\">{}</th>{}</tr>\n", encode_text(name), cells.collect::<String>())
    };
    let rows: String = page.checks().into_iter().map(line).collect();
    if rows.is_empty() {
        return String::new();
    }
    let names: Vec<&str> = std::iter::once("Check").chain(moments.iter().map(|(when, _)| *when)).collect();
    format!("<table><thead>{}</thead><tbody>{rows}</tbody></table>\n", head(&names))
}

fn way_back(page: &Page) -> String {
    let mut out = String::new();
    if let Some(backup) = &page.report.backup {
        let _ = writeln!(out, "<p>The files as they were are in <code>{}</code>.</p>", encode_text(backup));
    }
    let _ =
        writeln!(out, "<p>The record of the change is in <code>{}</code>.</p>", encode_text(&page.folder));
    match page.undo() {
        Some(undo) => {
            let _ = writeln!(out, "<p>To undo it: <code>{}</code></p>", encode_text(&undo));
        }
        None => out.push_str("<p>There is nothing to undo: its files are not live.</p>\n"),
    }
    if let Some(next) = &page.report.next {
        let _ = writeln!(out, "<p>To do next: {}</p>", encode_text(next));
    }
    out
}

fn head(names: &[&str]) -> String {
    let cells: String = names.iter().map(|name| format!("<th scope=\"col\">{name}</th>")).collect();
    format!("<tr>{cells}</tr>")
}

/// A row; each cell has the title of its column, which is shown where there is no room for columns.
fn row(titles: &[&str], cells: &[&str]) -> String {
    let cell = |(n, (title, cell)): (usize, (&&str, &&str))| match n {
        0 => format!("<th scope=\"row\">{}</th>", encode_text(cell)),
        _ => format!("<td data-title=\"{title}\">{}</td>", encode_text(cell)),
    };
    let cells: String = titles.iter().zip(cells).enumerate().map(cell).collect();
    format!("<tr>{cells}</tr>\n")
}

/// A moment as it is recorded (RFC 3339, in UTC), for the eye.
pub fn moment(text: &str) -> String {
    match text.parse::<jiff::Timestamp>() {
        Ok(moment) => {
            let zoned = moment.to_zoned(gypsum_host::local_zone::local_zone());
            zoned.strftime("%Y-%m-%d %H:%M:%S %Z").to_string()
        }
        Err(_) => text.to_owned(),
    }
}

/// With a full stop. What is a name at its beginning is left as it is.
fn sentence(text: &str) -> String {
    match text.ends_with(['.', '!', '?']) || text.is_empty() {
        true => text.to_owned(),
        false => format!("{text}."),
    }
}
