//! Rules of a profile that see several settings at once.

use super::order::{broken, is_one, may_be, text_of};
use super::{ConfigView, blocks};
use crate::finding::Finding;
use crate::layers::{Occurrence, ScopeId};
use crate::profile::{Admitted, Form, LastWord, Near, Rule};
use crate::text::glob_match;
use std::collections::HashMap;

pub fn check(config_view: &ConfigView<'_>, findings: &mut Vec<Finding>) {
    for rule in &config_view.profile.rule {
        let conditions = match &rule.form {
            Form::OneOf(conditions) => {
                conditions.iter().all(|one| config_view.holds(one) == Some(false)).then_some(conditions)
            }
            Form::NotAll(conditions) => {
                conditions.iter().all(|one| config_view.holds(one) == Some(true)).then_some(conditions)
            }
            Form::Needs(conditions) => conditions
                .split_first()
                .filter(|(first, others)| {
                    config_view.holds(first) == Some(true)
                        && others.iter().any(|one| config_view.holds(one).is_none_or(|holds| !holds))
                })
                .map(|_| conditions),
            Form::Same(names) => differ(config_view, names).then_some(names),
            Form::NotAbove(names) => {
                above(config_view, rule, names, findings);
                None
            }
            Form::Never(patterns) => {
                never(config_view, rule, patterns, findings);
                None
            }
            Form::NeverBlock(titles) => {
                never_block(config_view, rule, titles, findings);
                None
            }
            Form::Twins(twins) => {
                blocks::twins(config_view, rule, twins, findings);
                None
            }
            Form::Covered(covered) => {
                blocks::covered(config_view, rule, covered, findings);
                None
            }
            Form::EndsAlike(alike) => {
                blocks::ends_alike(config_view, rule, alike, findings);
                None
            }
            Form::Admitted(one) => {
                admitted(config_view, rule, one, findings);
                None
            }
            Form::WholeNames(of) => {
                whole_names(config_view, rule, of, findings);
                None
            }
            Form::LastWord(last) => {
                last_word(config_view, rule, last, findings);
                None
            }
            Form::NotBeside(beside) => {
                not_beside(config_view, rule, beside, findings);
                None
            }
            Form::DeadBehind(_)
            | Form::WantsEnd(_)
            | Form::DeadInList(_)
            | Form::Keeps(_)
            | Form::Asked(_) => None,
        };
        if let Some(conditions) = conditions {
            let finding = broken(rule, rule.says.clone());
            findings.push(match standing(config_view, conditions) {
                Some(turn) => config_view.at_value(finding, &turn, 0),
                None => finding,
            });
        }
    }
}

/// The last of the settings in these conditions that is set in a file; one that is new comes first.
fn standing(config_view: &ConfigView<'_>, conditions: &[String]) -> Option<Occurrence> {
    let names = conditions.iter().map(|one| one.trim_start_matches('!'));
    let names: Vec<&str> = names.map(|one| one.split(['=', '!']).next().unwrap_or(one)).collect();
    let turns = names
        .iter()
        .filter_map(|name| config_view.layers.called(config_view.files, config_view.profile, name).last());
    let turns: Vec<&Occurrence> = turns.collect();
    let changed_statements = turns.iter().rfind(|turn| config_view.is_fresh(turn));
    changed_statements.or(turns.last()).map(|turn| **turn)
}

fn differ(config_view: &ConfigView<'_>, names: &[String]) -> bool {
    let values: Vec<String> = names
        .iter()
        .filter_map(|name| config_view.layers.value(config_view.files, config_view.profile, name))
        .collect();
    values.windows(2).any(|pair| !pair[0].eq_ignore_ascii_case(&pair[1]))
}

fn above(config_view: &ConfigView<'_>, rule: &Rule, names: &[String; 2], findings: &mut Vec<Finding>) {
    let number = |name: &String| {
        let bare = name.rsplit_once("..").map_or(name.as_str(), |(_, bare)| bare);
        let (_, setting) = config_view.profile.setting(name).or_else(|| config_view.profile.setting(bare))?;
        let value = config_view.layers.value(config_view.files, config_view.profile, name)?;
        Some((config_view.profile.values.number(setting, &value)?, value))
    };
    let Some(((low, a), (high, b))) = number(&names[0]).zip(number(&names[1])) else { return };
    if low <= high {
        return;
    }
    let message = format!("{}: {} is {a}, and {} is {b}", rule.says, names[0], names[1]);
    let finding = broken(rule, message);
    findings.push(match standing(config_view, names) {
        Some(turn) => config_view.at_value(finding, &turn, 0),
        None => finding,
    });
}

fn admitted(config_view: &ConfigView<'_>, rule: &Rule, one: &Admitted, findings: &mut Vec<Finding>) {
    if config_view.holds(&one.when) != Some(true) {
        return;
    }
    let bare = one.of.rsplit_once("..").map_or(one.of.as_str(), |(_, bare)| bare);
    let Some((_, setting)) = config_view.profile.setting(bare) else { return };
    let Some((theirs, most)) = config_view.survey.elsewhere(&one.by, &one.theirs) else { return };
    for turn in config_view.layers.called(config_view.files, config_view.profile, &one.of) {
        let value = config_view.value(turn);
        // 0 is any amount, on either side.
        let above =
            config_view.profile.values.number(setting, &value).is_some_and(|ours| ours > most && most > 0.0);
        if above {
            let message = format!("{}: {} of {} is {theirs}", rule.says, one.theirs, one.by);
            let finding = broken(rule, message);
            findings.push(config_view.at_value(finding, turn, 0));
        }
    }
}

fn never(config_view: &ConfigView<'_>, rule: &Rule, patterns: &[String], findings: &mut Vec<Finding>) {
    for turn in config_view.layers.turns().iter().filter(|turn| may_be(config_view, turn, patterns)) {
        if is_one(config_view, &text_of(config_view, turn), patterns) {
            let finding = broken(rule, rule.says.clone());
            findings.push(config_view.at_value(finding, turn, 0));
        }
    }
}

fn never_block(config_view: &ConfigView<'_>, rule: &Rule, titles: &[String], findings: &mut Vec<Finding>) {
    for (_, scope) in config_view.layers.scopes() {
        let Some((file, block)) = scope.block.filter(|_| is_one(config_view, &scope.title, titles)) else {
            continue;
        };
        let leaf = config_view.files[file].doc.tree().block(block).open();
        let finding = broken(rule, rule.says.clone());
        findings.push(blocks::at_block(config_view, finding, file, leaf));
    }
}

fn last_word(config_view: &ConfigView<'_>, rule: &Rule, last: &LastWord, findings: &mut Vec<Finding>) {
    for turn in config_view.layers.turns() {
        let value = config_view.value(turn);
        // Options may stand behind the word.
        let known =
            value.split_whitespace().skip(1).any(|word| last.one_of.iter().any(|one| glob_match(one, word)));
        if is_one(config_view, &config_view.name(turn), &last.of) && !known {
            let finding = broken(rule, rule.says.clone());
            findings.push(config_view.at_value(finding, turn, 0));
        }
    }
}

fn whole_names(config_view: &ConfigView<'_>, rule: &Rule, of: &[String], findings: &mut Vec<Finding>) {
    for turn in config_view.layers.turns() {
        let text = text_of(config_view, turn);
        let part = text.rsplit(' ').next().is_some_and(|word| word.contains('.') && !word.ends_with('.'));
        if part && is_one(config_view, &text, of) {
            let finding = broken(rule, rule.says.clone());
            findings.push(config_view.at_value(finding, turn, 0));
        }
    }
}

fn not_beside(config_view: &ConfigView<'_>, rule: &Rule, beside: &Near, findings: &mut Vec<Finding>) {
    let mut seen: HashMap<ScopeId, Vec<Option<&Occurrence>>> = HashMap::new();
    for turn in config_view.layers.turns() {
        let word = config_view.layers.scope(turn.scope).word();
        if beside.except.iter().any(|except| except == word) {
            continue;
        }
        if !beside.each.iter().any(|patterns| may_be(config_view, turn, patterns)) {
            continue;
        }
        let text = text_of(config_view, turn);
        let found = seen.entry(turn.scope).or_insert_with(|| vec![None; beside.each.len()]);
        for (slot, patterns) in found.iter_mut().zip(&beside.each) {
            if slot.is_none() && is_one(config_view, &text, patterns) {
                *slot = Some(turn);
            }
        }
    }
    let mut both: Vec<_> = seen.into_iter().filter(|(_, found)| found.iter().all(Option::is_some)).collect();
    both.sort_by_key(|(scope, _)| *scope);
    for (_, found) in both {
        let found: Vec<&Occurrence> = found.into_iter().flatten().collect();
        let changed_statements = found.iter().rfind(|turn| config_view.is_fresh(turn));
        let Some(turn) = changed_statements.or(found.last()) else { continue };
        let finding = broken(rule, rule.says.clone());
        findings.push(config_view.at_name(finding, turn));
    }
}
