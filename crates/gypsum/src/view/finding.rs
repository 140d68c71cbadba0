//! A finding: file, line, the line itself, the place in it, what is wrong, what to do.

use super::{styled, wrapped};
use crate::out::{DIM, ERROR, WARNING};
use anstyle::Style;
use gypsum_core::finding::{Finding, Severity};

const WIDTH: usize = 74;

/// More findings than this do not fit on a screen.
pub const SCREEN: usize = 8;

/// What is said of the findings that do not fit on a screen.
pub fn rest(count: usize) -> Option<String> {
    let more = count.checked_sub(SCREEN).filter(|more| *more > 0)?;
    Some(format!("and {more} more findings: --json lists them all"))
}

/// The lines of one finding.
pub fn finding_lines(finding: &Finding) -> Vec<String> {
    let style = match finding.severity {
        Severity::Fault => ERROR,
        Severity::Warning => WARNING,
        Severity::Hint => Style::new(),
    };
    let word = finding.severity.word();
    let indent = " ".repeat(word.len() + 2);
    let message = wrapped(&finding.message, 78 - indent.len());
    let mut lines = Vec::new();
    for (n, line) in message.iter().enumerate() {
        let lead = if n == 0 { format!("{}: ", styled(style, word)) } else { indent.clone() };
        lines.push(format!("{lead}{line}"));
    }
    lines.extend(place(finding));
    if let Some(help) = &finding.help {
        lines.extend(wrapped(help, WIDTH).into_iter().map(|line| format!("    {line}")));
    }
    let rule = match (finding.accepted, finding.severity) {
        // There is nothing to accept.
        _ if finding.firm || finding.rule == "profile" => return lines,
        (true, _) => match &finding.reason {
            Some(reason) => format!("accepted: {} ({reason})", finding.rule),
            None => format!("accepted: {}", finding.rule),
        },
        (false, Severity::Fault) => format!("to accept it: --accept {}", finding.rule),
        (false, _) => format!("rule: {}", finding.rule),
    };
    lines.push(format!("    {}", styled(DIM, &rule)));
    lines
}

fn place(finding: &Finding) -> Vec<String> {
    let Some(file) = &finding.file else {
        return Vec::new();
    };
    let line = finding.line.map_or(String::new(), |line| format!(", line {line}"));
    let column = finding.column.map_or(String::new(), |column| format!(", column {column}"));
    let mut lines = vec![format!("    {file}{line}{column}")];
    if let Some(text) = &finding.text {
        let shown: String = text.replace('\t', " ").chars().take(WIDTH - 4).collect();
        lines.push(format!("      {shown}"));
        let column = finding.column.unwrap_or(0) as usize;
        if column > 0 && column <= shown.chars().count() {
            lines.push(format!("      {}{}", " ".repeat(column - 1), styled(ERROR, "^")));
        }
    }
    lines
}
