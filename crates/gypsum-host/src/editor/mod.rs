//! The person's own editor.

mod copy;

use crate::drafts::Draft;
use crate::error::Error;
use crate::who;
use copy::Copy;
use std::path::{Path, PathBuf};
use std::process::Command;

/// What is tried where neither `VISUAL` nor `EDITOR` says anything, in this order.
const USUAL: [&str; 6] = ["sensible-editor", "editor", "nano", "vim", "vi", "emacs"];
/// Editors that take `+LINE` before the file.
const TAKE_LINE: [&str; 16] = [
    "sensible-editor",
    "vi",
    "vim",
    "nvim",
    "view",
    "nano",
    "pico",
    "emacs",
    "emacsclient",
    "joe",
    "jed",
    "mg",
    "ne",
    "kak",
    "micro",
    "editor",
];

/// Why an editor did not do its work.
#[derive(Debug)]
pub struct Failed {
    /// What to tell.
    pub error: Error,
    /// Whether it ended by itself with an error status, as it does where the person wants it to (`:cq` in vi).
    pub may_be_meant: bool,
}

impl From<Error> for Failed {
    fn from(error: Error) -> Self {
        Self { error, may_be_meant: false }
    }
}

/// Opens the proposal of a draft at `line`, and waits until the editor is left. Under sudo it runs as the person who
/// called, on a copy of theirs; what they write is in the draft as soon as it is written.
///
/// # Errors
///
/// If there is no editor, or it fails.
pub fn edit(draft: &Draft, line: Option<u32>) -> Result<(), Failed> {
    let caller = who::caller();
    let copy = match &caller {
        Some(caller) => Some(Copy::new(caller, &draft.path(), &draft.proposal()?)?),
        None => None,
    };
    let file = copy.as_ref().map_or_else(|| draft.path(), Copy::path);
    let words = chosen()?;
    let (program, arguments) = words.split_first().ok_or_else(none)?;
    let mut command = Command::new(program);
    command.args(arguments);
    let name = Path::new(program).file_name().and_then(|name| name.to_str()).unwrap_or_default();
    if let Some(line) = line.filter(|line| *line > 1 && TAKE_LINE.contains(&name)) {
        command.arg(format!("+{line}"));
    }
    command.arg(file);
    let status = match (&copy, &caller) {
        (Some(copy), Some(caller)) => copy.run(command, caller, &|bytes| draft.propose(bytes))?,
        _ => command.status().map_err(|error| Error::file("start the editor", Path::new(program), error))?,
    };
    if status.success() {
        return Ok(());
    }
    let error = Error::cannot(format!("the editor {program} ended with an error ({status})"))
        .help("VISUAL or EDITOR names another editor");
    Err(Failed { error, may_be_meant: status.code().is_some() })
}

/// The editor's command line: split like a shell does, and never handed to one.
fn chosen() -> Result<Vec<String>, Error> {
    for variable in ["VISUAL", "EDITOR"] {
        let Some(text) = std::env::var(variable).ok().filter(|text| !text.trim().is_empty()) else {
            continue;
        };
        return shlex::split(&text).ok_or_else(|| {
            Error::usage(format!("{variable} is {text:?}, which is not a command"))
                .help("for example EDITOR=nano")
        });
    }
    let found = USUAL.into_iter().find(|name| on_path(name));
    found.map(|name| vec![name.to_owned()]).ok_or_else(none)
}

fn none() -> Error {
    Error::usage("there is no editor").help("say which in VISUAL or EDITOR: EDITOR=nano gypsum edit DAEMON")
}

fn on_path(name: &str) -> bool {
    let path = std::env::var_os("PATH").unwrap_or_default();
    std::env::split_paths(&path).map(|folder| folder.join(name)).any(|file: PathBuf| file.is_file())
}
