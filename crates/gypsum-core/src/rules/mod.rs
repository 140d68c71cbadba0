//! Rules: what is probably not meant, though the format allows it. One group of rules a file.

mod accounts;
mod any_daemon;
mod characters;
mod conditions;
mod dropped;
mod effect;
mod form;
mod listeners;
pub mod login;
mod names;
mod not_applied;
mod own;
mod paths;
mod remote_hosts;
mod sites;
mod statements;
mod values;
mod version;

pub use form::read_profile;
#[cfg(feature = "reference")]
pub(crate) use form::schemas as form_schemas;
pub use listeners::{Wanted, wanted};
pub use own::OWN;
pub use sites::{Site, sites};

use form::{Sides, When};

use crate::address::address_of;
use crate::doc::{Kind, LeafId};
use crate::edit::File;
use crate::finding::{Finding, Severity};
use crate::layers::{EffectiveConfig, Occurrence, Order, value_of};
use crate::profile::{Profile, Setting};
use crate::secret::is_secret;
use crate::survey::Survey;
use crate::text::Span;
use crate::value::{Piece, pieces};
use std::collections::{HashMap, HashSet};
use std::ops::Range;

/// The configuration of a daemon, and what is known around it.
#[derive(Clone, Copy)]
pub struct ConfigView<'a> {
    /// Its files.
    pub files: &'a [File],
    /// How they hang together.
    pub order: &'a Order,
    /// Its settings in reading order.
    pub layers: &'a EffectiveConfig,
    /// What is known of the daemon.
    pub profile: &'a Profile,
    /// What was measured of the host.
    pub survey: &'a Survey,
    /// The new statements, where this is what a change comes to.
    pub changed_statements: Option<&'a HashSet<Leaf>>,
}

/// The settings that something is known of, each with the words of its value: taken apart once, looked at by many.
struct TypedSettings<'a>(Vec<(Occurrence, &'a Setting, Vec<Piece<'a>>)>);

impl<'a> TypedSettings<'a> {
    fn each(&self, mut see: impl FnMut(&Occurrence, &'a Setting, &[Piece<'a>])) {
        self.0.iter().for_each(|(turn, setting, pieces)| see(turn, setting, pieces));
    }
}

/// A statement.
pub type Leaf = (usize, LeafId);

impl<'a> ConfigView<'a> {
    /// A finding about a setting, at its name.
    fn at_name(&self, finding: Finding, turn: &Occurrence) -> Finding {
        self.at(finding, turn.file, turn.leaf, turn.name.start as usize)
    }

    /// A finding about a setting, at its value and `ahead` bytes into it.
    fn at_value(&self, finding: Finding, turn: &Occurrence, ahead: usize) -> Finding {
        let start = if turn.value.start == turn.value.end { turn.name.start } else { turn.value.start };
        self.at(finding, turn.file, turn.leaf, start as usize + ahead)
    }

    fn at(&self, finding: Finding, file: usize, leaf: LeafId, offset: usize) -> Finding {
        let File { path, doc } = &self.files[file];
        let finding = finding.at_offset(path, doc, offset).about(address_of(doc, leaf));
        let name = doc.parts(leaf).map(|parts| doc.name(&parts)).unwrap_or_default();
        if is_secret(self.profile, &name) { Finding { text: None, ..finding } } else { finding }
    }

    /// Whether a change is about this setting: of several that a rule is about, a finding points at that.
    fn is_fresh(&self, turn: &Occurrence) -> bool {
        self.changed_statements
            .is_some_and(|changed_statements| changed_statements.contains(&(turn.file, turn.leaf)))
    }

    /// The name of a setting, as it is.
    fn name(&self, turn: &Occurrence) -> String {
        self.files[turn.file].doc.text(turn.name).into_owned()
    }

    /// The value of a setting.
    fn value(&self, turn: &Occurrence) -> String {
        value_of(&self.files[turn.file].doc, turn.leaf)
    }

    /// What is known of a setting, and the text that it is about: the value, or of an element of a list the
    /// element itself.
    fn known(&self, turn: &Occurrence) -> Option<(&'a Setting, String)> {
        let scope = self.layers.scope(turn.scope);
        let doc = &self.files[turn.file].doc;
        let name = doc.text(turn.name);
        if let Some((_, setting)) = self.profile.setting_in(Some(scope.word()), &name) {
            return Some((setting, value_of(doc, turn.leaf)));
        }
        let (_, list) = self.profile.setting(scope.word()).filter(|(_, setting)| setting.elements)?;
        let value = value_of(doc, turn.leaf);
        Some((list, if value.is_empty() { name.into_owned() } else { format!("{name} {value}") }))
    }

    /// Every setting once that something is known of, with the words of its value.
    fn gather(&self) -> TypedSettings<'a> {
        let mut seen = HashSet::new();
        let settings = self.layers.settings(self.profile);
        let lists = self.profile.setting.values().any(|setting| setting.elements);
        let mut all = Vec::new();
        for turn in self.layers.turns() {
            if self.layers.reads_twice() && !seen.insert((turn.file, turn.leaf)) {
                continue;
            }
            let known = match settings[turn.pair as usize] {
                Some(setting) => Some((setting, self.value(turn))),
                None if lists => self.known(turn),
                None => None,
            };
            if let Some((setting, value)) = known.filter(|(_, value)| !value.is_empty()) {
                all.push((*turn, setting, pieces(setting, &value)));
            }
        }
        TypedSettings(all)
    }

    /// Whether a condition holds. None where a value is not known.
    fn holds(&self, condition: &str) -> Option<bool> {
        let value = |name: &str| self.layers.value(self.files, self.profile, name);
        condition_holds(self.profile, condition, &value)
    }
}

/// Whether a condition holds: `NAME`, `!NAME`, `NAME=VALUE`, `NAME!=VALUE`. None where a value is not known.
fn condition_holds(
    profile: &Profile,
    condition: &str,
    value: &dyn Fn(&str) -> Option<String>,
) -> Option<bool> {
    if let Some(name) = condition.strip_prefix('!') {
        return Some(value(name).is_none());
    }
    if let Some((name, wanted)) = condition.split_once("!=") {
        return Some(!is_value(profile, name, &value(name)?, wanted));
    }
    match condition.split_once('=') {
        Some((name, wanted)) => Some(is_value(profile, name, &value(name)?, wanted)),
        None => Some(value(condition).is_some()),
    }
}

/// Whether `value` is the value `wanted` of the setting `name`, in any spelling.
fn is_value(profile: &Profile, name: &str, value: &str, wanted: &str) -> bool {
    if let Some(start) = wanted.strip_suffix('*') {
        return value.to_lowercase().starts_with(&start.to_lowercase());
    }
    // A bare name switches on.
    let value = if value.is_empty() && !wanted.is_empty() { "on" } else { value };
    let switches = profile.values.switch(value).zip(profile.values.switch(wanted));
    let flag = profile.setting(name).is_some_and(|(_, setting)| setting.kind == crate::value::Kind::Flag);
    value.eq_ignore_ascii_case(wanted) || flag && switches.is_some_and(|(a, b)| a == b)
}

/// The statements of `after` that `before` does not have: new ones, and those with another value.
pub fn changed_statements(before: &ConfigView<'_>, after: &ConfigView<'_>) -> HashSet<Leaf> {
    let mut changed_statements = HashSet::new();
    for (n, file) in after.files.iter().enumerate() {
        let old = before.files.iter().find(|old| old.path == file.path);
        if old.is_some_and(|old| old.doc.source() == file.doc.source()) {
            continue;
        }
        let (mut was, mut is) = changed_part(old.map_or(b"", |old| old.doc.source()), file.doc.source());
        // Where a block begins or ends otherwise, what is below it is in another one.
        if old.is_some_and(|old| moves_blocks(old, &was)) || moves_blocks(file, &is) {
            was.end = old.map_or(0, |old| old.doc.source().len());
            is.end = file.doc.source().len();
        }
        let mut known: HashMap<(String, Vec<u8>), usize> = HashMap::new();
        for (key, _) in old.map(|old| statements_of(old, &was)).unwrap_or_default() {
            *known.entry(key).or_default() += 1;
        }
        for (key, leaf) in statements_of(file, &is) {
            match known.get_mut(&key).filter(|left| **left > 0) {
                Some(left) => *left -= 1,
                None => {
                    changed_statements.insert((n, leaf));
                }
            }
        }
    }
    changed_statements
}

/// What two texts do not have in common at their begin and end.
fn changed_part(was: &[u8], is: &[u8]) -> (Range<usize>, Range<usize>) {
    let head = was.iter().zip(is).take_while(|(a, b)| a == b).count();
    let tail = was[head..].iter().rev().zip(is[head..].iter().rev()).take_while(|(a, b)| a == b).count();
    (head..was.len() - tail, head..is.len() - tail)
}

/// Whether a block begins or ends in a part of a file.
fn moves_blocks(file: &File, part: &Range<usize>) -> bool {
    let inside = |span: Span| (span.start as usize) < part.end && span.end as usize > part.start;
    file.doc.tree().leaves().any(|(_, kind, span)| matches!(kind, Kind::Open | Kind::Close) && inside(span))
}

/// The statements in a part of a file, each with the titles around it and its text.
fn statements_of(file: &File, part: &Range<usize>) -> Vec<((String, Vec<u8>), LeafId)> {
    let doc = &file.doc;
    let mut paths: HashMap<Option<u32>, String> = HashMap::new();
    doc.tree()
        .leaves()
        // What touches the part, too: what went in between two may belong to either.
        .filter(|(.., span)| span.end as usize >= part.start && span.start as usize <= part.end)
        .filter(|(_, kind, _)| matches!(kind, Kind::Setting | Kind::Open))
        .filter_map(|(leaf, ..)| Some((leaf, doc.parts(leaf)?)))
        .map(|(leaf, parts)| {
            let block = doc.tree().block_of(leaf);
            let path = paths.entry(block).or_insert_with(|| {
                doc.path(leaf).into_iter().map(|block| doc.title(block)).collect::<Vec<_>>().join("\n")
            });
            let mut text = doc.dialect().folded(parts.name.of(doc.source()));
            text.push(b' ');
            text.extend_from_slice(&parts.value.raw(doc.source()));
            ((path.clone(), text), leaf)
        })
        .collect()
}

/// One group of rules about a configuration as it is.
type Standing = fn(&ConfigView<'_>, &TypedSettings<'_>, &mut Vec<Finding>);

const STANDING: [Standing; 8] = [
    values::check,
    paths::check,
    accounts::check,
    remote_hosts::check,
    version::check,
    names::misplaced,
    |config_view, _, findings| {
        form::check(When::Standing, &Sides { before: *config_view, after: *config_view }, findings);
    },
    |config_view, _, findings| listeners::check(config_view, findings),
];

/// A change, as rules see it.
pub struct ProposalView<'a> {
    /// What was there.
    before: ConfigView<'a>,
    /// What will be.
    after: ConfigView<'a>,
    /// The settings of `after`.
    known: &'a TypedSettings<'a>,
    /// The new statements of `after`.
    changed_statements: &'a HashSet<Leaf>,
}

/// One group of rules about a change.
type OfChange = fn(&ProposalView<'_>, &mut Vec<Finding>);

/// Those that need to know nothing of the settings.
const OF_FILES: [OfChange; 3] = [
    any_daemon::check,
    |step, findings| characters::check(&step.before, &step.after, step.changed_statements, findings),
    |step, findings| dropped::files(&step.before, &step.after, findings),
];

const OF_SETTINGS: [OfChange; 7] = [
    |step, findings| names::unknown(&step.after, step.changed_statements, findings),
    |step, findings| effect::check(&step.after, step.changed_statements, findings),
    effect::side_effects,
    |step, findings| not_applied::check(&step.after, step.changed_statements, findings),
    |step, findings| form::check(When::Change, &Sides { before: step.before, after: step.after }, findings),
    |step, findings| listeners::compare(&step.before, &step.after, findings),
    |step, findings| login::check(&step.before, &step.after, findings),
];

/// What groups of rules said; a group that lacked an answer of the host is asked again.
#[derive(Default)]
struct Answers(Vec<Option<Vec<Finding>>>);

impl Answers {
    fn round(
        &mut self,
        count: usize,
        survey: &Survey,
        group: impl Fn(usize, &mut Vec<Finding>),
    ) -> Vec<Finding> {
        self.0.resize(count, None);
        let mut all = Vec::new();
        for (n, said) in self.0.iter_mut().enumerate() {
            if said.is_none() {
                let mut findings = Vec::new();
                if survey.lacked_by(|| group(n, &mut findings)) {
                    all.extend(findings);
                    continue;
                }
                *said = Some(findings);
            }
            all.extend(said.iter().flatten().cloned());
        }
        all
    }
}

/// The rules about a configuration as it is, as often as the host answers.
pub struct StandingRules<'a> {
    config_view: ConfigView<'a>,
    known: TypedSettings<'a>,
    said: Answers,
}

impl<'a> StandingRules<'a> {
    /// Those of `config_view`; what it says of the host is not looked at.
    pub fn of(config_view: ConfigView<'a>) -> Self {
        let known = if config_view.profile.setting.is_empty() {
            TypedSettings(Vec::new())
        } else {
            config_view.gather()
        };
        Self { config_view, known, said: Answers::default() }
    }

    /// What they say where so much of the host is known.
    pub fn round(&mut self, survey: &Survey) -> Vec<Finding> {
        let config_view = ConfigView { survey, ..self.config_view };
        let count = if config_view.profile.setting.is_empty() { 0 } else { STANDING.len() };
        let known = &self.known;
        self.said.round(count, survey, |n, findings| STANDING[n](&config_view, known, findings))
    }
}

/// What the rules about new statements say of all that are there, as hints and warnings: that they are there is the
/// decision of a person, and no change is asked for.
pub fn as_if_new(config_view: &ConfigView<'_>) -> Vec<Finding> {
    let mut findings = Vec::new();
    let leaves = |(n, file): (usize, &File)| {
        file.doc.tree().leaves().map(|(leaf, ..)| (n, leaf)).collect::<Vec<Leaf>>()
    };
    let all: HashSet<Leaf> = config_view.files.iter().enumerate().flat_map(leaves).collect();
    characters::check(config_view, config_view, &all, &mut findings);
    dropped::leads_nowhere(config_view, dropped::is_pattern, &mut findings);
    any_daemon::certificates(config_view, &mut findings);
    if !config_view.profile.setting.is_empty() {
        names::unknown(config_view, &all, &mut findings);
        let faults = findings.len();
        effect::check(config_view, &all, &mut findings);
        // Who reads the files sees which place decides: that is worth a word, and no alarm.
        findings[faults..].iter_mut().for_each(|finding| finding.severity = Severity::Hint);
    }
    for finding in &mut findings {
        finding.severity = finding.severity.min(Severity::Warning);
    }
    findings
}

/// The rules about a change, as often as the host answers.
#[derive(Default)]
pub struct ChangeRules(Answers);

impl ChangeRules {
    /// What they say of a change from `before` to `after`, of which `changed_statements` are the new statements.
    pub fn round(
        &mut self,
        before: &StandingRules<'_>,
        after: &StandingRules<'_>,
        changed_statements: &HashSet<Leaf>,
        survey: &Survey,
    ) -> Vec<Finding> {
        let step = ProposalView {
            before: ConfigView { survey, ..before.config_view },
            after: ConfigView { survey, ..after.config_view },
            known: &after.known,
            changed_statements,
        };
        let count = if step.after.profile.setting.is_empty() { 0 } else { OF_SETTINGS.len() };
        self.0.round(OF_FILES.len() + count, survey, |n, findings| match OF_FILES.get(n) {
            Some(group) => group(&step, findings),
            None => OF_SETTINGS[n - OF_FILES.len()](&step, findings),
        })
    }
}
