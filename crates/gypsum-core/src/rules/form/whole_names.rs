//! Statements that end with a whole name.

use super::{RuleForm, Sides};
use crate::finding::Finding;
use crate::profile::Rule;
use crate::rules::statements::{broken, is_one, text_of};
use serde::Deserialize;

/// The last word of these statements, where it has dots in it, ends with one: a whole name and no part of one.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
pub(super) struct WholeNames(Vec<String>);

impl RuleForm for WholeNames {
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
        let config_view = &sides.after;
        let of = &self.0;
        for turn in config_view.layers.turns() {
            let text = text_of(config_view, turn);
            let part = text.rsplit(' ').next().is_some_and(|word| word.contains('.') && !word.ends_with('.'));
            if part && is_one(config_view, &text, of) {
                let finding = broken(rule, rule.says.clone());
                findings.push(config_view.at_value(finding, turn, 0));
            }
        }
    }
}
