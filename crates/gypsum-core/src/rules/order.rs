//! Sequences that are decided by their first fitting member: what stands behind one that fits everything is dead.

use super::ConfigView;
use crate::finding::Finding;
use crate::layers::{Occurrence, ScopeId};
use crate::profile::{Form, Order, Rule, WantsEnd};
use crate::text::glob_match;
use crate::value::network;
use std::collections::{HashMap, HashSet};
use std::net::IpAddr;

pub fn check(config_view: &ConfigView<'_>, findings: &mut Vec<Finding>) {
    for rule in &config_view.profile.rule {
        match &rule.form {
            Form::DeadBehind(order) => dead_behind(config_view, rule, order, findings),
            Form::WantsEnd(end) => wants_end(config_view, rule, end, findings),
            Form::DeadInList(list) => {
                for (turn, members) in lists(config_view, &list.of) {
                    dead_in_list(config_view, rule, &turn, &members, &list.ends, findings);
                }
            }
            _ => {}
        }
    }
}

/// A statement in one line: its name and its value, one blank between words.
pub fn text_of(config_view: &ConfigView<'_>, turn: &Occurrence) -> String {
    let text = format!("{} {}", config_view.name(turn), config_view.value(turn));
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// Whether a statement may be one of these, by its name alone: most are not, and need not be put together.
pub fn may_be(config_view: &ConfigView<'_>, turn: &Occurrence, patterns: &[String]) -> bool {
    let doc = &config_view.files[turn.file].doc;
    let name = turn.name.of(doc.source());
    patterns.iter().any(|pattern| {
        let word = pattern.split(' ').next().unwrap_or_default();
        word.contains('*') || doc.dialect().same(word.as_bytes(), name)
    })
}

/// Whether a statement is one of these; `*` in them stands for anything.
pub fn is_one(config_view: &ConfigView<'_>, text: &str, patterns: &[String]) -> bool {
    if !config_view.profile.dialect.ignore_case {
        return patterns.iter().any(|pattern| glob_match(pattern, text));
    }
    let text = text.to_lowercase();
    patterns.iter().any(|pattern| glob_match(&pattern.to_lowercase(), &text))
}

fn dead_behind(config_view: &ConfigView<'_>, rule: &Rule, order: &Order, findings: &mut Vec<Finding>) {
    let mut ended: HashMap<ScopeId, &Occurrence> = HashMap::new();
    let mut told: HashSet<ScopeId> = HashSet::new();
    for turn in config_view.layers.turns().iter().filter(|turn| may_be(config_view, turn, &order.of)) {
        let text = text_of(config_view, turn);
        let part =
            is_one(config_view, &config_view.name(turn), &order.of) || is_one(config_view, &text, &order.of);
        if !part || is_one(config_view, &text, &order.but) {
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
        } else if is_one(config_view, &text, &order.ends) {
            ended.insert(turn.scope, turn);
        }
    }
}

fn wants_end(config_view: &ConfigView<'_>, rule: &Rule, end: &WantsEnd, findings: &mut Vec<Finding>) {
    let mut wanting: HashMap<ScopeId, &Occurrence> = HashMap::new();
    let mut ended: Vec<ScopeId> = Vec::new();
    let both = [end.has.as_slice(), &end.ends].concat();
    for turn in config_view.layers.turns().iter().filter(|turn| may_be(config_view, turn, &both)) {
        let text = text_of(config_view, turn);
        if is_one(config_view, &text, &end.ends) {
            ended.push(turn.scope);
        } else if is_one(config_view, &text, &end.has) {
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

/// A finding that a rule of the profile is broken, with what the rule says to do.
pub fn broken(rule: &Rule, message: String) -> Finding {
    let finding = Finding::new(&rule.name, rule.severity, message);
    match &rule.help {
        Some(help) => finding.help(help.clone()),
        None => finding,
    }
}

/// The members of a list: of a value, or of a block.
fn lists(config_view: &ConfigView<'_>, of: &[String]) -> Vec<(Occurrence, Vec<String>)> {
    let mut out: Vec<(Occurrence, Vec<String>)> = Vec::new();
    let mut blocks: HashMap<ScopeId, usize> = HashMap::new();
    for turn in config_view.layers.turns() {
        let word = config_view.layers.scope(turn.scope).word();
        let name = config_view.name(turn);
        if is_one(config_view, &name, of) {
            let value = config_view.value(turn);
            let members =
                value.split([',', ' ', '\t', '\n']).filter(|one| !one.is_empty()).map(str::to_owned);
            out.push((*turn, members.collect()));
        } else if !word.is_empty() && is_one(config_view, word, of) {
            let at = *blocks.entry(turn.scope).or_insert_with(|| {
                out.push((*turn, Vec::new()));
                out.len() - 1
            });
            out[at].1.push(text_of(config_view, turn));
        }
    }
    out
}

fn dead_in_list(
    config_view: &ConfigView<'_>,
    rule: &Rule,
    turn: &Occurrence,
    members: &[String],
    ends: &[String],
    findings: &mut Vec<Finding>,
) {
    let mut networks: Vec<(&String, (IpAddr, u8))> = Vec::new();
    for (n, member) in members.iter().enumerate() {
        let said = |why: &str| {
            let finding = broken(rule, format!("{member}: {}, {why} comes first", rule.says));
            config_view.at_name(finding, turn)
        };
        if let Some(end) = members[..n].iter().find(|end| is_one(config_view, end, ends)) {
            findings.push(said(end));
            return;
        }
        let Some((address, length, _)) = network(member.trim_start_matches('!')) else { continue };
        if let Some((wide, _)) =
            networks.iter().find(|(_, (wide, prefix))| covers(*wide, *prefix, address, length))
        {
            findings.push(said(wide));
            return;
        }
        networks.push((member, (address, length)));
    }
}

fn covers(wide: IpAddr, prefix: u8, narrow: IpAddr, length: u8) -> bool {
    if prefix > length {
        return false;
    }
    match (wide, narrow) {
        (IpAddr::V4(a), IpAddr::V4(b)) => {
            let mask = u32::MAX.checked_shl(32 - u32::from(prefix)).unwrap_or(0);
            u32::from(a) & mask == u32::from(b) & mask
        }
        (IpAddr::V6(a), IpAddr::V6(b)) => {
            let mask = u128::MAX.checked_shl(128 - u32::from(prefix)).unwrap_or(0);
            u128::from(a) & mask == u128::from(b) & mask
        }
        _ => false,
    }
}
