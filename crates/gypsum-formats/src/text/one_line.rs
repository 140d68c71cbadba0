//! A text in one line.

/// The words of a text in one line, with one blank between them.
pub fn one_line(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}
