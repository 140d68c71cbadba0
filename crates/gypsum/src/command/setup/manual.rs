//! `gypsum setup manual`: the pages of the manual.

use super::place;
use crate::args::setup::ManualArgs;
use crate::command::Context;
use crate::manual::pages;
use crate::target::NoTarget;
use gypsum_core::exit_status::ExitStatus;
use gypsum_host::installing::{remove_whole, write_whole};
use serde_json::json;
use std::path::PathBuf;

/// Where an administrator's own pages are (hier(7)).
const OF_HOST: &str = "/usr/local/share/man";
/// The same of one person, in the home folder.
const OF_PERSON: &str = ".local/share/man";

pub fn manual(context: &Context, asked: &ManualArgs) -> Result<ExitStatus, NoTarget> {
    let folder = match &asked.to {
        Some(folder) => folder.clone(),
        None => place(OF_HOST, OF_PERSON)?,
    };
    let mut files = Vec::new();
    for page in pages() {
        let path = folder.join(&page.folder).join(&page.file);
        match asked.remove {
            true if remove_whole(&path)? => files.push(path),
            true => {}
            false => {
                write_whole(&path, &page.text, 0o644)?;
                files.push(path);
            }
        }
    }
    let (count, place) = (files.len(), folder.display());
    context.say_unless_json(&match asked.remove {
        true => format!("{count} pages are removed from {place}"),
        false => format!("{count} pages are written to {place}: man gypsum"),
    });
    let files: Vec<PathBuf> = if asked.remove { Vec::new() } else { files };
    context.answer(ExitStatus::Success, json!({ "files": files }));
    Ok(ExitStatus::Success)
}
