//! Statements that end with a mark, and blocks in braces, read token by token.

use super::account::{Scalar, Sort, Unreadable};
use super::builder::Builder;
use super::words::{value, word_at};
use crate::doc::Dialect;

pub fn read(source: &[u8], dialect: &Dialect, builder: &mut Builder) -> Result<(), Unreadable> {
    let mut at = super::mark_length(source);
    let (mut line, mut counted) = (1, 0);
    // The name as it is written, and the words behind it.
    let mut statement: Option<(Vec<u8>, Vec<Vec<u8>>, u32)> = None;
    while at < source.len() {
        let byte = source[at];
        if byte.is_ascii_whitespace() {
            at += 1;
            continue;
        }
        line += memchr::memchr_iter(b'\n', &source[counted..at]).count() as u32;
        counted = at;
        if let Some(end) = comment(source, at, dialect) {
            at = end;
            continue;
        }
        match byte {
            b';' => {
                // Else it is the mark of a block that is itself a statement.
                if let Some((name, words, line)) = statement.take() {
                    builder.value(Some(name), value(&words), line);
                }
                at += 1;
            }
            b'{' => {
                let (name, words, line) = statement.take().unwrap_or((Vec::new(), Vec::new(), line));
                builder.open(Some(name), value(&words), line);
                at += 1;
            }
            b'}' => {
                if let Some((name, words, line)) = statement.take() {
                    unfinished(builder, name, &words, line);
                }
                if !builder.close() {
                    builder.value(None, Some(Scalar::of(Sort::Other, "}")), line);
                }
                at += 1;
            }
            _ => {
                let (word, end) = word_at(source, at, dialect, b";{}");
                match &mut statement {
                    None => statement = Some((source[at..end].to_vec(), Vec::new(), line)),
                    Some((_, words, _)) => words.push(word),
                }
                at = end;
            }
        }
    }
    if let Some((name, words, line)) = statement {
        unfinished(builder, name, &words, line);
    }
    Ok(())
}

/// A statement without its mark is no statement, and must stay as it is.
fn unfinished(builder: &mut Builder, name: Vec<u8>, words: &[Vec<u8>], line: u32) {
    let text = std::iter::once(name.as_slice()).chain(words.iter().map(Vec::as_slice)).collect::<Vec<_>>();
    builder.value(None, Some(Scalar::of(Sort::Other, text.join(&b' '))), line);
}

fn comment(source: &[u8], at: usize, dialect: &Dialect) -> Option<usize> {
    let rest = &source[at..];
    let mark = dialect.comments.iter().find(|mark| rest.starts_with(mark.as_bytes()))?;
    let end = match mark.as_str() {
        "/*" => memchr::memmem::find(rest, b"*/").map(|end| end + 2),
        _ => memchr::memchr(b'\n', rest),
    };
    Some(end.map_or(source.len(), |end| at + end))
}
