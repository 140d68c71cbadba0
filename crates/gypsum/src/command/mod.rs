//! The commands, one a file.

mod change;
mod changes;
mod check;
mod daemons;
mod demo;
mod drafts;
mod edit;
mod enrol;
mod explain;
mod health;
mod recover;
mod restore;
mod show;

use crate::args::{Cli, Command};
use crate::order::TypedOrder;
use crate::out::Terminal;
use crate::target::NoTarget;
use crate::typed::Typed;
use crate::view::finding_lines;
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::report::Report;
use gypsum_host::error::Error;
use gypsum_host::state::State;
use tracing_subscriber::filter::{LevelFilter, Targets};
use tracing_subscriber::layer::{Layer, SubscriberExt};
use tracing_subscriber::util::SubscriberInitExt;

/// What every command has at hand.
pub struct Context {
    pub out: Terminal,
    /// Whether questions are answered beforehand: go on.
    pub yes: bool,
    pub state: State,
}

/// Runs the command, whose words were typed in this order; its exit status.
pub fn run(cli: Cli, order: TypedOrder) -> ExitStatus {
    let out = Terminal::new(&cli.common);
    if cli.common.verbose {
        log_to_stderr();
    }
    let state = match State::at(cli.common.state.as_deref()) {
        Ok(state) => state,
        Err(error) => return out.error(&error),
    };
    let context = Context { out, yes: cli.common.yes, state };
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
        Command::Changes { daemon, change } => changes::run(&context, daemon.as_deref(), change.as_deref()),
        Command::Restore { target, change, whole, manner } => {
            restore::run(&context, &target, change.as_deref(), whole, &manner)
        }
        Command::Recover { daemon, set_aside: true } => recover::set_aside(&context, daemon.as_deref()),
        Command::Recover { daemon, set_aside: false } => recover::run(&context, daemon.as_deref()),
        Command::Daemons { check } => daemons::run(&context, check.as_deref()),
        Command::Enrol { daemon, file, unit, format } => {
            enrol::run(&context, &daemon, &file, unit.as_deref(), format.as_deref())
        }
        Command::Demo { keep } => demo::run(&context, keep),
    };
    done.unwrap_or_else(|why| context.no_target(&why))
}

/// What is done meanwhile, for `--verbose`; of other libraries only warnings.
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
            NoTarget::Error(error) => self.out.error(error),
            NoTarget::Malformed(finding) => {
                if self.out.json {
                    self.report(&Report { findings: vec![(**finding).clone()], ..Report::new("") });
                }
                finding_lines(finding).iter().for_each(|line| self.out.aside(line));
                ExitStatus::Usage
            }
        }
    }

    fn report(&self, report: &Report) {
        self.out.document(&serde_json::to_value(report).unwrap_or_default());
    }
}

/// The world, or why there is none.
fn world() -> Result<gypsum_host::world::RealWorld, Error> {
    gypsum_host::world::RealWorld::new()
        .map_err(|error| Error::cannot(format!("signals cannot be caught: {error}")))
}
