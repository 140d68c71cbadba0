//! What a change comes to: settings that have no effect because another place decides, and what else comes of one.

use super::{ConfigView, Leaf, ProposalView};
use crate::address::address_of;
use crate::doc::Wins;
use crate::finding::Finding;
use crate::layers::{Occurrence, is_of_package};
use crate::text::glob_match;
use crate::text::one_line;
use std::collections::{BTreeMap, HashSet};

/// New settings that another place overrules, or that overrule another place.
pub fn check(config_view: &ConfigView<'_>, changed_statements: &HashSet<Leaf>, findings: &mut Vec<Finding>) {
    let deciding = config_view.layers.deciding(config_view.files, config_view.profile);
    let turns = config_view.layers.turns();
    let is_fresh = |turn: &Occurrence| changed_statements.contains(&(turn.file, turn.leaf));
    for (turn, winner) in turns.iter().zip(&deciding) {
        let Some(winner) = winner
            .map(|n| &turns[n as usize])
            .filter(|winner| winner.leaf != turn.leaf || winner.file != turn.file)
        else {
            continue;
        };
        // Two lines that say the same are no trouble.
        if config_view.value(winner) == config_view.value(turn) {
            continue;
        }
        if is_fresh(turn) {
            findings.push(no_effect(config_view, turn, winner));
        } else if is_fresh(winner) && !is_of_package(&config_view.files[turn.file].path) {
            findings.push(overrules(config_view, winner, turn));
        }
    }
    for turn in turns.iter().filter(|turn| is_fresh(turn) && !config_view.layers.reads(turn.file)) {
        let path = &config_view.files[turn.file].path;
        let message = format!("this has no effect: {} does not read {path}", config_view.profile.daemon);
        findings.push(config_view.at_name(Finding::fault("no-effect", message), turn));
    }
}

fn place(config_view: &ConfigView<'_>, turn: &Occurrence) -> (String, u32, String) {
    let file = &config_view.files[turn.file];
    (file.path.clone(), file.doc.place(turn.leaf).line, address_of(&file.doc, turn.leaf).to_string())
}

fn which(config_view: &ConfigView<'_>, turn: &Occurrence) -> &'static str {
    let own = config_view.known(turn).and_then(|(setting, _)| setting.wins);
    if own.unwrap_or(config_view.profile.dialect.wins) == Wins::First { "first" } else { "last" }
}

fn no_effect(config_view: &ConfigView<'_>, turn: &Occurrence, winner: &Occurrence) -> Finding {
    let (file, line, there) = place(config_view, winner);
    let which = which(config_view, turn);
    let message = format!("this has no effect: line {line} of {file} is used, since the {which} one wins");
    let help = if is_of_package(&file) {
        let when = if which == "first" { "before" } else { "after" };
        format!("{file} belongs to a package: put the setting into a file under /etc that is read {when} it")
    } else {
        format!("edit that line: --in {file} {there}=VALUE")
    };
    config_view.at_name(Finding::fault("no-effect", message).help(help), turn)
}

fn overrules(config_view: &ConfigView<'_>, winner: &Occurrence, turn: &Occurrence) -> Finding {
    let (file, line, there) = place(config_view, turn);
    let which = which(config_view, turn);
    let message = format!(
        "line {line} of {file} also sets this (to {:?}) and will be ignored: the {which} one wins",
        config_view.value(turn)
    );
    let help = format!("change that line instead: --in {file} {there}=VALUE");
    config_view.at_name(Finding::warning("repeated", message).help(help), winner)
}

/// What a profile says of a value that comes in with this change, and what touches the daemon's data.
pub fn side_effects(step: &ProposalView<'_>, findings: &mut Vec<Finding>) {
    let ProposalView { before, after, known, changed_statements } = step;
    known.each(|turn, setting, pieces| {
        if !changed_statements.contains(&(turn.file, turn.leaf)) {
            return;
        }
        let name = after.name(turn);
        let old = before.layers.value(before.files, before.profile, &name);
        let value = after.value(turn);
        let words = |text: &str| one_line(text).to_lowercase();
        let usual = setting.default.as_deref().is_some_and(|default| words(default) == words(&value));
        let changes =
            old.as_deref().is_none_or(|old| words(old) != words(&value)) && !(usual && old.is_none());
        if let Some(data) = setting.data.as_ref().filter(|_| changes) {
            let message = format!("{name}: {data}; putting the file back does not undo that");
            let help = "back the data up first, then --accept data";
            findings.push(after.at_value(Finding::fault("data", message).help(help), turn, 0));
        }
        // A value that was in effect already, or holds by default, changes nothing.
        if !setting.repeats && (!changes || usual) {
            return;
        }
        let of_value = |side_effects: &BTreeMap<String, String>, text: &str| {
            side_effects
                .iter()
                .find(|(pattern, _)| glob_match(&pattern.to_lowercase(), &text.to_lowercase()))
                .map(|(_, says)| says.clone())
        };
        let whole = of_value(&setting.side_effects, value.trim_matches(['"', '\'']));
        let of_pieces =
            pieces.iter().filter(|piece| !std::ptr::eq(piece.what, setting) || setting.list.is_some());
        let one = whole
            .or_else(|| of_pieces.filter_map(|piece| of_value(&piece.what.side_effects, &piece.text)).next());
        if let Some(says) = one {
            findings.push(after.at_value(
                Finding::warning("side-effect", format!("{name} {value}: {says}")),
                turn,
                0,
            ));
        }
    });
    // A bare name has no value to go by.
    for turn in
        after.layers.turns().iter().filter(|turn| changed_statements.contains(&(turn.file, turn.leaf)))
    {
        let Some((setting, _)) = after.known(turn).filter(|(_, value)| value.is_empty()) else { continue };
        if let Some(says) = setting.side_effects.get("") {
            let name = after.name(turn);
            findings.push(after.at_name(Finding::warning("side-effect", format!("{name}: {says}")), turn));
        }
    }
}
