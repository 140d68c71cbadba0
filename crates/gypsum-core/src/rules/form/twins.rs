//! Blocks that are told apart by a setting in them.

use super::{RuleForm, Sides};
use crate::finding::Finding;
use crate::layers::Occurrence;
use crate::profile::Rule;
use crate::rules::statements::broken;
use serde::Deserialize;
use std::collections::HashMap;

/// Two blocks of the same words do not have the same value of a setting.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct Twins {
    /// The first word of the blocks.
    block: String,
    /// The setting that tells those with the same words apart.
    setting: String,
}

impl RuleForm for Twins {
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
        let config_view = &sides.after;
        let mut seen: HashMap<(String, String), &Occurrence> = HashMap::new();
        for turn in config_view.layers.called(config_view.files, config_view.profile, &self.setting) {
            let scope = config_view.layers.scope(turn.scope);
            if scope.word() != self.block {
                continue;
            }
            for name in config_view.value(turn).split_whitespace() {
                let other = *seen.entry((scope.title.clone(), name.to_lowercase())).or_insert(turn);
                if other.scope != turn.scope {
                    let message = format!("{name}: {}", rule.says);
                    let finding = broken(rule, message);
                    let new =
                        if config_view.is_fresh(other) && !config_view.is_fresh(turn) { other } else { turn };
                    findings.push(config_view.at_value(finding, new, 0));
                }
            }
        }
    }
}
