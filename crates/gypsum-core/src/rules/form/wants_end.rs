//! A sequence that wants a last member.

use super::{RuleForm, Sides};
use crate::finding::Finding;
use crate::layers::{Occurrence, ScopeId};
use crate::profile::Rule;
use crate::rules::statements::{broken, is_one, may_be, text_of};
use serde::Deserialize;
use std::collections::HashMap;

/// A block with a statement that begins like one of `has` needs one that begins like one of `ends`.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct WantsEnd {
    /// How a statement begins that wants it.
    has: Vec<String>,
    /// How the last member begins.
    ends: Vec<String>,
}

impl RuleForm for WantsEnd {
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
        let config_view = &sides.after;
        let mut wanting: HashMap<ScopeId, &Occurrence> = HashMap::new();
        let mut ended: Vec<ScopeId> = Vec::new();
        let both = [self.has.as_slice(), &self.ends].concat();
        for turn in config_view.layers.turns().iter().filter(|turn| may_be(config_view, turn, &both)) {
            let text = text_of(config_view, turn);
            if is_one(config_view, &text, &self.ends) {
                ended.push(turn.scope);
            } else if is_one(config_view, &text, &self.has) {
                wanting.insert(turn.scope, turn);
            }
        }
        let mut left: Vec<_> = wanting.into_iter().filter(|(scope, _)| !ended.contains(scope)).collect();
        left.sort_by_key(|(scope, _)| *scope);
        for (_, turn) in left {
            let finding = broken(rule, rule.says.clone());
            findings.push(config_view.at_name(finding, turn));
        }
    }
}
