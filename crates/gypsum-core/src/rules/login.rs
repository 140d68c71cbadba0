//! Who can log in, and by what: before a change, and after it.
//!
//! Which accounts are let in is told by up to four settings, and what they must show by a few more. What an account has
//! to show, a key or a password, is a fact of the host. What is not known shuts nobody out.

use super::ConfigView;
use crate::finding::Finding;
use crate::profile::Login;
use crate::survey::Survey;
use crate::text::glob_match;

/// The rule of these findings.
const LOCKS_OUT: &str = "locks-out";
/// So many accounts are named.
const MOST_NAMES: usize = 5;

pub fn check(before: &ConfigView<'_>, after: &ConfigView<'_>, findings: &mut Vec<Finding>) {
    let Some(login) = &after.profile.login else { return };
    let (was, is) = (Doors::of(before, login), Doors::of(after, login));
    if was == is {
        return;
    }
    let survey = after.survey;
    let Some(people) = survey.people() else { return };
    let people: Vec<Person> = people.iter().map(|line| Person::of(line.split(' '))).collect();
    let root = Person { name: "root".into(), groups: vec!["root".into()] };
    let all = || people.iter().chain([&root]);
    let about = |finding| at_first(after, login, finding);
    let nobody = |help: &str| {
        let message = "after this change no account of this host can log in";
        about(Finding::fault(LOCKS_OUT, message).help(help))
    };
    if !all().any(|person| is.lets_in(person)) {
        findings.push(nobody("let at least one account in"));
        return;
    }
    // Where conditions of groups decide, what holds for an account is not for this rule to say.
    if was.is_conditional || is.is_conditional {
        return;
    }
    let mut lost: Vec<&Person> = Vec::new();
    let mut is_anybody_left = false;
    for person in all() {
        match (was.way(person, survey), is.way(person, survey)) {
            (Some(false), Some(false)) => {}
            (_, Some(false)) => lost.push(person),
            (_, Some(true) | None) => is_anybody_left = true,
        }
    }
    if !lost.is_empty() && !is_anybody_left {
        findings.push(nobody(
            "none has both what is asked for and a way to show it: give one a key, or leave passwords on",
        ));
        return;
    }
    let typist = survey.typist().map(|words| Person::of(words.iter().map(String::as_str)));
    if let Some(typist) = &typist
        && was.way(typist, survey) != Some(false)
        && is.way(typist, survey) == Some(false)
    {
        let why = is.why_not(typist, survey);
        let message = format!("{}, who is typing this, could not log in any more: {why}", typist.name);
        let help = "give that account what is asked for, or --accept locks-out if that is meant";
        findings.push(about(Finding::fault(LOCKS_OUT, message).help(help)));
    }
    lost.retain(|person| typist.as_ref().is_none_or(|typist| typist.name != person.name));
    if !lost.is_empty() {
        let mut names: Vec<&str> = lost.iter().map(|person| person.name.as_str()).take(MOST_NAMES).collect();
        let more = format!("{} more", lost.len().saturating_sub(MOST_NAMES));
        if lost.len() > MOST_NAMES {
            names.push(&more);
        }
        let message = format!("these accounts can no longer log in: {}", names.join(", "));
        let why = is.why_not(lost[0], survey);
        findings.push(about(Finding::warning("shuts-out", message).help(format!("of the first one: {why}"))));
    }
}

/// An account.
struct Person {
    name: String,
    groups: Vec<String>,
}

impl Person {
    fn of<'a>(mut words: impl Iterator<Item = &'a str>) -> Self {
        let name = words.next().unwrap_or_default().to_owned();
        Self { name, groups: words.map(str::to_owned).collect() }
    }
}

/// What is asked of somebody who logs in.
#[derive(PartialEq, Eq)]
struct Doors {
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
    is_conditional: bool,
}

impl Doors {
    fn of(view: &ConfigView<'_>, login: &Login) -> Self {
        let list = |name: &Option<String>| -> Vec<String> {
            let Some(name) = name else { return Vec::new() };
            let turns = view.layers.called(view.files, view.profile, name);
            let words = |text: String| text.split_whitespace().map(str::to_owned).collect::<Vec<_>>();
            turns.flat_map(|turn| words(view.value(turn))).collect()
        };
        let holds =
            |condition: &Option<String>| condition.as_deref().and_then(|condition| view.holds(condition));
        let any = |conditions: &[String]| {
            conditions.iter().map(|condition| view.holds(condition)).fold(Some(false), or)
        };
        let value = |name: &Option<String>| view.layers.value(view.files, view.profile, name.as_deref()?);
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
            is_conditional: login.names().any(|name| view.layers.is_conditional(view.files, name)),
        }
    }

    /// Whether the lists let an account in.
    fn lets_in(&self, person: &Person) -> bool {
        let own = std::slice::from_ref(&person.name);
        (self.allow_users.is_empty() || any_fits(&self.allow_users, own))
            && (self.allow_groups.is_empty() || any_fits(&self.allow_groups, &person.groups))
            && !any_fits(&self.deny_users, own)
            && !any_fits(&self.deny_groups, &person.groups)
            && (person.name != "root" || self.root != Some(false))
    }

    /// Whether an account can log in; `None` where that is not known.
    fn way(&self, person: &Person, survey: &Survey) -> Option<bool> {
        if !self.lets_in(person) {
            return Some(false);
        }
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

    fn by_password(&self, person: &Person, survey: &Survey) -> Option<bool> {
        let on =
            if person.name == "root" { and(self.passwords, self.root_passwords) } else { self.passwords };
        and(on, survey.has_password(&person.name))
    }

    /// Why an account cannot log in, in words.
    fn why_not(&self, person: &Person, survey: &Survey) -> String {
        if !self.lets_in(person) {
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

fn any_fits(patterns: &[String], names: &[String]) -> bool {
    patterns.iter().any(|pattern| {
        let account = pattern.split('@').next().unwrap_or(pattern);
        names.iter().any(|name| glob_match(account, name))
    })
}

/// A finding at the setting that the change is about, else at the first one that decides.
fn at_first(view: &ConfigView<'_>, login: &Login, finding: Finding) -> Finding {
    let turns = || login.names().flat_map(|name| view.layers.called(view.files, view.profile, name));
    match turns().find(|turn| view.is_fresh(turn)).or_else(|| turns().next()) {
        Some(turn) => view.at_value(finding, turn, 0),
        None => finding,
    }
}
