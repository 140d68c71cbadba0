//! What a server says first.

use super::expect::Expect;
use super::kind::Kind;
use super::{BadWords, Probe};
use serde::{Deserialize, Serialize};

/// What a server says first, or to the first thing it is told.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Greeting {
    /// Where, as `host:port` or the path of a Unix socket.
    pub at: String,
    /// What it is told.
    pub sends: Option<String>,
    /// What is expected of its answer.
    pub expect: Expect,
}

/// What a server says first, or to the first thing it is told.
#[derive(Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct Written {
    /// Where: `HOST:PORT`, or the path of a Unix socket.
    greeting: String,
    /// What the server is told first.
    sends: Option<String>,
}

impl Kind for Written {
    const WORD: &'static str = "greeting";
    const EXAMPLE: &'static str = "greeting 127.0.0.1:25 contains 220";
    const EXPECTS: &'static [&'static str] = &["contains", "lacks", "is"];

    fn probe(self, expect: Expect) -> Result<(String, Probe), BadWords> {
        let Self { greeting: at, sends } = self;
        Ok((format!("greeting of {at}"), Probe::Greeting(Greeting { at, sends, expect })))
    }
}

impl Greeting {
    pub(super) fn texts(&mut self) -> Vec<&mut String> {
        std::iter::once(&mut self.at).chain(&mut self.sends).chain(self.expect.texts()).collect()
    }
}
