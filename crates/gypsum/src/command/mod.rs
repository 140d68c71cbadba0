//! The commands, one a file.

mod change;
mod changes;
mod check;
mod daemons;
mod demo;
mod diff;
mod drafts;
mod edit;
mod enrol;
mod explain;
mod health;
mod merge;
mod recover;
mod restore;
mod running;
mod setup;
mod show;

use crate::args::{Cli, Command, SetupCommand};
use crate::document::{document, of_error, of_report};
use crate::order::TypedOrder;
use crate::out::Terminal;
use crate::target::NoTarget;
use crate::typed::Typed;
use crate::view::finding_lines;
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::report::Report;
use gypsum_host::disk::walk::{open_to_read, read_whole};
use gypsum_host::error::Error;
use gypsum_host::state::State;
use serde_json::Value;
use std::path::Path;
use tracing_subscriber::filter::{LevelFilter, Targets};
use tracing_subscriber::layer::{Layer, SubscriberExt};
use tracing_subscriber::util::SubscriberInitExt;

/// What every command has at hand.
pub struct Context {
    pub out: Terminal,
    /// The name of the command.
    pub command: &'static str,
    /// Whether questions are answered beforehand: go on.
    pub yes: bool,
    pub state: State,
}

/// Runs the command, whose words were typed in this order; its exit status.
pub fn run(cli: Cli, order: TypedOrder) -> ExitStatus {
    let out = Terminal::new(&cli.common);
    if cli.common.verbose > 1 {
        log_to_stderr();
    }
    let command = cli.command.name();
    let state = match State::at(cli.common.state.as_deref()) {
        Ok(state) => state,
        Err(error) => {
            if out.json {
                out.document(document(Some(command), error.status(), of_error(&error)));
            }
            out.error(&error);
            return error.status();
        }
    };
    let context = Context { out, command, yes: cli.common.yes, state };
    let done = match cli.command {
        Command::Change { target, edits, more, manner } => {
            let typed = Typed { edits, more: *more, order };
            change::run(&context, &target, &typed, &manner)
        }
        Command::Edit { target, within, at, new, fresh, draft, on_finding, manner } => {
            let asked = edit::Asked { within, at, new, fresh, draft, on_finding };
            edit::run(&context, &target, &asked, &manner)
        }
        Command::Drafts { daemon, show, discard } => {
            drafts::run(&context, daemon.as_deref(), show, discard.as_deref())
        }
        Command::Check { target } => check::run(&context, &target),
        Command::Show { target, words, all } => show::run(&context, &target, &words, all),
        Command::Health { target } => health::run(&context, &target),
        Command::Diff(asked) => diff::run(&context, &asked),
        Command::Merge(asked) => merge::run(&context, &asked),
        Command::Changes(asked) => changes::run(&context, &asked),
        Command::Restore { target, change, to, whole, manner } => {
            let asked = restore::Asked { change: change.as_deref(), to: to.as_deref(), whole };
            restore::run(&context, &target, &asked, &manner)
        }
        Command::Recover { daemon, set_aside: true } => recover::set_aside(&context, daemon.as_deref()),
        Command::Recover { daemon, set_aside: false } => recover::run(&context, daemon.as_deref()),
        Command::Daemons { forget: Some(daemon), .. } => daemons::forget(&context, &daemon),
        Command::Daemons { check, forget: None } => daemons::run(&context, check.as_deref()),
        Command::Enrol { daemon, file, unit, format, reload } => {
            enrol::run(&context, &daemon, enrol::Asked { file, unit, format, reload })
        }
        Command::Setup { what: SetupCommand::Packages(asked) } => setup::packages(&context, &asked),
        Command::Demo { keep } => demo::run(&context, keep),
    };
    done.unwrap_or_else(|why| context.no_target(&why))
}

/// What is done meanwhile, for `-vv`; of other libraries only warnings.
fn log_to_stderr() {
    let filter = Targets::new()
        .with_default(LevelFilter::WARN)
        .with_targets([("gypsum", LevelFilter::DEBUG), ("gypsum_host", LevelFilter::DEBUG)]);
    let lines = tracing_subscriber::fmt::layer().with_writer(std::io::stderr).without_time();
    tracing_subscriber::registry().with(lines.with_filter(filter)).init();
}

impl Context {
    fn no_target(&self, why: &NoTarget) -> ExitStatus {
        match why {
            NoTarget::Error(error) => self.error(error),
            NoTarget::Malformed(finding) => {
                let findings = vec![(**finding).clone()];
                self.report(ExitStatus::Usage, &Report { findings, ..Report::new("") });
                finding_lines(finding, self.out).iter().for_each(|line| self.out.eprint(line));
                ExitStatus::Usage
            }
        }
    }

    /// The answer for other programs, if they asked: `fields`, with the schema, the command and the exit status.
    fn answer(&self, status: ExitStatus, fields: Value) {
        if self.out.json {
            self.out.document(document(Some(self.command), status, fields));
        }
    }

    /// A line of the answer, if that is text.
    fn say_unless_json(&self, text: &str) {
        if !self.out.json {
            self.out.print(text);
        }
    }

    /// The same for a report.
    fn report(&self, status: ExitStatus, report: &Report) {
        self.answer(status, of_report(report));
    }

    /// What went wrong, and what to do about it; returns the exit status.
    fn error(&self, error: &Error) -> ExitStatus {
        let status = error.status();
        self.answer(status, of_error(error));
        self.out.error(error);
        status
    }
}

/// More of a file is not compared or merged, in bytes.
const MOST_BYTES: usize = 512 << 20;

/// The bytes of a file.
fn whole(path: &Path) -> Result<Vec<u8>, Error> {
    let bytes = open_to_read(path).and_then(|file| read_whole(file, MOST_BYTES));
    bytes.map_err(|error| Error::file("read", path, error))
}

/// The world, or why there is none.
fn world() -> Result<gypsum_host::world::RealWorld, Error> {
    gypsum_host::world::RealWorld::new()
        .map_err(|error| Error::cannot(format!("signals cannot be caught: {error}")))
}
