//! Rules of a profile that see several settings at once.

use super::order::{broken, is_one, may_be, text_of};
use super::{Subject, blocks};
use crate::finding::Finding;
use crate::layers::{Occurrence, ScopeId};
use crate::profile::{Admitted, Beside, Form, LastWord, Rule};
use crate::text::fits;
use std::collections::HashMap;

pub fn check(subject: &Subject<'_>, findings: &mut Vec<Finding>) {
    for rule in &subject.profile.rule {
        let conditions = match &rule.form {
            Form::OneOf(conditions) => {
                conditions.iter().all(|one| subject.holds(one) == Some(false)).then_some(conditions)
            }
            Form::NotAll(conditions) => {
                conditions.iter().all(|one| subject.holds(one) == Some(true)).then_some(conditions)
            }
            Form::Needs(conditions) => conditions
                .split_first()
                .filter(|(first, others)| {
                    subject.holds(first) == Some(true)
                        && others.iter().any(|one| subject.holds(one).is_none_or(|holds| !holds))
                })
                .map(|_| conditions),
            Form::Same(names) => differ(subject, names).then_some(names),
            Form::NotAbove(names) => {
                above(subject, rule, names, findings);
                None
            }
            Form::Never(patterns) => {
                never(subject, rule, patterns, findings);
                None
            }
            Form::NeverBlock(titles) => {
                never_block(subject, rule, titles, findings);
                None
            }
            Form::Twins(twins) => {
                blocks::twins(subject, rule, twins, findings);
                None
            }
            Form::Covered(covered) => {
                blocks::covered(subject, rule, covered, findings);
                None
            }
            Form::EndsAlike(alike) => {
                blocks::ends_alike(subject, rule, alike, findings);
                None
            }
            Form::Admitted(one) => {
                admitted(subject, rule, one, findings);
                None
            }
            Form::WholeNames(of) => {
                whole_names(subject, rule, of, findings);
                None
            }
            Form::LastWord(last) => {
                last_word(subject, rule, last, findings);
                None
            }
            Form::NotBeside(beside) => {
                not_beside(subject, rule, beside, findings);
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
            findings.push(match standing(subject, conditions) {
                Some(turn) => subject.at_value(finding, &turn, 0),
                None => finding,
            });
        }
    }
}

/// The last of the settings in these conditions that is set in a file; one that is new comes first.
fn standing(subject: &Subject<'_>, conditions: &[String]) -> Option<Occurrence> {
    let names = conditions.iter().map(|one| one.trim_start_matches('!'));
    let names: Vec<&str> = names.map(|one| one.split(['=', '!']).next().unwrap_or(one)).collect();
    let turns =
        names.iter().filter_map(|name| subject.layers.called(subject.files, subject.profile, name).last());
    let turns: Vec<&Occurrence> = turns.collect();
    let fresh = turns.iter().rfind(|turn| subject.is_fresh(turn));
    fresh.or(turns.last()).map(|turn| **turn)
}

fn differ(subject: &Subject<'_>, names: &[String]) -> bool {
    let values: Vec<String> =
        names.iter().filter_map(|name| subject.layers.value(subject.files, subject.profile, name)).collect();
    values.windows(2).any(|pair| !pair[0].eq_ignore_ascii_case(&pair[1]))
}

fn above(subject: &Subject<'_>, rule: &Rule, names: &[String; 2], findings: &mut Vec<Finding>) {
    let number = |name: &String| {
        let bare = name.rsplit_once("..").map_or(name.as_str(), |(_, bare)| bare);
        let (_, setting) = subject.profile.setting(name).or_else(|| subject.profile.setting(bare))?;
        let value = subject.layers.value(subject.files, subject.profile, name)?;
        Some((subject.profile.values.number(setting, &value)?, value))
    };
    let Some(((low, a), (high, b))) = number(&names[0]).zip(number(&names[1])) else { return };
    if low <= high {
        return;
    }
    let message = format!("{}: {} is {a}, and {} is {b}", rule.says, names[0], names[1]);
    let finding = broken(rule, message);
    findings.push(match standing(subject, names) {
        Some(turn) => subject.at_value(finding, &turn, 0),
        None => finding,
    });
}

fn admitted(subject: &Subject<'_>, rule: &Rule, one: &Admitted, findings: &mut Vec<Finding>) {
    if subject.holds(&one.when) != Some(true) {
        return;
    }
    let bare = one.of.rsplit_once("..").map_or(one.of.as_str(), |(_, bare)| bare);
    let Some((_, setting)) = subject.profile.setting(bare) else { return };
    let Some((theirs, most)) = subject.survey.elsewhere(&one.by, &one.theirs) else { return };
    for turn in subject.layers.called(subject.files, subject.profile, &one.of) {
        let value = subject.value(turn);
        // 0 is any amount, on either side.
        let above =
            subject.profile.values.number(setting, &value).is_some_and(|ours| ours > most && most > 0.0);
        if above {
            let message = format!("{}: {} of {} is {theirs}", rule.says, one.theirs, one.by);
            let finding = broken(rule, message);
            findings.push(subject.at_value(finding, turn, 0));
        }
    }
}

fn never(subject: &Subject<'_>, rule: &Rule, patterns: &[String], findings: &mut Vec<Finding>) {
    for turn in subject.layers.turns().iter().filter(|turn| may_be(subject, turn, patterns)) {
        if is_one(subject, &text_of(subject, turn), patterns) {
            let finding = broken(rule, rule.says.clone());
            findings.push(subject.at_value(finding, turn, 0));
        }
    }
}

fn never_block(subject: &Subject<'_>, rule: &Rule, titles: &[String], findings: &mut Vec<Finding>) {
    for (_, scope) in subject.layers.scopes() {
        let Some((file, block)) = scope.block.filter(|_| is_one(subject, &scope.title, titles)) else {
            continue;
        };
        let leaf = subject.files[file].doc.tree().block(block).open();
        let finding = broken(rule, rule.says.clone());
        findings.push(blocks::at_block(subject, finding, file, leaf));
    }
}

fn last_word(subject: &Subject<'_>, rule: &Rule, last: &LastWord, findings: &mut Vec<Finding>) {
    for turn in subject.layers.turns() {
        let value = subject.value(turn);
        // Options may stand behind the word.
        let known =
            value.split_whitespace().skip(1).any(|word| last.one_of.iter().any(|one| fits(one, word)));
        if is_one(subject, &subject.name(turn), &last.of) && !known {
            let finding = broken(rule, rule.says.clone());
            findings.push(subject.at_value(finding, turn, 0));
        }
    }
}

fn whole_names(subject: &Subject<'_>, rule: &Rule, of: &[String], findings: &mut Vec<Finding>) {
    for turn in subject.layers.turns() {
        let text = text_of(subject, turn);
        let part = text.rsplit(' ').next().is_some_and(|word| word.contains('.') && !word.ends_with('.'));
        if part && is_one(subject, &text, of) {
            let finding = broken(rule, rule.says.clone());
            findings.push(subject.at_value(finding, turn, 0));
        }
    }
}

fn not_beside(subject: &Subject<'_>, rule: &Rule, beside: &Beside, findings: &mut Vec<Finding>) {
    let mut seen: HashMap<ScopeId, Vec<Option<&Occurrence>>> = HashMap::new();
    for turn in subject.layers.turns() {
        let word = subject.layers.scope(turn.scope).word();
        if beside.except.iter().any(|except| except == word) {
            continue;
        }
        if !beside.each.iter().any(|patterns| may_be(subject, turn, patterns)) {
            continue;
        }
        let text = text_of(subject, turn);
        let found = seen.entry(turn.scope).or_insert_with(|| vec![None; beside.each.len()]);
        for (slot, patterns) in found.iter_mut().zip(&beside.each) {
            if slot.is_none() && is_one(subject, &text, patterns) {
                *slot = Some(turn);
            }
        }
    }
    let mut both: Vec<_> = seen.into_iter().filter(|(_, found)| found.iter().all(Option::is_some)).collect();
    both.sort_by_key(|(scope, _)| *scope);
    for (_, found) in both {
        let found: Vec<&Occurrence> = found.into_iter().flatten().collect();
        let fresh = found.iter().rfind(|turn| subject.is_fresh(turn));
        let Some(turn) = fresh.or(found.last()) else { continue };
        let finding = broken(rule, rule.says.clone());
        findings.push(subject.at_name(finding, turn));
    }
}
