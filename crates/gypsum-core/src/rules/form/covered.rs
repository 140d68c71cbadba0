//! Paths that want a block about them.

use super::{RuleForm, Sides};
use crate::finding::Finding;
use crate::layers::ScopeId;
use crate::profile::Rule;
use crate::rules::ConfigView;
use crate::rules::statements::{broken, is_one, text_of};
use serde::Deserialize;
use std::collections::HashMap;

/// The path that is the value of a setting is covered by a block for it or for a folder above.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct Covered {
    /// The setting that names the path.
    setting: String,
    /// The first word of the blocks whose second is a path.
    block: String,
    /// What the block says.
    has: Vec<String>,
    /// What does not count.
    #[serde(default)]
    but: Vec<String>,
}

impl RuleForm for Covered {
    fn check(&self, rule: &Rule, sides: &Sides<'_>, findings: &mut Vec<Finding>) {
        let config_view = &sides.after;
        let mut about: HashMap<String, bool> = HashMap::new();
        for turn in config_view.layers.turns() {
            let Some(path) = path_around(config_view, turn.scope, &self.block) else { continue };
            let text = text_of(config_view, turn);
            if is_one(config_view, &text, &self.has) {
                *about.entry(path).or_default() |= !is_one(config_view, &text, &self.but);
            }
        }
        for turn in
            config_view.layers.called(config_view.files, config_view.profile, &format!("*..{}", self.setting))
        {
            let value = config_view.value(turn);
            let path = value.trim_matches('"').trim_end_matches('/');
            if !path.starts_with('/') || path.contains('$') {
                continue;
            }
            let above = |folder: &String| {
                folder == "/"
                    || path == folder
                    || path.strip_prefix(folder.as_str()).is_some_and(|rest| rest.starts_with('/'))
            };
            // Patterns may fit anything.
            let odd = about.keys().any(|folder| folder.contains(['*', '?', '~', '^']));
            let nearest =
                about.iter().filter(|(folder, _)| above(folder)).max_by_key(|(folder, _)| folder.len());
            if !odd && !nearest.is_some_and(|(_, granted)| *granted) {
                let finding = broken(rule, rule.says.clone());
                findings.push(config_view.at_value(finding, turn, 0));
            }
        }
    }
}

/// The path that the innermost block of this name around a scope is about.
fn path_around(config_view: &ConfigView<'_>, scope: ScopeId, block: &str) -> Option<String> {
    let mut at = Some(scope);
    while let Some(id) = at {
        let scope = config_view.layers.scope(id);
        if config_view.profile.dialect.same(scope.word().as_bytes(), block.as_bytes()) {
            let path = scope.title.split_once(' ')?.1.trim_matches('"');
            return Some(if path == "/" { path.to_owned() } else { path.trim_end_matches('/').to_owned() });
        }
        at = scope.parent;
    }
    None
}
