//! One option inside a value that is a list of options: the heap size of a virtual machine in a shell
//! assignment, a parameter behind a word. The other options keep their bytes.

use super::ask::Amount;
use super::quantity::changed;
use crate::doc::{Document, Parts};
use crate::finding::Finding;
use crate::text::{Span, Splice};

/// What is asked of an option.
#[derive(Clone, Copy, Debug)]
pub enum Ask<'a> {
    /// It has this value; it is added where it is not there.
    Set(&'a str),
    /// It is there, with no value of its own.
    Flag,
    /// Its quantity changes.
    Scale(&'a Amount),
    /// It is gone, with its value.
    Removed,
}

/// An option as it is: its word, and its value where it has one.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Found {
    word: Span,
    value: Option<Span>,
}

/// The options in the value of a statement.
pub struct Options<'a> {
    doc: &'a Document,
    /// The value without the quotes around it.
    inner: Span,
    quoted: bool,
    words: Vec<Span>,
}

impl<'a> Options<'a> {
    /// The options in a value; none where it has none.
    pub fn of(doc: &'a Document, parts: &Parts) -> Option<Self> {
        let hull = parts.value.hull()?;
        let text = hull.of(doc.source());
        let quoted = match text {
            [first, .., last] => first == last && doc.dialect().is_quote(*first),
            _ => false,
        };
        let inner = if quoted { Span { start: hull.start + 1, end: hull.end - 1 } } else { hull };
        let words = match parts.value.iter().count() {
            1 => words(doc.source(), inner),
            // Comments may stand between the pieces.
            _ => parts.value.iter().flat_map(|piece| words(doc.source(), piece)).collect(),
        };
        Some(Self { doc, inner, quoted, words })
    }

    /// Where the option called `name` is.
    pub fn find(&self, name: &str) -> Vec<Found> {
        let text = |span: Span| span.of(self.doc.source());
        let fits = |(n, word): (usize, &Span)| {
            let rest = text(*word).strip_prefix(name.as_bytes())?;
            let value_at = |from: usize| Span { start: word.end - (rest.len() - from) as u32, end: word.end };
            let dashed = name.starts_with('-');
            match rest.first() {
                None => {
                    let next = self.words.get(n + 1).filter(|next| dashed && !text(**next).starts_with(b"-"));
                    Some(Found { word: *word, value: next.copied() })
                }
                Some(b'=' | b':') => Some(Found { word: *word, value: Some(value_at(1)) }),
                Some(byte) if dashed && byte.is_ascii_digit() => {
                    Some(Found { word: *word, value: Some(value_at(0)) })
                }
                _ => None,
            }
        };
        self.words.iter().enumerate().filter_map(fits).collect()
    }

    /// The splices that do what is asked; none where it is so already.
    pub fn splices(&self, name: &str, ask: Ask<'_>) -> Result<Vec<Splice>, Finding> {
        let found = self.find(name);
        let is = match found.as_slice() {
            [] => None,
            [one] => Some(*one),
            _ => return Err(edit_error(name, "is there more than once").help("give the whole value anew")),
        };
        match (ask, is) {
            (Ask::Flag, Some(_)) => Ok(Vec::new()),
            (Ask::Flag, None) => self.added(name),
            (Ask::Set(value), None) => self.added(&format!("{name}{}{value}", joint(name))),
            (Ask::Set(value), Some(found)) => self.given(name, found, value),
            (Ask::Scale(by), Some(Found { value: Some(value), .. })) => {
                let standing = self.doc.text(value);
                let new = changed(&standing, by)
                    .map_err(|why| edit_error(name, &format!("is not as it was: {why}")))?;
                self.written(value, &new)
            }
            (Ask::Scale(_) | Ask::Removed, None) => {
                Err(edit_error(name, "is not there").help("`gypsum show` lists what is"))
            }
            (Ask::Scale(_), Some(_)) => Err(edit_error(name, "has no value there that could change")),
            (Ask::Removed, Some(found)) => self.removed(name, found),
        }
    }

    fn given(&self, name: &str, found: Found, value: &str) -> Result<Vec<Splice>, Finding> {
        let apart = |span: &Span| span.start >= found.word.end;
        match found.value {
            Some(span) if self.doc.text(span) == value => Ok(Vec::new()),
            // A word behind a bare option may be its value, or the next thing altogether.
            Some(span) if apart(&span) && !takes_next(name) => {
                Err(edit_error(name, "is followed by a word that may or may not be its value")
                    .help("give the whole value anew"))
            }
            Some(span) => self.written(span, value),
            None => {
                let text = [joint(name).as_bytes(), value.as_bytes()].concat();
                self.allowed(value)?;
                Ok(vec![Splice { span: Span::at(found.word.end as usize), text }])
            }
        }
    }

    fn written(&self, span: Span, value: &str) -> Result<Vec<Splice>, Finding> {
        self.allowed(value)?;
        Ok(if self.doc.text(span) == value { Vec::new() } else { vec![Splice { span, text: value.into() }] })
    }

    fn added(&self, word: &str) -> Result<Vec<Splice>, Finding> {
        self.allowed(word)?;
        let blank = if self.words.is_empty() { "" } else { " " };
        let end = self.words.last().map_or(self.inner.start, |word| word.end) as usize;
        let mut splices = vec![Splice { span: Span::at(end), text: format!("{blank}{word}").into() }];
        // What was one word is two now.
        if !self.quoted && !self.words.is_empty() && self.doc.family().needs_quotes("a b") {
            let quote = self.doc.dialect().quotes.bytes().next().unwrap_or(b'"');
            splices.insert(0, Splice { span: Span::at(self.inner.start as usize), text: vec![quote] });
            splices.push(Splice { span: Span::at(self.inner.end as usize), text: vec![quote] });
        }
        Ok(splices)
    }

    fn removed(&self, name: &str, found: Found) -> Result<Vec<Splice>, Finding> {
        let apart = found.value.filter(|value| value.start >= found.word.end);
        let end = match apart {
            Some(value) if takes_next(name) => value.end,
            Some(_) if name.starts_with("--") => {
                return Err(edit_error(name, "is followed by a word that may or may not be its value")
                    .help("give the whole value anew"));
            }
            _ => found.word.end,
        };
        // One of the blanks beside it goes, too.
        let one_line = |gap: Span| !gap.of(self.doc.source()).contains(&b'\n');
        let before = self.words.iter().rev().find(|word| word.end <= found.word.start);
        let before = before.filter(|word| one_line(Span { start: word.end, end: found.word.start }));
        let after = self.words.iter().find(|word| word.start >= end);
        let after = after.filter(|word| one_line(Span { start: end, end: word.start }));
        let span = match (before, after) {
            (_, Some(after)) => Span { start: found.word.start, end: after.start },
            (Some(before), None) => Span { start: before.end, end },
            (None, None) => Span { start: found.word.start, end },
        };
        Ok(vec![Splice { span, text: Vec::new() }])
    }

    /// An option must stay one word between the quotes that are there.
    fn allowed(&self, text: &str) -> Result<(), Finding> {
        let bad = |c: char| c.is_whitespace() || c.is_control() || matches!(c, '"' | '\'' | '`' | '\\');
        match text.chars().find(|c| bad(*c)) {
            None => Ok(()),
            Some(c) => Err(edit_error(text, &format!("holds {c:?} and would not stay one option"))
                .help("give the whole value again, quoted as the daemon expects it")),
        }
    }
}

/// Whether the word behind the bare option is its value: so it is with options of one letter.
fn takes_next(name: &str) -> bool {
    name.len() == 2 && name.starts_with('-')
}

/// What is between a new option and its value.
fn joint(name: &str) -> &'static str {
    match name {
        _ if name.starts_with("-X") && !name.starts_with("-XX") => "",
        _ if takes_next(name) => " ",
        _ => "=",
    }
}

/// The words of a value: parted by blanks, which quotes of another kind keep together.
fn words(source: &[u8], inner: Span) -> Vec<Span> {
    let mut words = Vec::new();
    let (mut start, mut quote, mut escaped) = (None, None, false);
    for at in inner.start..inner.end {
        let byte = source[at as usize];
        let line_goes_on = byte == b'\\' && source.get(at as usize + 1).is_some_and(|next| *next == b'\n');
        let blank = quote.is_none() && !escaped && (byte.is_ascii_whitespace() || line_goes_on);
        match (blank, start) {
            (true, Some(from)) => {
                words.push(Span { start: from, end: at });
                start = None;
            }
            (false, None) => start = Some(at),
            _ => {}
        }
        if matches!(byte, b'"' | b'\'') && !escaped {
            quote = if quote == Some(byte) { None } else { quote.or(Some(byte)) };
        }
        escaped = byte == b'\\' && !escaped && !line_goes_on;
    }
    words.extend(start.map(|from| Span { start: from, end: inner.end }));
    words
}

fn edit_error(name: &str, why: &str) -> Finding {
    Finding::edit_error("option", format!("{name} {why}"))
}
