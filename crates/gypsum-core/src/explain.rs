//! One setting explained: what it does, what it takes, what it is now and why.

use crate::address::{Address, address_of};
use crate::doc::{CommentedOut, LeafId};
use crate::edit::{find_active, find_commented_out};
use crate::layers::{Occurrence, value_of};
use crate::profile::{Activation, Effective, ListedName, NameList, Profile, Setting};
use crate::rules::ConfigView;
use crate::secret::shown_value;
use crate::value::{Kind, range, same_value};
use serde::Serialize;
use std::collections::HashSet;

/// One place where a setting is.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Place {
    /// The file.
    pub file: String,
    /// The line in it, from 1.
    pub line: u32,
    /// The address; can be pasted back.
    pub address: String,
    /// The value that is there.
    pub value: String,
    /// Whether it is in effect.
    pub in_effect: bool,
    /// The place that decides instead.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub decided_by: Option<String>,
}

/// What there is to say of a setting.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Explained {
    /// Its name in the daemon's own spelling.
    pub name: String,
    /// What it does.
    pub about: Option<String>,
    /// Which values it takes.
    pub takes: Option<String>,
    /// Its default.
    pub default: Option<String>,
    /// Where it is, in reading order.
    pub places: Vec<Place>,
    /// Where it is commented out.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub commented_out: Vec<Place>,
    /// When a change of it takes effect.
    pub takes_effect: String,
    /// Since and until which version it exists.
    pub versions: Option<String>,
    /// What else is known: of its data, of where it belongs.
    pub notes: Vec<String>,
    /// The value that the daemon itself reports, where it was asked.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub reported: Option<String>,
    /// The kind of its value and where it may be set, in the words of the daemon's own list.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub listed: Option<String>,
    /// What the manual says of it, paragraph by paragraph, where it is installed.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub manual: Vec<String>,
    /// Where each piece of this is from, in words.
    pub known_from: Vec<String>,
}

impl Explained {
    /// Takes in a name that only the installed daemon knows.
    pub fn known_to_the_daemon(profile: &Profile, name: &str) -> Self {
        Self {
            name: name.to_owned(),
            takes_effect: takes_effect(profile, &Setting::default()),
            known_from: vec![format!(
                "its name: the installed {}; its profile does not have it",
                profile.daemon
            )],
            ..Self::default()
        }
    }

    /// Takes in what the daemon's own list has of the setting. Its default is that of the installed version, whatever
    /// the profile says.
    pub fn take_listing(&mut self, profile: &Profile, list: &NameList, one: &ListedName) {
        let program = list.run.first().and_then(|program| program.rsplit('/').next()).unwrap_or_default();
        let mut from = Vec::new();
        if let Some(default) = &one.default {
            let known = profile.setting(&self.name).map(|(_, setting)| setting);
            let same =
                self.default.as_ref().and_then(|old| same_value(known, &profile.values, &[], old, default));
            if same == Some(false) {
                self.notes.extend(self.default.take().map(other_default));
            }
            self.default.get_or_insert_with(|| default.clone());
            from.push("default");
        }
        let known = [&one.kind, &one.context].into_iter().flatten().cloned().collect::<Vec<_>>();
        self.listed = Some(known.join("; ")).filter(|text| !text.is_empty());
        from.extend(one.kind.as_ref().map(|_| "kind"));
        from.extend(one.context.as_ref().map(|_| "context"));
        if self.about.is_none() && one.about.is_some() {
            self.about.clone_from(&one.about);
            from.push("what it does");
        }
        let described = profile.setting(&self.name).is_some_and(|(_, setting)| setting.activation.is_some());
        if list.needs_restart(one) == Some(true) && !described {
            "with a restart".clone_into(&mut self.takes_effect);
        }
        if !from.is_empty() {
            self.known_from.push(format!("its {}: the daemon's own list, by {program}", listing(&from)));
        }
    }

    /// Takes in what a manual page says of the setting.
    pub fn take_manual(&mut self, page: &str, text: Vec<String>) {
        self.manual = text;
        self.known_from.push(format!("its paragraph: the manual page {page}"));
    }

    /// Takes in what the daemon reports of the setting, asked by this command. Where it is set nowhere, that is the
    /// default, whatever the profile says.
    pub fn take_report(&mut self, profile: &Profile, effective: &Effective, value: String) {
        let program = effective.run.iter().find(|word| word.starts_with('/'));
        let program = program.and_then(|program| program.rsplit('/').next()).unwrap_or_default();
        self.known_from.push(format!("its value: the daemon itself, by {program}"));
        if self.places.iter().all(|place| !place.in_effect) {
            let known = profile.setting(&self.name).map(|(_, setting)| setting);
            let differs = self.default.as_ref().is_some_and(|default| {
                same_value(known, &profile.values, &effective.synonyms, default, &value) == Some(false)
            });
            if differs {
                self.notes.extend(self.default.take().map(other_default));
            }
            // In the profile's spelling where that means the same.
            self.default.get_or_insert_with(|| value.clone());
        }
        self.reported = Some(value);
    }
}

/// `default, kind and context`.
fn listing(words: &[&str]) -> String {
    match words {
        [first @ .., last] if !first.is_empty() => format!("{} and {last}", first.join(", ")),
        words => words.join(", "),
    }
}

fn other_default(profiles: String) -> String {
    format!("The profile gives {profiles} as the default; the installed version has another.")
}

/// Explains the setting called `name`; none where it is neither known nor standing anywhere.
pub fn explain(subject: &ConfigView<'_>, name: &str) -> Option<Explained> {
    let profile = subject.profile;
    let address = Address::parse(name).ok();
    let bare = address.as_ref().map_or(name, Address::name);
    let known = profile.setting(name).or_else(|| profile.setting(bare));
    let places = places(subject, name, address.as_ref());
    let commented_out = commented_out(subject, address.as_ref());
    if known.is_none() && places.is_empty() && commented_out.is_empty() && profile.spelling(name).is_none() {
        return None;
    }
    let spelled = known.map(|(spelled, _)| spelled).or_else(|| profile.spelling(name)).unwrap_or(bare);
    let fallback = Setting::default();
    let setting = known.map_or(&fallback, |(_, setting)| setting);
    let mut notes = Vec::new();
    notes.extend(setting.data.as_ref().map(|data| format!("Its data: {data}.")));
    if !setting.within.is_empty() {
        notes.push(format!("It belongs in {}.", setting.within.join(" or ")));
    }
    if setting.repeats {
        notes.push("It may be set several times; each one adds to the others.".into());
    }
    notes.extend(setting.side_effects.iter().map(|(value, says)| format!("{value}: {says}.")));
    Some(Explained {
        name: spelled.to_owned(),
        about: setting.about.clone(),
        takes: known.and_then(|(_, setting)| takes(profile, setting)),
        default: setting.default.clone(),
        places,
        commented_out,
        takes_effect: takes_effect(profile, setting),
        versions: versions(setting),
        notes,
        known_from: match known {
            Some(_) => vec!["what it does and takes: the profile".to_owned()],
            None if profile.spelling(name).is_some() => {
                vec!["its name: the profile, which does not describe it".to_owned()]
            }
            None => vec!["its name: the file alone".to_owned()],
        },
        ..Explained::default()
    })
}

fn takes(profile: &Profile, setting: &Setting) -> Option<String> {
    let likely = match (&setting.least, &setting.most) {
        (Some(least), Some(most)) => format!("; usually from {least} to {most}"),
        (Some(least), None) => format!("; usually at least {least}"),
        (None, Some(most)) => format!("; usually at most {most}"),
        (None, None) => String::new(),
    };
    let choices = setting.choices.join(", ");
    let text = match setting.kind {
        Kind::Text if setting.choices.is_empty() => return None,
        Kind::Text | Kind::Choice => choices,
        Kind::Flag if setting.choices.is_empty() => profile.values.flag_words().join(", "),
        Kind::Flag => choices,
        _ if setting.choices.is_empty() => range(setting),
        _ => format!("{}, or {choices}", range(setting)),
    };
    let list = if setting.list.is_some() { "a list; each " } else { "" };
    Some(format!("{list}{text}{likely}"))
}

fn takes_effect(profile: &Profile, setting: &Setting) -> String {
    let what = match setting.activation.unwrap_or(profile.service.activation) {
        Activation::None => "at once",
        Activation::Reload => "with a reload",
        Activation::Signal => "with a signal",
        Activation::Command => "with a command that makes it read its files",
        Activation::Restart => "with a restart",
        Activation::StopFirst => "with a restart; it is down while its files change",
    };
    match &setting.holds_for {
        Some(whom) => format!("{what}, for {whom}"),
        None => what.to_owned(),
    }
}

fn versions(setting: &Setting) -> Option<String> {
    match (&setting.since, &setting.until) {
        (Some(since), Some(until)) => Some(format!("from {since}, no more from {until}")),
        (Some(since), None) => Some(format!("from {since}")),
        (None, Some(until)) => Some(format!("no more from {until}")),
        (None, None) => None,
    }
}

/// The places at which what `address` names is commented out.
fn commented_out(subject: &ConfigView<'_>, address: Option<&Address>) -> Vec<Place> {
    let found = address.map(|address| find_commented_out(subject.files, address)).unwrap_or_default();
    let place = |(n, commented_out): (usize, CommentedOut)| {
        let file = &subject.files[n];
        let (name, value) = (file.doc.name(&commented_out.parts), file.doc.value(&commented_out.parts));
        let value = shown_value(subject.profile, &name, value);
        Place {
            file: file.path.clone(),
            line: file.doc.place(commented_out.leaf).line,
            address: address.map(ToString::to_string).unwrap_or_default(),
            value,
            in_effect: false,
            decided_by: None,
        }
    };
    found.into_iter().map(place).collect()
}

fn places(subject: &ConfigView<'_>, name: &str, address: Option<&Address>) -> Vec<Place> {
    let deciding = subject.layers.deciding(subject.files, subject.profile);
    let turns = subject.layers.turns();
    let where_is = |turn: &Occurrence| {
        let file = &subject.files[turn.file];
        (file.path.clone(), file.doc.place(turn.leaf).line)
    };
    let (block, bare) = name.rsplit_once("..").map_or((None, name), |(block, bare)| (Some(block), bare));
    // What is printed with its block or its number means that one place, or, in one of several parts of the
    // same section, all places of it.
    let exact = address.filter(|address| {
        !address.blocks().is_empty()
            || address.nth().is_some()
            || turns.is_empty()
            || address.name().contains([' ', '"'])
            || name.contains('"')
    });
    let found: HashSet<(usize, LeafId)> =
        exact.map(|address| find_active(subject.files, address)).unwrap_or_default().into_iter().collect();
    let meant = |turn: &Occurrence| {
        if found.contains(&(turn.file, turn.leaf)) {
            return true;
        }
        if exact.is_some_and(|address| address.nth().is_some()) {
            return false;
        }
        let doc = &subject.files[turn.file].doc;
        doc.dialect().same(turn.name.of(doc.source()), bare.as_bytes())
            && block.is_none_or(|block| {
                let scope = subject.layers.scope(turn.scope);
                scope.title == block || scope.word() == block
            })
    };
    // Where nothing is known of the names, nothing is known of their order either.
    let outside =
        found.iter().filter(|(n, leaf)| !turns.iter().any(|turn| (turn.file, turn.leaf) == (*n, *leaf)));
    let mut outside: Vec<(usize, LeafId)> = outside.copied().collect();
    outside.sort_unstable();
    let outside = outside.into_iter().map(|(n, leaf)| {
        let file = &subject.files[n];
        let value = value_of(&file.doc, leaf);
        let name = file.doc.parts(leaf).map(|parts| file.doc.name(&parts)).unwrap_or_default();
        let value = shown_value(subject.profile, &name, value);
        Place {
            file: file.path.clone(),
            line: file.doc.place(leaf).line,
            address: address_of(&file.doc, leaf).to_string(),
            value,
            in_effect: true,
            decided_by: None,
        }
    });
    let all = turns.iter().zip(&deciding).filter(|(turn, _)| meant(turn));
    let known = all.map(|(turn, winner)| {
        let file = &subject.files[turn.file];
        let (path, line) = where_is(turn);
        let value = value_of(&file.doc, turn.leaf);
        let value = shown_value(subject.profile, bare, value);
        let winner = winner.map(|n| where_is(&turns[n as usize]));
        let reads = subject.layers.reads(turn.file);
        Place {
            file: path,
            line,
            address: address_of(&file.doc, turn.leaf).to_string(),
            value,
            in_effect: winner.is_none() && reads,
            decided_by: winner.map(|(file, line)| format!("{file}, line {line}")),
        }
    });
    known.chain(outside).collect()
}
