//! Rules about whole blocks.

use super::ConfigView;
use super::order::{broken, is_one, text_of};
use crate::doc::LeafId;
use crate::finding::Finding;
use crate::layers::{Occurrence, ScopeId};
use crate::profile::{Covered, EndsAlike, Rule, Twins};
use std::collections::HashMap;

/// A finding about a block, at its opening line.
pub fn at_block(config_view: &ConfigView<'_>, finding: Finding, file: usize, leaf: LeafId) -> Finding {
    let start = config_view.files[file].doc.parts(leaf).map_or(0, |parts| parts.name.start);
    config_view.at(finding, file, leaf, start as usize)
}

pub fn twins(config_view: &ConfigView<'_>, rule: &Rule, twins: &Twins, findings: &mut Vec<Finding>) {
    let mut seen: HashMap<(String, String), &Occurrence> = HashMap::new();
    for turn in config_view.layers.called(config_view.files, config_view.profile, &twins.setting) {
        let scope = config_view.layers.scope(turn.scope);
        if scope.word() != twins.block {
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

pub fn covered(config_view: &ConfigView<'_>, rule: &Rule, covered: &Covered, findings: &mut Vec<Finding>) {
    let mut about: HashMap<String, bool> = HashMap::new();
    for turn in config_view.layers.turns() {
        let Some(path) = path_around(config_view, turn.scope, &covered.block) else { continue };
        let text = text_of(config_view, turn);
        if is_one(config_view, &text, &covered.has) {
            *about.entry(path).or_default() |= !is_one(config_view, &text, &covered.but);
        }
    }
    for turn in
        config_view.layers.called(config_view.files, config_view.profile, &format!("*..{}", covered.setting))
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
        let nearest = about.iter().filter(|(folder, _)| above(folder)).max_by_key(|(folder, _)| folder.len());
        if !odd && !nearest.is_some_and(|(_, granted)| *granted) {
            let finding = broken(rule, rule.says.clone());
            findings.push(config_view.at_value(finding, turn, 0));
        }
    }
}

pub fn ends_alike(config_view: &ConfigView<'_>, rule: &Rule, alike: &EndsAlike, findings: &mut Vec<Finding>) {
    for turn in config_view.layers.called(config_view.files, config_view.profile, &alike.setting) {
        let scope = config_view.layers.scope(turn.scope);
        let words: Vec<&str> = scope.title.split(' ').collect();
        // With a mark before it, the path is a pattern.
        let [word, path] = words.as_slice() else { continue };
        let value = config_view.value(turn);
        if *word == alike.block && path.ends_with('/') != value.ends_with('/') {
            let finding = broken(rule, rule.says.clone());
            findings.push(config_view.at_value(finding, turn, 0));
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
