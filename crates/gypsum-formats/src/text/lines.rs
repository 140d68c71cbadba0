//! Lines and columns of a byte offset, and the line endings in use.

use super::Span;
use serde::{Deserialize, Serialize};

/// A line and a column, both counted from 1; the column counts characters where the line is UTF-8
/// and bytes where it is not.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Place {
    /// Line, from 1.
    pub line: u32,
    /// Column, from 1.
    pub column: u32,
}

/// How a line ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Ending {
    /// `\n`
    Lf,
    /// `\r\n`
    CrLf,
}

impl Ending {
    /// The bytes of the ending.
    pub fn bytes(self) -> &'static [u8] {
        match self {
            Self::Lf => b"\n",
            Self::CrLf => b"\r\n",
        }
    }
}

/// The place of byte `offset` in `source`.
pub fn place_of(source: &[u8], offset: usize) -> Place {
    let before = &source[..offset.min(source.len())];
    let line = memchr::memchr_iter(b'\n', before).count() + 1;
    let start = memchr::memrchr(b'\n', before).map_or(0, |at| at + 1);
    let column =
        std::str::from_utf8(&before[start..]).map_or(before.len() - start, |text| text.chars().count()) + 1;
    Place { line: line as u32, column: column as u32 }
}

/// The whole line around `offset`, without its ending.
pub fn line_span(source: &[u8], offset: usize) -> Span {
    let offset = offset.min(source.len());
    let start = memchr::memrchr(b'\n', &source[..offset]).map_or(0, |at| at + 1);
    let mut end = memchr::memchr(b'\n', &source[offset..]).map_or(source.len(), |at| offset + at);
    if end > start && source[end - 1] == b'\r' {
        end -= 1;
    }
    Span::new(start, end)
}

/// The ending that a new line at `offset` should have: that of the line before it, else that of
/// the first line, else `\n`.
pub fn ending_at(source: &[u8], offset: usize) -> Ending {
    let offset = offset.min(source.len());
    let at = memchr::memrchr(b'\n', &source[..offset]).or_else(|| memchr::memchr(b'\n', source));
    match at {
        Some(at) if at > 0 && source[at - 1] == b'\r' => Ending::CrLf,
        _ => Ending::Lf,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_count_characters_and_lines() {
        let source = "eins\nzwö=3\r\n".as_bytes();
        assert_eq!(place_of(source, 0), Place { line: 1, column: 1 });
        assert_eq!(place_of(source, 9), Place { line: 2, column: 4 });
        assert_eq!(line_span(source, 7).of(source), "zwö=3".as_bytes());
        assert_eq!(ending_at(source, source.len()), Ending::CrLf);
        assert_eq!(ending_at(source, 2), Ending::Lf);
    }
}
