//! Names that the daemon does not know, and settings in the wrong block.

use super::{ConfigView, Leaf, TypedSettings};
use crate::finding::{Finding, Severity};
use crate::layers::Occurrence;
use crate::profile::{Ask, NameAnswer, Profile};
use crate::text::nearest;
use std::collections::{BTreeSet, HashSet};

/// New names that the installed daemon does not know. It is asked for each; where it cannot be asked, a name that the
/// profile does not have is worth a warning, and no more: the profile may be older than the daemon.
pub fn unknown(
    config_view: &ConfigView<'_>,
    changed_statements: &HashSet<Leaf>,
    findings: &mut Vec<Finding>,
) {
    let profile = config_view.profile;
    for turn in config_view.layers.turns() {
        if !changed_statements.contains(&(turn.file, turn.leaf)) {
            continue;
        }
        let name = config_view.name(turn);
        let scope = config_view.layers.scope(turn.scope);
        let file = &config_view.files[turn.file];
        let same = |one: &str, other: &str| profile.dialect.same(one.as_bytes(), other.as_bytes());
        let is_free = profile.free_blocks.iter().any(|free| free == "*" || same(free, scope.word()));
        if is_free || file.doc.family() != profile.files.format || name.is_empty() {
            continue;
        }
        let is_described = is_described(config_view, turn, &name);
        let is_change = config_view.changed_statements.is_some();
        // What is there and described runs already.
        if is_described && !is_change {
            continue;
        }
        let finding = match answer(config_view, &file.path, &name, scope.word()) {
            Said::By(NameAnswer::Unknown(sentence), ask) => {
                // What is proposed instead, the installed version must know.
                let is_known = |near: &String| {
                    let answer = answer(config_view, &file.path, near, scope.word());
                    !matches!(answer, Said::By(NameAnswer::Unknown(_) | NameAnswer::Removed(_), _))
                };
                let near: Vec<String> = near(config_view, &name).into_iter().filter(is_known).collect();
                let finding = says_unknown(profile, &name, sentence.as_deref(), &near);
                // The administrator's own names are as good as any.
                let severity = if ask.takes_own { Severity::Warning } else { finding.severity };
                Some(Finding { severity, ..finding })
            }
            Said::By(NameAnswer::Removed(sentence), _) => Some(says_removed(profile, &name, sentence)),
            _ if is_described || profile.names_by_checker => None,
            Said::TakesAny => says_near(config_view, &name),
            known => match homes(profile, &name) {
                homes if !homes.is_empty() => Some(says_misplaced(&name, &scope.title, &homes.join(" or "))),
                _ if matches!(known, Said::Nothing) => Some(says_not_in_profile(config_view, &name)),
                _ if is_change => Some(says_not_described(profile, &name)),
                _ => None,
            },
        };
        findings.extend(finding.map(|finding| config_view.at_name(finding, turn)));
    }
}

/// What the installed daemon says of a name.
enum Said<'a> {
    /// It cannot be asked, or was not yet.
    Nothing,
    /// It takes any name.
    TakesAny,
    /// This, when it was asked in this way.
    By(&'a NameAnswer, &'a Ask),
}

fn answer<'a>(config_view: &ConfigView<'a>, file: &str, name: &str, block: &str) -> Said<'a> {
    let found = config_view.profile.ask.iter().enumerate().find(|(_, ask)| ask.is_for(file, block));
    match found {
        None => Said::Nothing,
        Some((_, ask)) if ask.takes(name) => Said::TakesAny,
        Some((way, ask)) => match config_view.survey.name(way, name, block) {
            Some(answer) => Said::By(answer, ask),
            None => Said::Nothing,
        },
    }
}

/// Whether the profile has the name, in this block or as that of an include.
fn is_described(config_view: &ConfigView<'_>, turn: &Occurrence, name: &str) -> bool {
    let profile = config_view.profile;
    let dialect = &profile.dialect;
    let mut includes = dialect.includes.iter().chain(dialect.include_folders.keys());
    let block = config_view.layers.scope(turn.scope).word();
    config_view.known(turn).is_some()
        || profile.spelling(name).is_some()
        || profile.spelling(&format!("{block}..{name}")).is_some()
        || includes.any(|known| dialect.same(known.as_bytes(), name.as_bytes()))
}

/// The blocks that the profile has the name in.
fn homes<'a>(profile: &'a Profile, name: &str) -> Vec<&'a str> {
    let inner = profile.known_names().filter_map(|known| known.rsplit_once(".."));
    inner.filter(|(_, bare)| *bare == name).map(|(block, _)| block).collect()
}

/// What is said of a name that the daemon does not know.
fn says_unknown(profile: &Profile, name: &str, sentence: Option<&str>, near: &[String]) -> Finding {
    let daemon = &profile.daemon;
    let said = sentence.map_or(String::new(), |sentence| format!("; it says: {sentence}"));
    let help = match (profile.heirs.get(name), profile.spelling(name)) {
        (Some(heir), _) if heir.is_empty() => {
            format!("take it out: newer versions of {daemon} have nothing in its place")
        }
        (Some(heir), _) => format!("use {heir} instead"),
        (None, Some(_)) => format!("other versions of {daemon} have it; see the manual of the installed one"),
        (None, None) => did_you_mean(near),
    };
    Finding::fault("unknown-name", format!("{daemon} has no setting called {name}{said}")).help(help)
}

/// What is said of a name that the daemon reads no more.
fn says_removed(profile: &Profile, name: &str, sentence: &str) -> Finding {
    let message = format!("{} no longer has a setting called {name}; it says: {sentence}", profile.daemon);
    let about = profile.setting(name).and_then(|(_, setting)| setting.about.clone());
    Finding::fault("unknown-name", message)
        .help(about.unwrap_or_else(|| "see the manual of the installed version".into()))
}

/// What is said of a name that only the daemon knows.
fn says_not_described(profile: &Profile, name: &str) -> Finding {
    let daemon = &profile.daemon;
    let message = format!("{daemon} knows {name}; Gypsum does not describe it");
    Finding::new("not-described", Severity::Hint, message)
        .help(format!("only {daemon} itself checks its value; to read about it: gypsum show {daemon} {name}"))
}

/// What is said of a name that is not in the profile, where the daemon cannot be asked.
fn says_not_in_profile(config_view: &ConfigView<'_>, name: &str) -> Finding {
    let (profile, near) = (config_view.profile, near(config_view, name));
    if profile.complete && profile.ask.is_empty() {
        return says_unknown(profile, name, None, &near);
    }
    // A text in the program may be something else than the name of a setting, so it is no proof.
    let held = config_view.survey.in_program(vec![name.to_owned()]).is_some_and(|held| !held.is_empty());
    let witness = if held {
        Some(format!("the program of {} holds the word {name}", profile.daemon))
    } else {
        let described = config_view.survey.in_manual(name) == Some(true);
        described.then(|| format!("the manual of {} describes {name}", profile.daemon))
    };
    if let Some(witness) = witness {
        let message = format!("{witness}; Gypsum does not describe it, and could not ask");
        return Finding::new("not-described", Severity::Hint, message)
            .help(format!("only {} itself checks its name and value", profile.daemon));
    }
    let message = format!("{name} is not among the settings that Gypsum knows of {}", profile.daemon);
    let help = format!("{}; the installed version could not be asked", did_you_mean(&near));
    Finding::warning("unknown-name", message).help(help)
}

/// What is said of a name that looks like another one, of a daemon that takes any.
fn says_near(config_view: &ConfigView<'_>, name: &str) -> Option<Finding> {
    let (profile, near) = (config_view.profile, near(config_view, name));
    let message = format!("{} takes any name here, and {name} looks like one that it knows", profile.daemon);
    (!near.is_empty()).then(|| Finding::warning("unknown-name", message).help(did_you_mean(&near)))
}

/// The names in the profile, and in the installed daemon's own list, that look like this one.
fn near(config_view: &ConfigView<'_>, name: &str) -> Vec<String> {
    let bare = |known: &'_ str| known.rsplit("..").next().unwrap_or(known).to_owned();
    let listed = config_view.survey.listed_names().unwrap_or_default();
    let known = config_view.profile.known_names().map(bare).chain(listed.iter().cloned());
    let known: BTreeSet<String> = known.filter(|known| known != name).collect();
    nearest(name, known.iter().map(String::as_str)).into_iter().map(str::to_owned).collect()
}

fn did_you_mean(near: &[String]) -> String {
    match near {
        [] => "check the spelling in the daemon's manual".to_owned(),
        near => format!("did you mean {}?", near.join(" or ")),
    }
}

/// Settings in a block that they do not belong in.
pub fn misplaced(config_view: &ConfigView<'_>, known: &TypedSettings<'_>, findings: &mut Vec<Finding>) {
    let profile = config_view.profile;
    known.each(|turn, setting, _| {
        let within = if setting.within.is_empty() { &profile.files.blocks } else { &setting.within };
        if within.is_empty() || within.iter().any(|block| block == "*") {
            return;
        }
        let scope = config_view.layers.scope(turn.scope);
        let same = |block: &String| profile.dialect.same(block.as_bytes(), scope.word().as_bytes());
        let title = |block: &String| profile.dialect.same(block.as_bytes(), scope.title.as_bytes());
        if within.iter().any(|block| same(block) || title(block)) {
            return;
        }
        let finding = says_misplaced(&config_view.name(turn), &scope.title, &belongs(within));
        findings.push(config_view.at_name(finding, turn));
    });
}

/// What is said of a name in a block that it does not belong in.
fn says_misplaced(name: &str, title: &str, home: &str) -> Finding {
    let here = if title.is_empty() { "outside of all blocks".to_owned() } else { format!("in {title}") };
    Finding::fault("misplaced", format!("{name} has no effect {here}")).help(format!("it belongs in {home}"))
}

fn belongs(within: &[String]) -> String {
    let word = |block: &String| {
        if block.is_empty() { "the part before all blocks".to_owned() } else { block.clone() }
    };
    within.iter().map(word).collect::<Vec<_>>().join(" or ")
}
