//! What is drawn: findings, a change as it happens, lists. All of it fits the width of the terminal.

mod change;
mod difference;
mod finding;
mod list;
mod narrow;
mod value;
mod waiting;

pub use change::ChangeView;
pub use difference::{coloured, difference, sizes};
pub use finding::{Shown, finding_lines, plain_finding_lines};
pub use list::{change_lines, columns, in_columns, outcome_line, widths};

pub use crate::out::styled;
use std::borrow::Cow;
use textwrap::{Options, WordSplitter};
pub use value::value_text;
pub use waiting::Waiting;

/// `text` broken at blanks so that no line is longer than `width`, but for a word that is; lines stay apart.
pub fn wrapped(text: &str, width: usize) -> Vec<String> {
    let options = Options::new(width).break_words(false).word_splitter(WordSplitter::NoHyphenation);
    let mut lines = Vec::new();
    for paragraph in text.lines() {
        // What is indented is to be copied, and stays in one line.
        match paragraph.starts_with("  ") {
            true => lines.push(paragraph.to_owned()),
            false => lines.extend(textwrap::wrap(paragraph, &options).into_iter().map(Cow::into_owned)),
        }
    }
    lines
}

/// `text`, cut with a mark where it is longer than `width`.
pub fn cut(text: &str, width: usize) -> String {
    if text.chars().count() <= width {
        return text.to_owned();
    }
    let kept: String = text.chars().take(width.saturating_sub(4)).collect();
    format!("{kept} ...")
}

/// A moment (milliseconds since 1970) in local time, with the zone: the time of day, and the day where it is another.
pub fn when(at_ms: i64) -> String {
    let zone = gypsum_host::local_zone::local_zone();
    let at = jiff::Timestamp::from_millisecond(at_ms).unwrap_or_default().to_zoned(zone.clone());
    let today = jiff::Timestamp::now().to_zoned(zone).date() == at.date();
    at.strftime(if today { "%H:%M %Z" } else { "%Y-%m-%d %H:%M %Z" }).to_string()
}

/// A time for the eye: `47 ms`, `2.1 s`.
pub fn time(ms: u64) -> String {
    if ms < 1000 { format!("{ms} ms") } else { format!("{}.{} s", ms / 1000, ms % 1000 / 100) }
}
