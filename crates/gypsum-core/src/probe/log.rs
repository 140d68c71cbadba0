//! What came into a log since the activation.

use super::expect::Expect;
use super::kind::Kind;
use super::{BadWords, Probe};
use serde::{Deserialize, Serialize};

/// What came into a log since the activation.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Log {
    /// A file; the journal of the service where none is named.
    pub file: Option<String>,
    /// What is expected of it.
    pub expect: Expect,
}

/// What came into a log since the activation.
#[derive(Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct Written {
    /// `journal`, or the path of a file.
    log: String,
}

impl Kind for Written {
    const WORD: &'static str = "log";
    const EXAMPLE: &'static str = "log journal lacks error";
    const EXPECTS: &'static [&'static str] = &["contains", "lacks"];

    fn probe(self, expect: Expect) -> Result<(String, Probe), BadWords> {
        let title = format!("log {}", self.log);
        let file = Some(self.log).filter(|file| file != "journal");
        if file.as_ref().is_some_and(|file| !file.starts_with('/')) {
            return Err(BadWords("a log is \"journal\" or an absolute path".into()));
        }
        Ok((title, Probe::Log(Log { file, expect })))
    }
}

impl Log {
    pub(super) fn texts(&mut self) -> Vec<&mut String> {
        self.file.iter_mut().chain(self.expect.texts()).collect()
    }
}
