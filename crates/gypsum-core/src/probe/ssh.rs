//! The ways in that an SSH server offers.

use super::expect::Expect;
use super::kind::Kind;
use super::{BadWords, Probe};
use serde::{Deserialize, Serialize};

/// What is looked at of an SSH server, through the host's own client.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Ssh {
    /// The server.
    pub at: String,
    /// Who wants in.
    pub user: String,
    /// A way in that must be offered.
    pub offers: Option<String>,
    /// A way in that must not be offered.
    pub withholds: Option<String>,
    /// The file of a key that must let the user in.
    pub key: Option<String>,
    /// Whether the key must not let the user in.
    pub refused: bool,
}

/// As people write it.
#[derive(Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct Written {
    /// The server: `HOST:PORT`.
    ssh: String,
    /// The account that wants in.
    user: Option<String>,
    /// A way in that must be offered.
    offers: Option<String>,
    /// A way in that must not be offered.
    withholds: Option<String>,
    /// The file of a private key: it must let the account in.
    key: Option<String>,
    /// The key must not let the account in.
    #[serde(default)]
    refused: bool,
}

impl Kind for Written {
    const WORD: &'static str = "ssh";
    const EXAMPLE: &'static str = "ssh 127.0.0.1:22 user porter withholds password";

    fn probe(self, _: Expect) -> Result<(String, Probe), BadWords> {
        let Self { ssh: at, user, offers, withholds, key, refused } = self;
        let user = user.ok_or("ssh wants to know who wants in: user NAME")?;
        Ok((format!("ssh {user} at {at}"), Probe::Ssh(Ssh { at, user, offers, withholds, key, refused })))
    }
}

impl Ssh {
    pub(super) fn texts(&mut self) -> Vec<&mut String> {
        [&mut self.at, &mut self.user].into_iter().chain(&mut self.key).collect()
    }
}
