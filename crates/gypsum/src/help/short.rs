//! What `-h` says of one command: what is used most, in the order of use, on one screen.

use crate::view::{in_columns, wrapped};
use clap::{Arg, Command};

/// The options that are shown, by their ids, in the order of use. Of a command that is not listed all of its own are.
const SHOWN: [(&str, &[&str]); 7] = [
    (
        "change",
        &[
            "dry_run",
            "why",
            "enable",
            "disable",
            "add",
            "delete",
            "within",
            "must",
            "probation",
            "hold",
            "accept",
            "yes",
        ],
    ),
    ("edit", &["at", "within", "draft", "fresh", "new", "why", "dry_run", "accept", "probation", "yes"]),
    ("restore", &["dry_run", "to", "whole", "why", "accept", "probation", "yes"]),
    ("show", &["all", "profile"]),
    ("check", &["profile", "file", "format"]),
    ("health", &["watching", "stop", "checks", "profile"]),
    ("merge", &["dry_run", "answer", "take", "keep_mine", "against", "within", "why", "yes"]),
];

/// The command that these words are of, and its own words. Options in front, and their values, have no say in it.
pub fn command_of<'a>(root: &'a Command, words: &[String]) -> Option<(Vec<String>, &'a Command)> {
    let mut words = words.iter().filter(|word| !word.starts_with('-'));
    let mut command = words.find_map(|word| root.find_subcommand(word))?;
    let mut path = vec![command.get_name().to_owned()];
    while let Some(inner) = words.next().and_then(|word| command.find_subcommand(word)) {
        command = inner;
        path.push(command.get_name().to_owned());
    }
    Some((path, command))
}

/// The place of a long option among those that are used most; behind all of them where it is none.
pub fn most_used(root: &Command, words: &[String], option: &str) -> usize {
    let Some((path, command)) = command_of(root, words) else { return usize::MAX };
    let name = path.join(" ");
    let ids = SHOWN.iter().find(|(of, _)| *of == name).map_or(&[][..], |(_, ids)| *ids);
    let long = |id: &str| command.get_arguments().find(|arg| arg.get_id() == id).and_then(Arg::get_long);
    ids.iter().position(|id| long(id) == Some(option)).unwrap_or(usize::MAX)
}

/// Its short help.
pub fn short(path: &[String], command: &Command, width: usize) -> Vec<String> {
    let name = path.join(" ");
    let (positionals, options): (Vec<&Arg>, Vec<&Arg>) =
        command.get_arguments().partition(|arg| arg.is_positional());
    let mut usage = format!("Usage: gypsum {name}");
    for arg in &positionals {
        usage.push_str(&format!(" {}", placed(arg)));
    }
    let inner: Vec<&Command> = command.get_subcommands().collect();
    usage.push_str(if inner.is_empty() { " [OPTIONS]" } else { " WHAT" });
    let mut lines = vec![usage];
    let about = command.get_about().map(ToString::to_string).unwrap_or_default();
    lines.extend(wrapped(&format!("{about}."), width));
    lines.push(String::new());
    let shown = SHOWN.iter().find(|(of, _)| *of == name).map(|(_, ids)| *ids);
    let named = |id: &&str| options.iter().find(|arg| arg.get_id() == *id).copied();
    let chosen: Vec<&Arg> = match shown {
        Some(ids) => ids.iter().filter_map(named).collect(),
        None => options.iter().filter(|arg| !arg.is_global_set() && !is_help(arg)).copied().collect(),
    };
    let commands = inner.iter().map(|inner| {
        (inner.get_name().to_owned(), inner.get_about().map(ToString::to_string).unwrap_or_default())
    });
    let described = positionals.iter().chain(&chosen).map(|arg| (label(arg), first_of(arg)));
    for (label, text) in commands.chain(described) {
        let texts = wrapped(&text, width.saturating_sub(26));
        for (n, text) in texts.iter().enumerate() {
            let lead = if n == 0 { format!("  {label}") } else { String::new() };
            lines.push(in_columns(&[lead, text.clone()], &[24]));
        }
    }
    let after = command.get_after_help().map(ToString::to_string).unwrap_or_default();
    let examples = after.lines().skip_while(|line| !line.starts_with("Example")).take(3);
    let examples: Vec<String> = examples.take_while(|line| !line.is_empty()).map(str::to_owned).collect();
    if !examples.is_empty() {
        lines.push(String::new());
        lines.extend(examples);
    }
    lines.push(String::new());
    lines.push(format!("All of it: gypsum {name} --help"));
    lines
}

fn is_help(arg: &Arg) -> bool {
    arg.get_id() == "help"
}

/// A positional argument as it is typed: `DAEMON`, `[EDIT...]`.
pub fn placed(arg: &Arg) -> String {
    let many = arg.get_num_args().is_some_and(|range| range.max_values() > 1);
    let name = format!("{}{}", name_of(arg), if many { "..." } else { "" });
    if arg.is_required_set() { name } else { format!("[{name}]") }
}

fn name_of(arg: &Arg) -> String {
    match arg.get_value_names() {
        Some(names) => names.iter().map(ToString::to_string).collect::<Vec<_>>().join(" "),
        None => arg.get_id().as_str().to_uppercase(),
    }
}

/// An argument as it is typed: `-n, --dry-run`, `--why TEXT`.
pub fn label(arg: &Arg) -> String {
    if arg.is_positional() {
        return name_of(arg);
    }
    let takes = arg.get_action().takes_values();
    let value = if takes { format!(" {}", name_of(arg)) } else { String::new() };
    match (arg.get_short(), arg.get_long()) {
        (Some(short), Some(long)) => format!("-{short}, --{long}{value}"),
        (_, long) => format!("--{}{value}", long.unwrap_or_default()),
    }
}

/// The first paragraph of what it does.
fn first_of(arg: &Arg) -> String {
    arg.get_help().map(ToString::to_string).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::args::Cli;
    use crate::help::TOPICS;
    use clap::CommandFactory;

    #[test]
    fn every_one_fits_a_screen_and_shows_what_there_is() {
        let mut root = Cli::command();
        root.build();
        for command in root.get_subcommands() {
            let name = command.get_name().to_owned();
            let lines = short(std::slice::from_ref(&name), command, 80);
            assert!(lines.len() <= 24, "{name}: {} rows\n{}", lines.len(), lines.join("\n"));
            assert!(lines.iter().all(|line| line.len() <= 80), "{name}: {lines:#?}");
            let after = command.get_after_help().map(ToString::to_string).unwrap_or_default();
            assert!(after.lines().all(|line| !line.starts_with("  ") || line.len() <= 80), "{name}: {after}");
            for topic in TOPICS.iter().filter(|_| name == "help") {
                assert!(after.contains(topic.name), "{}", topic.name);
            }
            for (_, ids) in SHOWN.iter().filter(|(of, _)| *of == name) {
                let is_there = |id: &&&str| command.get_arguments().any(|arg| arg.get_id() == **id);
                assert_eq!(ids.iter().filter(is_there).count(), ids.len(), "{name}");
            }
        }
    }
}
