//! Statements that end with one of a few words.

use super::{RuleForm, Sides};
use crate::finding::Finding;
use crate::profile::Rule;
use crate::rules::statements::{broken, is_one};
use crate::text::glob_match;
use serde::Deserialize;

/// The last word of these statements is one of those.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct LastWord {
    /// The statements.
    of: Vec<String>,
    /// The words.
    one_of: Vec<String>,
}

impl RuleForm for LastWord {
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
        let config_view = &sides.after;
        for turn in config_view.layers.turns() {
            let value = config_view.value(turn);
            // Options may stand behind the word.
            let known = value
                .split_whitespace()
                .skip(1)
                .any(|word| self.one_of.iter().any(|one| glob_match(one, word)));
            if is_one(config_view, &config_view.name(turn), &self.of) && !known {
                let finding = broken(rule, rule.says.clone());
                findings.push(config_view.at_value(finding, turn, 0));
            }
        }
    }
}
