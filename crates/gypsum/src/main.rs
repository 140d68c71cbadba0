//! The command. Thin: it reads arguments, asks the host, and draws what happens.

mod args;
mod ask;
mod command;
mod order;
mod out;
mod target;
mod typed;
mod view;

use clap::{CommandFactory, FromArgMatches};
use std::process::ExitCode;

fn main() -> ExitCode {
    let words: Vec<String> = std::env::args_os().map(|word| word.to_string_lossy().into_owned()).collect();
    let (program, rest) =
        words.split_first().map_or(("", &[][..]), |(program, rest)| (program.as_str(), rest));
    // Three things run in processes of their own and are this same program, executed again.
    if program.rsplit('/').next() == Some(gypsum_demo::DAEMON) {
        return ExitCode::from(gypsum_demo::daemon(rest));
    }
    if rest.first().is_some_and(|word| word == gypsum_host::view::ENTRY) {
        return ExitCode::from(u8::try_from(gypsum_host::view::enter(&rest[1..])).unwrap_or(1));
    }
    if let [word, socket] = rest
        && word == gypsum_host::guardian::ENTRY
    {
        return ExitCode::from(gypsum_host::guardian_process::serve(socket.as_ref()));
    }
    let parsed = args::Cli::command().try_get_matches().and_then(|matches| {
        let order = order::TypedOrder::of(&matches);
        Ok((args::Cli::from_arg_matches(&matches)?, order))
    });
    let (cli, order) = match parsed {
        Ok(parsed) => parsed,
        Err(error) => {
            // Help goes to standard output with status 0, a wrong word to standard error with 2.
            let _ = error.print();
            return ExitCode::from(u8::try_from(error.exit_code()).unwrap_or(2));
        }
    };
    quiet_second_reader();
    ExitCode::from(command::run(cli, order).code())
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
