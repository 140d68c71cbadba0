//! A path that ends as the one that its block is about.

use super::{RuleForm, Sides};
use crate::finding::Finding;
use crate::profile::Rule;
use crate::rules::statements::broken;
use serde::Deserialize;

/// A path that is the value of a setting ends like the one that its block is about: with a slash, or without.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct EndsAlike {
    /// The first word of the block.
    block: String,
    /// The setting.
    setting: String,
}

impl RuleForm for EndsAlike {
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
        let config_view = &sides.after;
        for turn in config_view.layers.called(config_view.files, config_view.profile, &self.setting) {
            let scope = config_view.layers.scope(turn.scope);
            let words: Vec<&str> = scope.title.split(' ').collect();
            // With a mark before it, the path is a pattern.
            let [word, path] = words.as_slice() else { continue };
            let value = config_view.value(turn);
            if *word == self.block && path.ends_with('/') != value.ends_with('/') {
                let finding = broken(rule, rule.says.clone());
                findings.push(config_view.at_value(finding, turn, 0));
            }
        }
    }
}
