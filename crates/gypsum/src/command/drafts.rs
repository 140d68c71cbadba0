//! `gypsum drafts`.

use super::Context;
use super::change::drafts_of;
use crate::out::BOLD;
use crate::target::NoTarget;
use crate::view::{coloured, difference, styled, when, wrapped};
use gypsum_core::exit_status::ExitStatus;
use gypsum_host::disk::{Disk, RealDisk};
use gypsum_host::drafts::{self, Draft};
use gypsum_host::error::Error;
use gypsum_host::profiles;
use serde_json::{Value, json};

pub fn run(
    context: &Context,
    daemon: Option<&str>,
    show: Option<u32>,
    discard: Option<&str>,
) -> Result<ExitStatus, NoTarget> {
    match (daemon, show, discard) {
        (Some(daemon), Some(number), _) => show_one(context, daemon, number)?,
        (Some(daemon), None, Some(numbers)) => throw_away(context, daemon, numbers)?,
        (Some(daemon), None, None) => list(context, &[daemon.to_owned()], false)?,
        (None, ..) => list(context, &context.state.daemons(&RealDisk)?, true)?,
    }
    Ok(ExitStatus::Success)
}

fn list(context: &Context, daemons: &[String], several: bool) -> Result<(), Error> {
    let out = context.out;
    let (mut documents, mut count) = (Vec::new(), 0);
    for daemon in daemons {
        let drafts = drafts::all(&context.state, daemon)?;
        let damaged = drafts::damaged(&context.state, daemon)?;
        count += drafts.len() + damaged.len();
        if out.json {
            documents.extend(drafts.iter().map(|draft| document(daemon, draft)));
            continue;
        }
        if several && !(drafts.is_empty() && damaged.is_empty()) {
            out.print(&styled(BOLD, daemon));
        }
        for draft in &drafts {
            lines(daemon, draft, out.width).iter().for_each(|line| out.print(line));
        }
        for damage in damaged {
            let text = damage.file.with_file_name("proposal");
            out.print(&format!("       a draft cannot be read: {}", damage.words()));
            out.print(&format!("       its text is in {}", text.display()));
        }
    }
    if out.json {
        context.answer(ExitStatus::Success, json!({ "drafts": documents }));
    } else if count == 0 {
        let of_daemon = if several { String::new() } else { format!(" of {}", daemons.join(" and ")) };
        out.print(&format!("No drafts{of_daemon} (in {}).", context.state.root().display()));
    }
    Ok(())
}

/// One draft in a list: number, time, why it is not live, who; under it the file, the reason and the next command.
pub fn lines(daemon: &str, draft: &Draft, width: usize) -> Vec<String> {
    let note = &draft.note;
    let state = draft.state();
    let mut lines = vec![
        format!(
            "draft {}  {}  {state}, {}",
            styled(BOLD, &draft.number.to_string()),
            when(note.at_ms),
            note.who
        ),
        format!("       {}", note.file.display()),
    ];
    if let Some(why) = &note.why {
        lines.extend(wrapped(&format!("why: {why}"), width - 10).iter().map(|line| format!("       {line}")));
    }
    if draft.holder().is_none() {
        lines.push(format!("       {}", next(daemon, draft)));
    }
    lines
}

/// The command that takes it further.
fn next(daemon: &str, draft: &Draft) -> String {
    match draft.note.because {
        drafts::Reason::Ready => format!("gypsum change {daemon} --ready {}", draft.number),
        _ => format!("gypsum edit {daemon} --draft {}", draft.number),
    }
}

/// A draft for other programs.
pub fn document(daemon: &str, draft: &Draft) -> Value {
    let note = &draft.note;
    json!({
        "daemon": daemon,
        "draft": draft.number,
        "file": note.file,
        "who": note.who,
        "at": jiff::Timestamp::from_millisecond(note.at_ms).unwrap_or_default().to_string(),
        "because": note.because,
        "why": note.why,
        "held_by": draft.holder(),
        "proposal": draft.path(),
    })
}

fn show_one(context: &Context, daemon: &str, number: u32) -> Result<(), Error> {
    let draft = drafts::find(&context.state, daemon, number)?;
    let profile = profiles::load(daemon, None).ok();
    let name = draft.note.file.display().to_string();
    let file = &draft.note.file;
    let live = RealDisk.read(file).map_err(|error| Error::file("read", file, error))?.unwrap_or_default();
    let base = draft.base()?;
    let changes = difference(profile.as_ref(), &name, &base, &draft.proposal()?, &[]);
    if context.out.json {
        let mut document = document(daemon, &draft);
        document["difference"] = changes.into();
        document["changed_since"] = (base != live).into();
        context.answer(ExitStatus::Success, json!({ "drafts": [document] }));
        return Ok(());
    }
    lines(daemon, &draft, context.out.width).iter().for_each(|line| context.out.print(line));
    if base != live {
        context
            .out
            .print("       the live file was changed since; the draft is merged with it when it is used");
    }
    changes.iter().for_each(|line| context.out.print(&coloured(line)));
    Ok(())
}

fn throw_away(context: &Context, daemon: &str, numbers: &str) -> Result<(), Error> {
    let chosen = match drafts_of("--discard", numbers)? {
        None => drafts::all(&context.state, daemon)?,
        Some(numbers) => numbers
            .iter()
            .map(|number| drafts::find(&context.state, daemon, *number))
            .collect::<Result<_, _>>()?,
    };
    // All are looked at before one is thrown away.
    if let Some(draft) = chosen.iter().find(|draft| draft.holder().is_some()) {
        let (who, number) = (&draft.note.who, draft.number);
        return Err(Error::busy(format!("{who} is editing draft {number} of {daemon}")));
    }
    for draft in &chosen {
        draft.remove()?;
        if !context.out.json && !context.out.quiet {
            let (number, file) = (draft.number, draft.note.file.display());
            context.out.print(&format!("Discarded draft {number} of {file}."));
        }
    }
    if context.out.json {
        let discarded: Vec<Value> = chosen.iter().map(|draft| document(daemon, draft)).collect();
        context.answer(ExitStatus::Success, json!({ "discarded": discarded }));
    } else if chosen.is_empty() {
        context.out.print(&format!("No drafts of {daemon}."));
    }
    Ok(())
}
