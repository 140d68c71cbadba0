//! Blocks in braces with a statement a line, read line by line.

use super::account::{Account, Scalar, Sort, Unreadable};
use super::builder::Builder;
use crate::doc::Dialect;

pub fn read(source: &[u8], dialect: &Dialect, builder: &mut Builder) -> Result<(), Unreadable> {
    let source = &source[super::mark_length(source)..];
    let mut lines = source.split(|byte| *byte == b'\n').enumerate();
    while let Some((n, line)) = lines.next() {
        let number = n as u32 + 1;
        let mut text = line.trim_ascii().to_vec();
        if text.is_empty() || dialect.comments.iter().any(|mark| text.starts_with(mark.as_bytes())) {
            continue;
        }
        while dialect.continuation && text.ends_with(b"\\") {
            text.pop();
            let Some((_, more)) = lines.next() else {
                break;
            };
            text.extend_from_slice(b" ");
            text.extend_from_slice(more.trim_ascii());
        }
        let text = without_comment(&text, dialect).trim_ascii();
        if text == b"}" {
            if !builder.close() {
                builder.value(None, Some(Scalar::of(Sort::Other, "}")), number);
            }
        } else if let Some(head) = text.strip_suffix(b"{") {
            let (name, value) = parts(head.trim_ascii(), dialect);
            let value = value.map(|value| Scalar::text(value.text.trim_ascii()));
            builder.open(Some(name), value, number);
        } else {
            let (name, value) = parts(text, dialect);
            builder.value(Some(name), value, number);
        }
    }
    Ok(())
}

/// `text` as a value, whose quotes are its own.
pub fn value_alone(text: &str, dialect: &Dialect) -> Account {
    let mut builder = Builder::default();
    let value = (!text.is_empty()).then(|| Scalar::text(without_quotes(text.as_bytes(), dialect)));
    builder.value(None, value, 0);
    builder.finish()
}

/// The name, and the value behind its mark or blank.
fn parts(text: &[u8], dialect: &Dialect) -> (Vec<u8>, Option<Scalar>) {
    let ends = |byte: &u8| byte.is_ascii_whitespace() || dialect.equals && *byte == b'=';
    let length = text.iter().position(ends).unwrap_or(text.len());
    let (name, rest) = text.split_at(length);
    let rest = rest.trim_ascii_start();
    let rest = rest.strip_prefix(b"=").filter(|_| dialect.equals).unwrap_or(rest).trim_ascii();
    (name.to_vec(), (!rest.is_empty()).then(|| Scalar::text(without_quotes(rest, dialect))))
}

/// A value without the quotes around the whole of it, and without the backslashes that those need.
fn without_quotes(text: &[u8], dialect: &Dialect) -> Vec<u8> {
    let inner = match text {
        [first, inner @ .., last] if first == last && dialect.is_quote(*first) => inner,
        _ => return text.to_vec(),
    };
    let mut out = Vec::new();
    let mut bytes = inner.iter();
    while let Some(byte) = bytes.next() {
        let next = bytes.as_slice().first();
        let escape = *byte == b'\\' && next.is_some_and(|next| dialect.escaped.as_bytes().contains(next));
        out.push(if escape { *bytes.next().unwrap_or(byte) } else { *byte });
    }
    out
}

/// The line up to the comment behind it, which begins behind a blank and outside of quotes.
fn without_comment<'a>(line: &'a [u8], dialect: &Dialect) -> &'a [u8] {
    let mut quote = None;
    for (at, byte) in line.iter().enumerate() {
        match quote {
            Some(open) if open == byte => quote = None,
            Some(_) => {}
            None if dialect.is_quote(*byte) => quote = Some(byte),
            None => {
                let begins =
                    dialect.inline_comments.iter().any(|mark| line[at..].starts_with(mark.as_bytes()));
                if begins && (dialect.comments_anywhere || at > 0 && line[at - 1].is_ascii_whitespace()) {
                    return &line[..at];
                }
            }
        }
    }
    line
}
