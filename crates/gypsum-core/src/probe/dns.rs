//! An answer of a name server.

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
        let at = at.ok_or("dns wants the server: at 127.0.0.1")?;
        let kind = kind.unwrap_or_else(|| "A".into()).to_uppercase();
        Ok((format!("dns {name}"), Probe::Dns(Dns { name, at, kind, says })))
    }
}

impl Dns {
    pub(super) fn texts(&mut self) -> Vec<&mut String> {
        [&mut self.name, &mut self.at].into_iter().chain(&mut self.says).collect()
    }
}
