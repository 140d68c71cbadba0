//! Completion at the shell: which words can follow, with what they mean. The shell asks this program each time, so that
//! what is offered is what is there.

mod known;
mod line;
mod sentence;
mod shells;

pub use shells::{SHELLS, Shell};

use crate::args::Cli;
use crate::help::most_used;
use clap::{ArgMatches, Command, CommandFactory};
use clap_complete::engine::{ArgValueCompleter, CompletionCandidate, complete};
use line::Line;
use std::ffi::{OsStr, OsString};
use std::io::{self, Write};
use std::sync::Arc;

/// The first word of the own program's command line that means: what can follow?
pub const ENTRY: &str = "__complete";

/// A word that can be typed, and what it means.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Candidate {
    pub value: String,
    pub meaning: String,
}

impl Candidate {
    fn new(value: impl Into<String>, meaning: impl Into<String>) -> Self {
        // One line, and not a long one: it is drawn beside the word.
        let meaning: String = meaning.into();
        let first = meaning.lines().next().unwrap_or_default();
        Self { value: value.into(), meaning: crate::view::cut(first, 60) }
    }
}

/// What was typed before the word that is completed.
pub struct Typed {
    matches: Option<ArgMatches>,
}

impl Typed {
    /// The value of an argument of the command, as it was typed.
    fn value(&self, id: &str) -> Option<String> {
        let (_, of_command) = self.matches.as_ref()?.subcommand()?;
        let mut raw = of_command.try_get_raw(id).ok().flatten()?;
        raw.next().and_then(OsStr::to_str).map(str::to_owned)
    }
}

/// Who knows what can be typed for an argument, by its id.
type Source = fn(&Typed, &str) -> Vec<Candidate>;

/// The arguments that have a source of their own, by command (`*` is all of them) and id.
const SOURCES: [(&str, &[&str], Source); 13] = [
    ("*", &["daemon"], known::daemons),
    ("change", &["edits"], known::edits),
    ("show", &["words"], known::addresses),
    ("help", &["words"], known::topics),
    ("*", &["enable"], known::commented_out),
    (
        "*",
        &["disable", "delete", "above", "below", "secret", "at", "setting", "under", "add"],
        known::addresses,
    ),
    ("*", &["accept"], known::rules),
    ("*", &["change", "to"], known::changes),
    ("*", &["draft", "show", "discard", "ready"], known::drafts),
    ("*", &["must", "checks", "reading"], sentence::checks),
    ("*", &["watch"], sentence::watches),
    ("*", &["within"], known::files),
    ("*", &["format"], known::families),
];

/// The words of the own command line behind [`ENTRY`]; what is printed, a line a word.
pub fn enter(words: &[String]) -> u8 {
    let Some((shell, rest)) = words.split_first() else { return 2 };
    let Some(line) = Line::of(shell, rest) else { return 2 };
    let candidates = candidates(&line);
    let mut text = shells::printed(shell, &line, &candidates).join("\n");
    text.push('\n');
    // A shell that has gone away needs no answer.
    u8::from(io::stdout().write_all(text.as_bytes()).is_err())
}

/// All that can be typed at the end of this line.
fn candidates(line: &Line) -> Vec<Candidate> {
    let quiet = Cli::command().ignore_errors(true);
    let typed = Typed { matches: quiet.try_get_matches_from(&line.words).ok() };
    let mut root = with_sources(Cli::command(), Arc::new(typed));
    let mut words: Vec<OsString> = line.words.iter().map(OsString::from).collect();
    words.push(OsString::from(&line.current));
    let folder = std::env::current_dir().ok();
    let found = match complete(&mut root, words, line.words.len(), folder.as_deref()) {
        Ok(found) => found,
        Err(error) => {
            tracing::debug!(%error, "nothing can be completed");
            return Vec::new();
        }
    };
    let wants_options = line.current.starts_with('-');
    let all = found.iter().filter_map(|one| {
        let value = one.get_value().to_str()?.to_owned();
        Some(Candidate::new(value, one.get_help().map(ToString::to_string).unwrap_or_default()))
    });
    let all: Vec<Candidate> = all.collect();
    let (mut options, others): (Vec<_>, Vec<_>) = all.into_iter().partition(|one| one.value.starts_with('-'));
    let place = |one: &Candidate| most_used(&root, &line.words[1..], one.value.trim_start_matches('-'));
    options.sort_by_key(place);
    // Who wants an option begins with its dash, where there is anything else to type.
    if wants_options || others.is_empty() { options } else { others }
}

/// The command with the sources of its arguments.
fn with_sources(root: Command, typed: Arc<Typed>) -> Command {
    let names: Vec<String> = root.get_subcommands().map(|command| command.get_name().to_owned()).collect();
    names.iter().fold(root, |root, name| {
        root.mut_subcommand(name, |command| {
            let ids: Vec<String> = command.get_arguments().map(|arg| arg.get_id().to_string()).collect();
            let sources = SOURCES.iter().filter(|(of, ..)| *of == "*" || of == name);
            let known = sources.flat_map(|(_, all, source)| all.iter().map(move |id| (*id, *source)));
            known.filter(|(id, _)| ids.iter().any(|known| known == id)).fold(
                command,
                |command, (id, source)| {
                    let typed = Arc::clone(&typed);
                    command.mut_arg(id, |arg| {
                        arg.add(ArgValueCompleter::new(move |current: &OsStr| begun(source, &typed, current)))
                    })
                },
            )
        })
    })
}

/// What a source has that begins as the word does.
fn begun(source: Source, typed: &Typed, current: &OsStr) -> Vec<CompletionCandidate> {
    let Some(current) = current.to_str() else { return Vec::new() };
    let small = current.to_lowercase();
    let all = source(typed, current).into_iter();
    let mut seen = std::collections::HashSet::new();
    all.filter(|one| one.value.to_lowercase().starts_with(&small) && seen.insert(one.value.clone()))
        .enumerate()
        .map(|(n, one)| {
            CompletionCandidate::new(one.value).help(Some(one.meaning.into())).display_order(Some(n))
        })
        .collect()
}
