//! Findings: what a check has to say.

use crate::doc::{Document, LeafId};
use serde::{Deserialize, Serialize};

/// How bad it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Good to know.
    Hint,
    /// Probably not what was meant; `--strict` refuses it.
    Warning,
    /// Refuses the change, unless its rule is accepted by name.
    Fault,
}

impl Severity {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Hint => "hint",
            Self::Warning => "warning",
            Self::Fault => "fault",
        }
    }
}

/// One thing found.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Finding {
    /// The rule, by the name that `--accept` takes.
    pub rule: String,
    /// How bad it is.
    pub severity: Severity,
    /// The file it is about.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub file: Option<String>,
    /// The line in that file, from 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub line: Option<u32>,
    /// The column in that line, from 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub column: Option<u32>,
    /// The line itself.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub text: Option<String>,
    /// The setting, by its address.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub address: Option<String>,
    /// What is wrong.
    pub message: String,
    /// What the daemon itself says of it, line by line.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub said: Vec<String>,
    /// What to do about it.
    #[serde(default, alias = "mend", skip_serializing_if = "Option::is_none")]
    pub help: Option<String>,
    /// Whether the person accepted the rule by name.
    #[serde(default)]
    pub accepted: bool,
    /// Why it was accepted, in the person's words.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub reason: Option<String>,
    /// Whether there is nothing to accept: what was asked for cannot be done.
    #[serde(default)]
    pub firm: bool,
}

impl Finding {
    /// A finding that is about no place in particular.
    pub fn new(rule: &str, severity: Severity, message: impl Into<String>) -> Self {
        Self {
            rule: rule.into(),
            severity,
            file: None,
            line: None,
            column: None,
            text: None,
            address: None,
            message: message.into(),
            said: Vec::new(),
            help: None,
            accepted: false,
            reason: None,
            firm: false,
        }
    }

    /// A fault.
    pub fn fault(rule: &str, message: impl Into<String>) -> Self {
        Self::new(rule, Severity::Fault, message)
    }

    /// A fault that cannot be accepted: what was asked for does not fit.
    pub fn edit_error(rule: &str, message: impl Into<String>) -> Self {
        Self { firm: true, ..Self::fault(rule, message) }
    }

    /// A warning.
    pub fn warning(rule: &str, message: impl Into<String>) -> Self {
        Self::new(rule, Severity::Warning, message)
    }

    /// With what the daemon itself says of it.
    pub fn saying(mut self, lines: Vec<String>) -> Self {
        self.said = lines;
        self
    }

    /// With what to do about it.
    pub fn help(mut self, help: impl Into<String>) -> Self {
        self.help = Some(help.into());
        self
    }

    /// With the address it is about.
    pub fn about(mut self, address: impl ToString) -> Self {
        self.address = Some(address.to_string());
        self
    }

    /// With the file it is about.
    pub fn in_file(mut self, file: &str) -> Self {
        self.file = Some(file.into());
        self
    }

    /// With its place: the start of the text of leaf `id`.
    pub fn at(self, file: &str, doc: &Document, id: LeafId) -> Self {
        let start = doc.parts(id).map_or(doc.tree().span(id).start, |parts| parts.name.start);
        self.at_offset(file, doc, start as usize)
    }

    /// With its place: byte `offset`.
    pub fn at_offset(mut self, file: &str, doc: &Document, offset: usize) -> Self {
        let place = doc.place_at(offset);
        self.file = Some(file.into());
        self.line = Some(place.line);
        self.column = Some(place.column);
        self.text = Some(doc.text(doc.shown_around(offset)).trim_end().to_owned());
        self
    }

    /// Whether it stands in the way of the change.
    pub fn refuses(&self, strict: bool) -> bool {
        let least = if strict { Severity::Warning } else { Severity::Fault };
        self.severity >= least && (self.firm || !self.accepted)
    }

    /// Whether `other` says the same thing of the same setting; lines may have moved.
    pub fn same_as(&self, other: &Self) -> bool {
        (&self.rule, &self.file, &self.address, &self.message, &self.text)
            == (&other.rule, &other.file, &other.address, &other.message, &other.text)
    }
}
