//! Trial starts: a daemon is started on the files as they are, and on the proposal, away from everything that others use.
//! The host starts it; this says what of that is a fault.
//!
//! Only what fails on the proposal and not on the old files is one. A daemon that cannot be started like that at all says
//! nothing about a proposal.

mod command_line;
mod verdict;

pub use command_line::{expanded, variables};
pub use verdict::{About, after_boot, before_restart, verdict};

use crate::health::Outcome;
use crate::log::LogLine;
use crate::probe::Answer;
use serde::{Deserialize, Serialize};
use std::net::SocketAddr;

/// How far a start came.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Start {
    /// It was ready after so many milliseconds.
    Ready {
        /// The time.
        ms: u64,
    },
    /// A command ended with another status than 0, or its main process ended before it was ready.
    Failed {
        /// The program, by its name.
        program: String,
        /// How it ended, in words: `status 1`, `signal 6`.
        how: String,
    },
    /// It was not ready in time.
    TimedOut {
        /// The program, by its name.
        program: String,
        /// How long it was waited for, in milliseconds.
        ms: u64,
    },
    /// It was ended, since it held more memory than a trial may.
    TooLarge,
}

impl Start {
    /// Whether it came up.
    pub fn is_ready(&self) -> bool {
        matches!(self, Self::Ready { .. })
    }
}

/// What a client got.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Got {
    /// The check by itself.
    pub outcome: Outcome,
    /// The answers, where those are compared.
    #[serde(with = "sent")]
    pub answers: Vec<Answer>,
}

/// Answers on their way out of a trial, with what records leave out of them.
mod sent {
    use super::Answer;
    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    #[derive(Serialize, Deserialize)]
    struct Sent {
        answer: Answer,
        shown: Option<String>,
        is_state: bool,
    }

    pub fn serialize<S: Serializer>(answers: &[Answer], to: S) -> Result<S::Ok, S::Error> {
        let sent = |answer: &Answer| Sent {
            answer: answer.clone(),
            shown: answer.shown.clone(),
            is_state: answer.is_state,
        };
        answers.iter().map(sent).collect::<Vec<_>>().serialize(to)
    }

    pub fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<Vec<Answer>, D::Error> {
        let got = |sent: Sent| Answer { shown: sent.shown, is_state: sent.is_state, ..sent.answer };
        Ok(Vec::<Sent>::deserialize(from)?.into_iter().map(got).collect())
    }
}

/// A line that was said, as it comes from the place where the daemon runs.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Said {
    /// The line.
    pub text: String,
    /// How grave it is, as syslog has it; none if nothing says so.
    pub severity: Option<u8>,
}

impl From<&Said> for LogLine {
    fn from(said: &Said) -> Self {
        Self { text: said.text.clone(), by_manager: false, severity: said.severity }
    }
}

/// What one trial start showed.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct TrialRun {
    /// How far it came.
    pub start: Start,
    /// Whether it was there no more when the clients had asked.
    pub has_died: bool,
    /// What clients got, check by check.
    pub got: Vec<Got>,
    /// Where it listened: whether by UDP, and the address.
    pub listening: Vec<(bool, SocketAddr)>,
    /// What it said, wherever it says it.
    pub said: Vec<Said>,
    /// How long all of it took, in milliseconds.
    pub ms: u64,
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::probe::Grade;

    #[test]
    fn answers_come_out_of_a_trial_whole() {
        let shown = Some("http://pier.example/quay".to_owned());
        let answer = Answer { shown, ..Answer::state("quay", Grade::Served, "UP") };
        let got = Got { outcome: Outcome::default(), answers: vec![answer] };
        let text = serde_json::to_string(&got).expect("it is plain data");
        assert_eq!(serde_json::from_str::<Got>(&text).expect("it was written so"), got);
    }
}
