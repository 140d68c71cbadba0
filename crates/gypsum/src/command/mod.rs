//! The commands, one a file.

pub mod boot;
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
mod follow;
mod health;
mod keep;
mod merge;
mod recover;
mod restore;
mod running;
mod settings;
mod setup;
mod show;
pub mod watching;

use crate::args::{Cli, Command};
use crate::document::{document, of_error, of_report};
use crate::order::TypedOrder;
use crate::out::{ERROR, Terminal, WARNING};
use crate::target::NoTarget;
use crate::typed::Typed;
use crate::view::{finding_lines, styled, wrapped};
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::report::Report;
use gypsum_core::settings::Settings;
use gypsum_host::disk::RealDisk;
use gypsum_host::disk::walk::{open_to_read, read_whole};
use gypsum_host::error::Error;
use gypsum_host::settings::SettingsFiles;
use gypsum_host::state::{OpenChange, State};
use gypsum_host::tell::take_notices;
use serde_json::{Value, json};
use std::io::IsTerminal;
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
    /// Gypsum's own settings, and what is wrong with their files.
    pub settings: SettingsFiles,
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
    let context = Context { out, command, yes: cli.common.yes, state, settings: SettingsFiles::load() };
    context.say_untold();
    if let Some(status) = context.wrong_settings(&cli.command) {
        return status;
    }
    let settings = context.settings.settings();
    let done = match cli.command {
        Command::Change { target, edits, more, manner } => {
            let typed = Typed { edits, more: *more, order };
            change::run(&context, &target, &typed, &manner.or(&settings))
        }
        Command::Edit { target, within, at, new, fresh, draft, on_finding, manner } => {
            let asked = edit::Asked { within, at, new, fresh, draft, on_finding };
            edit::run(&context, &target, &asked, &manner.or(&settings))
        }
        Command::Drafts { daemon, show, discard } => {
            drafts::run(&context, daemon.as_deref(), show, discard.as_deref())
        }
        Command::Check { target } => check::run(&context, &target),
        Command::Show { target, words, all } => show::run(&context, &target, &words, all),
        Command::Health { stop: Some(number), .. } => watching::stop(&context, number),
        Command::Health { target: Some(target), watching: false, .. } => health::run(&context, &target),
        Command::Health { target, .. } => {
            watching::list(&context, target.as_ref().map(|target| target.daemon.as_str()))
        }
        Command::Diff(asked) => diff::run(&context, &asked),
        Command::Merge(mut asked) => {
            asked.options = asked.options.or(&settings);
            merge::run(&context, &asked)
        }
        Command::Changes(asked) => changes::run(&context, &asked),
        Command::Restore { target, change, to, whole, manner } => {
            let asked = restore::Asked { change: change.as_deref(), to: to.as_deref(), whole };
            // No setting is in the way of a restore.
            let settings = Settings { strict: false, ..settings };
            restore::run(&context, &target, &asked, &manner.or(&settings))
        }
        Command::Keep { daemon } => keep::keep(&context, &daemon),
        Command::Follow { daemon } => follow::run(&context, &daemon),
        Command::Recover { daemon, set_aside: true } => recover::set_aside(&context, daemon.as_deref()),
        Command::Recover { daemon, set_aside: false } => recover::run(&context, daemon.as_deref()),
        Command::Daemons { forget: Some(daemon), .. } => daemons::forget(&context, &daemon),
        Command::Daemons { check, forget: None } => daemons::run(&context, check.as_deref()),
        Command::Enrol { daemon, file, unit, format, reload } => {
            enrol::run(&context, &daemon, enrol::Asked { file, unit, format, reload })
        }
        Command::Setup { what } => setup::run(&context, &what),
        Command::Settings => settings::run(&context),
        Command::Demo { keep } => demo::run(&context, keep),
        // It needs nothing of a host, and was answered before.
        Command::Help { .. } => Ok(ExitStatus::Success),
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

    /// The change of this daemon that has no good end yet. Where the answer is text, it is said at once.
    fn open_change(&self, daemon: &str) -> Result<Option<OpenChange>, Error> {
        let open = self.state.standing(&RealDisk, daemon)?;
        if let Some(open) = open.as_ref().filter(|_| !self.out.json) {
            wrapped(&open.message, self.out.width)
                .iter()
                .for_each(|line| self.out.print(&styled(ERROR, line)));
            for line in open.help.lines().flat_map(|line| wrapped(line, self.out.width - 4)) {
                self.out.print(&format!("    {line}"));
            }
        }
        Ok(open)
    }

    /// Says how changes ended while nobody looked on: to a person, and once.
    fn say_untold(&self) {
        if self.out.json || !std::io::stderr().is_terminal() {
            return;
        }
        let notices = take_notices(&self.state);
        let more = notices.len().saturating_sub(MOST_NOTICES);
        for notice in notices.into_iter().skip(more) {
            let text = format!("While no terminal was attached: {}", notice.message);
            for line in [Some(text), notice.failed].into_iter().flatten() {
                wrapped(&line, self.out.width)
                    .iter()
                    .for_each(|line| self.out.eprint(&styled(WARNING, line)));
            }
        }
        if more > 0 {
            self.out.eprint(&styled(WARNING, &format!("and {more} earlier ones: gypsum changes")));
        }
    }

    /// Says what is wrong with the files of settings. It keeps a new change from being made, and nothing else: least of all
    /// a restore.
    fn wrong_settings(&self, command: &Command) -> Option<ExitStatus> {
        let first = self.settings.wrong.first().filter(|_| !matches!(command, Command::Settings))?;
        for finding in &self.settings.wrong {
            finding_lines(finding, self.out).iter().for_each(|line| self.out.eprint(line));
        }
        if !command.relies_on_settings() {
            return None;
        }
        let error = Error::usage("nothing was done: the settings of Gypsum cannot be read")
            .help("mend the file, or move it away; `gypsum settings` shows what is in effect");
        self.answer(
            ExitStatus::Usage,
            json!({ "findings": [first], "error": { "message": error.to_string(), "help": error.advice() } }),
        );
        self.out.error(&error);
        Some(ExitStatus::Usage)
    }

    /// What went wrong, and what to do about it; returns the exit status.
    fn error(&self, error: &Error) -> ExitStatus {
        let status = error.status();
        self.answer(status, of_error(error));
        self.out.error(error);
        status
    }
}

/// So many changes that ended while nobody looked on are told one by one, the last ones.
const MOST_NOTICES: usize = 3;

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
