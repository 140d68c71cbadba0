//! `yaml`: keys of block mappings are settings or blocks, elements of block sequences are bare names or
//! blocks without one; what is in flow brackets is one value. The parser says where they are.

use super::format::{BlockLines, Format, texts};
use super::scan::{line_end, trim};
use super::tiling::{LeafBuilder, refused, text};
use super::{Dialect, Document, Family, Kind, Parts, Pieces, Tree, scalars};
use crate::text::Span;
use saphyr_parser::{Event, Marker, Parser};
use std::borrow::Cow;

/// The format.
pub(super) struct Yaml;

impl Format for Yaml {
    fn plain_dialect(&self) -> Dialect {
        Dialect { inline_comments: texts(&["#"]), quotes: "\"'".into(), ..Dialect::default() }
    }

    fn read(&self, source: &[u8], _: &Dialect) -> Tree {
        let (content, from) = match text(source) {
            Ok(text) => text,
            Err(at) => return refused(source, at),
        };
        let offsets = Offsets::of(content, from);
        let mut reading = Reading {
            source,
            laid: LeafBuilder::new(source, &["#"]),
            frames: Vec::new(),
            skip: 0,
            skipped_from: 0,
        };
        for event in Parser::new_from_str(content) {
            match event {
                Ok((event, span)) => {
                    reading.take(&event, offsets.of_mark(&span.start), offsets.of_mark(&span.end))
                }
                Err(error) => return refused(source, offsets.of_mark(error.marker())),
            }
        }
        reading.laid.finish()
    }

    fn split(&self, source: &[u8], kind: Kind, span: Span, _: &Dialect) -> Option<Parts> {
        let text = trim(source, span);
        let limited = &source[..text.end as usize];
        let mut at = text.start as usize;
        let mut element = false;
        while limited.get(at) == Some(&b'-') && limited.get(at + 1).is_none_or(u8::is_ascii_whitespace) {
            element = true;
            at += 1;
            at += limited[at..].iter().take_while(|byte| byte.is_ascii_whitespace()).count();
        }
        if element {
            let end = if kind == Kind::Open { at } else { value_end(limited, at)? };
            return Some(Parts { name: Span::new(at, end), value: Pieces::default(), end: end as u32 });
        }
        let (name, from) = key_of(limited, at)?;
        let start = if matches!(limited[at], b'"' | b'\'') { at + 1 } else { at };
        let name = Span::new(start, start + name.len());
        if kind == Kind::Open {
            return Some(Parts { name, value: Pieces::default(), end: from as u32 });
        }
        let value = value_start(limited, from).map(|from| Some(Span::new(from, value_end(limited, from)?)));
        let value = match value {
            None => Pieces::default(),
            Some(span) => Pieces::one(span?),
        };
        let end = value.hull().map_or(from as u32, |span| span.end);
        Some(Parts { name, value, end })
    }

    /// What a text out of a comment would be, as far as its beginning tells.
    fn kind_of(&self, text: &[u8], _: &Dialect) -> Kind {
        match text.first() {
            Some(b'#') => return Kind::Comment,
            Some(b'-') | None => return Kind::Opaque,
            _ => {}
        }
        let Some((name, from)) = key_of(text, 0) else {
            return Kind::Opaque;
        };
        // A sentence may have a colon; a key has no blanks.
        match text[from..].trim_ascii() {
            _ if name.iter().any(u8::is_ascii_whitespace) => Kind::Opaque,
            [] => Kind::Open,
            _ => Kind::Setting,
        }
    }

    fn separator<'a>(&self, _: &'a Dialect) -> &'a str {
        ": "
    }

    fn block_lines(&self, words: &str, _: &Document) -> Option<BlockLines> {
        Some((format!("{words}:"), None))
    }

    fn is_standard(&self) -> bool {
        true
    }

    fn meaning<'a>(&self, raw: &'a [u8], _: &Dialect) -> Cow<'a, [u8]> {
        scalars::meaning(Family::Yaml, raw)
    }

    fn may_be_value(&self, value: &str) -> bool {
        !value.contains(' ')
    }

    fn endings(&self) -> &'static [&'static str] {
        &["yaml", "yml"]
    }
}

/// From characters, in which the parser counts, to bytes.
struct Offsets<'a> {
    content: &'a str,
    from: usize,
    /// The byte offset of every so many characters; empty where characters are bytes.
    every: Vec<usize>,
}

const STRIDE: usize = 256;

impl<'a> Offsets<'a> {
    fn of(content: &'a str, from: usize) -> Self {
        let every = if content.is_ascii() {
            Vec::new()
        } else {
            content.char_indices().step_by(STRIDE).map(|(at, _)| at).collect()
        };
        Self { content, from, every }
    }

    fn of_mark(&self, mark: &Marker) -> usize {
        let index = mark.index();
        let Some(base) = self.every.get(index / STRIDE) else {
            let end = self.content.len();
            return self.from + if self.every.is_empty() { index.min(end) } else { end };
        };
        let rest = self.content[*base..].char_indices().nth(index % STRIDE);
        self.from + rest.map_or(self.content.len(), |(at, _)| base + at)
    }
}

enum Frame {
    /// A block mapping; the key that waits for its value, and the column of the block that was opened for the
    /// mapping.
    Mapping { key: Option<(usize, usize)>, opened: Option<usize> },
    /// A block sequence, and the column of the block that was opened for it.
    Sequence { opened: Option<usize> },
}

struct Reading<'a> {
    source: &'a [u8],
    laid: LeafBuilder<'a>,
    frames: Vec<Frame>,
    /// How many collections are open in what is passed over: flow brackets, or a key that is no plain text.
    skip: usize,
    /// Where that begins.
    skipped_from: usize,
}

impl Reading<'_> {
    fn take(&mut self, event: &Event<'_>, start: usize, end: usize) {
        match event {
            Event::MappingStart(..) | Event::SequenceStart(..) if self.skip > 0 => self.skip += 1,
            Event::MappingEnd | Event::SequenceEnd if self.skip > 0 => {
                self.skip -= 1;
                if self.skip == 0 {
                    self.node(self.skipped_from, end);
                }
            }
            _ if self.skip > 0 => {}
            Event::MappingStart(..) | Event::SequenceStart(..) => {
                let is_key = matches!(self.frames.last(), Some(Frame::Mapping { key: None, .. }));
                let content = behind_notes(self.source, start);
                // The event of one in brackets has its bracket; a block begins with what is in it.
                let in_brackets = end > start && matches!(self.source.get(end - 1), Some(b'[' | b'{'));
                if is_key || in_brackets {
                    self.skip = 1;
                    self.skipped_from = start;
                    return;
                }
                let opened = self.open(content);
                self.frames.push(match event {
                    Event::MappingStart(..) => Frame::Mapping { key: None, opened },
                    _ => Frame::Sequence { opened },
                });
            }
            Event::MappingEnd | Event::SequenceEnd => {
                if let Some(
                    Frame::Mapping { opened: Some(column), .. } | Frame::Sequence { opened: Some(column) },
                ) = self.frames.pop()
                {
                    self.remarks(column);
                    self.laid.end();
                }
                self.done();
            }
            Event::Scalar(..) | Event::Alias(..) => self.node(start, end),
            _ => {}
        }
    }

    /// A scalar, an alias, or what stood in flow brackets, which ends at `end`.
    fn node(&mut self, start: usize, end: usize) {
        match self.frames.last_mut() {
            Some(Frame::Mapping { key: key @ None, .. }) => *key = Some((start, end)),
            Some(Frame::Mapping { key: Some((from, key_end)), .. }) => {
                // What is empty has no place of its own.
                let end = if start >= end { *key_end } else { end.max(*key_end) };
                let from = *from;
                self.laid.gap(from);
                let stop = self.line_behind(start, end);
                self.laid.leaf(Kind::Setting, stop);
                self.done();
            }
            Some(Frame::Sequence { .. }) if start < end => {
                let line = self.line_of(start);
                self.laid.gap(line);
                let stop = self.line_behind(start, end);
                self.laid.leaf(Kind::Setting, stop);
            }
            _ => {}
        }
    }

    /// The remarks behind the last statement of a block belong to it where they are indented like it.
    fn remarks(&mut self, column: usize) {
        while let Some(rest) = self.source.get(self.laid.at()..).filter(|_| column > 0) {
            let lead = rest.iter().take_while(|byte| **byte == b' ').count();
            if lead < column || rest.get(lead) != Some(&b'#') {
                return;
            }
            self.laid.leaf(Kind::Comment, line_end(self.source, self.laid.at()));
        }
    }

    /// A block collection that begins at `start`; its column, where a block was opened for it.
    fn open(&mut self, start: usize) -> Option<usize> {
        let (from, to) = match self.frames.last() {
            Some(Frame::Mapping { key: Some((from, key_end)), .. }) => {
                (*from, line_end(self.source, *key_end).min(start))
            }
            Some(Frame::Sequence { .. }) => {
                let line = self.line_of_dash(start);
                (line, line_end(self.source, line).min(start))
            }
            _ => return None,
        };
        self.laid.gap(from);
        let to = to.max(from);
        if to <= self.laid.at() {
            return None;
        }
        self.laid.open(to);
        let line = memchr::memrchr(b'\n', &self.source[..start]).map_or(0, |end| end + 1);
        Some(start - line)
    }

    /// The value of a key has ended.
    fn done(&mut self) {
        if let Some(Frame::Mapping { key, .. }) = self.frames.last_mut() {
            *key = None;
        }
    }

    /// The start of the line of `at`, or where the layout has come in it.
    fn line_of(&self, at: usize) -> usize {
        memchr::memrchr(b'\n', &self.source[..at]).map_or(0, |end| end + 1).max(self.laid.at())
    }

    /// The start of the line with the dash of the element whose content begins at `at`: comments and line ends may
    /// stand between.
    fn line_of_dash(&self, at: usize) -> usize {
        let mut line = self.line_of(at);
        let mut end = at;
        loop {
            // The layout may have come further already.
            if line >= end {
                return self.line_of(at);
            }
            let text = &self.source[line..end];
            let text = memchr::memmem::find(text, b"#").map_or(text, |mark| &text[..mark]).trim_ascii_end();
            if text.ends_with(b"-") {
                return line;
            }
            if !text.is_empty() || line <= self.laid.at() {
                return self.line_of(at);
            }
            end = line;
            line = self.line_of(line - 1);
        }
    }

    /// Behind the line in which the value from `start` to `end` ends. The parser ends a block of text only where
    /// the next thing begins.
    fn line_behind(&self, start: usize, end: usize) -> usize {
        let line = memchr::memrchr(b'\n', &self.source[..end]).map_or(0, |end| end + 1);
        if line > start && self.source[line..end].iter().all(|byte| matches!(byte, b' ' | b'\t')) {
            return self.without_remarks(start, line);
        }
        line_end(self.source, end)
    }

    /// Where the block of text from `start` to `end` ends without the remarks below it, which are indented
    /// less than its text.
    fn without_remarks(&self, start: usize, end: usize) -> usize {
        let source = self.source;
        let mut at = line_end(source, start);
        let mut depth = None;
        while at < end {
            let next = line_end(source, at);
            let line = &source[at..next];
            let lead = line.iter().take_while(|byte| **byte == b' ').count();
            let text = line[lead..].trim_ascii();
            match depth {
                _ if text.is_empty() => {}
                None => depth = Some(lead),
                Some(depth) if lead < depth && text.starts_with(b"#") => return at,
                Some(_) => {}
            }
            at = next;
        }
        end
    }
}

/// Behind the anchor and the tag that are before a value, and what parts them from it.
fn behind_notes(source: &[u8], start: usize) -> usize {
    let mut at = start;
    while matches!(source.get(at), Some(b'&' | b'!')) {
        at += source[at..].iter().take_while(|byte| !byte.is_ascii_whitespace()).count();
        loop {
            at += source[at..].iter().take_while(|byte| byte.is_ascii_whitespace()).count();
            if source.get(at) != Some(&b'#') {
                break;
            }
            at = line_end(source, at);
        }
    }
    at
}

/// The key that begins at `at`, and where the text behind its colon begins.
fn key_of(source: &[u8], at: usize) -> Option<(&[u8], usize)> {
    let first = *source.get(at)?;
    let (name, end) = if matches!(first, b'"' | b'\'') {
        let end = string_end(source, at)?;
        (&source[at + 1..end - 1], end)
    } else {
        let mut end = at;
        loop {
            end += memchr::memchr2(b':', b'\n', &source[end..])?;
            if source[end] == b'\n' {
                return None;
            }
            if source.get(end + 1).is_none_or(u8::is_ascii_whitespace) {
                break (source[at..end].trim_ascii_end(), end);
            }
            end += 1;
        }
    };
    let blanks = source[end..].iter().take_while(|byte| **byte == b' ').count();
    (source.get(end + blanks) == Some(&b':') && !name.is_empty()).then_some((name, end + blanks + 1))
}

fn string_end(source: &[u8], at: usize) -> Option<usize> {
    let quote = source[at];
    let mut end = at + 1;
    loop {
        match *source.get(end)? {
            b'\\' if quote == b'"' => end += 2,
            byte if byte == quote && quote == b'\'' && source.get(end + 1) == Some(&quote) => end += 2,
            byte if byte == quote => return Some(end + 1),
            _ => end += 1,
        }
    }
}

/// Where the value behind a colon begins: behind its tag and its anchor; none where there is none.
fn value_start(source: &[u8], from: usize) -> Option<usize> {
    let mut at = from;
    loop {
        at += source[at..].iter().take_while(|byte| byte.is_ascii_whitespace()).count();
        match source.get(at)? {
            b'&' | b'!' => at += source[at..].iter().take_while(|byte| !byte.is_ascii_whitespace()).count(),
            b'#' => at = line_end(source, at),
            _ => return Some(at),
        }
    }
}

/// Behind the value that begins at `at` and goes on to the end of `source` at the latest, without the
/// comment behind it.
fn value_end(source: &[u8], at: usize) -> Option<usize> {
    let mut end = match source.get(at)? {
        b'"' | b'\'' => return string_end(source, at),
        b'|' | b'>' => return Some(source.len()),
        _ => at,
    };
    let flow = matches!(source[at], b'[' | b'{');
    let mut depth = 0;
    while end < source.len() {
        let byte = source[end];
        if byte == b'#' && source[end - 1].is_ascii_whitespace() {
            if depth == 0 {
                break;
            }
            end = line_end(source, end);
            continue;
        }
        if flow && matches!(byte, b'"' | b'\'') && !source[end - 1].is_ascii_alphanumeric() {
            end = string_end(source, end)?;
            continue;
        }
        depth += i32::from(flow && matches!(byte, b'[' | b'{'));
        depth -= i32::from(flow && matches!(byte, b']' | b'}'));
        end += 1;
        if flow && depth == 0 {
            return Some(end);
        }
    }
    Some(at + source[at..end].trim_ascii_end().len())
}

/// The anchor that the value of the statement in `text` has or refers to, with its mark: `&name`, `*name`.
pub fn anchor(text: &[u8]) -> Option<&str> {
    let text = text.trim_ascii();
    let from = match text {
        [b'-', rest @ ..] if rest.first().is_none_or(u8::is_ascii_whitespace) => 1,
        _ => key_of(text, 0)?.1,
    };
    let mut words = text[from..].split(u8::is_ascii_whitespace).filter(|word| !word.is_empty());
    let word = words.find(|word| !word.starts_with(b"!"))?;
    matches!(word.first(), Some(b'&' | b'*')).then(|| std::str::from_utf8(word).ok())?
}
