//! Statements that are not there.

use super::{RuleForm, Sides};
use crate::finding::Finding;
use crate::profile::Rule;
use crate::rules::statements::{broken, is_one, may_be, text_of};
use serde::Deserialize;

/// A statement that begins like this is there. `*` at its end stands for anything.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
pub(super) struct Never(Vec<String>);

impl RuleForm for Never {
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
        let config_view = &sides.after;
        let patterns = &self.0;
        for turn in config_view.layers.turns().iter().filter(|turn| may_be(config_view, turn, patterns)) {
            if is_one(config_view, &text_of(config_view, turn), patterns) {
                let finding = broken(rule, rule.says.clone());
                findings.push(config_view.at_value(finding, turn, 0));
            }
        }
    }
}
