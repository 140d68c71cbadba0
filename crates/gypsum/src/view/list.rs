//! Lists: columns, health outcomes, changes.

use super::{styled, wrapped};
use crate::out::{BOLD, DIM, ERROR};
use gypsum_core::health::Outcome;
use gypsum_core::report::Report;
use gypsum_host::state::Way;

/// Rows in columns; all but the last are as wide as their widest cell, up to a limit each.
pub fn columns(rows: &[Vec<String>], limits: &[usize]) -> Vec<String> {
    let widths = widths(rows, limits);
    rows.iter().map(|row| in_columns(row, &widths)).collect()
}

/// How wide each column is: as its widest cell, up to a limit.
pub fn widths(rows: &[Vec<String>], limits: &[usize]) -> Vec<usize> {
    let width = |(n, limit): (usize, &usize)| {
        let widest = rows.iter().filter_map(|row| row.get(n)).map(|cell| cell.chars().count()).max();
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
            let pad = widths.get(n).copied().unwrap_or(0).saturating_sub(cell.chars().count());
            line.push_str(&" ".repeat(pad + 2));
        }
    }
    line.trim_end().to_owned()
}

/// What one health check said; `mark` says of one that is not well that it is not.
pub fn outcome_line(outcome: &Outcome, width: usize, mark: bool) -> Vec<String> {
    let mut lines = wrapped(&format!("{}: {}", outcome.name, outcome.said), width - 4);
    let more = lines.len();
    for (n, line) in lines.iter_mut().enumerate() {
        if !outcome.healthy && n == 0 {
            *line =
                if mark { format!("{} {line}", styled(ERROR, "unhealthy,")) } else { styled(ERROR, line) };
        } else if n > 0 && more > 1 {
            *line = format!("    {line}");
        }
    }
    lines
}

/// One change in a list: number, time, verdict, who; under it why and what.
pub fn change_lines(number: u32, when: &str, report: Option<&Report>, way: &Way) -> Vec<String> {
    let Some(report) = report else {
        return vec![format!("{number:>5}  {when}  ended before anything was live")];
    };
    let (word, style) = match way {
        Way::Ended => (report.verdict.map_or("", |verdict| verdict.word()), None),
        Way::GoesOn(_) => ("goes on", Some(BOLD)),
        Way::CutOff => ("interrupted", Some(ERROR)),
        Way::Unknown(_) => ("unknown", Some(ERROR)),
    };
    let mark = format!("{word:<9}");
    let mark = style.map_or(mark.clone(), |style| styled(style, &mark));
    let unhealthy = if report.healthy == Some(false) && word == "kept" { " (unhealthy)" } else { "" };
    let mut lines = vec![format!("{number:>5}  {when}  {mark}{unhealthy} {}", report.who)];
    match way {
        Way::Ended => {}
        Way::GoesOn(holder) => lines.push(format!("       carried by {holder}")),
        Way::Unknown(why) => lines.extend(wrapped(why, 70).iter().map(|line| format!("       {line}"))),
        Way::CutOff => lines.push(format!("       gypsum recover {} brings it to a verdict", report.daemon)),
    }
    for edit in &report.edits {
        // Alignment and the remark behind the value matter in the file, not here.
        let short = |line: &String| line.split_whitespace().collect::<Vec<_>>().join(" ");
        let text = match (&edit.before, &edit.after) {
            (Some(before), Some(after)) => format!("{}  (was: {})", short(after), short(before)),
            (None, Some(after)) => format!("{}  (new)", short(after)),
            (Some(before), None) => format!("{}  (removed)", short(before)),
            (None, None) => edit.address.clone(),
        };
        let text: String = text.chars().take(71).collect();
        lines.push(format!("       {text}"));
    }
    if let Some(why) = &report.why {
        lines.extend(
            wrapped(&format!("why: {why}"), 70)
                .into_iter()
                .map(|line| format!("       {}", styled(DIM, &line))),
        );
    }
    lines
}
