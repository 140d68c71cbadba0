//! What is said of the program itself: its first screen, its help, and what is wrong with a command line.

mod first;
mod markdown;
mod short;
mod topics;
mod usage;
mod words;

pub use first::FIRST;
pub use markdown::{Block, blocks, title};
pub use short::{label, most_used, placed};
pub use topics::{TOPICS, Topic};
pub use usage::{explained, is_help};
pub use words::quoted;

use crate::document::{document, of_error};
use crate::out::Terminal;
use clap::Command;
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::text::nearest;
use gypsum_host::error::Error;
use serde_json::json;

/// `gypsum help`: all commands; of one command everything; or a topic.
pub fn help(mut root: Command, words: &[String], out: Terminal) -> ExitStatus {
    root.build();
    let (status, fields) = match found(&root, words, out.width) {
        Ok(lines) => {
            if !out.json {
                lines.iter().for_each(|line| out.print(line));
            }
            (ExitStatus::Success, json!({ "text": lines.join("\n") }))
        }
        Err(error) => {
            out.error(&error);
            (error.status(), of_error(&error))
        }
    };
    if out.json {
        out.document(document(Some("help"), status, fields));
    }
    status
}

fn found(root: &Command, words: &[String], width: usize) -> Result<Vec<String>, Error> {
    let Some(word) = words.first() else { return Ok(first::overview(root, width)) };
    if let Some(topic) = TOPICS.iter().find(|topic| topic.name == word) {
        return Ok(markdown::lines(topic.text, width));
    }
    if let Some((path, command)) =
        short::command_of(root, words).filter(|(path, _)| path.len() == words.len())
    {
        let mut command = command.clone().bin_name(format!("gypsum {}", path.join(" ")));
        let text = command.render_long_help().to_string();
        return Ok(text.trim_end().lines().map(str::to_owned).collect());
    }
    let topics = TOPICS.iter().map(|topic| topic.name);
    let known = root.get_subcommands().map(Command::get_name).chain(topics);
    let near = nearest(word, known).first().map(|near| format!(" {near}")).unwrap_or_default();
    Err(Error::usage(format!("there is no help about \"{}\"", words.join(" ")))
        .help(format!("try: gypsum help{near}")))
}

/// What `-h` says at these words: one screen of what is used most.
pub fn brief(root: &Command, words: &[String], out: Terminal) {
    let lines = match short::command_of(root, words) {
        Some((path, command)) => short::short(&path, command, out.width),
        None => first::overview(root, out.width),
    };
    lines.iter().for_each(|line| out.print(line));
}
