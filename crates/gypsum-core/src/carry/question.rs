//! What only a person can decide.

use serde::Serialize;
use std::collections::BTreeMap;

/// Whose version of a setting is taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Whose {
    /// The administrator's.
    Mine,
    /// The one that is shipped now.
    Theirs,
    /// A list with the words of both.
    Both,
}

impl Whose {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Mine => "mine",
            Self::Theirs => "theirs",
            Self::Both => "both",
        }
    }

    /// The one called `word`.
    pub fn named(word: &str) -> Option<Self> {
        [Self::Mine, Self::Theirs, Self::Both].into_iter().find(|one| one.word() == word)
    }
}

/// One question.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Question {
    /// The address of the setting.
    pub address: String,
    /// Why it is asked.
    pub why: String,
    /// The value in the base; `None` if it is not in it. Secrets are hidden, here and below.
    pub base: Option<String>,
    /// The value in mine.
    pub mine: Option<String>,
    /// The value in theirs.
    pub theirs: Option<String>,
    /// The line in mine, or in theirs where it is not in mine; from 1.
    pub line: Option<u32>,
    /// What can be answered.
    pub answers: Vec<Whose>,
    /// What is taken where nobody answers.
    pub default: Whose,
    /// What was answered.
    pub answered: Option<Whose>,
}

impl Question {
    /// What is taken.
    pub fn taken(&self) -> Whose {
        self.answered.unwrap_or(self.default)
    }
}

/// What a person answered.
#[derive(Clone, Debug, Default)]
pub struct Answers {
    /// For all questions that have no answer of their own.
    pub all: Option<Whose>,
    /// By address.
    pub by_address: BTreeMap<String, Whose>,
}

impl Answers {
    /// The answer to a question about `address` that can be answered by these.
    pub(super) fn to(&self, address: &str, can: &[Whose]) -> Option<Whose> {
        self.by_address.get(address).copied().or(self.all).filter(|answer| can.contains(answer))
    }
}
