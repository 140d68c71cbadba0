//! What a command says.

use super::expect::Expect;
use super::kind::Kind;
use super::{BadWords, Probe};
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
}

impl Kind for Written {
    const WORD: &'static str = "run";
    const EXAMPLE: &'static str = "run '/usr/bin/test -S /run/boards.sock' status 0";
    const EXPECTS: &'static [&'static str] = &["prints", "contains", "lacks", "is", "at-least", "at-most"];

    fn probe(self, expect: Expect) -> Result<(String, Probe), BadWords> {
        let Self { run, status } = self;
        let program = run.first().ok_or("a command has no words")?;
        if !program.starts_with('/') {
            return Err(BadWords(format!(
                "the program of a command must be an absolute path, not {program:?}"
            )));
        }
        let title = program.rsplit('/').next().unwrap_or(program).to_owned();
        Ok((title, Probe::Command(Command { run, status, expect })))
    }
}

impl Command {
    pub(super) fn texts(&mut self) -> Vec<&mut String> {
        self.run.iter_mut().chain(self.expect.texts()).collect()
    }
}
