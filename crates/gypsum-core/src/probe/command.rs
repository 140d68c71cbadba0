//! What a command says.

use super::expect::Expect;
use super::kind::Kind;
use super::{Answer, BadWords, Grade, Probe};
use crate::profile::Argv;
use serde::{Deserialize, Serialize};

/// What a command says.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Command {
    /// The command.
    pub run: Argv,
    /// The exit status that must come.
    pub status: i32,
    /// What is expected of what it prints.
    pub expect: Expect,
    /// How lines begin of which the rest is compared with what it was before.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub lines: Vec<String>,
    /// The number of the word of each line that is compared, as one of a set.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub column: Option<usize>,
}

/// What a command says.
#[derive(Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) struct Written {
    /// The command; its program is an absolute path.
    run: Argv,
    /// The exit status that must come.
    #[serde(default)]
    status: i32,
    /// With `as-before`: how lines begin of which the rest is compared.
    #[serde(default)]
    lines: Vec<String>,
    /// With `as-before`: the number of the word of each line that is compared, as one of a set.
    column: Option<usize>,
}

impl Kind for Written {
    const WORD: &'static str = "run";
    const EXAMPLE: &'static str = "run '/usr/bin/test -S /run/boards.sock' status 0";
    const EXPECTS: &'static [&'static str] = &["prints", "contains", "lacks", "is", "at-least", "at-most"];

    fn probe(self, expect: Expect) -> Result<(String, Probe), BadWords> {
        let Self { run, status, lines, column } = self;
        let program = run.first().ok_or("a command has no words")?;
        if !program.starts_with('/') {
            return Err(BadWords(format!(
                "the program of a command must be an absolute path, not {program:?}"
            )));
        }
        if column == Some(0) {
            return Err(BadWords("column counts from 1".into()));
        }
        let title = program.rsplit('/').next().unwrap_or(program).to_owned();
        Ok((title, Probe::Command(Command { run, status, expect, lines, column })))
    }
}

impl Command {
    pub(super) fn texts(&mut self) -> Vec<&mut String> {
        self.run.iter_mut().chain(self.expect.texts()).collect()
    }

    /// Whether something of what it prints is compared with what it was before.
    pub(super) fn has_answers(&self) -> bool {
        !self.lines.is_empty() || self.column.is_some()
    }

    /// What is compared of what it printed.
    pub fn answers(&self, printed: &str) -> Vec<Answer> {
        let line = |begin: &String| {
            let rest = printed.lines().find_map(|line| line.trim_start().strip_prefix(begin.as_str()));
            let name = begin.trim_end_matches([':', '=', ' ']).to_lowercase();
            match rest.map(str::trim).filter(|rest| !rest.is_empty()) {
                Some(rest) => Answer::state(name, Grade::Served, rest),
                None => Answer::state(name, Grade::Failed, "missing"),
            }
        };
        let words = |column: usize| {
            let words =
                printed.lines().filter_map(|line| line.split_whitespace().nth(column.checked_sub(1)?));
            let ways = words.map(str::to_owned).collect();
            Answer { ways, ..Answer::new("what it lists", Grade::Served, "") }
        };
        self.lines.iter().map(line).chain(self.column.map(words)).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_compared_are_lines_and_a_set_of_words() {
        let of = |lines: &[&str], column, printed: &str| {
            let lines = lines.iter().map(|line| (*line).to_owned()).collect();
            Command { lines, column, ..Command::default() }.answers(printed)
        };
        let now = |printed| of(&["Berth: ", "Quay: "], None, printed);
        let before = now("Berth: east\nQuay: 4\n");
        let worse = |now: &[Answer]| {
            let differences = before.iter().zip(now).flat_map(|(was, is)| is.differences(was, false));
            differences.filter(|one| one.is_worse).map(|one| one.said).collect::<Vec<_>>()
        };
        assert_eq!(worse(&now("Quay: 4\nBerth: east\n")), [""; 0]);
        assert_eq!(worse(&now("Berth: west\nQuay: 4\n")), [""; 0]);
        assert_eq!(worse(&now("Berth: \nQuay: 4\n")), ["berth is missing, and was east before"]);
        let modules = |printed| of(&[], Some(2), printed);
        let [was] = &modules("0 tide args\n1 board\n")[..] else { panic!("one answer") };
        let [same] = &modules("7 board\n8 tide\n9 bell\n")[..] else { panic!("one answer") };
        assert!(same.differences(was, false).is_empty());
        let [less] = &modules("7 board\n")[..] else { panic!("one answer") };
        let said: Vec<_> =
            less.differences(was, false).into_iter().map(|one| (one.said, one.is_worse)).collect();
        assert_eq!(said, [("no longer offers tide, which it offered before".to_owned(), true)]);
    }
}
