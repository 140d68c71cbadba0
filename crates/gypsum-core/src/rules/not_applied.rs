//! New settings that hold nowhere, or not everywhere inside of their block, though no other line overrules them.

use super::conditions::hold_around;
use super::{ConfigView, Leaf};
use crate::finding::Finding;
use crate::layers::{Occurrence, ScopeId};
use std::collections::HashSet;

/// The rule of settings that have no effect.
const NO_EFFECT: &str = "no-effect";

/// New settings in a block that is not in use, and those that blocks inside do not take over.
pub fn check(config_view: &ConfigView<'_>, changed_statements: &HashSet<Leaf>, findings: &mut Vec<Finding>) {
    let turns = config_view.layers.turns();
    let is_fresh = |turn: &Occurrence| changed_statements.contains(&(turn.file, turn.leaf));
    for turn in turns.iter().filter(|turn| is_fresh(turn)) {
        if hold_around(config_view, turn) == Some(false) {
            findings.push(not_loaded(config_view, turn));
        }
    }
    let settings = config_view.layers.settings(config_view.profile);
    let is_replaced =
        |turn: &&Occurrence| settings[turn.pair as usize].is_some_and(|one| one.replaced_inside);
    let all: Vec<(&Occurrence, String)> =
        turns.iter().filter(is_replaced).map(|turn| (turn, config_view.name(turn))).collect();
    for (turn, name) in all.iter().filter(|(turn, _)| is_fresh(turn)) {
        let mut same = all.iter().filter(|(_, other)| other == name).map(|(other, _)| *other);
        if let Some(inside) = same.clone().find(|other| is_inside(config_view, other.scope, turn.scope)) {
            let title = &config_view.layers.scope(inside.scope).title;
            let message = format!(
                "this has no effect in {title} at line {}, which has a {name} of its own",
                line(config_view, inside)
            );
            let finding = Finding::warning(NO_EFFECT, message).help("write it there, too");
            findings.push(config_view.at_name(finding, turn));
        }
        let is_first = !same.clone().any(|other| other.scope == turn.scope && !is_fresh(other));
        let around = same.find(|other| is_inside(config_view, turn.scope, other.scope));
        if let Some(around) = around.filter(|_| is_first) {
            let message = format!(
                "with this, {} has its own {name}, and no longer those from around it, as at line {}",
                config_view.layers.scope(turn.scope).title,
                line(config_view, around)
            );
            let finding = Finding::warning("not-inherited", message).help("repeat here what is to hold on");
            findings.push(config_view.at_name(finding, turn));
        }
    }
}

fn line(config_view: &ConfigView<'_>, turn: &Occurrence) -> u32 {
    config_view.files[turn.file].doc.place(turn.leaf).line
}

fn not_loaded(config_view: &ConfigView<'_>, turn: &Occurrence) -> Finding {
    let mut title = String::new();
    let mut next = Some(turn.scope);
    while let Some(id) = next {
        let scope = config_view.layers.scope(id);
        if config_view.profile.condition.iter().any(|one| one.block.eq_ignore_ascii_case(scope.word())) {
            title.clone_from(&scope.title);
        }
        next = scope.parent;
    }
    let message = format!("this has no effect: it is inside of {title}, whose condition does not hold");
    let help = "load the module first, or put the setting outside of that block";
    config_view.at_name(Finding::warning(NO_EFFECT, message).help(help), turn)
}

/// Whether a scope is inside of another one, and not that one itself.
fn is_inside(config_view: &ConfigView<'_>, scope: ScopeId, around: ScopeId) -> bool {
    scope != around && config_view.layers.is_inside(scope, around)
}
