//! Rules that see more than one setting. What a rule asks is one of the forms in [`crate::rules`], which reads it.

use crate::finding::Severity;
use serde::Deserialize;
use std::collections::BTreeMap;

/// One rule of a profile.
#[derive(Clone, Debug, Deserialize)]
#[serde(try_from = "RawRule")]
pub struct Rule {
    /// Its name, for `--accept`.
    pub name: String,
    /// What is wrong where it is broken.
    pub says: String,
    /// What to do about it.
    pub help: Option<String>,
    /// How bad that is.
    pub severity: Severity,
    /// What it asks.
    pub form: Form,
}

/// What a rule asks, as it is written.
#[derive(Clone, Debug)]
pub struct Form {
    /// The key.
    pub word: String,
    /// What is behind it.
    pub value: toml::Value,
}

/// One rule of a profile. Besides these keys it has one more: its form. A condition in a form is `NAME`, `NAME=VALUE`,
/// `NAME!=VALUE` or `!NAME`, of the values in effect.
#[derive(Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema), schemars(rename = "Rule"))]
pub(super) struct RawRule {
    /// Its name, for `--accept`.
    name: String,
    /// What is wrong where it is broken.
    says: String,
    /// What to do about it.
    help: Option<String>,
    /// How bad that is.
    #[serde(default = "fault")]
    severity: Severity,
    #[serde(flatten)]
    #[cfg_attr(feature = "reference", schemars(skip))]
    forms: BTreeMap<String, toml::Value>,
}

fn fault() -> Severity {
    Severity::Fault
}

impl TryFrom<RawRule> for Rule {
    type Error = String;

    fn try_from(raw: RawRule) -> Result<Self, String> {
        let RawRule { name, says, help, severity, forms } = raw;
        let words: Vec<String> = forms.keys().cloned().collect();
        let mut forms = forms.into_iter();
        match (forms.next(), forms.next()) {
            (Some((word, value)), None) => {
                Ok(Self { name, says, help, severity, form: Form { word, value } })
            }
            (None, _) => Err(format!("the rule {name} has no form, such as one-of = [...]")),
            (Some(_), Some(_)) => Err(format!("the rule {name} has several forms: {}", words.join(", "))),
        }
    }
}
