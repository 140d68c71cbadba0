//! `gypsum setup completions`: what completes words at the shell.

use super::place;
use crate::args::setup::CompletionsArgs;
use crate::command::Context;
use crate::complete::{SHELLS, Shell};
use crate::target::NoTarget;
use gypsum_core::exit_status::ExitStatus;
use gypsum_host::error::Error;
use gypsum_host::installing::{remove_whole, write_whole};
use serde_json::json;
use std::path::{Path, PathBuf};

/// Where the programs of the shells are.
const PROGRAMS: [&str; 3] = ["/bin", "/usr/bin", "/usr/local/bin"];

pub fn completions(context: &Context, asked: &CompletionsArgs) -> Result<ExitStatus, NoTarget> {
    if let Some(shell) = &asked.print {
        let text = SHELLS.iter().find(|known| known.name == shell).map_or("", |known| known.script);
        context.say_unless_json(text.trim_end());
        context.answer(ExitStatus::Success, json!({ "files": [], "text": text }));
        return Ok(ExitStatus::Success);
    }
    let mut files = Vec::new();
    for (shell, path) in places()? {
        match asked.remove {
            true if remove_whole(&path)? => context.say_unless_json(&format!("removed {}", path.display())),
            true => {}
            false => {
                write_whole(&path, shell.script, 0o644)?;
                context.say_unless_json(&format!("written {}", path.display()));
                files.push(path);
            }
        }
    }
    if !asked.remove {
        context.say_unless_json("A new shell completes gypsum: type a word, and press Tab.");
    }
    context.answer(ExitStatus::Success, json!({ "files": files }));
    Ok(ExitStatus::Success)
}

/// The shells of this host, and the file of each.
fn places() -> Result<Vec<(&'static Shell, PathBuf)>, Error> {
    let is_here = |shell: &&Shell| PROGRAMS.iter().any(|folder| Path::new(folder).join(shell.name).exists());
    let here = SHELLS.iter().filter(is_here);
    here.map(|shell| Ok((shell, place(shell.of_host, shell.of_person)?))).collect()
}
