//! YAML, by the events of a parser of another lineage, with what an unquoted text is to readers of YAML 1.2 and
//! to those of 1.1.

use super::account::{Account, Scalar, Sort, Unreadable};
use super::builder::Builder;
use libyaml_safer::{EventData, Mark, Parser, ScalarStyle};
use std::panic::AssertUnwindSafe;

/// What the value being read belongs to.
enum Frame {
    /// A mapping, and the key that waits for its value.
    Mapping(Option<Vec<u8>>),
    Sequence,
    /// A mapping or a sequence that is a key; its events are its name.
    Key(Vec<u8>, usize),
}

pub fn read(source: &[u8], builder: &mut Builder) -> Result<(), Unreadable> {
    // The parser panics on a few texts that it does not know what to do with, and at the end of a last line
    // that has none.
    let ended = [source, b"\n"].concat();
    let text = if source.ends_with(b"\n") { source } else { &ended };
    // What was taken down until then is not looked at.
    let read = std::panic::catch_unwind(AssertUnwindSafe(|| events(text, builder)));
    read.unwrap_or_else(|_| Err(Unreadable::new(0, "the reader gave up on this text")))
}

fn events(source: &[u8], builder: &mut Builder) -> Result<(), Unreadable> {
    let mut input = source;
    let mut parser = Parser::new();
    parser.set_input_string(&mut input);
    let mut reading = Reading { builder, frames: Vec::new(), documents: 0 };
    loop {
        let event = parser.parse().map_err(|error| {
            let mark = error.problem_mark().unwrap_or_default();
            Unreadable::new(offset(source, &mark), error.problem())
        })?;
        let line = event.start_mark.line as u32 + 1;
        match event.data {
            EventData::StreamEnd => return Ok(()),
            data => reading.take(data, line),
        }
    }
}

/// `text` as a value that is behind a key.
pub fn value_alone(text: &str) -> Option<Account> {
    // What is behind a comment mark would not be part of it.
    let comment = text.starts_with('#') || text.contains(" #");
    if comment && !text.starts_with(['"', '\'', '[', '{']) {
        return None;
    }
    let mut builder = Builder::default();
    read(format!("x: {text}\n").as_bytes(), &mut builder).ok()?;
    let account = builder.finish();
    let mut entries = account.entries.into_iter();
    let mut first = entries.next()?;
    let rest: Vec<_> = entries.collect();
    (first.name.take().as_deref() == Some(b"x") && first.end == rest.len() + 1)
        .then(|| Account { entries: std::iter::once(first).chain(rest).collect() })
}

struct Reading<'a> {
    builder: &'a mut Builder,
    frames: Vec<Frame>,
    documents: u32,
}

impl Reading<'_> {
    fn take(&mut self, data: EventData, line: u32) {
        if let Some(Frame::Key(text, depth)) = self.frames.last_mut() {
            let (event, change) = summary(&data);
            text.extend_from_slice(&event);
            match depth.checked_add_signed(change) {
                Some(0) | None => {
                    let name = std::mem::take(text);
                    self.frames.pop();
                    self.key(name);
                }
                Some(now) => *depth = now,
            }
            return;
        }
        match data {
            EventData::DocumentStart { .. } => {
                self.documents += 1;
                if self.documents > 1 {
                    self.builder.value(Some(b"---".to_vec()), None, line);
                }
            }
            EventData::MappingStart { ref anchor, ref tag, .. }
            | EventData::SequenceStart { ref anchor, ref tag, .. } => {
                if matches!(self.frames.last(), Some(Frame::Mapping(None))) {
                    let (text, _) = summary(&data);
                    return self.frames.push(Frame::Key(text, 1));
                }
                let note = noted(anchor.as_deref(), tag.as_deref());
                let root = self.frames.is_empty();
                let name = self.name();
                if !root || note.is_some() {
                    self.builder.open(name, note, line);
                }
                let mapping = matches!(data, EventData::MappingStart { .. });
                self.frames.push(if mapping { Frame::Mapping(None) } else { Frame::Sequence });
            }
            EventData::MappingEnd | EventData::SequenceEnd => {
                self.frames.pop();
                self.builder.close();
            }
            EventData::Alias { anchor } => self.scalar(Scalar::of(Sort::Other, format!("*{anchor}")), line),
            EventData::Scalar { anchor, tag, value, style, .. } => {
                let plain = style == ScalarStyle::Plain && tag.is_none();
                let note = noted(anchor.as_deref(), tag.as_deref());
                let mut scalar = Scalar::text(value.as_bytes());
                if plain {
                    (scalar.sort, scalar.also) = (sort_in_1_2(&value), sort_in_1_1(&value));
                }
                if let Some(note) = note {
                    scalar.sort = Sort::Other;
                    scalar.text = [note.text.as_slice(), b" ", &scalar.text].concat();
                }
                self.scalar(scalar, line);
            }
            EventData::StreamStart { .. } | EventData::StreamEnd | EventData::DocumentEnd { .. } => {}
        }
    }

    fn scalar(&mut self, scalar: Scalar, line: u32) {
        if let Some(Frame::Mapping(None)) = self.frames.last() {
            return self.key(scalar.text);
        }
        // A document without content is nothing that could be lost.
        if self.frames.is_empty() && scalar.sort == Sort::Null && scalar.text.is_empty() {
            return;
        }
        let name = self.name();
        self.builder.value(name, Some(scalar), line);
    }

    fn key(&mut self, name: Vec<u8>) {
        if let Some(Frame::Mapping(key)) = self.frames.last_mut() {
            *key = Some(name);
        }
    }

    /// The name of the value that comes now.
    fn name(&mut self) -> Option<Vec<u8>> {
        match self.frames.last_mut() {
            Some(Frame::Mapping(key)) => key.take(),
            _ => None,
        }
    }
}

/// An anchor and a tag, which belong to what a value is.
fn noted(anchor: Option<&str>, tag: Option<&str>) -> Option<Scalar> {
    match (anchor, tag) {
        (None, None) => None,
        (anchor, tag) => {
            let text = format!("&{} !{}", anchor.unwrap_or_default(), tag.unwrap_or_default());
            Some(Scalar::of(Sort::Other, text))
        }
    }
}

/// An event as text, for keys that are no scalars, and how it changes the depth.
fn summary(data: &EventData) -> (Vec<u8>, isize) {
    let (text, change) = match data {
        EventData::MappingStart { .. } => ("{".to_owned(), 1),
        EventData::SequenceStart { .. } => ("[".to_owned(), 1),
        EventData::MappingEnd => ("}".to_owned(), -1),
        EventData::SequenceEnd => ("]".to_owned(), -1),
        EventData::Scalar { value, .. } => (format!("{value:?},"), 0),
        EventData::Alias { anchor } => (format!("*{anchor},"), 0),
        _ => (String::new(), 0),
    };
    (text.into_bytes(), change)
}

fn offset(source: &[u8], mark: &Mark) -> usize {
    let line = usize::try_from(mark.line).unwrap_or(usize::MAX);
    let start = match line.checked_sub(1) {
        None => 0,
        Some(before) => memchr::memchr_iter(b'\n', source).nth(before).map_or(source.len(), |end| end + 1),
    };
    let text = &source[start..];
    let text = std::str::from_utf8(text).unwrap_or_default();
    let column = usize::try_from(mark.column).unwrap_or(usize::MAX);
    start + text.char_indices().nth(column).map_or(0, |(at, _)| at)
}

/// The core schema of YAML 1.2.2, section 10.3.2.
fn sort_in_1_2(text: &str) -> Sort {
    let unsigned = text.strip_prefix(['+', '-']).unwrap_or(text);
    match text {
        "" | "~" | "null" | "Null" | "NULL" => Sort::Null,
        "true" | "True" | "TRUE" | "false" | "False" | "FALSE" => Sort::Flag,
        ".nan" | ".NaN" | ".NAN" => Sort::Number,
        _ if matches!(unsigned, ".inf" | ".Inf" | ".INF") => Sort::Number,
        _ if digits_of(text.strip_prefix("0o"), |c| c.is_digit(8)) => Sort::Number,
        _ if digits_of(text.strip_prefix("0x"), |c| c.is_ascii_hexdigit()) => Sort::Number,
        _ if is_decimal(unsigned) => Sort::Number,
        _ => Sort::Text,
    }
}

fn digits_of(text: Option<&str>, is_digit: impl Fn(char) -> bool) -> bool {
    text.is_some_and(|text| !text.is_empty() && text.chars().all(is_digit))
}

/// `( \. [0-9]+ | [0-9]+ ( \. [0-9]* )? ) ( [eE] [-+]? [0-9]+ )?`
fn is_decimal(text: &str) -> bool {
    let (number, exponent) = match text.split_once(['e', 'E']) {
        Some((number, exponent)) => (number, Some(exponent.strip_prefix(['+', '-']).unwrap_or(exponent))),
        None => (text, None),
    };
    let all = |text: &str| text.bytes().all(|byte| byte.is_ascii_digit());
    let (whole, part) = number.split_once('.').unwrap_or((number, ""));
    let some = !whole.is_empty() || !part.is_empty();
    some && all(whole) && all(part) && exponent.is_none_or(|digits| !digits.is_empty() && all(digits))
}

/// The types of YAML 1.1 (yaml.org/type): booleans of more words, numbers with `_`, in base 2, 8, 16 and 60, and
/// time stamps.
fn sort_in_1_1(text: &str) -> Sort {
    const FLAGS: [&str; 8] = ["y", "n", "yes", "no", "true", "false", "on", "off"];
    let lower = text.to_ascii_lowercase();
    let spelled = [lower.as_str(), &text.to_ascii_uppercase(), &capital(&lower)].contains(&text);
    let unsigned = text.strip_prefix(['+', '-']).unwrap_or(text);
    let counts = |c: char, base: u32| c.is_digit(base) || c == '_';
    let based = |mark: &str, base: u32| digits_of(unsigned.strip_prefix(mark), |c| counts(c, base));
    match text {
        "" | "~" | "null" | "Null" | "NULL" => Sort::Null,
        "<<" | "=" => Sort::Other,
        _ if spelled && FLAGS.contains(&lower.as_str()) => Sort::Flag,
        _ if matches!(lower.trim_start_matches(['+', '-']), ".inf" | ".nan") => Sort::Number,
        _ if based("0b", 2) || based("0x", 16) => Sort::Number,
        _ if is_decimal_1_1(unsigned) || is_base_60(unsigned) => Sort::Number,
        _ if is_time_stamp(text) => Sort::Other,
        _ => Sort::Text,
    }
}

fn capital(lower: &str) -> String {
    let mut letters = lower.chars();
    letters.next().map_or_else(String::new, |first| first.to_uppercase().chain(letters).collect())
}

/// `[0-9][0-9_]*` and `([0-9][0-9_]*)?\.[0-9._]*([eE][-+]?[0-9]+)?`; some readers take an exponent without a dot.
fn is_decimal_1_1(text: &str) -> bool {
    let first = text.chars().next().is_some_and(|c| c.is_ascii_digit() || c == '.');
    let plain: String = text.chars().filter(|c| *c != '_').collect();
    first && is_decimal(&plain)
}

/// `[1-9][0-9_]*(:[0-5]?[0-9])+(\.[0-9_]*)?`
fn is_base_60(text: &str) -> bool {
    let mut parts = text.split(':');
    let first = parts.next().unwrap_or_default();
    let whole = first.starts_with(|c: char| c.is_ascii_digit())
        && first.chars().all(|c| c.is_ascii_digit() || c == '_');
    let rest: Vec<&str> = parts.collect();
    let part = |text: &&str| {
        let whole = text.split('.').next().unwrap_or_default();
        !whole.is_empty() && whole.len() <= 2 && text.chars().all(|c| c.is_ascii_digit() || "._".contains(c))
    };
    whole && !rest.is_empty() && rest.iter().all(part)
}

/// `2026-11-24`, and with a time behind it.
fn is_time_stamp(text: &str) -> bool {
    let (date, rest) = text.split_at(text.find(['T', 't', ' ']).unwrap_or(text.len()));
    let parts: Vec<&str> = date.split('-').collect();
    let digits = |text: &str| !text.is_empty() && text.chars().all(|c| c.is_ascii_digit());
    let [year, month, day] = parts.as_slice() else {
        return false;
    };
    let is_date = year.len() == 4 && [year, month, day].into_iter().all(|part| digits(part));
    let is_time =
        |text: &str| text.contains(':') && text.chars().all(|c| c.is_ascii_digit() || "Tt :.+-Z".contains(c));
    is_date && month.len() <= 2 && day.len() <= 2 && (rest.is_empty() || is_time(rest))
}
