//! What is drawn: findings, a change as it happens, lists. Everything fits 80 columns.

mod change;
mod difference;
mod finding;
mod list;

pub use change::ChangeView;
pub use difference::{difference, sizes};
pub use finding::{SCREEN, finding_lines, rest};
pub use list::{change_lines, columns, in_columns, outcome_line, widths};

use anstyle::Style;

/// `text` in `style`.
pub fn styled(style: Style, text: &str) -> String {
    format!("{style}{text}{style:#}")
}

/// `text` broken at blanks so that no line is longer than `width`, and lines that stand for
/// themselves stay apart.
pub fn wrapped(text: &str, width: usize) -> Vec<String> {
    let mut lines = Vec::new();
    for paragraph in text.lines() {
        // What is indented is to be copied, and stays in one line.
        if paragraph.starts_with("  ") {
            lines.push(paragraph.to_owned());
            continue;
        }
        let mut line = String::new();
        for word in paragraph.split(' ') {
            if !line.is_empty() && line.chars().count() + 1 + word.chars().count() > width {
                lines.push(std::mem::take(&mut line));
            } else if !line.is_empty() {
                line.push(' ');
            }
            line.push_str(word);
        }
        lines.push(line);
    }
    lines
}

/// A moment (milliseconds since 1970) as it is said: the time of day, and the day where it is another.
pub fn when(at_ms: i64) -> String {
    let zone = jiff::tz::TimeZone::system();
    let at = jiff::Timestamp::from_millisecond(at_ms).unwrap_or_default().to_zoned(zone.clone());
    let today = jiff::Timestamp::now().to_zoned(zone).date() == at.date();
    at.strftime(if today { "%H:%M" } else { "%Y-%m-%d %H:%M" }).to_string()
}

/// A time for the eye: `47 ms`, `2.1 s`.
pub fn time(ms: u64) -> String {
    if ms < 1000 { format!("{ms} ms") } else { format!("{}.{} s", ms / 1000, ms % 1000 / 100) }
}
