//! A file.

use super::expect::Expect;
use super::kind::Kind;
use super::{BadWords, Probe};
use jiff::SignedDuration;
use serde::{Deserialize, Serialize};

/// A file and what is expected of it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileProperty {
    /// Where.
    pub path: String,
    /// Whether it must not be there.
    pub absent: bool,
    /// The account that it must belong to.
    pub owner: Option<String>,
    /// Its permission bits, in octal digits.
    pub mode: Option<String>,
    /// Its last change must be no longer ago, in milliseconds.
    pub younger_ms: Option<u64>,
    /// What is expected of its text.
    pub expect: Expect,
}

/// A file.
#[derive(Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct Written {
    /// Where: an absolute path.
    file: String,
    /// It must not be there.
    #[serde(default)]
    absent: bool,
    /// The account that it must belong to.
    owner: Option<String>,
    /// Its permission bits, in octal digits.
    mode: Option<String>,
    /// Its last change must be no longer ago.
    younger: Option<SignedDuration>,
}

impl Kind for Written {
    const WORD: &'static str = "file";
    const EXAMPLE: &'static str = "file /run/boards.pid owner boards";
    const EXPECTS: &'static [&'static str] = &["contains", "lacks", "is"];

    fn probe(self, expect: Expect) -> Result<(String, Probe), BadWords> {
        let Self { file: path, absent, owner, mode, younger } = self;
        if !path.starts_with('/') {
            return Err(BadWords(format!("a file must be an absolute path, not {path:?}")));
        }
        let younger_ms = younger.map(|time| u64::try_from(time.as_millis())).transpose();
        let younger_ms = younger_ms.map_err(|_| "a time is never negative")?;
        let title = format!("file {path}");
        Ok((title, Probe::File(FileProperty { path, absent, owner, mode, younger_ms, expect })))
    }
}

impl FileProperty {
    pub(super) fn texts(&mut self) -> Vec<&mut String> {
        std::iter::once(&mut self.path).chain(&mut self.owner).chain(self.expect.texts()).collect()
    }
}
