//! What a backslash and a doubled quote mean between quotes, as a dialect has it.

use super::Dialect;
use std::borrow::Cow;

/// The letters that name a character which cannot be written, and that character.
const NAMED: [(u8, u8); 5] = [(b'n', b'\n'), (b'r', b'\r'), (b't', b'\t'), (b'b', 0x08), (b's', b' ')];

/// What the text between two `quote`s means; also that outside of quotes, where escapes hold there.
pub fn taken_off<'a>(inner: &'a [u8], quote: u8, dialect: &Dialect) -> Cow<'a, [u8]> {
    let doubled = dialect.doubled && inner.contains(&quote);
    let escapes = quote == b'"' || dialect.doubled;
    if !(doubled || escapes && inner.contains(&b'\\')) {
        return Cow::Borrowed(inner);
    }
    let mut out = Vec::with_capacity(inner.len());
    let mut rest = inner.iter().copied().peekable();
    while let Some(byte) = rest.next() {
        match rest.peek().copied() {
            Some(next) if byte == b'\\' && escapes && dialect.escaped.as_bytes().contains(&next) => {
                out.push(NAMED.iter().find(|(name, _)| *name == next).map_or(next, |(_, means)| *means));
                rest.next();
            }
            Some(next) if byte == quote && next == quote && dialect.doubled => {
                out.push(quote);
                rest.next();
            }
            _ => out.push(byte),
        }
    }
    Cow::Owned(out)
}

/// `value` between two `quote`s.
pub fn quoted(value: &str, quote: u8, dialect: &Dialect) -> Vec<u8> {
    [&[quote], protected(value, Some(quote), dialect).as_slice(), &[quote]].concat()
}

/// `value` with what must stand before its backslashes and quotes.
pub fn protected(value: &str, quote: Option<u8>, dialect: &Dialect) -> Vec<u8> {
    let escapes = quote.is_none() || quote == Some(b'"') || dialect.doubled;
    let mut out = Vec::with_capacity(value.len());
    for byte in value.bytes() {
        let special = Some(byte) == quote || byte == b'\\';
        if special && dialect.doubled && byte != b'\\' {
            out.push(byte);
        } else if special && escapes && dialect.escaped.as_bytes().contains(&byte) {
            out.push(b'\\');
        }
        out.push(byte);
    }
    out
}

/// Whether `value` can stand between two `quote`s and mean itself.
pub fn fits_between(value: &str, quote: u8, dialect: &Dialect) -> bool {
    !value.as_bytes().contains(&quote)
        || dialect.doubled
        || quote == b'"' && dialect.escaped.as_bytes().contains(&quote)
}
