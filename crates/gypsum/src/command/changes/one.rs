//! One change, whole.

use super::known::{Known, known, local_time};
use crate::command::Context;
use crate::view::{ChangeView, coloured, difference, sizes, wrapped};
use gypsum_core::event::Event;
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::record::Recorded;
use gypsum_host::disk::RealDisk;
use gypsum_host::profiles;
use gypsum_host::run::Observer;
use gypsum_host::state::{Entry, Way};
use std::fs;
use std::path::{Path, PathBuf};

/// One change, drawn again from what happened, and the difference that it made.
pub(super) fn show_one(context: &Context, daemon: &str, entry: &Entry) -> ExitStatus {
    if context.out.json {
        context.answer(ExitStatus::Success, known(daemon, entry).document(daemon, entry));
        return ExitStatus::Success;
    }
    context.out.print(&format!("change {} of {}", entry.number, local_time(entry)));
    let mut view = ChangeView::replay(context.out);
    for (n, event) in entry.events(&RealDisk).into_iter().enumerate() {
        match event {
            Recorded::Whole(Event::Waiting { .. }) | Recorded::Absent => {}
            Recorded::Whole(event) => view.on_event(&event),
            Recorded::Damaged(why) => {
                context.out.eprint(&format!("events.jsonl is damaged, line {}: {why}", n + 1));
            }
            Recorded::Newer(_) => {
                context.out.eprint(&format!("events.jsonl, line {}: a newer Gypsum wrote it", n + 1));
            }
        }
    }
    let Known { way, report, damaged } = known(daemon, entry);
    match way {
        Way::Unknown(why) => {
            wrapped(&why, context.out.width - 2).iter().for_each(|line| context.out.eprint(line))
        }
        Way::Ended | Way::GoesOn(_) | Way::CutOff => damaged.iter().for_each(|line| context.out.eprint(line)),
    }
    let profile = profiles::load(daemon, None).ok();
    let edits = report.as_ref().map_or(&[][..], |report| &report.edits);
    let mut copies = Vec::new();
    gather(&entry.folder.join("after"), &mut copies);
    for after in copies {
        let inner = after.strip_prefix(entry.folder.join("after")).unwrap_or(&after);
        let before = entry.folder.join("before").join(inner);
        let read = |path: &Path| fs::read(path).unwrap_or_default();
        let (old, new) = (read(&before), read(&after));
        let name = format!("/{}", inner.display());
        // What was only put beside the configuration may hold anything: a key, passwords.
        let is_companion = edits.iter().any(|edit| edit.companion && edit.file == name);
        let lines = match is_companion {
            true => vec![sizes(&name, &old, &new)],
            false => difference(profile.as_ref(), &name, &old, &new, edits),
        };
        lines.iter().for_each(|line| context.out.print(&coloured(line)));
    }
    ExitStatus::Success
}

fn gather(folder: &Path, out: &mut Vec<PathBuf>) {
    let mut entries: Vec<PathBuf> =
        fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path()).collect();
    entries.sort();
    for path in entries {
        if path.is_dir() { gather(&path, out) } else { out.push(path) }
    }
}
