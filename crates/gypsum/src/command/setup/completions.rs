//! `gypsum setup completions`: what completes words at the shell.

use crate::args::setup::CompletionsArgs;
use crate::command::Context;
use crate::complete::{SHELLS, script};
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
        let text = script(shell).unwrap_or_default();
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
                write_whole(&path, script(shell).unwrap_or_default(), 0o644)?;
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
fn places() -> Result<Vec<(&'static str, PathBuf)>, Error> {
    let is_here = |shell: &str| PROGRAMS.iter().any(|folder| Path::new(folder).join(shell).exists());
    let is_root = rustix::process::geteuid().is_root();
    let home = std::env::var_os("HOME").filter(|home| !home.is_empty()).map(PathBuf::from);
    let here = SHELLS.iter().filter(|(shell, ..)| is_here(shell));
    here.map(|(shell, of_host, of_person)| match (is_root, &home) {
        (true, _) => Ok((*shell, PathBuf::from(of_host))),
        (false, Some(home)) => Ok((*shell, home.join(of_person))),
        (false, None) => Err(Error::cannot("HOME is not set, so there is no home folder to write to")),
    })
    .collect()
}
