//! JSON, read by a parser that takes the standard by the letter (RFC 8259). Where a daemon takes comments,
//! they are blanked out first.

use super::account::{Account, Builder, Scalar, Sort, Unreadable};
use serde::de::{DeserializeSeed, Deserializer, IgnoredAny, MapAccess, SeqAccess, Visitor};
use std::borrow::Cow;
use std::fmt;

pub fn read(source: &[u8], comments: bool) -> Result<Account, Unreadable> {
    read_at(source, comments, Place::Root)
}

/// `text` as one value, which is all that it holds.
pub fn value_alone(text: &str, comments: bool) -> Option<Account> {
    read_at(text.as_bytes(), comments, Place::Element).ok()
}

fn read_at(source: &[u8], comments: bool, place: Place) -> Result<Account, Unreadable> {
    let text = prepared(source, comments);
    let mut builder = Builder::default();
    let mut parser = serde_json::Deserializer::from_slice(&text);
    let node = Node { builder: &mut builder, place };
    node.deserialize(&mut parser).and_then(|()| parser.end()).map_err(|error| unreadable(&text, &error))?;
    Ok(builder.finish())
}

/// Whether it is JSON, and where not.
pub fn well_formed(source: &[u8], comments: bool) -> Result<(), Unreadable> {
    let text = prepared(source, comments);
    let read = serde_json::from_slice::<IgnoredAny>(&text);
    // What it passes over it does not decode.
    let utf8 =
        std::str::from_utf8(&text).map_err(|error| Unreadable::new(error.valid_up_to(), "this is not UTF-8"));
    read.map_err(|error| unreadable(&text, &error)).and_then(|_| utf8.map(|_| ()))
}

fn unreadable(text: &[u8], error: &serde_json::Error) -> Unreadable {
    let starts = memchr::memchr_iter(b'\n', text).map(|end| end + 1);
    let start = match error.line() {
        0 | 1 => 0,
        line => starts.into_iter().nth(line - 2).unwrap_or(text.len()),
    };
    let at = (start + error.column().saturating_sub(1)).min(text.len());
    let why = error.to_string();
    let why = why.split(" at line ").next().unwrap_or_default().to_owned();
    // A missing comma is told of the value behind which it belongs.
    let at = if why.starts_with("expected `,`") {
        text[..at].trim_ascii_end().len().saturating_sub(1)
    } else {
        at
    };
    Unreadable::new(at, why)
}

/// The bytes behind the byte-order mark, which a reader may ignore (RFC 8259, 8.1), with blanks in the place
/// of comments; no byte moves.
fn prepared(source: &[u8], comments: bool) -> Cow<'_, [u8]> {
    let marked = source.starts_with(b"\xef\xbb\xbf");
    if !(marked || comments && memchr::memchr(b'/', source).is_some()) {
        return Cow::Borrowed(source);
    }
    let mut text = source.to_vec();
    if marked {
        text[..3].fill(b' ');
    }
    let mut at = 0;
    while comments && at < text.len() {
        let end = match &text[at..] {
            [b'"', ..] => {
                at = past_string(&text, at);
                continue;
            }
            [b'/', b'/', rest @ ..] => at + 2 + memchr::memchr(b'\n', rest).unwrap_or(rest.len()),
            [b'/', b'*', rest @ ..] => match memchr::memmem::find(rest, b"*/") {
                Some(close) => at + close + 4,
                None => break,
            },
            _ => at,
        };
        if end == at {
            at += 1;
            continue;
        }
        text[at..end].iter_mut().filter(|byte| **byte != b'\n').for_each(|byte| *byte = b' ');
        at = end;
    }
    Cow::Owned(text)
}

fn past_string(text: &[u8], start: usize) -> usize {
    let mut at = start + 1;
    while let Some(byte) = text.get(at) {
        match byte {
            b'"' => return at + 1,
            b'\\' => at += 2,
            _ => at += 1,
        }
    }
    text.len()
}

enum Place {
    /// The whole: what is in it is nobody's.
    Root,
    Named(Vec<u8>),
    Element,
}

struct Node<'a> {
    builder: &'a mut Builder,
    place: Place,
}

impl Node<'_> {
    fn name(&mut self) -> Option<Vec<u8>> {
        match std::mem::replace(&mut self.place, Place::Element) {
            Place::Named(name) => Some(name),
            Place::Root | Place::Element => None,
        }
    }

    fn scalar<E>(mut self, sort: Sort, text: impl Into<Vec<u8>>) -> Result<(), E> {
        let name = self.name();
        self.builder.value(name, Some(Scalar::of(sort, text)), 0);
        Ok(())
    }
}

impl<'de> DeserializeSeed<'de> for Node<'_> {
    type Value = ();

    fn deserialize<D: Deserializer<'de>>(self, deserializer: D) -> Result<(), D::Error> {
        deserializer.deserialize_any(self)
    }
}

impl<'de> Visitor<'de> for Node<'_> {
    type Value = ();

    fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str("JSON")
    }

    fn visit_bool<E>(self, value: bool) -> Result<(), E> {
        self.scalar(Sort::Flag, value.to_string())
    }

    fn visit_i64<E>(self, value: i64) -> Result<(), E> {
        self.scalar(Sort::Number, value.to_string())
    }

    fn visit_u64<E>(self, value: u64) -> Result<(), E> {
        self.scalar(Sort::Number, value.to_string())
    }

    fn visit_f64<E>(self, value: f64) -> Result<(), E> {
        self.scalar(Sort::Number, value.to_string())
    }

    fn visit_str<E>(self, value: &str) -> Result<(), E> {
        self.scalar(Sort::Text, value)
    }

    fn visit_unit<E>(self) -> Result<(), E> {
        self.scalar(Sort::Null, "null")
    }

    fn visit_seq<A: SeqAccess<'de>>(mut self, mut seq: A) -> Result<(), A::Error> {
        let root = matches!(self.place, Place::Root);
        let name = self.name();
        if !root {
            self.builder.open(name, None, 0);
        }
        while seq.next_element_seed(Node { builder: self.builder, place: Place::Element })?.is_some() {}
        if !root {
            self.builder.close();
        }
        Ok(())
    }

    fn visit_map<A: MapAccess<'de>>(mut self, mut map: A) -> Result<(), A::Error> {
        let root = matches!(self.place, Place::Root);
        let name = self.name();
        if !root {
            self.builder.open(name, None, 0);
        }
        while let Some(key) = map.next_key::<String>()? {
            map.next_value_seed(Node { builder: self.builder, place: Place::Named(key.into_bytes()) })?;
        }
        if !root {
            self.builder.close();
        }
        Ok(())
    }
}
