//! What is behind a statement that fits everything.

use super::{RuleForm, Sides};
use crate::finding::Finding;
use crate::layers::{Occurrence, ScopeId};
use crate::profile::Rule;
use crate::rules::statements::{broken, is_one, may_be, text_of};
use serde::Deserialize;
use std::collections::{HashMap, HashSet};

/// Behind a statement that begins like one of `ends`, in the same block, no statement of these names is reached.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct DeadBehind {
    /// The statements that make the sequence, by name or by how they begin.
    of: Vec<String>,
    /// Exceptions: those that are no part of it.
    #[serde(default)]
    but: Vec<String>,
    /// How a statement begins that fits everything.
    ends: Vec<String>,
}

impl RuleForm for DeadBehind {
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
        let config_view = &sides.after;
        let mut ended: HashMap<ScopeId, &Occurrence> = HashMap::new();
        let mut told: HashSet<ScopeId> = HashSet::new();
        for turn in config_view.layers.turns().iter().filter(|turn| may_be(config_view, turn, &self.of)) {
            let text = text_of(config_view, turn);
            let part = is_one(config_view, &config_view.name(turn), &self.of)
                || is_one(config_view, &text, &self.of);
            if !part || is_one(config_view, &text, &self.but) {
                continue;
            }
            if let Some(end) = ended.get(&turn.scope) {
                let place = |turn: &Occurrence| {
                    let file = &config_view.files[turn.file];
                    format!("line {} of {}", file.doc.place(turn.leaf).line, file.path)
                };
                if config_view.is_fresh(end) && !config_view.is_fresh(turn) {
                    // The new line is what makes those behind it dead; once is enough.
                    if told.insert(turn.scope) {
                        let finding = broken(rule, format!("{}: {} comes behind it", rule.says, place(turn)));
                        findings.push(config_view.at_name(finding, end));
                    }
                    continue;
                }
                let finding = broken(rule, format!("{}: {} comes first", rule.says, place(end)));
                findings.push(config_view.at_name(finding, turn));
            } else if is_one(config_view, &text, &self.ends) {
                ended.insert(turn.scope, turn);
            }
        }
    }
}
