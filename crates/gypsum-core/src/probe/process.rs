//! A property of the main process.

use super::expect::Expect;
use super::kind::Kind;
use super::property::Property;
use super::{BadWords, Probe};
use crate::text::nearest;
use serde::{Deserialize, Serialize};

/// A property of the main process.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Process {
    /// Which.
    #[serde(alias = "fact")]
    pub property: Property,
    /// What is expected of it.
    pub expect: Expect,
}

/// A property of the main process.
#[derive(Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct Written {
    /// The property, or an option of the process such as `-Xmx`.
    process: String,
}

impl Kind for Written {
    const WORD: &'static str = "process";
    const EXAMPLE: &'static str = "process niceness is 5";
    const EXPECTS: &'static [&'static str] = &["is", "contains", "lacks", "at-least", "at-most"];

    fn probe(self, expect: Expect) -> Result<(String, Probe), BadWords> {
        let word = self.process;
        let property = Property::named(&word).ok_or_else(|| {
            let known = Property::ALL;
            let known = known.each_ref().map(Property::word);
            let near = nearest(&word, known);
            let near = near.first().map_or(String::new(), |near| format!("did you mean {near}? "));
            format!(
                "nothing called {word:?} is known of a process: {near}There are {}, and options such as -Xmx",
                known.join(", ")
            )
        })?;
        Ok((format!("process {word}"), Probe::Process(Process { property, expect })))
    }
}

impl Process {
    pub(super) fn texts(&mut self) -> Vec<&mut String> {
        self.expect.texts().collect()
    }
}
