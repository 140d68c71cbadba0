//! Statements as the rules of a profile write them: by name, by how they begin, by the names that they give.

use super::ConfigView;
use crate::finding::Finding;
use crate::layers::Occurrence;
use crate::profile::Rule;
use crate::text::glob_match;
use crate::text::one_line;
use std::collections::BTreeSet;

/// A finding that a rule of the profile is broken, with what the rule says to do.
pub fn broken(rule: &Rule, message: String) -> Finding {
    let finding = Finding::new(&rule.name, rule.severity, message);
    match &rule.help {
        Some(help) => finding.help(help.clone()),
        None => finding,
    }
}

/// A statement in one line: its name and its value, one blank between words.
pub fn text_of(config_view: &ConfigView<'_>, turn: &Occurrence) -> String {
    one_line(&format!("{} {}", config_view.name(turn), config_view.value(turn)))
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

/// The names by which blocks or settings called `keep` are known.
pub fn names_of(config_view: &ConfigView<'_>, keep: &str) -> BTreeSet<String> {
    let mut out = BTreeSet::new();
    for (_, scope) in config_view.layers.scopes().filter(|(_, scope)| scope.word() == keep) {
        if let Some(name) = scope.title.split(' ').nth(1) {
            out.insert(name.trim_matches('"').to_owned());
        }
    }
    let (keep, first) = keep.split_once(' ').map_or((keep, None), |(keep, first)| (keep, Some(first)));
    for turn in config_view.layers.called(config_view.files, config_view.profile, keep) {
        let value = config_view.value(turn);
        if first.is_some_and(|first| value.split_whitespace().next() != Some(first)) {
            continue;
        }
        for word in value.split([' ', '\t', ',']).filter(|word| !word.is_empty()) {
            out.insert(word.trim_matches(['"', '\'']).to_owned());
        }
    }
    out
}
