//! The same answer: what of an answer is compared with that from before, what of a difference is worse and what is only
//! said, and what a change may ask for. All of it is one table.

use super::expect::Mismatch;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// Whether a client got what it asked for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Grade {
    /// It did.
    #[default]
    Served,
    /// It did not, and the server says that it will not.
    Refused,
    /// It did not, since the server cannot.
    Failed,
}

/// What an answer has that is compared.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Aspect {
    /// Whether the client got what it asked for.
    Grade,
    /// Whether a stranger got what only others may have.
    Guard,
    /// The word that says so: a status, a code, the word of an error.
    Word,
    /// What clients need to get in, or to trust what they see.
    Way,
    /// What else the server offers.
    Offer,
    /// A key by which clients know the server.
    HostKey,
    /// Redirects that lead to where they came from.
    Circle,
    /// Where a redirect leads.
    Redirect,
    /// What a password is asked for.
    Realm,
    /// The type of the content.
    ContentType,
    /// The certificate.
    Certificate,
}

/// What a difference in an aspect comes to.
struct Row {
    aspect: Aspect,
    /// What it is called in a sentence.
    name: &'static str,
    /// Whether it is worse that it is new.
    gained: bool,
    /// Whether it is worse that it is gone; of a grade, that it is lower.
    lost: bool,
    /// Whether it is worse that it is another one.
    other: bool,
    /// Whether a change may ask for it, so that it is only said.
    may_be_asked_for: bool,
}

impl Row {
    const fn said(aspect: Aspect, name: &'static str) -> Self {
        Self { aspect, name, gained: false, lost: false, other: false, may_be_asked_for: true }
    }
}

/// What is compared, and what a difference in it comes to. What is not in it (the length of a page, the names of its
/// headers, session identifiers, times) changes by itself.
const TABLE: [Row; 11] = [
    Row { lost: true, ..Row::said(Aspect::Grade, "") },
    Row { gained: true, ..Row::said(Aspect::Guard, "") },
    Row::said(Aspect::Word, ""),
    Row { lost: true, ..Row::said(Aspect::Way, "") },
    Row::said(Aspect::Offer, ""),
    Row { other: true, ..Row::said(Aspect::HostKey, "host key") },
    Row {
        gained: true,
        other: true,
        may_be_asked_for: false,
        ..Row::said(Aspect::Circle, "circle of redirects")
    },
    Row::said(Aspect::Redirect, "redirect"),
    Row::said(Aspect::Realm, "realm"),
    Row::said(Aspect::ContentType, "type of content"),
    Row::said(Aspect::Certificate, "certificate"),
];

/// One answer, as far as it is compared.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Answer {
    /// What it answers: a line that the client said, an address that it asked for.
    pub to: String,
    /// How that is shown, where it is another text.
    #[serde(skip)]
    pub shown: Option<String>,
    /// Whether it is about a thing that is in some state, and not about something that was said.
    #[serde(skip)]
    pub is_state: bool,
    /// Whether the client got what it asked for.
    pub grade: Grade,
    /// Whether it is to be refused: what is asked for is not for everybody.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub is_guard: bool,
    /// The word that says so; empty where it changes by itself.
    pub word: String,
    /// What clients need to get in, or to trust what they see.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub ways: BTreeSet<String>,
    /// What else the server offers.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub offers: BTreeSet<String>,
    /// The rest.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub about: BTreeMap<Aspect, String>,
}

/// In what an answer differs from the one before.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Difference {
    /// In which aspect.
    pub aspect: Aspect,
    /// It in a sentence that names both.
    pub said: String,
    /// Whether it is worse than before.
    pub is_worse: bool,
}

impl Answer {
    /// A plain answer.
    pub fn new(to: impl Into<String>, grade: Grade, word: impl Into<String>) -> Self {
        Self { to: to.into(), grade, word: word.into(), ..Self::default() }
    }

    /// The state of a thing: in sentences it `is` that word.
    pub fn state(of: impl Into<String>, grade: Grade, word: impl Into<String>) -> Self {
        Self { is_state: true, ..Self::new(of, grade, word) }
    }

    /// It in a few words.
    fn said(&self) -> String {
        let word: String = self.word.chars().take(60).collect();
        match (self.is_state, word.is_empty()) {
            (_, true) => self.to.clone(),
            (true, false) => format!("{} is {word}", self.to),
            (false, false) => format!("answers {word}"),
        }
    }

    /// That it is not what it was.
    fn changed(&self, before: &str) -> String {
        let (to, word) = (self.shown(), &self.word);
        match self.is_state {
            true => format!("{to} is {word}, and was {before} before"),
            false => format!("{to}: {word} now, {before} before"),
        }
    }

    /// What it answers, for people.
    fn shown(&self) -> &str {
        self.shown.as_deref().unwrap_or(&self.to)
    }

    /// What two looks at the same agree in; the rest changes by itself.
    #[must_use]
    pub fn agreeing(mut self, other: &Self) -> Self {
        self.grade = self.grade.max(other.grade);
        if self.word != other.word {
            self.word.clear();
        }
        self.ways = self.ways.intersection(&other.ways).cloned().collect();
        self.offers = self.offers.intersection(&other.offers).cloned().collect();
        self.about.retain(|aspect, value| other.about.get(aspect) == Some(value));
        self
    }

    /// In what it differs from `before`; `is_asked_for`: whether the change asks for other answers.
    pub fn differences(&self, before: &Self, is_asked_for: bool) -> Vec<Difference> {
        let mut all = Vec::new();
        let to = self.shown();
        for row in &TABLE {
            let weighs = |is_worse: bool| is_worse && !(is_asked_for && row.may_be_asked_for);
            let mut add =
                |said: String, is_worse| all.push(Difference { aspect: row.aspect, said, is_worse });
            let both = || self.changed(&before.word);
            match row.aspect {
                Aspect::Grade if self.grade > before.grade => add(both(), weighs(row.lost)),
                Aspect::Guard
                    if self.is_guard && self.grade == Grade::Served && before.grade > self.grade =>
                {
                    add(format!("{}; clients from elsewhere should not get it", both()), weighs(row.gained));
                }
                Aspect::Word
                    if self.grade <= before.grade && self.word != before.word && !before.word.is_empty() =>
                {
                    add(both(), weighs(row.other));
                }
                Aspect::Way | Aspect::Offer if self.grade == before.grade => {
                    let (was, is) = match row.aspect {
                        Aspect::Way => (&before.ways, &self.ways),
                        _ => (&before.offers, &self.offers),
                    };
                    if let Some(lost) = was.difference(is).next() {
                        add(format!("no longer offers {lost}, which it offered before"), weighs(row.lost));
                    }
                }
                Aspect::Grade | Aspect::Guard | Aspect::Word | Aspect::Way | Aspect::Offer => {}
                aspect => {
                    let (was, is) = (before.about.get(&aspect), self.about.get(&aspect));
                    match (was, is) {
                        (None, Some(is)) if row.gained => {
                            add(format!("answers {to} with a {}: {is}", row.name), weighs(true));
                        }
                        (Some(_), None) if row.lost => {
                            add(format!("answers {to} without a {} now", row.name), weighs(true));
                        }
                        (Some(was), Some(is)) if was != is => add(
                            format!("the {} of {to} is {is}, and was {was} before", row.name),
                            weighs(row.other),
                        ),
                        _ => {}
                    }
                }
            }
        }
        all
    }
}

/// The answers from before, by which later ones are judged.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Measure {
    /// The settings that may change an answer, because the edit asks for that.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub asked_by: Vec<String>,
    /// The answers.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub before: Vec<Answer>,
    /// Whether the change asks for other answers: then most differences are only said.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub is_asked_for: bool,
}

impl Measure {
    /// Judges answers by those from before.
    ///
    /// # Errors
    ///
    /// If one is worse than before. Where there is none from before, if the first one failed.
    pub fn judge(&self, now: &[Answer]) -> Result<String, Mismatch> {
        let failed = |answer: &&Answer| answer.grade == Grade::Failed;
        let nobody_is_served = !self.is_asked_for && now.iter().filter(failed).count() == now.len();
        if let Some(first) = now.iter().find(failed).filter(|_| self.before.is_empty() || nobody_is_served) {
            return Err(Mismatch(self.complaint(first)));
        }
        if self.before.is_empty() {
            return Ok(summary(now));
        }
        let mut left: Vec<&Answer> = self.before.iter().collect();
        let mut said = Vec::new();
        let is_asked = |old: &Answer| now.iter().any(|answer| answer.to == old.to);
        for (n, answer) in now.iter().enumerate() {
            // The same question at another place has another name.
            let moved = self.before.get(n).filter(|old| self.before.len() == now.len() && !is_asked(old));
            let same = left.iter().position(|old| old.to == answer.to || moved == Some(*old));
            let Some(n) = same else {
                if failed(&answer) {
                    said.push(format!("{}; nothing was asked there before", self.complaint(answer)));
                }
                continue;
            };
            let differences = answer.differences(left.remove(n), self.is_asked_for);
            if let Some(worse) = differences.iter().find(|one| one.is_worse) {
                return Err(Mismatch(worse.said.clone()));
            }
            said.extend(differences.into_iter().map(|one| one.said));
        }
        if said.is_empty() { Ok(format!("{}, as before", summary(now))) } else { Ok(said.join("; ")) }
    }
}

impl Measure {
    /// What is wrong with an answer that failed.
    fn complaint(&self, failed: &Answer) -> String {
        let old = self.before.iter().find(|old| old.to == failed.to && old.grade < failed.grade);
        match old {
            Some(old) => failed.changed(&old.word),
            None if failed.is_state => format!("{} is {}", failed.shown(), failed.word),
            None => format!("{}: {}", failed.shown(), failed.word),
        }
    }
}

/// So many states are named one by one.
const MOST_STATES: usize = 3;

/// The answers in a few words.
fn summary(answers: &[Answer]) -> String {
    let (states, said): (Vec<&Answer>, Vec<&Answer>) = answers.iter().partition(|answer| answer.is_state);
    let mut parts: Vec<String> = match states.len() {
        ..=MOST_STATES => states.iter().map(|answer| answer.said()).collect(),
        many => vec![format!("{many} answers")],
    };
    match said.as_slice() {
        [] => {}
        [one] => parts.push(one.said()),
        many if many.len() <= 8 => {
            let words: Vec<&str> = many.iter().map(|answer| answer.word.as_str()).collect();
            parts.push(format!("answers {}", words.join(", ")));
        }
        many => parts.push(format!("{} answers", many.len())),
    }
    parts.join(", ")
}

#[cfg(test)]
mod tests {
    use super::*;

    fn answer(grade: Grade, word: &str) -> Answer {
        Answer::new("GET /", grade, word)
    }

    fn with(aspect: Aspect, value: &str) -> Answer {
        let mut answer = answer(Grade::Served, "200");
        match aspect {
            Aspect::Way => answer.ways.extend([value.to_owned()]),
            Aspect::Offer => answer.offers.extend([value.to_owned()]),
            _ => answer.about.extend([(aspect, value.to_owned())]),
        }
        answer
    }

    /// Whether it is worse, and whether it still is where it was asked for.
    fn weight(before: &Answer, now: &Answer) -> Option<(bool, bool)> {
        let of = |is_asked_for| {
            let all = now.differences(before, is_asked_for);
            (!all.is_empty()).then(|| all.iter().any(|one| one.is_worse))
        };
        of(false).zip(of(true))
    }

    #[test]
    fn every_difference_weighs_what_the_table_says() {
        let (said, worse, always) = (Some((false, false)), Some((true, false)), Some((true, true)));
        let served = answer(Grade::Served, "200");
        let guarded = Answer { is_guard: true, ..served.clone() };
        for (before, now, weighs) in [
            (served.clone(), served.clone(), None),
            (served.clone(), answer(Grade::Served, "204"), said),
            (served.clone(), answer(Grade::Refused, "404"), worse),
            (answer(Grade::Refused, "404"), answer(Grade::Failed, "502"), worse),
            (answer(Grade::Refused, "404"), answer(Grade::Refused, "403"), said),
            (answer(Grade::Failed, "502"), served.clone(), said),
            (Answer { is_guard: true, ..answer(Grade::Refused, "554") }, guarded.clone(), worse),
            (guarded.clone(), guarded, None),
            (with(Aspect::Way, "STARTTLS"), served.clone(), worse),
            (served.clone(), with(Aspect::Way, "STARTTLS"), None),
            (with(Aspect::Offer, "SIZE"), served.clone(), said),
            (with(Aspect::HostKey, "a"), with(Aspect::HostKey, "b"), worse),
            (served.clone(), with(Aspect::Circle, "/a, /a"), always),
            (with(Aspect::Redirect, "/a"), with(Aspect::Redirect, "/b"), said),
            (with(Aspect::Realm, "quay"), with(Aspect::Realm, "pier"), said),
            (with(Aspect::ContentType, "text/html"), with(Aspect::ContentType, "text/plain"), said),
            (with(Aspect::Certificate, "a"), with(Aspect::Certificate, "b"), said),
            (with(Aspect::Certificate, "a"), served.clone(), None),
        ] {
            assert_eq!(weight(&before, &now), weighs, "{before:?} {now:?}");
        }
    }

    #[test]
    fn a_state_is_told_as_one() {
        let state = |grade, word: &str| Answer::state("server quays/east", grade, word);
        let measure = Measure { before: vec![state(Grade::Served, "UP")], ..Measure::default() };
        let judged = |now: Answer| measure.judge(&[now]).map_err(|why| why.0);
        assert_eq!(judged(state(Grade::Served, "UP")), Ok("server quays/east is UP, as before".into()));
        let why = "server quays/east is DOWN, and was UP before";
        assert_eq!(judged(state(Grade::Failed, "DOWN")), Err(why.into()));
        let many = vec![state(Grade::Served, "UP"); 4];
        assert_eq!(summary(&many), "4 answers");
        let mixed = [Answer::state("TLS", Grade::Served, "offered"), answer(Grade::Served, "SASL")];
        assert_eq!(summary(&mixed), "TLS is offered, answers SASL");
    }

    #[test]
    fn only_what_two_looks_agree_in_is_compared() {
        let (mut one, mut two) = (with(Aspect::Redirect, "/a?1"), with(Aspect::Redirect, "/a?2"));
        one.ways.extend(["a".to_owned(), "b".to_owned()]);
        two.ways.extend(["b".to_owned()]);
        two.word = "203".into();
        let both = one.clone().agreeing(&two);
        assert_eq!((both.word.as_str(), both.about.len(), both.ways.len()), ("", 0, 1));
        for now in [one, two] {
            assert!(now.differences(&both, false).is_empty());
        }
        let failed = answer(Grade::Failed, "502");
        assert_eq!(answer(Grade::Served, "200").agreeing(&failed).grade, Grade::Failed);
    }

    #[test]
    fn answers_are_judged_by_those_to_the_same_question() {
        let ask = |to: &str, grade, word: &str| Answer::new(to, grade, word);
        let old = vec![ask("/a", Grade::Served, "200"), ask("/b", Grade::Served, "200")];
        let measure = Measure { before: old.clone(), ..Measure::default() };
        let judged = |now: &[Answer]| measure.judge(now).map_err(|why| why.0);
        assert_eq!(judged(&old), Ok("answers 200, 200, as before".into()));
        assert_eq!(judged(&[ask("/b", Grade::Served, "200")]), Ok("answers 200, as before".into()));
        // One that is new has no measure.
        let new = "/c: 502; nothing was asked there before";
        assert_eq!(
            judged(&[old[0].clone(), old[1].clone(), ask("/c", Grade::Failed, "502")]),
            Ok(new.into())
        );
        // At another place, where nobody is served.
        assert!(judged(&[ask("/c", Grade::Failed, "502"), ask("/d", Grade::Failed, "502")]).is_err());
        let why = "/b: 404 now, 200 before";
        assert_eq!(judged(&[old[0].clone(), ask("/b", Grade::Refused, "404")]), Err(why.into()));
        let none = Measure::default();
        assert!(none.judge(&[ask("/a", Grade::Refused, "404")]).is_ok(), "a refusal may be meant");
        assert!(none.judge(&[ask("/a", Grade::Failed, "502")]).is_err());
    }
}
