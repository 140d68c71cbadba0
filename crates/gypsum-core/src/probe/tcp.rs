//! A connection.

use super::expect::Expect;
use super::kind::Kind;
use super::{BadWords, Probe};
use serde::{Deserialize, Serialize};

/// A connection to a port.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Tcp {
    /// Where to, as `host:port`.
    pub at: String,
    /// Whether nobody may take it.
    pub refused: bool,
}

/// A connection.
#[derive(Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct Written {
    /// Where to: `HOST:PORT`.
    tcp: String,
    /// The connection must be refused.
    #[serde(default)]
    refused: bool,
}

impl Kind for Written {
    const WORD: &'static str = "tcp";
    const EXAMPLE: &'static str = "tcp 127.0.0.1:25";

    fn probe(self, _: Expect) -> Result<(String, Probe), BadWords> {
        let Self { tcp: at, refused } = self;
        Ok((format!("tcp {at}"), Probe::Tcp(Tcp { at, refused })))
    }
}

impl Tcp {
    pub(super) fn texts(&mut self) -> Vec<&mut String> {
        vec![&mut self.at]
    }
}
