//! An answer of a name server.

use super::answer::{Answer, Grade};
use super::expect::Expect;
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
    /// It in a word that is compared.
    fn word(&self) -> String {
        match self {
            Self::Records(records) if records.is_empty() => "no such record".to_owned(),
            Self::Records(records) => records.join(", "),
            Self::Refused => "REFUSED".to_owned(),
            Self::NoSuchName => "NXDOMAIN".to_owned(),
            Self::Failed(why) => why.clone(),
            Self::Silence => "nothing".to_owned(),
        }
    }

    fn grade(&self) -> Grade {
        match self {
            Self::Records(records) if !records.is_empty() => Grade::Served,
            Self::Silence => Grade::Failed,
            // A name that gave no record before proves nothing by another error.
            Self::Records(_) | Self::Refused | Self::NoSuchName | Self::Failed(_) => Grade::Refused,
        }
    }
}

impl Dns {
    /// An answer, as far as it is compared. The records of a name are its owner's affair.
    pub fn compared(&self, answer: &DnsAnswer) -> Answer {
        Answer::new(format!("{} {}", self.kind, self.name), answer.grade(), answer.word())
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
}

impl Kind for Written {
    const WORD: &'static str = "dns";
    const EXAMPLE: &'static str = "dns boards.example at 127.0.0.1 says 192.0.2.7";

    fn probe(self, _: Expect) -> Result<(String, Probe), BadWords> {
        let Self { dns: name, at, kind, says } = self;
        let at = at.ok_or("dns needs the server: at 127.0.0.1")?;
        let kind = kind.unwrap_or_else(|| "A".into()).to_uppercase();
        let dns = Dns { name, at, kind, says };
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
    fn a_client_is_served_by_records_alone() {
        let records =
            |text: &[&str]| DnsAnswer::Records(text.iter().map(|text| (*text).to_owned()).collect());
        let dns = Dns { name: "quay.example".into(), kind: "A".into(), ..Dns::default() };
        for (answer, grade, word) in [
            (records(&["192.0.2.7"]), Grade::Served, "192.0.2.7"),
            (records(&[]), Grade::Refused, "no such record"),
            (DnsAnswer::NoSuchName, Grade::Refused, "NXDOMAIN"),
            (DnsAnswer::Refused, Grade::Refused, "REFUSED"),
            (DnsAnswer::Failed("SERVFAIL".into()), Grade::Refused, "SERVFAIL"),
            (DnsAnswer::Silence, Grade::Failed, "nothing"),
        ] {
            assert_eq!(dns.compared(&answer), Answer::new("A quay.example", grade, word));
        }
    }
}
