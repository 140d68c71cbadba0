//! Headers with settings under them, read line by line; what is above the first header is at the top.

use super::account::{Scalar, Unreadable};
use super::builder::Builder;
use super::words::{value, words_of};
use crate::doc::Dialect;

pub fn read(source: &[u8], dialect: &Dialect, builder: &mut Builder) -> Result<(), Unreadable> {
    let source = &source[super::mark_length(source)..];
    let mut open = false;
    // Where no header has a colon, those are headers that have indented lines below them.
    let lines: Vec<&[u8]> = source.split(|byte| *byte == b'\n').collect();
    let bare = dialect.groups.is_empty()
        && !lines.iter().any(|line| is_header(without_comment(line, dialect).trim_ascii()));
    for (n, line) in lines.iter().copied().enumerate() {
        let number = n as u32 + 1;
        let text = without_comment(line, dialect).trim_ascii();
        if text.is_empty() {
            continue;
        }
        let (name, value) = parts(text, dialect);
        let header = if dialect.groups.is_empty() {
            if bare {
                indented_below(&lines[n + 1..]) && !line.starts_with(b" ") && !line.starts_with(b"\t")
            } else {
                is_header(text)
            }
        } else {
            dialect.groups.iter().any(|group| dialect.same(group.as_bytes(), &name))
        };
        if !header {
            builder.value(Some(name), value, number);
            continue;
        }
        if open {
            builder.close();
        }
        builder.open(Some(name), value, number);
        open = true;
    }
    Ok(())
}

/// `server:`, and `server: port: 53` with its first setting in the same line.
fn is_header(text: &[u8]) -> bool {
    let mut words = text.split(u8::is_ascii_whitespace).filter(|word| !word.is_empty());
    match (words.next(), words.next()) {
        (Some(name), None) => name.len() > 1 && name.ends_with(b":"),
        (Some(name), Some(second)) => name.ends_with(b":") && second.ends_with(b":"),
        _ => false,
    }
}

/// Whether the first of these lines that says something is indented.
fn indented_below(below: &[&[u8]]) -> bool {
    let says = |line: &&&[u8]| !line.trim_ascii().is_empty() && !line.trim_ascii_start().starts_with(b"#");
    below.iter().find(says).is_some_and(|line| line.starts_with(b" ") || line.starts_with(b"\t"))
}

fn parts(text: &[u8], dialect: &Dialect) -> (Vec<u8>, Option<Scalar>) {
    let colon = dialect.groups.is_empty();
    let ends = |byte: &u8| byte.is_ascii_whitespace() || colon && *byte == b':';
    let length = text.iter().position(ends).unwrap_or(text.len());
    let (name, rest) = text.split_at(length);
    let rest = rest.strip_prefix(b":").filter(|_| colon).unwrap_or(rest);
    (name.to_vec(), value(&words_of(rest, dialect)))
}

/// The line up to a comment, which begins where no quote is open and no backslash is before it.
fn without_comment<'a>(line: &'a [u8], dialect: &Dialect) -> &'a [u8] {
    let (mut quote, mut escaped) = (None, false);
    for (at, byte) in line.iter().copied().enumerate() {
        let begins = |marks: &[String]| marks.iter().any(|mark| line[at..].starts_with(mark.as_bytes()));
        match quote {
            _ if escaped => {}
            Some(open) if open == byte => quote = None,
            Some(_) => {}
            None if dialect.is_quote(byte) => quote = Some(byte),
            None if begins(&dialect.inline_comments)
                || begins(&dialect.comments) && line[..at].trim_ascii().is_empty() =>
            {
                return &line[..at];
            }
            None => {}
        }
        escaped = byte == b'\\' && !escaped;
    }
    line
}
