//! Health checks as sentences, of the same words that a profile's tables have.

use super::expect::Expect;
use super::kind::{Common, Entry, KINDS, fields};
use super::property::Property;
use super::{BadWords, Check, Probe};
use crate::text::nearest;
use serde::de::value::{MapDeserializer, StringDeserializer};
use serde::de::{DeserializeSeed, Deserializer, IntoDeserializer, MapAccess, Visitor};
use serde::{Deserialize, forward_to_deserialize_any};
use std::vec::IntoIter;

/// The words that go with all kinds and have no value.
const FLAGS: [&str; 2] = ["as-before", "outside"];

/// A health check as a sentence of the same words: `http http://localhost/map 200`, `tcp 127.0.0.1:25 refused`,
/// `process niceness is 5`; a URL, `HOST:PORT` or a port may stand alone.
///
/// # Errors
///
/// If the words are no health check.
pub fn parse_check(sentence: &str) -> Result<Check, BadWords> {
    let words = shlex::split(sentence).filter(|words| !words.is_empty());
    let Some(mut words) = words.map(|words| words.into_iter()) else {
        return Err(BadWords(format!("{sentence:?} is no sentence: is a quote missing?")));
    };
    let first = words.next().unwrap_or_default();
    let Some(kind) = KINDS.iter().find(|kind| kind.word == first) else {
        return alone(&first, words.len() > 0);
    };
    let mut words =
        Words { kind, words, begun: false, number: None, common: Vec::new(), expected: Vec::new() };
    let probe = (kind.of_words)(&mut words)?;
    Common::deserialize(map(words.common))?.check(probe)
}

/// Which words can follow a sentence that is begun, with what each is for; the sentence ends with a blank, or is empty.
pub fn next_words(begun: &str) -> Vec<(String, String)> {
    let plain = |word: &str| (word.to_owned(), String::new());
    let words = shlex::split(begun).unwrap_or_default();
    let Some((first, rest)) = words.split_first() else {
        return KINDS.iter().map(|kind| (kind.word.to_owned(), kind.example.to_owned())).collect();
    };
    let Some(kind) = KINDS.iter().find(|kind| kind.word == *first) else { return Vec::new() };
    // Behind its first word is what is looked at, and behind most others a value: who types knows that.
    let Some(last) = rest.last() else {
        let facts = || Property::ALL.iter().map(|fact| (fact.word().to_owned(), fact.words())).collect();
        return if kind.word == "process" { facts() } else { Vec::new() };
    };
    let is_value =
        rest.len() == 1 || !kind.words().any(|word| word == last) || FLAGS.contains(&last.as_str());
    let left = kind.words().filter(|word| !rest.iter().any(|typed| typed == word));
    if is_value { left.map(plain).collect() } else { Vec::new() }
}

/// What a reading looks at, as such a sentence without an expectation.
///
/// # Errors
///
/// If the words are no health check.
pub fn parse_source(sentence: &str) -> Result<Probe, BadWords> {
    Ok(parse_check(sentence)?.probe)
}

/// One word for the commonest checks: a URL, `HOST:PORT`, or a port of this host.
fn alone(word: &str, more: bool) -> Result<Check, BadWords> {
    if !more && word.contains("://") {
        return parse_check(&format!("http {}", quoted(word)?));
    }
    if !more && word.parse::<u16>().is_ok() {
        return parse_check(&format!("tcp 127.0.0.1:{word}"));
    }
    let endpoint =
        word.rsplit_once(':').is_some_and(|(host, port)| !host.is_empty() && port.parse::<u16>().is_ok());
    if !more && endpoint {
        return parse_check(&format!("tcp {}", quoted(word)?));
    }
    let kinds = KINDS.map(|kind| kind.word);
    let near = nearest(word, kinds);
    let near = near.first().map_or(".".to_owned(), |near| format!("; did you mean {near}?"));
    let known = kinds.join(", ");
    Err(BadWords(format!(
        "nothing called {word:?} can be looked at{near} A check begins with one of {known}, or is a URL, HOST:PORT or a port"
    )))
}

fn quoted(word: &str) -> Result<String, BadWords> {
    let quoted = shlex::try_quote(word).map_err(|_| BadWords(format!("{word:?} is no word")))?;
    Ok(quoted.into_owned())
}

fn unknown(word: &str, kind: &Entry) -> BadWords {
    let near = nearest(word, kind.words());
    let near = near.first().map_or(String::new(), |near| format!("did you mean {near}? "));
    let all: Vec<&str> = kind.words().collect();
    BadWords(format!("{} knows no word {word:?}: {near}It takes {}", kind.word, all.join(", ")))
}

/// The words of a sentence. How many belong together is told by the type of what is read: a flag is one word, anything
/// else has a value behind it.
pub(super) struct Words {
    kind: &'static Entry,
    words: IntoIter<String>,
    begun: bool,
    /// A number that stood without its word.
    number: Option<String>,
    /// The words that go with all kinds, each with its value.
    common: Vec<(String, Text)>,
    /// The words of the expectation, each with its value.
    expected: Vec<(String, Text)>,
}

impl Words {
    /// What is expected of what is seen.
    pub fn expected(&mut self) -> Result<Expect, BadWords> {
        Expect::deserialize(map(std::mem::take(&mut self.expected)))
    }

    /// The value behind a word.
    fn behind(&mut self, word: &str) -> Result<Text, BadWords> {
        let missing = || match word == self.kind.word {
            true => BadWords(format!("{word} of what? For example: {}", self.kind.example)),
            false => BadWords(format!("{word} of {} needs a value after it", self.kind.word)),
        };
        let text = self.words.next().ok_or_else(missing)?;
        Ok(Text { word: word.to_owned(), text })
    }

    /// The next word of the kind itself; what goes with other kinds, too, is put aside.
    fn next(&mut self) -> Result<Option<String>, BadWords> {
        while let Some(word) = self.words.next() {
            if let Some(named) = self.kind.number.filter(|_| word.parse::<i64>().is_ok()) {
                self.number = Some(word);
                return Ok(Some(named.to_owned()));
            }
            if fields::<Common>().contains(&word.as_str()) {
                let value = match word.as_str() {
                    flag if FLAGS.contains(&flag) => Text { word: flag.to_owned(), text: String::new() },
                    _ => self.behind(&word)?,
                };
                self.common.push((word, value));
            } else if self.kind.expects.contains(&word.as_str()) {
                let value = self.behind(&word)?;
                let word = if word == "prints" { "contains".to_owned() } else { word };
                self.expected.push((word, value));
            } else if (self.kind.fields)().contains(&word.as_str()) {
                return Ok(Some(word));
            } else {
                return Err(unknown(&word, self.kind));
            }
        }
        Ok(None)
    }
}

fn map(pairs: Vec<(String, Text)>) -> MapDeserializer<'static, IntoIter<(String, Text)>, BadWords> {
    MapDeserializer::new(pairs.into_iter())
}

impl<'de> Deserializer<'de> for &mut Words {
    type Error = BadWords;

    fn deserialize_any<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, BadWords> {
        visitor.visit_map(Pairs { words: self, word: String::new() })
    }

    forward_to_deserialize_any! {
        bool i8 i16 i32 i64 u8 u16 u32 u64 f32 f64 char str string bytes byte_buf option unit unit_struct
        newtype_struct seq tuple tuple_struct map struct enum identifier ignored_any
    }
}

/// Word by word.
struct Pairs<'a> {
    words: &'a mut Words,
    /// The word whose value is next.
    word: String,
}

impl<'de> MapAccess<'de> for Pairs<'_> {
    type Error = BadWords;

    fn next_key_seed<K: DeserializeSeed<'de>>(&mut self, seed: K) -> Result<Option<K::Value>, BadWords> {
        let word = match self.words.begun {
            true => self.words.next()?,
            false => Some(self.words.kind.word.to_owned()),
        };
        self.words.begun = true;
        let Some(word) = word else { return Ok(None) };
        self.word.clone_from(&word);
        let key: StringDeserializer<BadWords> = word.into_deserializer();
        seed.deserialize(key).map(Some)
    }

    fn next_value_seed<V: DeserializeSeed<'de>>(&mut self, seed: V) -> Result<V::Value, BadWords> {
        seed.deserialize(Value(self))
    }
}

/// What is behind a word, as soon as it is known whether anything is.
struct Value<'a, 'b>(&'a mut Pairs<'b>);

impl Value<'_, '_> {
    fn text(self) -> Result<Text, BadWords> {
        let Pairs { words, word } = self.0;
        match words.number.take() {
            Some(text) => Ok(Text { word: word.clone(), text }),
            None => words.behind(word),
        }
    }
}

impl<'de> Deserializer<'de> for Value<'_, '_> {
    type Error = BadWords;

    fn deserialize_bool<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, BadWords> {
        visitor.visit_bool(true)
    }

    fn deserialize_option<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, BadWords> {
        visitor.visit_some(self)
    }

    fn deserialize_any<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, BadWords> {
        self.text()?.deserialize_any(visitor)
    }

    fn deserialize_u32<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, BadWords> {
        self.text()?.deserialize_i64(visitor)
    }

    fn deserialize_i32<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, BadWords> {
        self.text()?.deserialize_i64(visitor)
    }

    fn deserialize_i64<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, BadWords> {
        self.text()?.deserialize_i64(visitor)
    }

    fn deserialize_seq<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, BadWords> {
        let words = shlex::split(&self.text()?.text).unwrap_or_default();
        let words: serde::de::value::SeqDeserializer<_, BadWords> = words.into_deserializer();
        words.deserialize_any(visitor)
    }

    fn deserialize_enum<V: Visitor<'de>>(
        self,
        _: &'static str,
        _: &'static [&'static str],
        visitor: V,
    ) -> Result<V::Value, BadWords> {
        visitor.visit_enum(self.text()?.text.into_deserializer())
    }

    forward_to_deserialize_any! {
        i8 i16 u8 u16 u64 f32 f64 char str string bytes byte_buf unit unit_struct
        newtype_struct tuple tuple_struct map struct identifier ignored_any
    }
}

/// One value as it was typed; as a number where one is asked for.
struct Text {
    word: String,
    text: String,
}

impl<'de> Deserializer<'de> for Text {
    type Error = BadWords;

    fn deserialize_any<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, BadWords> {
        visitor.visit_string(self.text)
    }

    fn deserialize_option<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, BadWords> {
        visitor.visit_some(self)
    }

    fn deserialize_i64<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, BadWords> {
        let Self { word, text } = self;
        let number = text.parse().map_err(|_| BadWords(format!("{word} needs a number, not {text:?}")))?;
        visitor.visit_i64(number)
    }

    fn deserialize_u32<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, BadWords> {
        self.deserialize_i64(visitor)
    }

    fn deserialize_bool<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, BadWords> {
        visitor.visit_bool(true)
    }

    forward_to_deserialize_any! {
        i8 i16 i32 u8 u16 u64 f32 f64 char str string bytes byte_buf unit unit_struct
        newtype_struct seq tuple tuple_struct map struct enum identifier ignored_any
    }
}

impl IntoDeserializer<'_, BadWords> for Text {
    type Deserializer = Self;

    fn into_deserializer(self) -> Self {
        self
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::probe::table::read;

    #[test]
    fn sentences_say_what_tables_say() {
        let table = [
            ("http http://localhost/map 200", "http = \"http://localhost/map\"\nstatus = 200"),
            ("http://localhost/", "http = \"http://localhost/\""),
            ("8080", "tcp = \"127.0.0.1:8080\""),
            ("tcp 127.0.0.1:25 refused", "tcp = \"127.0.0.1:25\"\nrefused = true"),
            ("process niceness is 5 patience 9s", "process = \"niceness\"\nis = 5\npatience = \"9s\""),
            ("run '/bin/sh -c \"exit 3\"' status 3", "run = [\"/bin/sh\", \"-c\", \"exit 3\"]\nstatus = 3"),
            (
                "dns quay.example at 127.0.0.1:5353 says refused",
                "dns = \"quay.example\"\nat = \"127.0.0.1:5353\"\nsays = \"refused\"",
            ),
            (
                "http https://boards.example/ at 127.0.0.1 contains 'Quay 3' times 2",
                "http = \"https://boards.example/\"\nat = \"127.0.0.1\"\ncontains = \"Quay 3\"\ntimes = 2",
            ),
        ];
        for (sentence, text) in table {
            assert_eq!(parse_check(sentence), read(toml::from_str(text).unwrap()), "{sentence}");
        }
    }

    #[test]
    fn every_kind_has_an_example_and_words() {
        for kind in &KINDS {
            assert!(kind.example.starts_with(&format!("{} ", kind.word)), "{}", kind.example);
            assert!(parse_check(kind.example).is_ok(), "{}: {:?}", kind.example, parse_check(kind.example));
            assert_eq!((kind.fields)().first(), Some(&kind.word));
        }
    }

    #[test]
    fn bad_sentences_name_what_is_near() {
        let table = [
            ("htp http://localhost/", "did you mean http?"),
            ("http http://localhost/ contians x", "did you mean contains?"),
            ("http localhost", "only http://"),
            ("http", "For example"),
            ("tcp 127.0.0.1:25 contains x", "tcp knows no word"),
            ("process nicenes is 5", "did you mean niceness?"),
            ("http http://localhost/ status many", "needs a number"),
            ("http http://localhost/ contains", "needs a value"),
            ("dns quay.example", "needs the server"),
            ("tcp 'x", "a quote missing"),
            ("tcp x times 0", "counts from 1"),
            ("", "no sentence"),
        ];
        for (sentence, says) in table {
            let why = parse_check(sentence).unwrap_err().0;
            assert!(why.contains(says), "{sentence}: {why}");
        }
    }
}
