//! What a format is: how its files are read, and how what is written into them looks. One file a format; the list of
//! [`Family`](super::Family) has them all.

use super::{Dialect, Document, Kind, Parts, Tree, escapes};
use crate::text::Span;
use std::borrow::Cow;

/// The line that opens a block, and the one that closes it, where there is one.
pub type BlockLines = (String, Option<String>);

/// A format.
pub(crate) trait Format: Sync {
    /// The dialect to assume for a daemon without a profile.
    fn plain_dialect(&self) -> Dialect;

    /// Takes a file apart, to the last byte.
    fn read(&self, source: &[u8], dialect: &Dialect) -> Tree;

    /// Splits the statement in `span`; `None` where it holds none after all.
    fn split(&self, source: &[u8], kind: Kind, span: Span, dialect: &Dialect) -> Option<Parts>;

    /// What `text`, taken out of a comment, would be if it were awake.
    fn kind_of(&self, text: &[u8], dialect: &Dialect) -> Kind;

    /// What is between a name and its value where the file shows no example.
    fn separator<'a>(&self, _: &'a Dialect) -> &'a str {
        " "
    }

    /// The mark that ends a statement.
    fn terminator(&self) -> &'static str {
        ""
    }

    /// Whether a block is closed by a mark of its own.
    fn closes_blocks(&self) -> bool {
        false
    }

    /// The lines around a new block of these words; `None` if there are no blocks.
    fn block_lines(&self, _words: &str, _doc: &Document) -> Option<BlockLines> {
        None
    }

    /// Whether it is one of the standards, whose values have sorts and whose texts have escapes.
    fn is_standard(&self) -> bool {
        false
    }

    /// What ends a remark that has a line of its own.
    fn remark_end(&self) -> &'static str {
        ""
    }

    /// Whether `value` must be quoted to stay one value.
    fn needs_quotes(&self, _value: &str) -> bool {
        false
    }

    /// Whether a byte wants a backslash before it between two of these quotes.
    fn wants_backslash(&self, _byte: u8, _quote: u8) -> bool {
        false
    }

    /// Whether a backslash between two of these quotes takes the meaning of the next byte away.
    fn has_backslashes(&self, _quote: u8) -> bool {
        false
    }

    /// What a raw value means: quotes around the whole of it taken off.
    fn meaning<'a>(&self, raw: &'a [u8], dialect: &Dialect) -> Cow<'a, [u8]> {
        without_quotes(raw, dialect, |quote| self.has_backslashes(quote))
    }

    /// Whether what is commented out behind a name may be a value, where nothing is known of the names.
    fn may_be_value(&self, _value: &str) -> bool {
        false
    }

    /// What the names of its files end with, where that tells.
    fn endings(&self) -> &'static [&'static str] {
        &[]
    }
}

/// Texts of a dialect.
pub(super) fn texts(texts: &[&str]) -> Vec<String> {
    texts.iter().map(|text| (*text).to_owned()).collect()
}

/// One word that is a number, a switch or a path; prose goes on behind its first word.
pub(super) fn looks_like_a_value(value: &str) -> bool {
    let switch = ["yes", "no", "on", "off", "true", "false"].contains(&value.to_lowercase().as_str());
    !value.contains(' ') && (switch || value.starts_with(|c: char| c.is_ascii_digit() || c == '/'))
}

fn without_quotes<'a>(
    raw: &'a [u8],
    dialect: &Dialect,
    has_backslashes: impl Fn(u8) -> bool,
) -> Cow<'a, [u8]> {
    let outside = |raw| {
        if dialect.escaped_outside { escapes::taken_off(raw, b'"', dialect) } else { Cow::Borrowed(raw) }
    };
    let [first, inner @ .., last] = raw else {
        return outside(raw);
    };
    if first != last || !dialect.is_quote(*first) || ends_early(inner, *first, dialect) {
        return outside(raw);
    }
    if dialect.doubled || !dialect.escaped.is_empty() {
        return escapes::taken_off(inner, *first, dialect);
    }
    if !has_backslashes(*first) || !inner.contains(&b'\\') {
        return Cow::Borrowed(inner);
    }
    let mut out = Vec::with_capacity(inner.len());
    let mut rest = inner.iter().copied().peekable();
    while let Some(byte) = rest.next() {
        match rest.peek() {
            Some(next @ (b'"' | b'\\' | b'`' | b'$' | b'\'')) if byte == b'\\' => {
                out.push(*next);
                rest.next();
            }
            _ => out.push(byte),
        }
    }
    Cow::Owned(out)
}

/// Whether the quote that began before `inner` is closed in the middle of it.
fn ends_early(inner: &[u8], quote: u8, dialect: &Dialect) -> bool {
    if dialect.doubled {
        let quotes = inner.split(|byte| *byte == quote);
        // Each quote in it has a twin behind it.
        let pieces: Vec<&[u8]> = quotes.collect();
        return pieces.len().is_multiple_of(2)
            || pieces.iter().skip(1).step_by(2).any(|between| !between.is_empty());
    }
    let mut escaped = false;
    for byte in inner {
        if *byte == quote && !escaped {
            return true;
        }
        escaped = *byte == b'\\' && !escaped;
    }
    escaped
}
