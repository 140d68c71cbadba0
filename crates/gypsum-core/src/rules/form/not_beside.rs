//! Statements that do not go together in one block.

use super::{RuleForm, Sides};
use crate::finding::Finding;
use crate::layers::{Occurrence, ScopeId};
use crate::profile::Rule;
use crate::rules::statements::{broken, is_one, may_be, text_of};
use serde::Deserialize;
use std::collections::HashMap;

/// In one block these do not go together: a statement that begins like each of them.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct NotBeside {
    /// How they begin, each with what stands for the same.
    each: Vec<Vec<String>>,
    /// The blocks in which they do go together.
    #[serde(default)]
    except: Vec<String>,
}

impl RuleForm for NotBeside {
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
        let config_view = &sides.after;
        let mut seen: HashMap<ScopeId, Vec<Option<&Occurrence>>> = HashMap::new();
        for turn in config_view.layers.turns() {
            let word = config_view.layers.scope(turn.scope).word();
            if self.except.iter().any(|except| except == word) {
                continue;
            }
            if !self.each.iter().any(|patterns| may_be(config_view, turn, patterns)) {
                continue;
            }
            let text = text_of(config_view, turn);
            let found = seen.entry(turn.scope).or_insert_with(|| vec![None; self.each.len()]);
            for (slot, patterns) in found.iter_mut().zip(&self.each) {
                if slot.is_none() && is_one(config_view, &text, patterns) {
                    *slot = Some(turn);
                }
            }
        }
        let mut both: Vec<_> =
            seen.into_iter().filter(|(_, found)| found.iter().all(Option::is_some)).collect();
        both.sort_by_key(|(scope, _)| *scope);
        for (_, found) in both {
            let found: Vec<&Occurrence> = found.into_iter().flatten().collect();
            let changed_statements = found.iter().rfind(|turn| config_view.is_fresh(turn));
            let Some(turn) = changed_statements.or(found.last()) else { continue };
            let finding = broken(rule, rule.says.clone());
            findings.push(config_view.at_name(finding, turn));
        }
    }
}
