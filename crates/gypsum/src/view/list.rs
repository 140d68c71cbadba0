//! Lists: columns, health outcomes, changes.

use super::{styled, wrapped};
use crate::out::{BOLD, DIM, ERROR, WARNING, width as width_of};
use gypsum_core::edit::LineDiff;
use gypsum_core::health::Outcome;
use gypsum_core::report::Report;
use gypsum_core::text::one_line;
use gypsum_host::state::Way;

/// Rows in columns; all but the last are as wide as their widest cell, up to a limit each.
pub fn columns(rows: &[Vec<String>], limits: &[usize]) -> Vec<String> {
    let widths = widths(rows, limits);
    rows.iter().map(|row| in_columns(row, &widths)).collect()
}

/// How wide each column is: as its widest cell, up to a limit.
pub fn widths<R: AsRef<[String]>>(rows: &[R], limits: &[usize]) -> Vec<usize> {
    let width = |(n, limit): (usize, &usize)| {
        let widest = rows.iter().filter_map(|row| row.as_ref().get(n)).map(|cell| width_of(cell)).max();
        widest.unwrap_or(0).min(*limit)
    };
    limits.iter().enumerate().map(width).collect()
}

/// One row in columns of these widths.
pub fn in_columns(row: &[String], widths: &[usize]) -> String {
    let mut line = String::new();
    for (n, cell) in row.iter().enumerate() {
        line.push_str(cell);
        if n + 1 < row.len() {
            let pad = widths.get(n).copied().unwrap_or(0).saturating_sub(width_of(cell));
            line.push_str(&" ".repeat(pad + 2));
        }
    }
    line.trim_end().to_owned()
}

/// What one health check said; `mark` says of one that is not well that it is not.
pub fn outcome_line(outcome: &Outcome, width: usize, mark: bool) -> Vec<String> {
    let (word, style) = match (outcome.is_unknown, outcome.healthy) {
        (true, _) => ("not known, ", Some(WARNING)),
        (false, false) => ("unhealthy, ", Some(ERROR)),
        (false, true) => ("", None),
    };
    let word = if mark { word } else { "" };
    let mut lines = wrapped(&format!("{word}{}: {}", outcome.name, outcome.said), width - 4);
    for (n, line) in lines.iter_mut().enumerate() {
        *line = match (n, style) {
            // The word in the colour of what it says; without a word all of the line.
            (0, Some(style)) if !word.is_empty() => {
                let rest = line.strip_prefix(word).unwrap_or_default();
                format!("{} {rest}", styled(style, word.trim_end()))
            }
            (0, Some(style)) => styled(style, line),
            (0, None) => continue,
            _ => format!("    {line}"),
        };
    }
    lines
}

/// One change in a list: daemon, number, time, verdict, who; under it the edits and why. Nothing is cut.
pub fn change_lines(
    title: &str,
    when: &str,
    report: Option<&Report>,
    way: &Way,
    width: usize,
) -> Vec<String> {
    let Some(report) = report else {
        return vec![format!("{title}  {when}  ended before anything was live")];
    };
    let (word, style) = match way {
        Way::Ended => (report.verdict.map_or("", |verdict| verdict.word()), None),
        Way::GoesOn(_) => ("goes on", Some(BOLD)),
        Way::CutOff => ("interrupted", Some(ERROR)),
        Way::Unknown(_) => ("unknown", Some(ERROR)),
    };
    let pad = " ".repeat(8usize.saturating_sub(word.len()));
    let mark = style.map_or_else(|| word.to_owned(), |style| styled(style, word));
    let unhealthy = if report.healthy == Some(false) && word == "kept" { "(unhealthy)  " } else { "" };
    let (head, tail) = (format!("{title}  {when}"), format!("{mark}{pad}  {unhealthy}{}", report.who));
    let mut lines = match width_of(&tail) + 2 {
        needed if width_of(&head) + needed <= width => vec![format!("{head}  {tail}")],
        needed if INDENT.len() + needed <= width => vec![head, format!("{INDENT}{tail}")],
        // Who it was has a line of its own.
        _ => {
            vec![head, format!("{INDENT}{mark}  {}", unhealthy.trim_end()), format!("{INDENT}{}", report.who)]
        }
    };
    let inner = |text: &str| -> Vec<String> {
        wrapped(text, width - INDENT.len() - 2).iter().map(|line| format!("{INDENT}{line}")).collect()
    };
    match way {
        Way::Ended => {}
        Way::GoesOn(holder) => lines.extend(inner(&format!("carried by {holder}"))),
        Way::Unknown(why) => lines.extend(inner(why)),
        Way::CutOff => {
            lines.extend(inner(&format!("finish or undo it with: gypsum recover {}", report.daemon)));
        }
    }
    report.edits.iter().for_each(|edit| lines.extend(inner(&edit_text(edit))));
    if let Some(why) = &report.why {
        lines.extend(inner(&format!("why: {why}")).iter().map(|line| styled(DIM, line)));
    }
    lines
}

const INDENT: &str = "       ";

/// One edit in a line: the section that it is in, the setting, and what it was.
fn edit_text(edit: &LineDiff) -> String {
    // Alignment and the remark behind the value matter in the file, not here.
    let section = edit.address.rsplit_once("..").map_or(String::new(), |(section, _)| format!("{section}: "));
    let text = match (&edit.before, &edit.after) {
        (Some(before), Some(after)) => format!("{}  (was: {})", one_line(after), one_line(before)),
        (None, Some(after)) => format!("{}  (new)", one_line(after)),
        (Some(before), None) => format!("{}  (removed)", one_line(before)),
        (None, None) => edit.address.clone(),
    };
    format!("{section}{text}")
}
