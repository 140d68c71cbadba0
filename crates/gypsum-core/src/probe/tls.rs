//! A certificate.

use super::expect::Expect;
use super::kind::Kind;
use super::{BadWords, Probe};
use serde::{Deserialize, Serialize};

/// A certificate as a server shows it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Tls {
    /// The server.
    pub at: String,
    /// The name that it is asked for and that must be in the certificate.
    pub name: Option<String>,
    /// It must be valid for so many days from now.
    pub days: u32,
    /// The file with the private key that it must belong to.
    pub key: Option<String>,
    /// The file with the certificates that must have signed it.
    pub ca: Option<String>,
}

/// A certificate as a server shows it.
#[derive(Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct Written {
    /// The server: `HOST:PORT`.
    tls: String,
    /// The name that it is asked for, and that must be in the certificate.
    certifies: Option<String>,
    /// The certificate must be valid for so many days from now.
    #[serde(default)]
    days: u32,
    /// The file with the private key that it must belong to.
    key: Option<String>,
    /// The file with the certificates that must have signed it.
    ca: Option<String>,
}

impl Kind for Written {
    const WORD: &'static str = "tls";
    const EXAMPLE: &'static str = "tls localhost:443 certifies boards.example days 14";

    fn probe(self, _: Expect) -> Result<(String, Probe), BadWords> {
        let Self { tls: at, certifies: name, days, key, ca } = self;
        Ok((format!("certificate of {at}"), Probe::Tls(Tls { at, name, days, key, ca })))
    }
}

impl Tls {
    pub(super) fn texts(&mut self) -> Vec<&mut String> {
        let Self { at, name, key, ca, .. } = self;
        std::iter::once(at).chain([name, key, ca].into_iter().flatten()).collect()
    }
}
