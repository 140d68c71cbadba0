//! Who can log in, and by what: before a change, and after it.
//!
//! Which accounts are let in is told by up to four settings, and what they must show by a few more. What an account has
//! to show, a key or a password, is a property of the host. What is not known shuts nobody out. It is judged twice: by
//! our own reading of the files, and by what the daemon itself says that it asks of each account.

mod doors;

use super::{ConfigView, Leaf};
use crate::doc::Kind;
use crate::effective::Reported;
use crate::finding::Finding;
use crate::profile::{Login, Profile};
use crate::survey::Survey;
use doors::{Doors, Person};
use std::collections::{BTreeMap, HashSet};
use std::net::IpAddr;

/// The rule of these findings.
const LOCKS_OUT: &str = "locks-out";
/// So many accounts are named.
const MOST_NAMES: usize = 5;

/// What the daemon says that it asks of an account, before a change and after it.
pub type ReportedLogins = BTreeMap<String, (Reported, Reported)>;

/// By our own reading of the files.
pub(super) fn check(before: &ConfigView<'_>, after: &ConfigView<'_>, findings: &mut Vec<Finding>) {
    let Some(login) = &after.profile.login else { return };
    let (was, is) = (Doors::of(before, login), Doors::of(after, login));
    if was == is {
        return;
    }
    let Some(people) = people(after.survey) else { return };
    let judge = Judge { after, login, from: address(after.survey) };
    let is_open = |person: &Person| is.lets_in(person, judge.from) != Some(false);
    if !is.is_conditional && !people.iter().any(is_open) {
        findings.push(judge.nobody("let at least one account in"));
        return;
    }
    // Where conditions of groups decide, only the daemon can say what holds for an account.
    if !was.is_conditional && !is.is_conditional {
        let all: Vec<Case<'_>> =
            people.iter().map(|person| Case { person, was: Some(&was), is: Some(&is) }).collect();
        judge.all(&all, findings);
    }
}

/// By what the daemon says that it asks of each account. An account of which it says nothing is taken to get in.
pub fn by_report(after: &ConfigView<'_>, reported: &ReportedLogins) -> Vec<Finding> {
    let mut findings = Vec::new();
    let (Some(login), Some(people)) = (&after.profile.login, people(after.survey)) else { return findings };
    let doors = |told: &Reported| Doors::reported(after.profile, login, told);
    let told: BTreeMap<&String, (Doors, Doors)> =
        reported.iter().map(|(name, (was, is))| (name, (doors(was), doors(is)))).collect();
    let judge = Judge { after, login, from: address(after.survey) };
    let mut cases = Vec::new();
    for person in &people {
        let (was, is) = told.get(&person.name).map(|(was, is)| (was, is)).unzip();
        cases.push(Case { person, was, is });
    }
    judge.all(&cases, &mut findings);
    findings
}

/// Whether a password lets an account in, by what the daemon says that it asks of it; `None` where that is not known.
pub fn password_lets_in(profile: &Profile, told: &Reported, user: &str, survey: &Survey) -> Option<bool> {
    let doors = Doors::reported(profile, profile.login.as_ref()?, told);
    doors.by_password(&Person::of(std::iter::once(user)), survey)
}

/// The accounts whose logins the daemon is to be asked about: who is typing first, then root, then the others.
pub fn accounts(survey: &Survey) -> Vec<String> {
    let typist = survey.typist().and_then(|words| words.first()).cloned();
    let people = people(survey).unwrap_or_default();
    let mut names: Vec<String> = typist.into_iter().chain(["root".to_owned()]).collect();
    for person in people {
        if !names.contains(&person.name) {
            names.push(person.name);
        }
    }
    names
}

/// Whether a change touches what decides about logins: one of its settings, a group of settings, or an include.
pub fn is_touched(
    before: &ConfigView<'_>,
    after: &ConfigView<'_>,
    changed_statements: &HashSet<Leaf>,
) -> bool {
    let Some(login) = &after.profile.login else { return false };
    let decides = |view: &ConfigView<'_>, leaf: &Leaf| {
        let doc = &view.files[leaf.0].doc;
        let is_group = doc.tree().kind(leaf.1) == Kind::Open;
        let name = doc.parts(leaf.1).map(|parts| doc.name(&parts)).unwrap_or_default();
        let is = |other: &str| other.eq_ignore_ascii_case(&name);
        is_group || login.names().any(is) || view.profile.dialect.includes.iter().any(|include| is(include))
    };
    let gone = super::changed_statements(after, before);
    changed_statements.iter().any(|leaf| decides(after, leaf))
        || gone.iter().any(|leaf| decides(before, leaf))
}

/// Everybody who may log in here, root last; `None` where that is not known.
fn people(survey: &Survey) -> Option<Vec<Person>> {
    let mut people: Vec<Person> = survey.people()?.iter().map(|line| Person::of(line.split(' '))).collect();
    people.push(Person::of(["root", "root"].into_iter()));
    Some(people)
}

/// Where the person who types comes from.
fn address(survey: &Survey) -> Option<IpAddr> {
    survey.connection()?.first()?.parse().ok()
}

/// An account, and what is asked of it; `None` where that is not known.
struct Case<'a> {
    person: &'a Person,
    was: Option<&'a Doors>,
    is: Option<&'a Doors>,
}

struct Judge<'a> {
    after: &'a ConfigView<'a>,
    login: &'a Login,
    from: Option<IpAddr>,
}

impl Judge<'_> {
    fn all(&self, people: &[Case<'_>], findings: &mut Vec<Finding>) {
        let survey = self.after.survey;
        let way = |doors: Option<&Doors>, person: &Person| doors?.way(person, self.from, survey);
        let loses = |case: &&Case<'_>| {
            way(case.was, case.person) != Some(false) && way(case.is, case.person) == Some(false)
        };
        let mut lost: Vec<&Case<'_>> = people.iter().filter(loses).collect();
        let is_anybody_left = people.iter().any(|case| way(case.is, case.person) != Some(false));
        if !lost.is_empty() && !is_anybody_left {
            findings.push(self.nobody(
                "none has both what is asked for and a way to show it: give one a key, or leave passwords on",
            ));
            return;
        }
        let typist = survey.typist().and_then(|words| words.first());
        if let Some(case) = lost.iter().find(|case| Some(&case.person.name) == typist) {
            let message = format!(
                "{}, who is typing this, could not log in any more: {}",
                case.person.name,
                self.why_not(case)
            );
            let help = "give that account what is asked for, or --accept locks-out if that is meant";
            findings.push(self.at_first(Finding::fault(LOCKS_OUT, message).help(help)));
        }
        lost.retain(|case| Some(&case.person.name) != typist);
        let Some(first) = lost.first() else { return };
        let mut names: Vec<&str> =
            lost.iter().map(|case| case.person.name.as_str()).take(MOST_NAMES).collect();
        let more = format!("{} more", lost.len().saturating_sub(MOST_NAMES));
        if lost.len() > MOST_NAMES {
            names.push(&more);
        }
        let message = format!("these accounts can no longer log in: {}", names.join(", "));
        let help = format!("of the first one: {}", self.why_not(first));
        findings.push(self.at_first(Finding::warning("shuts-out", message).help(help)));
    }

    fn nobody(&self, help: &str) -> Finding {
        let message = "after this change no account of this host can log in";
        self.at_first(Finding::fault(LOCKS_OUT, message).help(help))
    }

    fn why_not(&self, case: &Case<'_>) -> String {
        case.is.map(|doors| doors.why_not(case.person, self.from, self.after.survey)).unwrap_or_default()
    }

    /// A finding at the setting that the change is about, else at the first one that decides.
    fn at_first(&self, finding: Finding) -> Finding {
        let view = self.after;
        let turns = || self.login.names().flat_map(|name| view.layers.called(view.files, view.profile, name));
        match turns().find(|turn| view.is_fresh(turn)).or_else(|| turns().next()) {
            Some(turn) => view.at_value(finding, turn, 0),
            None => finding,
        }
    }
}
