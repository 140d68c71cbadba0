//! What is asked of somebody who logs in, and whether an account has it to show.

use crate::effective::Reported;
use crate::profile::{Login, Profile};
use crate::rules::{ConfigView, condition_holds};
use crate::survey::Survey;
use crate::text::glob_match;
use crate::value::is_in_network;
use std::net::IpAddr;

/// An account.
#[derive(Clone)]
pub(super) struct Person {
    pub name: String,
    groups: Vec<String>,
}

impl Person {
    /// An account by its name, and behind it its groups.
    pub fn of<'a>(mut words: impl Iterator<Item = &'a str>) -> Self {
        let name = words.next().unwrap_or_default().to_owned();
        Self { name, groups: words.map(str::to_owned).collect() }
    }
}

/// What is asked of somebody who logs in.
#[derive(PartialEq, Eq)]
pub(super) struct Doors {
    allow_users: Vec<String>,
    allow_groups: Vec<String>,
    deny_users: Vec<String>,
    deny_groups: Vec<String>,
    /// Whether root may at all.
    root: Option<bool>,
    keys: Option<bool>,
    /// Whether keys may come from elsewhere, too.
    other_keys: Option<bool>,
    /// Where keys are, as patterns; `None` where the profile does not say.
    key_files: Option<String>,
    passwords: Option<bool>,
    /// Whether root may by password.
    root_passwords: Option<bool>,
    /// Whether there is any other way, of which nothing is known here.
    others: Option<bool>,
    /// Each a list of what must be shown together; any of them does. None where anything does.
    methods: Vec<Vec<String>>,
    /// Whether any of it is set for some accounts alone.
    pub is_conditional: bool,
}

impl Doors {
    /// What our own reading of the files comes to, for all accounts alike.
    pub fn of(view: &ConfigView<'_>, login: &Login) -> Self {
        let list = |name: &str| {
            let turns = view.layers.called(view.files, view.profile, name);
            turns.map(|turn| view.value(turn)).collect()
        };
        let value = |name: &str| view.layers.value(view.files, view.profile, name);
        let is_conditional = login.names().any(|name| view.layers.is_conditional(view.files, name));
        Self { is_conditional, ..Self::read(view.profile, login, &list, &value) }
    }

    /// What the daemon itself says that it asks of one account.
    pub fn reported(profile: &Profile, login: &Login, told: &Reported) -> Self {
        let value = |name: &str| told.values(name).first().cloned();
        Self::read(profile, login, &|name| told.values(name).to_vec(), &value)
    }

    fn read(
        profile: &Profile,
        login: &Login,
        all: &dyn Fn(&str) -> Vec<String>,
        value: &dyn Fn(&str) -> Option<String>,
    ) -> Self {
        let list = |name: &Option<String>| -> Vec<String> {
            let values = name.as_deref().map(all).unwrap_or_default();
            values.iter().flat_map(|value| value.split_whitespace()).map(str::to_owned).collect()
        };
        // A setting that is switched off is printed as "none".
        let set = |name: &str| value(name).filter(|value| !value.eq_ignore_ascii_case("none"));
        let holds = |condition: &Option<String>| condition_holds(profile, condition.as_deref()?, &set);
        let any = |conditions: &[String]| {
            conditions.iter().map(|condition| condition_holds(profile, condition, &set)).fold(Some(false), or)
        };
        let value = |name: &Option<String>| value(name.as_deref()?);
        let methods = value(&login.methods).filter(|value| !value.eq_ignore_ascii_case("any"));
        let alternatives = |value: String| -> Vec<Vec<String>> {
            let together =
                |words: &str| words.split(',').map(|word| word.trim_matches('"').to_lowercase()).collect();
            value.split_whitespace().map(together).collect()
        };
        Self {
            allow_users: list(&login.allow_users),
            allow_groups: list(&login.allow_groups),
            deny_users: list(&login.deny_users),
            deny_groups: list(&login.deny_groups),
            root: holds(&login.root),
            keys: holds(&login.keys),
            other_keys: any(&login.other_keys),
            key_files: value(&login.key_files),
            passwords: any(&login.passwords),
            root_passwords: holds(&login.root_passwords),
            others: any(&login.others),
            methods: methods.map(alternatives).unwrap_or_default(),
            is_conditional: false,
        }
    }

    /// Whether the lists let an account in that comes from this address; `None` where that is not known.
    pub fn lets_in(&self, person: &Person, from: Option<IpAddr>) -> Option<bool> {
        let own = std::slice::from_ref(&person.name);
        let not = |is: Option<bool>| is.map(|is| !is);
        let listed = |list: &[String], names| {
            if list.is_empty() { Some(true) } else { any_fits(list, names, from) }
        };
        let root = if person.name == "root" { self.root.or(Some(true)) } else { Some(true) };
        [
            listed(&self.allow_users, own),
            listed(&self.allow_groups, &person.groups),
            not(any_fits(&self.deny_users, own, from)),
            not(any_fits(&self.deny_groups, &person.groups, from)),
            root,
        ]
        .into_iter()
        .fold(Some(true), and)
    }

    /// Whether an account can log in; `None` where that is not known.
    pub fn way(&self, person: &Person, from: Option<IpAddr>, survey: &Survey) -> Option<bool> {
        let is_let_in = self.lets_in(person, from);
        if is_let_in == Some(false) {
            return Some(false);
        }
        and(is_let_in, self.shown(person, survey))
    }

    /// Whether an account has what is asked for.
    fn shown(&self, person: &Person, survey: &Survey) -> Option<bool> {
        let (key, password) = (self.by_key(person, survey), self.by_password(person, survey));
        // Of what else there is nothing is known: it may be a way.
        let other = if self.others == Some(false) { Some(false) } else { None };
        if self.methods.is_empty() {
            return [key, password, other].into_iter().fold(Some(false), or);
        }
        let shown = |word: &String| match word.split(':').next().unwrap_or(word) {
            "publickey" => key,
            "password" | "keyboard-interactive" => password,
            _ => other,
        };
        let together = |words: &Vec<String>| words.iter().map(shown).fold(Some(true), and);
        self.methods.iter().map(together).fold(Some(false), or)
    }

    fn by_key(&self, person: &Person, survey: &Survey) -> Option<bool> {
        let files = self.key_files.as_deref()?;
        let is_none = files.eq_ignore_ascii_case("none");
        let in_files = if is_none { Some(false) } else { survey.has_key(&person.name, files) };
        let elsewhere = if self.other_keys == Some(false) { Some(false) } else { None };
        and(self.keys, or(in_files, elsewhere))
    }

    pub fn by_password(&self, person: &Person, survey: &Survey) -> Option<bool> {
        let on =
            if person.name == "root" { and(self.passwords, self.root_passwords) } else { self.passwords };
        and(on, survey.has_password(&person.name))
    }

    /// Why an account cannot log in, in words.
    pub fn why_not(&self, person: &Person, from: Option<IpAddr>, survey: &Survey) -> String {
        if self.lets_in(person, from) == Some(false) {
            return "it is not among those that are let in".to_owned();
        }
        let key = match (self.keys, self.by_key(person, survey)) {
            (Some(false), _) => "keys are off",
            (_, Some(false)) => "it has no key",
            _ => "its key alone is not enough",
        };
        let is_root_out = person.name == "root" && self.root_passwords == Some(false);
        let password = match (self.passwords, self.by_password(person, survey)) {
            (Some(false), _) => "passwords are off",
            (_, Some(false)) if is_root_out => "root may not use a password",
            (_, Some(false)) => "it has no password",
            _ => "its password alone is not enough",
        };
        format!("{key}, and {password}")
    }
}

/// What is known of both together.
fn and(one: Option<bool>, other: Option<bool>) -> Option<bool> {
    match (one, other) {
        (Some(false), _) | (_, Some(false)) => Some(false),
        (Some(true), Some(true)) => Some(true),
        (None, _) | (_, None) => None,
    }
}

/// What is known of either.
fn or(one: Option<bool>, other: Option<bool>) -> Option<bool> {
    and(one.map(|one| !one), other.map(|other| !other)).map(|neither| !neither)
}

/// Whether one of these names fits a pattern; one that names where somebody comes from as well (`NAME@ADDRESS`) is
/// compared with the address, where that is known (sshd_config(5), AllowUsers).
fn any_fits(patterns: &[String], names: &[String], from: Option<IpAddr>) -> Option<bool> {
    let fits = |pattern: &String| {
        let (account, place) = match pattern.split_once('@') {
            Some((account, place)) => (account, Some(place)),
            None => (pattern.as_str(), None),
        };
        let is_named = names.iter().any(|name| glob_match(account, name));
        match place {
            Some(place) if is_named => comes_from(place, from?),
            _ => Some(is_named),
        }
    };
    patterns.iter().map(fits).fold(Some(false), or)
}

/// Whether an address is at a place: a network, or a pattern. The name of a host says nothing of the address.
fn comes_from(place: &str, from: IpAddr) -> Option<bool> {
    if place.contains('/') {
        return is_in_network(place, from);
    }
    if glob_match(place, &from.to_string()) {
        return Some(true);
    }
    let is_an_address = place.chars().all(|c| c.is_ascii_hexdigit() || ".:*?".contains(c));
    if is_an_address { Some(false) } else { None }
}
