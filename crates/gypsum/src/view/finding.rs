//! A finding: file, line, the line itself, the place in it, what is wrong, what to do.

use super::{styled, wrapped};
use crate::out::{DIM, ERROR, Terminal, WARNING};
use anstyle::Style;
use gypsum_core::finding::{Finding, Severity};

/// More hints than this do not fit on a screen. Faults and warnings are always shown.
pub const SCREEN: usize = 8;

/// Which findings are shown: all but the hints that do not fit on a screen.
#[derive(Debug, Default)]
pub struct Shown {
    hints: usize,
}

impl Shown {
    /// Whether this one is shown, too.
    pub fn shows(&mut self, finding: &Finding, all: bool) -> bool {
        self.hints += usize::from(finding.severity == Severity::Hint);
        finding.severity != Severity::Hint || all || self.hints <= SCREEN
    }

    /// What is said of those that are not; begins anew.
    pub fn rest(&mut self, all: bool) -> Option<String> {
        let hints = std::mem::take(&mut self.hints);
        let more = hints.checked_sub(SCREEN).filter(|more| *more > 0 && !all)?;
        Some(format!("and {more} more {}: -v lists them all", if more == 1 { "hint" } else { "hints" }))
    }
}

/// The lines of one finding.
pub fn finding_lines(finding: &Finding, out: Terminal) -> Vec<String> {
    lines_of(finding, out, true)
}

/// The same for a command that accepts nothing.
pub fn plain_finding_lines(finding: &Finding, out: Terminal) -> Vec<String> {
    lines_of(finding, out, false)
}

fn lines_of(finding: &Finding, out: Terminal, accepts: bool) -> Vec<String> {
    let width = out.width;
    let style = match finding.severity {
        Severity::Fault => ERROR,
        Severity::Warning => WARNING,
        Severity::Hint => Style::new(),
    };
    let word = finding.severity.word();
    let indent = " ".repeat(word.len() + 2);
    let message = wrapped(&finding.message, width - 2 - indent.len());
    let mut lines = Vec::new();
    for (n, line) in message.iter().enumerate() {
        let lead = if n == 0 { format!("{}: ", styled(style, word)) } else { indent.clone() };
        lines.push(format!("{lead}{line}"));
    }
    // Whoever reads it in a pipe gets the whole line.
    lines.extend(place(finding, if out.is_screen { width - 8 } else { usize::MAX }));
    if !finding.said.is_empty() {
        lines.push("    it says:".to_owned());
        lines.extend(
            finding.said.iter().flat_map(|line| wrapped(line, width - 8)).map(|line| format!("      {line}")),
        );
    }
    if let Some(help) = &finding.help {
        lines.extend(wrapped(help, width - 6).into_iter().map(|line| format!("    {line}")));
    }
    let rule = match (finding.accepted, finding.severity) {
        // There is nothing to accept.
        _ if finding.firm || finding.rule == "profile" => return lines,
        (true, _) => match &finding.reason {
            Some(reason) => format!("accepted: {} ({reason})", finding.rule),
            None => format!("accepted: {}", finding.rule),
        },
        (false, Severity::Fault) if accepts => format!("to accept it: --accept {}", finding.rule),
        (false, _) => format!("rule: {}", finding.rule),
    };
    lines.push(format!("    {}", styled(DIM, &rule)));
    lines
}

fn place(finding: &Finding, width: usize) -> Vec<String> {
    let Some(file) = &finding.file else {
        return Vec::new();
    };
    let line = finding.line.map_or(String::new(), |line| format!(", line {line}"));
    let column = finding.column.map_or(String::new(), |column| format!(", column {column}"));
    let mut lines = vec![format!("    {file}{line}{column}")];
    if let Some(text) = &finding.text {
        let text = text.replace('\t', " ");
        let column = finding.column.unwrap_or(0) as usize;
        let (shown, column) = around(&text, column, width);
        lines.push(format!("      {shown}"));
        if column > 0 && column <= shown.chars().count() {
            lines.push(format!("      {}{}", " ".repeat(column - 1), styled(ERROR, "^")));
        }
    }
    lines
}

/// As much of a line as fits `width` with the place in it, and where that place is then. What is left out is marked.
fn around(line: &str, column: usize, width: usize) -> (String, usize) {
    let count = line.chars().count();
    if count <= width {
        return (line.to_owned(), column);
    }
    let begin = if column + 8 <= width { 0 } else { (column + width / 2).min(count) - width };
    let mut shown: String = line.chars().skip(begin).take(width).collect();
    if begin > 0 {
        shown = format!("... {}", shown.chars().skip(4).collect::<String>());
    }
    if begin + width < count {
        shown = format!("{} ...", shown.chars().take(width - 4).collect::<String>());
    }
    (shown, column.saturating_sub(begin))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_place_in_a_long_line_is_seen() {
        let line: String = (0..300).map(|n| char::from(b'a' + u8::try_from(n % 26).unwrap_or(0))).collect();
        for width in [32, 72, 192] {
            for column in 1..=300 {
                let (shown, at) = around(&line, column, width);
                assert!(shown.chars().count() <= width, "{width}, {column}: {shown}");
                let seen = shown.chars().nth(at - 1);
                assert_eq!(seen, line.chars().nth(column - 1), "{width}, {column}: {shown}");
            }
        }
        assert_eq!(around("short", 3, 32), ("short".to_owned(), 3));
    }
}
