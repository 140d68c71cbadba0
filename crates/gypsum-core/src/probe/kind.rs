//! The kinds of health checks that people write, and what all of them have in common.

use super::expect::Expect;
use super::sentence::Words;
use super::{
    BadWords, Check, LIMIT, Measure, PATIENCE, Probe, Side, command, dns, file, greeting, handshake, http,
    log, logged, process, ssh, talk, tcp, tls,
};
use crate::described::Described;
use jiff::SignedDuration;
use serde::Deserialize;
use serde::de::{self, DeserializeOwned, Deserializer, Visitor};
use serde::forward_to_deserialize_any;

/// A kind of health check as people write it, in a table of a profile or as a sentence: its fields are the words. The
/// first field is the kind's own word, with what is looked at.
pub(super) trait Kind: DeserializeOwned + Described {
    /// The word that it begins with.
    const WORD: &'static str;
    /// A sentence of this kind.
    const EXAMPLE: &'static str;
    /// The words of an expectation that go with it.
    const EXPECTS: &'static [&'static str] = &[];
    /// The word that is meant where a bare number is in a sentence.
    const NUMBER: Option<&'static str> = None;

    /// The title of such a check, and what is looked at.
    fn probe(self, expect: Expect) -> Result<(String, Probe), BadWords>;
}

/// All of them.
pub(super) const KINDS: [Entry; 13] = [
    Entry::of::<http::Written>(),
    Entry::of::<tcp::Written>(),
    Entry::of::<greeting::Written>(),
    Entry::of::<talk::Written>(),
    Entry::of::<handshake::Written>(),
    Entry::of::<tls::Written>(),
    Entry::of::<dns::Written>(),
    Entry::of::<ssh::Written>(),
    Entry::of::<process::Written>(),
    Entry::of::<log::Written>(),
    Entry::of::<logged::Written>(),
    Entry::of::<file::Written>(),
    Entry::of::<command::Written>(),
];

/// One of the kinds.
pub(super) struct Entry {
    /// Its word.
    pub word: &'static str,
    /// A sentence of this kind.
    pub example: &'static str,
    /// The words of an expectation that go with it.
    pub expects: &'static [&'static str],
    /// The word that a bare number stands for.
    pub number: Option<&'static str>,
    /// Its words, its own among them.
    pub fields: fn() -> &'static [&'static str],
    /// Its fields, for the reference.
    #[cfg(feature = "reference")]
    pub schema: fn(&mut schemars::SchemaGenerator) -> schemars::Schema,
    /// Reads it from a table.
    pub of_table: fn(toml::Table, Expect) -> Result<(String, Probe), BadWords>,
    /// Reads it from the words of a sentence.
    pub of_words: fn(&mut Words) -> Result<(String, Probe), BadWords>,
}

impl Entry {
    const fn of<K: Kind>() -> Self {
        Self {
            word: K::WORD,
            example: K::EXAMPLE,
            expects: K::EXPECTS,
            number: K::NUMBER,
            fields: fields::<K>,
            #[cfg(feature = "reference")]
            schema: K::json_schema,
            of_table: |table, expect| {
                let written = K::deserialize(table).map_err(|error| one_line(error.message()))?;
                written.probe(expect)
            },
            of_words: |words| {
                let written = K::deserialize(&mut *words)?;
                written.probe(words.expected()?)
            },
        }
    }

    /// The words that may stand in such a check besides its own.
    pub fn words(&self) -> impl Iterator<Item = &'static str> {
        let own = (self.fields)().iter().filter(|word| **word != self.word);
        own.chain(self.expects).chain(fields::<Common>()).copied()
    }
}

pub(super) fn one_line(message: &str) -> BadWords {
    BadWords(message.trim().replace('\n', "; "))
}

/// The words that go with all kinds.
#[derive(Default, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, default, rename_all = "kebab-case")]
pub(super) struct Common {
    /// The name of the check in output; what it looks at where none is given.
    name: Option<String>,
    /// How long it may fail at first.
    patience: Option<SignedDuration>,
    /// How long it must go on holding once it did.
    steady: Option<SignedDuration>,
    /// How long one try may take.
    limit: Option<SignedDuration>,
    /// How often in a row it must hold.
    times: Option<u32>,
    /// The setting, or the word of the blocks, for each of which there is such a check: `{each}` is the value, or what the
    /// block is called.
    each: Option<String>,
    /// The values of it for which there is none.
    except: Vec<String>,
    /// The answers from before the change are the measure.
    as_before: bool,
    /// The settings that may change an answer, because the edit asks for that.
    asked_by: Vec<String>,
    /// In place of 127.0.0.1, an address of this host that others reach is asked, too, where it listens there.
    outside: bool,
}

impl Common {
    /// The whole check of something that is looked at.
    pub fn check(self, (title, probe): (String, Probe)) -> Result<Check, BadWords> {
        let ms = |time: SignedDuration| {
            u64::try_from(time.as_millis()).map_err(|_| "a time is never negative".to_owned())
        };
        let times = self.times.unwrap_or(1);
        if times == 0 {
            return Err(BadWords("times counts from 1".into()));
        }
        if self.as_before && !probe.has_answers() {
            return Err(BadWords("as-before goes with http, dns, talk, handshake, ssh, and with run where it has lines or column".into()));
        }
        let once = probe.leaves_a_trace().then_some(0);
        Ok(Check {
            name: self.name.unwrap_or(title),
            probe,
            patience_ms: ms(self.patience.unwrap_or(PATIENCE))?,
            steady_ms: self.steady.map(ms).transpose()?.or(once),
            limit_ms: ms(self.limit.unwrap_or(LIMIT))?,
            times,
            each: self.each,
            except: self.except,
            side: if self.outside { Side::Both } else { Side::Here },
            measure: self.as_before.then(|| Measure { asked_by: self.asked_by, ..Measure::default() }),
        })
    }
}

/// The names of a struct's fields, as they are written.
pub(super) fn fields<T: DeserializeOwned>() -> &'static [&'static str] {
    let mut fields: &'static [&'static str] = &[];
    // It ends without a value, on purpose: what is wanted is what was asked for.
    let _ = T::deserialize(FieldNames(&mut fields));
    fields
}

struct FieldNames<'a>(&'a mut &'static [&'static str]);

impl<'de> Deserializer<'de> for FieldNames<'_> {
    type Error = BadWords;

    fn deserialize_any<V: Visitor<'de>>(self, _: V) -> Result<V::Value, BadWords> {
        Err(BadWords("no struct".into()))
    }

    fn deserialize_struct<V: Visitor<'de>>(
        self,
        _: &'static str,
        fields: &'static [&'static str],
        _: V,
    ) -> Result<V::Value, BadWords> {
        *self.0 = fields;
        Err(BadWords("only the names".into()))
    }

    forward_to_deserialize_any! {
        bool i8 i16 i32 i64 u8 u16 u32 u64 f32 f64 char str string bytes byte_buf option unit unit_struct
        newtype_struct seq tuple tuple_struct map enum identifier ignored_any
    }
}

impl de::Error for BadWords {
    fn custom<T: std::fmt::Display>(message: T) -> Self {
        one_line(&message.to_string())
    }
}
