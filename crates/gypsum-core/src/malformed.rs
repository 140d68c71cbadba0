//! What is wrong with a file that is written for Gypsum, and where.

use crate::text::{line_span, place_of};

/// Why a text is not what it should be: a profile, or settings.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("line {line}, column {column}: {message}")]
pub struct Malformed {
    /// What is wrong.
    pub message: String,
    /// Line, from 1.
    pub line: u32,
    /// Column, from 1.
    pub column: u32,
    /// The line itself.
    pub text: String,
}

const NO_TIME: &str = "this is no time; write for example \"10s\" or \"2m\"";

impl Malformed {
    /// This is wrong with `text` at byte `at`.
    pub fn at(text: &str, at: usize, message: String) -> Self {
        let place = place_of(text.as_bytes(), at);
        let line = line_span(text.as_bytes(), at).of(text.as_bytes());
        let text = String::from_utf8_lossy(line).into_owned();
        Self { message, line: place.line, column: place.column, text }
    }

    /// What the reader of TOML says of `text`.
    pub fn of_toml(text: &str, error: &toml::de::Error) -> Self {
        let lines = error.message().split('\n').map(str::trim).filter(|line| !line.is_empty());
        let message = match lines.collect::<Vec<_>>().join("; ") {
            // What the library says of a time is for those who know its formats.
            message if message.contains("duration format") => NO_TIME.to_owned(),
            message => message,
        };
        Self::at(text, error.span().map_or(0, |span| span.start), message)
    }
}
