//! An answer of a name server.

use super::expect::{Expect, Mismatch};
use super::kind::Kind;
use super::{BadWords, Probe};
use serde::{Deserialize, Serialize};

/// A question to a name server.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Dns {
    /// The name that is asked for.
    pub name: String,
    /// The server, with or without a port.
    pub at: String,
    /// The type of record, as in RFC 1035.
    pub kind: String,
    /// What must be among the answers, or one of `refused`, `no-such-name`, `no-answer`; any answer where nothing is
    /// said.
    pub says: Option<String>,
    /// Whether the answer from before is the measure.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub as_before: bool,
    /// The settings that may change the answer because somebody asked for it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub asked_by: Vec<String>,
    /// The answer from before, where it is the measure and there was one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<DnsAnswer>,
    /// Whether the change asks for another answer: then a difference is only said.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub is_asked_for: bool,
}

/// What a name server answers (RFC 1035, 4.1.1).
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum DnsAnswer {
    /// Records, as zone files write them; none where the name has none of that type.
    Records(Vec<String>),
    /// It refuses to answer.
    Refused,
    /// There is no such name.
    NoSuchName,
    /// It cannot answer, in its words.
    Failed(String),
    /// Nothing came.
    Silence,
}

impl DnsAnswer {
    /// It in words.
    pub fn words(&self) -> String {
        match self {
            Self::Records(records) if records.is_empty() => "says no such record".to_owned(),
            Self::Records(records) => format!("says {}", records.join(", ")),
            Self::Refused => "refuses to answer".to_owned(),
            Self::NoSuchName => "says no such name".to_owned(),
            Self::Failed(why) => format!("says {why}"),
            Self::Silence => "does not answer".to_owned(),
        }
    }

    /// The same of a time before.
    fn past(&self) -> String {
        let words = self.words();
        match words.strip_prefix("says ") {
            Some(rest) => format!("said {rest}"),
            None => words.replace("refuses", "refused").replace("does not", "did not"),
        }
    }

    /// Whether a client has got what it asked for.
    fn serves(&self) -> bool {
        matches!(self, Self::Records(records) if !records.is_empty())
    }
}

impl Dns {
    /// Judges an answer by that from before, where that is the measure.
    ///
    /// # Errors
    ///
    /// If records came before and none come now, and nobody asked for that; or if nothing comes at all.
    pub fn judge_as_before(&self, now: &DnsAnswer) -> Result<String, Mismatch> {
        let is_worse = match &self.before {
            Some(before) => before.serves() && !now.serves() && !self.is_asked_for,
            None => *now == DnsAnswer::Silence,
        };
        let said = match &self.before {
            Some(before) if before != now => format!("{}, and {} before", now.words(), before.past()),
            Some(before) if before.serves() => "answers, as expected".to_owned(),
            Some(_) | None => now.words(),
        };
        if is_worse { Err(Mismatch(said)) } else { Ok(said) }
    }
}

/// An answer of a name server.
#[derive(Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct Written {
    /// The name that is asked for.
    dns: String,
    /// The server, with or without a port.
    at: Option<String>,
    /// The type of record (RFC 1035); A where none is given.
    #[serde(rename = "type")]
    kind: Option<String>,
    /// What must be among the answers, or one of `refused`, `no-such-name`, `no-answer`.
    says: Option<String>,
    /// The answer from before the change is the measure.
    #[serde(default)]
    as_before: bool,
    /// The settings that may change the answer because somebody asked for it.
    #[serde(default)]
    asked_by: Vec<String>,
}

impl Kind for Written {
    const WORD: &'static str = "dns";
    const EXAMPLE: &'static str = "dns boards.example at 127.0.0.1 says 192.0.2.7";

    fn probe(self, _: Expect) -> Result<(String, Probe), BadWords> {
        let Self { dns: name, at, kind, says, as_before, asked_by } = self;
        let at = at.ok_or("dns wants the server: at 127.0.0.1")?;
        let kind = kind.unwrap_or_else(|| "A".into()).to_uppercase();
        let dns = Dns { name, at, kind, says, as_before, asked_by, ..Dns::default() };
        Ok((format!("dns {}", dns.name), Probe::Dns(dns)))
    }
}

impl Dns {
    pub(super) fn texts(&mut self) -> Vec<&mut String> {
        [&mut self.name, &mut self.at].into_iter().chain(&mut self.says).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_answer_is_judged_by_that_from_before() {
        let records = |text: &str| DnsAnswer::Records(vec![text.to_owned()]);
        let none = DnsAnswer::Records(Vec::new());
        let judged = |before: Option<DnsAnswer>, now: &DnsAnswer, is_asked_for: bool| {
            let dns = Dns { before, is_asked_for, as_before: true, ..Dns::default() };
            dns.judge_as_before(now).map_err(|why| why.0)
        };
        let old = || Some(records("ns. 1"));
        assert_eq!(judged(old(), &records("ns. 1"), false), Ok("answers, as expected".into()));
        assert_eq!(judged(old(), &records("ns. 2"), false), Ok("says ns. 2, and said ns. 1 before".into()));
        for lost in [
            DnsAnswer::Refused,
            DnsAnswer::NoSuchName,
            DnsAnswer::Silence,
            DnsAnswer::Failed("SERVFAIL".into()),
            none,
        ] {
            assert!(judged(old(), &lost, false).is_err(), "{lost:?}");
            assert!(judged(old(), &lost, true).is_ok(), "{lost:?} was asked for");
        }
        assert_eq!(
            judged(old(), &DnsAnswer::Refused, false),
            Err("refuses to answer, and said ns. 1 before".into())
        );
        // What gave no record before proves nothing.
        assert!(judged(Some(DnsAnswer::NoSuchName), &DnsAnswer::Refused, false).is_ok());
        assert!(judged(None, &DnsAnswer::Refused, false).is_ok());
        assert!(judged(None, &DnsAnswer::Silence, false).is_err());
    }
}
