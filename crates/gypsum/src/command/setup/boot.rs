//! `gypsum setup boot`: open changes are looked after when the host starts.

use crate::args::setup::BootArgs;
use crate::command::Context;
use crate::target::NoTarget;
use crate::view::wrapped;
use gypsum_core::exit_status::ExitStatus;
use gypsum_host::boot::{install, remove};
use serde_json::json;
use std::path::PathBuf;

pub fn boot(context: &Context, asked: &BootArgs) -> Result<ExitStatus, NoTarget> {
    let (files, done) = match asked.remove {
        true => (remove()?, "removed"),
        false => (install(&context.state)?, "written"),
    };
    for file in &files {
        context.say_unless_json(&format!("{done} {}", file.display()));
    }
    let outcome = match (asked.remove, files.is_empty()) {
        (false, _) => {
            "A change that is open when this host goes down is restored at the next start: its files before the \
             daemons start, the rest after it."
        }
        (true, true) => "Nothing was installed.",
        (true, false) => "A change that is open when this host goes down waits for: gypsum recover",
    };
    wrapped(outcome, context.out.width).iter().for_each(|line| context.say_unless_json(line));
    let files: Vec<PathBuf> = if asked.remove { Vec::new() } else { files };
    context.answer(ExitStatus::Success, json!({ "files": files }));
    Ok(ExitStatus::Success)
}
