//! One's own settings carried onto a new version of a shipped file: three versions are compared by settings, and what
//! differs between the first two is done to the third. What both changed is a question with a default.
//!
//! - `scope`: a file as items in blocks.
//! - `pairs`: which item of one version is which of another.
//! - `former`, `modern`: what newer versions of the daemon call otherwise.
//! - `fate`, `setting`, `block`: what becomes of each item; `lists`, where two versions of a list meet.
//! - `find`: where theirs has a name.
//! - `place`, `lines`: where in the new version it goes.
//! - `proof`: the result is read again, and by the second reader.

mod block;
mod fate;
mod find;
mod former;
mod lines;
mod lists;
mod modern;
mod pairs;
mod place;
mod proof;
mod question;
mod scope;
mod setting;

pub use question::{Answers, Question, Whose};

use crate::doc::Document;
use crate::finding::{Finding, Severity};
use crate::profile::Profile;
use fate::Deciding;
use former::{Former, former};
use modern::modern;
use scope::{Scoped, What};
use serde::Serialize;
use std::collections::BTreeSet;

/// Three versions of one file, and what is known of the daemon.
#[derive(Clone, Copy)]
pub struct Versions<'a> {
    /// What the profile knows.
    pub profile: &'a Profile,
    /// What the administrator began with: the text that was shipped.
    pub base: &'a Document,
    /// What the administrator made of it.
    pub mine: &'a Document,
    /// What is shipped now.
    pub theirs: &'a Document,
    /// Whether the new version of the daemon knows a name; `None` where it cannot be asked.
    pub knows: &'a dyn Fn(&str) -> Option<bool>,
}

/// What became of one setting of mine.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Fate {
    /// It is in the result as I have it.
    Carried,
    /// The new version says the same.
    Same,
    /// It has another name in the result.
    Renamed,
    /// It is in another block of the result.
    Moved,
    /// It is taken out of the result, too.
    TakenOut,
    /// It is left out of the result.
    LeftOut,
}

/// One setting of mine, and what became of it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Settled {
    /// Its address.
    pub address: String,
    /// What became of it.
    pub fate: Fate,
    /// The value that I gave it; secrets are hidden.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub value: Option<String>,
}

/// What comes of three versions.
#[derive(Clone, Debug, Default)]
pub struct Carried {
    /// The new version with mine carried onto it. A question without an answer is decided by its default.
    pub bytes: Vec<u8>,
    /// What only a person can decide, with the answers that were given.
    pub questions: Vec<Question>,
    /// What the person should know.
    pub findings: Vec<Finding>,
    /// What became of each setting of mine.
    pub settled: Vec<Settled>,
}

impl Carried {
    /// Whether a person has to decide or to know something before this goes live.
    pub fn is_open(&self) -> bool {
        self.questions.iter().any(|question| question.answered.is_none())
            || self.findings.iter().any(|finding| finding.severity > Severity::Hint)
    }
}

/// Of a shipped file, the share that must still be in mine to be an edited version of it.
const KEPT: f64 = 0.25;
/// Of the statements of a file without any shipped comment, the share that is shipped where comments alone were thrown away.
const SHIPPED: f64 = 0.75;
/// So many lines of comment are not all thrown away by accident.
const COMMENTS: usize = 5;

/// Carries mine onto theirs.
pub fn carry(versions: &Versions<'_>, answers: &Answers) -> Carried {
    let theirs = Scoped::of(versions.theirs, &|_| None);
    let (mine, findings) = modern(versions, &theirs);
    let versions = Versions { mine: &mine, ..*versions };
    let heir = |name: &[u8]| match former(&versions, &theirs, name) {
        Some(Former::Renamed(heir)) => Some(heir),
        Some(Former::Replaced(_) | Former::Gone | Former::Ignored) | None => None,
    };
    let (base, own) = (Scoped::of(versions.base, &heir), Scoped::of(&mine, &heir));
    let whole = |doc: &Document| Carried { bytes: doc.source().to_vec(), ..Carried::default() };
    let mut carried = if versions.base.source() == mine.source() {
        whole(versions.theirs)
    } else if versions.base.source() == versions.theirs.source()
        && !has_former(&versions, &base, &own, &theirs)
    {
        whole(&mine)
    } else if is_other_file(&base, &own) {
        let message =
            "this file was written anew: hardly a setting of the shipped one is in it, so it is kept whole";
        let finding = Finding::new("kept-whole", Severity::Hint, message);
        Carried { findings: vec![finding], ..whole(&mine) }
    } else {
        Deciding::new(&versions, answers, &base, &own, &theirs).carried()
    };
    carried.findings.splice(0..0, findings);
    carried
}

/// Whether mine sets something that is not in the base, and that newer versions do not know.
fn has_former(versions: &Versions<'_>, base: &Scoped<'_>, mine: &Scoped<'_>, theirs: &Scoped<'_>) -> bool {
    let shipped = keys(base);
    let items = mine.scopes().flat_map(|scope| &scope.items).filter(|item| item.what == What::Setting);
    let mut own = items.filter(|item| !shipped.contains(&mine.key(item)));
    own.any(|item| item.is_renamed || former(versions, theirs, &item.name).is_some())
}

/// Whether mine is no version of the shipped file, but a file of its own: hardly a name of the one is in the other; or
/// none of the shipped comments, and of its statements too few that are shipped.
fn is_other_file(base: &Scoped<'_>, mine: &Scoped<'_>) -> bool {
    let (shipped, own) = (keys(base), keys(mine));
    let count = |keys: &BTreeSet<Vec<u8>>, comments: bool| {
        keys.iter().filter(|key| is_comment(key) == comments).count()
    };
    let both: BTreeSet<Vec<u8>> = shipped.intersection(&own).cloned().collect();
    let is_less = |part: usize, whole: usize, share: f64| whole > 0 && (part as f64) < whole as f64 * share;
    let (shipped_names, own_names) = (names(base), names(mine));
    let same_names = shipped_names.intersection(&own_names).count();
    let hardly_a_name = is_less(same_names, own_names.len(), KEPT) && is_less(both.len(), own.len(), KEPT);
    let no_comment =
        count(&shipped, true) >= COMMENTS && is_less(count(&both, true), count(&shipped, true), 0.1);
    count(&own, false) > 2
        && (hardly_a_name || no_comment && is_less(count(&both, false), count(&own, false), SHIPPED))
}

fn names<'a>(scoped: &'a Scoped<'_>) -> BTreeSet<&'a [u8]> {
    let items = scoped.scopes().flat_map(|scope| &scope.items);
    items.map(|item| item.name.as_slice()).filter(|name| !name.is_empty()).collect()
}

/// What a file has, wherever it is.
fn keys(scoped: &Scoped<'_>) -> BTreeSet<Vec<u8>> {
    scoped.scopes().flat_map(|scope| &scope.items).map(|item| scoped.key(item)).collect()
}

fn is_comment(key: &[u8]) -> bool {
    key.starts_with(b"comment ")
}
