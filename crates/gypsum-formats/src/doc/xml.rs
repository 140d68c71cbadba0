//! `xml`: an element that holds text alone is a setting, any other is a block; its attributes are settings
//! in it, and its text, where it has attributes, too, is a setting called as it is. The parser says where
//! they are.

use super::format::{BlockLines, Format, texts};
use super::scan::{is_blank, mark_length, trim};
use super::tiling::{LeafBuilder, refused};
use super::{Dialect, Document, Family, Kind, Parts, Pieces, Tree, scalars};
use crate::text::Span;
use crate::witness::well_formed;
use quick_xml::Reader;
use quick_xml::events::Event;
use std::borrow::Cow;

/// The format.
pub(super) struct Xml;

impl Format for Xml {
    fn plain_dialect(&self) -> Dialect {
        Dialect { comments: texts(&["<!--"]), quotes: "\"'".into(), ..Dialect::default() }
    }

    fn read(&self, source: &[u8], dialect: &Dialect) -> Tree {
        // A strict reader has seen that it is XML; from here on only places are looked for.
        if let Err(error) = well_formed(Family::Xml, source, dialect) {
            return refused(source, error.at);
        }
        let from = mark_length(source);
        let content = in_utf8(&source[from..]);
        let mut reader = Reader::from_str(&content);
        let (mut seen, mut at) = (Vec::new(), 0);
        loop {
            let event = reader.read_event();
            let end = usize::try_from(reader.buffer_position()).unwrap_or(content.len()).min(content.len());
            let kind = match event {
                Err(_) => return refused(source, from + end),
                Ok(Event::Eof) => break,
                Ok(Event::Start(_)) => Seen::Start,
                Ok(Event::Empty(_)) => Seen::Empty,
                Ok(Event::End(_)) => Seen::End,
                Ok(Event::Text(_) | Event::GeneralRef(_) | Event::CData(_)) => Seen::Text,
                Ok(Event::Comment(_)) => Seen::Comment,
                Ok(_) => Seen::Other,
            };
            seen.push((kind, from + at, from + end));
            at = end;
        }
        lay(source, &seen)
    }

    fn split(&self, source: &[u8], kind: Kind, span: Span, _: &Dialect) -> Option<Parts> {
        let text = trim(source, span);
        let bytes = text.of(source);
        let at = |offset: usize| text.start + offset as u32;
        if bytes.first() == Some(&b'<') {
            let length = name_length(&bytes[1..]);
            let name = Span { start: at(1), end: at(1 + length) };
            let open_end = memchr::memchr(b'>', bytes).map_or(bytes.len(), |end| end + 1);
            let close = memchr::memmem::rfind(bytes, b"</")
                .filter(|close| kind == Kind::Setting && *close >= open_end);
            let value = match close {
                Some(close) => Pieces::one(trim_within(source, at(open_end), at(close))),
                None => Pieces::default(),
            };
            return Some(Parts { name, value, end: text.end });
        }
        if source[..span.start as usize].last() == Some(&b'>') {
            let close = memchr::memmem::rfind(bytes, b"</")?;
            let name = Span { start: at(close + 2), end: at(close + 2 + name_length(&bytes[close + 2..])) };
            let value = trim_within(source, at(0), at(close));
            return Some(Parts { name, value: Pieces::one(value), end: text.end });
        }
        let equals = memchr::memchr(b'=', bytes)?;
        let name =
            Span { start: text.start, end: text.start + bytes[..equals].trim_ascii_end().len() as u32 };
        let open = equals + 1 + bytes[equals + 1..].iter().take_while(|byte| is_blank(**byte)).count();
        let value = Span { start: at(open), end: text.end };
        (value.len() >= 2).then(|| Parts { name, value: Pieces::one(value), end: text.end })
    }

    fn kind_of(&self, _: &[u8], _: &Dialect) -> Kind {
        // A comment between two marks holds no setting that one mark would wake.
        Kind::Opaque
    }

    fn separator<'a>(&self, _: &'a Dialect) -> &'a str {
        "="
    }

    fn closes_blocks(&self) -> bool {
        true
    }

    fn block_lines(&self, words: &str, _: &Document) -> Option<BlockLines> {
        Some((format!("<{words}>"), Some(format!("</{words}>"))))
    }

    fn is_standard(&self) -> bool {
        true
    }

    fn meaning<'a>(&self, raw: &'a [u8], _: &Dialect) -> Cow<'a, [u8]> {
        scalars::meaning(Family::Xml, raw)
    }

    fn remark_end(&self) -> &'static str {
        " -->"
    }

    fn endings(&self) -> &'static [&'static str] {
        &["xml"]
    }
}

/// What the parser saw from one offset to another.
#[derive(Clone, Copy, PartialEq)]
enum Seen {
    Start,
    Empty,
    End,
    Text,
    Comment,
    Other,
}

/// The text with every character of another encoding of one byte replaced by a letter, so that no place moves.
fn in_utf8(source: &[u8]) -> Cow<'_, str> {
    match std::str::from_utf8(source) {
        Ok(text) => Cow::Borrowed(text),
        Err(_) => source.iter().map(|byte| if byte.is_ascii() { char::from(*byte) } else { 'x' }).collect(),
    }
}

fn lay(source: &[u8], seen: &[(Seen, usize, usize)]) -> Tree {
    let mut laid = LeafBuilder::new(source, &["<!--"]);
    let mut n = 0;
    while let Some(&(kind, start, end)) = seen.get(n) {
        n += 1;
        match kind {
            Seen::Text | Seen::Other => {}
            Seen::Comment => {
                laid.gap(start);
                laid.leaf(Kind::Comment, rest_of_line(source, end));
            }
            Seen::End => {
                laid.gap(start);
                laid.close(rest_of_line(source, end));
            }
            Seen::Start | Seen::Empty => {
                laid.gap(start);
                let tag = Span::new(start, end);
                let attributes = attributes(source, tag);
                let texts = seen[n..].iter().take_while(|(kind, ..)| *kind == Seen::Text).count();
                let closing =
                    seen.get(n + texts).filter(|(next, ..)| kind == Seen::Start && *next == Seen::End);
                if kind == Seen::Empty && attributes.is_empty() {
                    laid.leaf(Kind::Setting, rest_of_line(source, end));
                    continue;
                }
                if let (true, Some((.., close))) = (attributes.is_empty(), closing) {
                    laid.leaf(Kind::Setting, rest_of_line(source, *close));
                    n += texts + 1;
                    continue;
                }
                if attributes.is_empty() {
                    laid.open(rest_of_line(source, end));
                    continue;
                }
                laid.open(start + 1 + name_length(&source[start + 1..end]));
                attributes.iter().for_each(|attribute| laid.leaf(Kind::Setting, attribute.end as usize));
                if kind == Seen::Empty {
                    laid.close(rest_of_line(source, end));
                    continue;
                }
                let text_end = closing.filter(|(_, close, _)| !source[end..*close].trim_ascii().is_empty());
                laid.leaf(Kind::Opaque, if closing.is_some() { end } else { rest_of_line(source, end) });
                if let Some((.., close)) = text_end {
                    // The mark that closes it says what the text is called.
                    laid.leaf(Kind::Setting, rest_of_line(source, *close));
                    laid.end();
                    n += texts + 1;
                }
            }
        }
    }
    laid.finish()
}

/// The attributes of a tag, each from its name to its closing quote.
fn attributes(source: &[u8], tag: Span) -> Vec<Span> {
    let mut found = Vec::new();
    let text = tag.of(source);
    let mut at = 1 + name_length(&text[1..]);
    while let Some(equals) = memchr::memchr(b'=', &text[at..]).map(|gap| at + gap) {
        let name = at + text[at..equals].iter().take_while(|byte| is_blank(**byte)).count();
        let open = equals + 1 + text[equals + 1..].iter().take_while(|byte| is_blank(**byte)).count();
        let Some(quote @ (b'"' | b'\'')) = text.get(open).copied() else {
            return found;
        };
        let Some(close) = memchr::memchr(quote, &text[open + 1..]).map(|gap| open + 1 + gap) else {
            return found;
        };
        found.push(Span { start: tag.start + name as u32, end: tag.start + close as u32 + 1 });
        at = close + 1;
    }
    found
}

fn name_length(text: &[u8]) -> usize {
    text.iter().take_while(|byte| !is_blank(**byte) && !matches!(byte, b'>' | b'/')).count()
}

/// Behind a statement: what ends the line, where that is all that follows.
fn rest_of_line(source: &[u8], end: usize) -> usize {
    let blanks = source[end..].iter().take_while(|byte| matches!(byte, b' ' | b'\t' | b'\r')).count();
    match source.get(end + blanks) {
        None => source.len(),
        Some(b'\n') => end + blanks + 1,
        Some(_) => end,
    }
}

/// The text between two tags, without the blanks at its ends; where it is all blank, its beginning.
fn trim_within(source: &[u8], start: u32, end: u32) -> Span {
    let text = trim(source, Span { start, end });
    if text.is_empty() { Span { start, end: start } } else { text }
}
