//! What is wrong with a command line, and the nearest right one, ready to be typed.

use super::short::command_of;
use super::words::{quoted, right_line, tried};
use clap::Command;
use clap::error::{ContextKind, ContextValue, ErrorKind};
use gypsum_core::text::nearest;
use gypsum_host::error::Error;

/// Whether it is no error, but a wish for help or for the version.
pub fn is_help(error: &clap::Error) -> bool {
    matches!(error.kind(), ErrorKind::DisplayHelp | ErrorKind::DisplayVersion)
}

/// The error of a command line as it is told.
pub fn explained(root: &Command, error: &clap::Error, words: &[String]) -> Error {
    let typed = command_of(root, words);
    let name =
        typed.as_ref().map_or_else(|| "gypsum".to_owned(), |(path, _)| format!("gypsum {}", path.join(" ")));
    let of = |kind| context(error, kind);
    let arg = of(ContextKind::InvalidArg).first().map(|arg| plain(arg)).unwrap_or_default();
    let value = of(ContextKind::InvalidValue).first().cloned().unwrap_or_default();
    let example = || typed.as_ref().and_then(|(_, command)| example_of(command));
    let all = format!("all of it: {name} --help");
    let for_example = || example().map_or_else(|| all.clone(), |line| format!("for example: {line}"));
    let (message, help) = match error.kind() {
        ErrorKind::InvalidSubcommand => return unknown_word(root, error, words),
        ErrorKind::UnknownArgument => {
            let known: Vec<String> = options_of(typed.as_ref().map_or(root, |(_, command)| command));
            if let Some(line) = known.contains(&arg).then(|| in_two_words(words, &arg)).flatten() {
                let message = format!("{arg} and what is behind it are two words");
                return Error::usage(message).help(format!("did you mean: {line}"));
            }
            let near = nearest(&arg, known.iter().map(String::as_str)).first().map(|near| (*near).to_owned());
            let line = near.map(|near| line_with(words, &arg, &near));
            // A word too many is no option.
            let message = match arg.starts_with('-') {
                true => format!("{name} has no option {arg}"),
                false => format!("{name} takes no {arg:?} there"),
            };
            (message, line.map_or(all, |line| format!("did you mean: {line}")))
        }
        ErrorKind::InvalidValue if value.is_empty() => (format!("{arg} needs a value"), for_example()),
        ErrorKind::InvalidValue => {
            let valid = of(ContextKind::ValidValue);
            let near = nearest(&value, valid.iter().map(String::as_str));
            let line = near.first().map(|near| format!("did you mean: {}", line_with(words, &value, near)));
            let help = match (line, valid.is_empty()) {
                (Some(line), _) => line,
                (None, false) => format!("it takes {}", valid.join(", ")),
                (None, true) => all,
            };
            (format!("{arg} does not take {value:?}"), help)
        }
        ErrorKind::ValueValidation => {
            let why =
                std::error::Error::source(error).map(|source| format!(": {source}")).unwrap_or_default();
            (
                format!(
                    "{arg} does not take {value:?}{}",
                    why.replace("invalid digit found in string", "that is no number")
                ),
                all,
            )
        }
        ErrorKind::ArgumentConflict => {
            let with: Vec<String> = of(ContextKind::PriorArg).iter().map(|arg| plain(arg)).collect();
            let message = match with.first() {
                Some(other) if *other == arg => format!("{arg} can be given once only"),
                Some(_) => format!("{arg} does not go together with {}", with.join(", ")),
                None => format!("{arg} does not go together with the rest"),
            };
            (message, "leave one of them out".to_owned())
        }
        ErrorKind::MissingRequiredArgument => {
            let missing: Vec<String> = of(ContextKind::InvalidArg).iter().map(|arg| plain(arg)).collect();
            (format!("{name} needs {}", missing.join(", ")), for_example())
        }
        ErrorKind::WrongNumberOfValues | ErrorKind::TooFewValues | ErrorKind::TooManyValues => {
            let wanted = number(error, ContextKind::ExpectedNumValues)
                .or_else(|| number(error, ContextKind::MinValues))
                .map_or_else(String::new, |count| format!(" {count} values"));
            (format!("{arg} needs{wanted}"), all)
        }
        ErrorKind::MissingSubcommand | ErrorKind::DisplayHelpOnMissingArgumentOrSubcommand => {
            (format!("{name} needs one of its commands"), format!("see: {name} -h"))
        }
        // Every other one is told in the words of the parser.
        _ => {
            let text = error.render().to_string();
            let first = text.lines().next().unwrap_or_default().trim_start_matches("error: ").to_owned();
            (first, all)
        }
    };
    Error::usage(message).help(help)
}

/// A word that is no command.
fn unknown_word(root: &Command, error: &clap::Error, words: &[String]) -> Error {
    let word = context(error, ContextKind::InvalidSubcommand).first().cloned().unwrap_or_default();
    let behind: Vec<String> = words.iter().skip_while(|typed| **typed != word).skip(1).cloned().collect();
    let before: Vec<String> = words.iter().take_while(|typed| **typed != word).cloned().collect();
    let known: Vec<&str> = match command_of(root, &before) {
        Some((_, command)) => command.get_subcommands().map(Command::get_name).collect(),
        None => root.get_subcommands().map(Command::get_name).collect(),
    };
    let line = right_line(&word, &behind).or_else(|| {
        let near =
            nearest(&word, known.iter().copied().chain(tried())).first().map(|near| (*near).to_owned());
        near.map(|near| right_line(&near, &behind).unwrap_or_else(|| line_with(words, &word, &near)))
    });
    let daemon_first = behind.first().filter(|behind| known.contains(&behind.as_str()));
    let line = line.or_else(|| {
        // As some have it: the daemon, and then what is to be done.
        let rest = behind.iter().skip(1).map(|word| format!(" {}", quoted(word))).collect::<String>();
        daemon_first.map(|command| format!("gypsum {command} {}{rest}", quoted(&word)))
    });
    let message = format!("there is no command {word:?}");
    Error::usage(message).help(match line {
        Some(line) => format!("try: {line}"),
        None => "all commands: gypsum help".to_owned(),
    })
}

/// The line as it was typed, with the word that is an option and its value apart; `None` if there is no such word.
fn in_two_words(words: &[String], option: &str) -> Option<String> {
    let parted =
        |word: &String| word.strip_prefix(option)?.strip_prefix(' ').map(|value| value.trim().to_owned());
    let at = words.iter().position(|word| parted(word).is_some())?;
    let apart = [option.to_owned(), parted(&words[at])?];
    let all = words[..at].iter().chain(&apart).chain(&words[at + 1..]);
    Some(all.fold("gypsum".to_owned(), |line, word| format!("{line} {}", quoted(word))))
}

/// The line as it was typed, with one word replaced.
fn line_with(words: &[String], wrong: &str, right: &str) -> String {
    let mut line = "gypsum".to_owned();
    let mut is_replaced = false;
    for word in words {
        // An option may have its value in the same word.
        let (head, tail) =
            word.split_once('=').map_or((word.as_str(), None), |(head, tail)| (head, Some(tail)));
        let new = match (is_replaced, tail) {
            (false, _) if word == wrong => right.to_owned(),
            (false, Some(tail)) if head == wrong => format!("{right}={tail}"),
            (false, Some(tail)) if tail == wrong => format!("{head}={right}"),
            _ => word.clone(),
        };
        is_replaced |= new != *word;
        line.push(' ');
        line.push_str(&quoted(&new));
    }
    line
}

/// The long options of a command.
fn options_of(command: &Command) -> Vec<String> {
    command.get_arguments().filter_map(|arg| arg.get_long()).map(|long| format!("--{long}")).collect()
}

/// Its first example.
fn example_of(command: &Command) -> Option<String> {
    let after = command.get_after_help()?.to_string();
    let line =
        after.lines().find_map(|line| line.trim_start_matches("Example:").trim().strip_prefix("gypsum "))?;
    let line = line.split("    (").next().unwrap_or(line);
    Some(format!("gypsum {}", line.trim()))
}

/// An argument as it is typed, without the brackets: `--why`, `DAEMON`.
fn plain(arg: &str) -> String {
    let first = arg.split(' ').next().unwrap_or(arg);
    first.trim_matches(|c| matches!(c, '<' | '>' | '[' | ']' | '.')).to_owned()
}

fn context(error: &clap::Error, kind: ContextKind) -> Vec<String> {
    match error.get(kind) {
        Some(ContextValue::String(text)) => vec![text.clone()],
        Some(ContextValue::Strings(texts)) => texts.clone(),
        _ => Vec::new(),
    }
}

fn number(error: &clap::Error, kind: ContextKind) -> Option<isize> {
    match error.get(kind) {
        Some(ContextValue::Number(count)) => Some(*count),
        _ => None,
    }
}
