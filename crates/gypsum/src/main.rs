//! The command. Thin: it reads arguments, asks the host, and draws what happens.

mod args;
mod ask;
mod command;
mod complete;
mod document;
mod help;
mod manual;
mod order;
mod out;
mod page;
mod target;
mod typed;
mod view;

use clap::{CommandFactory, FromArgMatches};
use gypsum_core::exit_status::ExitStatus;
use std::process::ExitCode;

/// The status of a command that only answers, if it is interrupted: 128 and the number of the signal, as shells have it.
const INTERRUPTED: i32 = 130;

/// Help is not wider than this.
const WIDEST: usize = 100;

fn main() -> ExitCode {
    let words: Vec<String> = std::env::args_os().map(|word| word.to_string_lossy().into_owned()).collect();
    let (program, rest) =
        words.split_first().map_or(("", &[][..]), |(program, rest)| (program.as_str(), rest));
    // Some things run in processes of their own and are this same program, executed again.
    if let Some(status) = of_own_process(program, rest) {
        return ExitCode::from(status);
    }
    let root = args::Cli::command().term_width(out::columns().min(WIDEST));
    let parsed = root.clone().try_get_matches().and_then(|matches| {
        let order = order::TypedOrder::of(&matches);
        Ok((args::Cli::from_arg_matches(&matches)?, order))
    });
    let (cli, order) = match parsed {
        Ok(parsed) => parsed,
        Err(error) => {
            return ExitCode::from(not_parsed(root, &error, rest));
        }
    };
    if cli.command.is_paged() && !cli.common.no_pager && !cli.common.json {
        out::pager::begin();
    }
    if let args::Command::Help { words } = &cli.command {
        let status = help::help(root, words, out::Terminal::new(&cli.common));
        return ExitCode::from(if out::is_written() { status } else { ExitStatus::NotRun }.code());
    }
    quiet_second_reader();
    let only_answers = cli.command.only_answers();
    if only_answers && let Err(error) = gypsum_host::interrupt::end_at_once(INTERRUPTED) {
        tracing::debug!(%error, "an interrupt ends this as the system has it");
    }
    let mut status = command::run(cli, order);
    // What a change did is the more important thing to know.
    if !out::is_written() && only_answers {
        status = ExitStatus::NotRun;
    }
    ExitCode::from(status.code())
}

/// What a process of this program's own does, and the status that it ends with; `None` where a person typed the words.
fn of_own_process(program: &str, words: &[String]) -> Option<u8> {
    if program.rsplit('/').next() == Some(gypsum_demo::DAEMON) {
        return Some(gypsum_demo::daemon(words));
    }
    let (entry, rest) = words.split_first()?;
    let status_of = |status: i32| u8::try_from(status).unwrap_or(1);
    Some(match (entry.as_str(), rest) {
        (gypsum_host::trial::ENTRY, rest) => status_of(gypsum_host::trial::enter(rest)),
        (gypsum_host::view::ENTRY, rest) => status_of(gypsum_host::view::enter(rest)),
        (gypsum_host::boot::ENTRY, rest) => command::boot::enter(rest),
        (gypsum_host::guardian::ENTRY, [socket]) => gypsum_host::guardian_process::serve(socket.as_ref()),
        (gypsum_host::guardian::STAND_BY, [root, daemon]) => {
            gypsum_host::guardian_process::stand_by(root.as_ref(), daemon)
        }
        (gypsum_host::watching::ENTRY, [how, root, number]) => {
            command::watching::enter(how, root.as_ref(), number)
        }
        (complete::ENTRY, rest) => complete::enter(rest),
        _ => return None,
    })
}

/// Help goes to standard output with status 0, a wrong word to standard error with 2, and to standard output as a
/// document if one was asked for.
fn not_parsed(mut root: clap::Command, error: &clap::Error, words: &[String]) -> u8 {
    let is_typed = |word: &str| words.iter().any(|typed| typed == word);
    let out = out::Terminal::plain(is_typed("--json"));
    root.build();
    if words.is_empty() {
        out.eprint(help::FIRST);
        return ExitStatus::Usage.code();
    }
    if help::is_help(error) {
        match is_typed("-h") && !is_typed("--help") {
            true => help::brief(&root, words, out),
            false => {
                out::pager::begin();
                error.render().to_string().trim_end().lines().for_each(|line| out.print(line));
            }
        }
        return if out::is_written() { ExitStatus::Success } else { ExitStatus::NotRun }.code();
    }
    let error = help::explained(&root, error, words);
    if out.json {
        out.document(document::document(None, ExitStatus::Usage, document::of_error(&error)));
    }
    out.error(&error);
    ExitStatus::Usage.code()
}

/// The second reader of YAML gives up on a few texts by a panic, which is caught and told as a finding: what the
/// runtime prints of it would only be in the way.
fn quiet_second_reader() {
    let usual = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |panic| {
        let caught = panic.location().is_some_and(|at| at.file().contains("/libyaml-safer-"));
        if !caught {
            usual(panic);
        }
    }));
}
