//! What a daemon says it understood, compared with what was asked for.

use crate::finding::{Finding, Severity};
use crate::layers::Occurrence;
use crate::profile::{Effective, Profile};
use crate::rules::{ConfigView, Leaf};
use crate::value::{Kind, same_value};
use std::collections::{BTreeMap, HashSet};

/// The values that a daemon told, by its own spelling of the names in lower case.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Reported {
    values: BTreeMap<String, Vec<String>>,
}

/// Names are compared without regard to case, dashes and underscores: daemons print them as they please.
fn plain(name: &str) -> String {
    name.trim().to_lowercase().replace('-', "_")
}

impl Reported {
    /// Reads what the command printed.
    pub fn read(effective: &Effective, printed: &str) -> Self {
        let mut told = Self::default();
        let mut begun = effective.after.is_none();
        for line in printed.lines() {
            if !begun {
                begun = effective.after.as_deref().is_some_and(|after| line.contains(after));
                continue;
            }
            let line = effective
                .strip
                .iter()
                .fold(line, |line, strip| line.split_once(strip.as_str()).map_or(line, |(_, rest)| rest));
            let pair = match effective.between.as_str() {
                " " => line.trim().split_once([' ', '\t']),
                between => line.split_once(between),
            };
            if let Some((name, value)) = pair.filter(|(name, _)| !name.trim().is_empty()) {
                // Of a table with several columns the first value is the one in effect.
                let value = if effective.between.trim().is_empty() {
                    value
                } else {
                    value.split(effective.between.as_str()).next().unwrap_or(value)
                };
                told.add(name, value);
            }
        }
        told
    }

    /// Reads lines of a name and a value with a blank between.
    pub fn pairs(printed: &str) -> Self {
        let mut told = Self::default();
        for (name, value) in printed.lines().filter_map(|line| line.split_once(' ')) {
            told.add(name, value);
        }
        told
    }

    /// One more value.
    pub fn add(&mut self, name: &str, value: &str) {
        self.values.entry(plain(name)).or_default().push(value.trim().to_owned());
    }

    /// The names of which another account of the same files tells something else: they change by themselves.
    pub fn passing(&self, other: &Self) -> Vec<String> {
        let names: HashSet<&String> = self.values.keys().chain(other.values.keys()).collect();
        let differ = |name: &&String| self.values(name) != other.values(name);
        names.into_iter().filter(differ).cloned().collect()
    }

    /// Whether nothing was told.
    pub fn is_empty(&self) -> bool {
        self.values.is_empty()
    }

    /// The values of a name.
    pub fn values(&self, name: &str) -> &[String] {
        self.values.get(&plain(name)).map_or(&[], Vec::as_slice)
    }
}

/// The new settings that the daemon can be asked about.
pub fn asked<'a>(
    config_view: &'a ConfigView<'_>,
    changed_statements: &'a HashSet<Leaf>,
    effective: &'a Effective,
) -> Vec<&'a Occurrence> {
    let told_of = |turn: &&Occurrence| {
        let scope = config_view.layers.scope(turn.scope);
        let within = match effective.within.as_slice() {
            [] => scope.title.is_empty(),
            within => within.iter().any(|block| block == scope.word() || block == &scope.title),
        };
        within && !scope.conditional && config_view.layers.reads(turn.file)
    };
    config_view
        .layers
        .turns()
        .iter()
        .filter(|turn| changed_statements.contains(&(turn.file, turn.leaf)))
        .filter(told_of)
        .collect()
}

/// What the daemon understands otherwise than was asked for, and what else changes by it.
pub fn compare(
    profile: &Profile,
    effective: &Effective,
    (before, after): (&Reported, &Reported),
    config_view: &ConfigView<'_>,
    changed_statements: &HashSet<Leaf>,
) -> Vec<Finding> {
    let mut findings = Vec::new();
    let turns = asked(config_view, changed_statements, effective);
    for turn in &turns {
        let file = &config_view.files[turn.file];
        let name = file.doc.text(turn.name).into_owned();
        let (asked, told) = (crate::layers::value_of(&file.doc, turn.leaf), after.values(&name));
        let setting = profile.setting(&name).map(|(_, setting)| setting);
        // What is computed is told computed.
        if told.is_empty() || asked.contains('$') || asked.is_empty() {
            continue;
        }
        let same = |told: &String| same_value(setting, &profile.values, &effective.synonyms, &asked, told);
        if told.iter().any(|told| same(told).unwrap_or(true))
            || setting.is_some_and(|setting| setting.repeats)
        {
            continue;
        }
        let sure = [Kind::Flag, Kind::Choice, Kind::Integer, Kind::Size, Kind::Duration, Kind::Port];
        let exact = setting.is_some_and(|setting| sure.contains(&setting.kind) && setting.list.is_none());
        let severity = if exact { Severity::Fault } else { Severity::Warning };
        let message = format!("{} understands {name} as {}, not as {asked}", profile.daemon, told.join(", "));
        let start = turn.value.start.max(turn.name.start) as usize;
        findings.push(
            Finding::new("not-understood", severity, message)
                .at_offset(&file.path, &file.doc, start)
                .about(crate::address::address_of(&file.doc, turn.leaf))
                .help(
                    "see whether another line or file decides, and in which form the daemon expects the value",
                ),
        );
    }
    findings.extend(besides(effective, &turns, config_view, before, after));
    findings
}

/// The rule by which more changes than was asked for.
pub const ALSO_CHANGES: &str = "also-changes";

/// Settings that change though nobody asked for it.
fn besides(
    effective: &Effective,
    turns: &[&Occurrence],
    config_view: &ConfigView<'_>,
    before: &Reported,
    after: &Reported,
) -> Option<Finding> {
    if before.is_empty() || after.is_empty() {
        return None;
    }
    let ours: HashSet<String> =
        turns.iter().map(|turn| plain(&config_view.files[turn.file].doc.text(turn.name))).collect();
    let names: HashSet<&String> = before.values.keys().chain(after.values.keys()).collect();
    let mut others: Vec<String> = names
        .into_iter()
        .filter(|name| !effective.passing.iter().any(|passing| plain(passing) == **name))
        .filter(|name| !ours.contains(*name) && before.values(name) != after.values(name))
        .map(|name| format!("{name} (from {} to {})", shown(before.values(name)), shown(after.values(name))))
        .collect();
    others.sort();
    if others.is_empty() {
        return None;
    }
    let more = if others.len() > 4 { format!(" and {} more", others.len() - 4) } else { String::new() };
    let listed = others.iter().take(4).cloned().collect::<Vec<_>>().join(", ");
    let message = format!("the daemon reports that this changes, too: {listed}{more}");
    Some(Finding::new(ALSO_CHANGES, Severity::Hint, message))
}

fn shown(values: &[String]) -> String {
    match values {
        [] => "nothing".to_owned(),
        values => values.join(" ").chars().take(40).collect(),
    }
}
