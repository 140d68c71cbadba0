//! JSON, read by a parser that takes the standard by the letter (RFC 8259). Where a daemon takes comments,
//! they are blanked out first.

use super::account::{Account, Sort, Unreadable};
use super::builder::Builder;
use serde::Deserialize;
use serde::de::{DeserializeSeed, Deserializer, IgnoredAny, MapAccess, SeqAccess, Visitor};
use std::borrow::Cow;
use std::fmt;

pub fn read(source: &[u8], comments: bool, builder: &mut Builder) -> Result<(), Unreadable> {
    read_at(source, comments, Place::Root, builder)
}

/// `text` as one value, which is all that it holds.
pub fn value_alone(text: &str, comments: bool) -> Option<Account> {
    let mut builder = Builder::default();
    read_at(text.as_bytes(), comments, Place::Element, &mut builder).ok()?;
    Some(builder.finish())
}

fn read_at(source: &[u8], comments: bool, place: Place<'_>, builder: &mut Builder) -> Result<(), Unreadable> {
    let text = prepared(source, comments);
    // Once for all of it, and not for each of many texts.
    let whole = std::str::from_utf8(&text)
        .map_err(|error| Unreadable::new(error.valid_up_to(), "this is not UTF-8"))?;
    let mut parser = serde_json::Deserializer::from_str(whole);
    let node = Node { builder, place };
    node.deserialize(&mut parser).and_then(|()| parser.end()).map_err(|error| unreadable(&text, &error))
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

enum Place<'a> {
    /// The whole: what is in it is nobody's.
    Root,
    Named(Cow<'a, str>),
    Element,
}

impl Place<'_> {
    fn name(&self) -> Option<&[u8]> {
        match self {
            Self::Named(name) => Some(name.as_bytes()),
            Self::Root | Self::Element => None,
        }
    }
}

/// A name, which is copied only where it is written with escapes.
struct Name<'de>(Cow<'de, str>);

impl<'de> Deserialize<'de> for Name<'de> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        deserializer.deserialize_str(NameVisitor)
    }
}

struct NameVisitor;

impl<'de> Visitor<'de> for NameVisitor {
    type Value = Name<'de>;

    fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str("a name")
    }

    fn visit_borrowed_str<E>(self, name: &'de str) -> Result<Name<'de>, E> {
        Ok(Name(Cow::Borrowed(name)))
    }

    fn visit_str<E>(self, name: &str) -> Result<Name<'de>, E> {
        Ok(Name(Cow::Owned(name.to_owned())))
    }
}

struct Node<'a, 'n> {
    builder: &'a mut Builder,
    place: Place<'n>,
}

impl Node<'_, '_> {
    fn scalar<E>(self, sort: Sort, text: &str) -> Result<(), E> {
        self.builder.scalar(self.place.name(), sort, text.as_bytes());
        Ok(())
    }

    /// The beginning of a collection; whether it has an end of its own.
    fn open(&mut self) -> bool {
        let inner = !matches!(self.place, Place::Root);
        if inner {
            let name = self.place.name().map(<[u8]>::to_vec);
            self.builder.open(name, None, 0);
        }
        inner
    }
}

impl<'de> DeserializeSeed<'de> for Node<'_, '_> {
    type Value = ();

    fn deserialize<D: Deserializer<'de>>(self, deserializer: D) -> Result<(), D::Error> {
        deserializer.deserialize_any(self)
    }
}

impl<'de> Visitor<'de> for Node<'_, '_> {
    type Value = ();

    fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str("JSON")
    }

    fn visit_bool<E>(self, value: bool) -> Result<(), E> {
        self.scalar(Sort::Flag, if value { "true" } else { "false" })
    }

    fn visit_i64<E>(self, value: i64) -> Result<(), E> {
        self.scalar(Sort::Number, &value.to_string())
    }

    fn visit_u64<E>(self, value: u64) -> Result<(), E> {
        // Nearly all numbers are of this sort, and there may be millions: they need no memory of their own.
        let mut digits = [0; 20];
        let mut at = digits.len();
        let mut rest = value;
        loop {
            at -= 1;
            digits[at] = b'0' + (rest % 10) as u8;
            rest /= 10;
            if rest == 0 || at == 0 {
                break;
            }
        }
        self.scalar(Sort::Number, std::str::from_utf8(&digits[at..]).unwrap_or_default())
    }

    fn visit_f64<E>(self, value: f64) -> Result<(), E> {
        self.scalar(Sort::Number, &value.to_string())
    }

    fn visit_str<E>(self, value: &str) -> Result<(), E> {
        self.scalar(Sort::Text, value)
    }

    fn visit_unit<E>(self) -> Result<(), E> {
        self.scalar(Sort::Null, "null")
    }

    fn visit_seq<A: SeqAccess<'de>>(mut self, mut seq: A) -> Result<(), A::Error> {
        let inner = self.open();
        while seq.next_element_seed(Node { builder: self.builder, place: Place::Element })?.is_some() {}
        if inner {
            self.builder.close();
        }
        Ok(())
    }

    fn visit_map<A: MapAccess<'de>>(mut self, mut map: A) -> Result<(), A::Error> {
        let inner = self.open();
        while let Some(Name(key)) = map.next_key::<Name<'_>>()? {
            map.next_value_seed(Node { builder: self.builder, place: Place::Named(key) })?;
        }
        if inner {
            self.builder.close();
        }
        Ok(())
    }
}
