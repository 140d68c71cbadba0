//! Names that the daemon does not know, and settings in the wrong block.

use super::{ConfigView, Leaf, TypedSettings};
use crate::finding::{Finding, Severity};
use crate::profile::Profile;
use crate::text::nearest;
use std::collections::HashSet;

/// New names that nobody knows; what stood there before is somebody's decision.
pub fn unknown(
    config_view: &ConfigView<'_>,
    changed_statements: &HashSet<Leaf>,
    findings: &mut Vec<Finding>,
) {
    let profile = config_view.profile;
    for turn in config_view.layers.turns() {
        if !changed_statements.contains(&(turn.file, turn.leaf)) || config_view.known(turn).is_some() {
            continue;
        }
        let name = config_view.name(turn);
        let scope = config_view.layers.scope(turn.scope);
        let dialect = &profile.dialect;
        let includes = dialect.includes.iter().chain(dialect.include_folders.keys());
        let spelled = profile.spelling(&name).is_some()
            || includes.into_iter().any(|known| dialect.same(known.as_bytes(), name.as_bytes()));
        let inner = profile.spelling(&format!("{}..{name}", scope.word())).is_some();
        let other = config_view.files[turn.file].doc.family() != profile.files.format;
        let free = profile
            .free_blocks
            .iter()
            .any(|free| free == "*" || profile.dialect.same(free.as_bytes(), scope.word().as_bytes()));
        if spelled || inner || free || other || name.is_empty() || profile.names_by_checker {
            continue;
        }
        let homes: Vec<&str> = profile
            .known_names()
            .filter_map(|known| {
                known.rsplit_once("..").filter(|(_, bare)| *bare == name).map(|(block, _)| block)
            })
            .collect();
        let finding = match homes.is_empty() {
            true => says_unknown(profile, &name),
            false => says_misplaced(&name, &scope.title, &homes.join(" or ")),
        };
        findings.push(config_view.at_name(finding, turn));
    }
}

/// What is said of a name that is not known.
pub fn says_unknown(profile: &Profile, name: &str) -> Finding {
    let near = nearest(name, profile.known_names().map(|known| known.rsplit("..").next().unwrap_or(known)));
    let help = match near.as_slice() {
        [] => "check the spelling in the daemon's manual".to_owned(),
        near => format!("did you mean {}?", near.join(" or ")),
    };
    let certain = profile.complete || !near.is_empty();
    let severity = if certain { Severity::Fault } else { Severity::Warning };
    let message = if certain {
        format!("{} has no setting called {name}", profile.daemon)
    } else {
        format!("{name} is not among the settings known of {}", profile.daemon)
    };
    Finding::new("unknown-name", severity, message).help(help)
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
