//! `gypsum merge`: one's own settings carried onto a new version of a shipped file.

mod files;
mod keep_mine;
mod live;
mod shown;

use super::Context;
use crate::args::MergeArgs;
use crate::target::NoTarget;
use gypsum_core::carry::{Answers, Whose};
use gypsum_core::exit_status::ExitStatus;
use gypsum_host::disk::RealDisk;
use gypsum_host::error::Error;
use gypsum_host::shipped::{Kept, Records, Waiting, put_aside};
use std::path::{Path, PathBuf};

pub fn run(context: &Context, asked: &MergeArgs) -> Result<ExitStatus, NoTarget> {
    let answers = answers(asked)?;
    match (&asked.base, &asked.mine, &asked.theirs, &asked.to) {
        (Some(base), Some(mine), Some(theirs), Some(to)) => {
            files::run(context, asked, &files::Paths { base, mine, theirs, to }, answers)
        }
        _ if asked.keep_mine => keep_mine::run(context, asked),
        _ => live::run(context, asked, answers),
    }
}

/// What was answered on the command line.
fn answers(asked: &MergeArgs) -> Result<Answers, Error> {
    let mut answers = Answers { all: asked.take.map(Whose::from), ..Answers::default() };
    for answer in &asked.answer {
        let parsed = answer
            .rsplit_once('=')
            .and_then(|(address, whose)| Some((address.to_owned(), Whose::named(whose)?)));
        let (address, whose) = parsed.ok_or_else(|| {
            Error::usage(format!("--answer {answer:?} is no answer"))
                .help("for example: --answer 'AcceptEnv=mine', or =theirs, or =both for a list")
        })?;
        answers.by_address.insert(address, whose);
    }
    Ok(answers)
}

/// Answers that no question asked for.
fn check_answers(answers: &Answers, addresses: &[&str]) -> Result<(), Error> {
    let stray = answers.by_address.keys().find(|address| !addresses.contains(&address.as_str()));
    match stray {
        None => Ok(()),
        Some(address) => {
            let known = match addresses {
                [] => "nothing is asked".to_owned(),
                addresses => format!("it is asked about {}", addresses.join(", ")),
            };
            Err(Error::usage(format!("--answer: nothing is asked about {address}")).help(known))
        }
    }
}

/// Puts what waited away, into the folder of the last change: it would wait for ever. What was shipped is kept as the
/// base of the next merge. Where each file is now.
fn put_away<'a>(
    context: &Context,
    daemon: &str,
    all: impl Iterator<Item = &'a Waiting>,
    shipped: impl Iterator<Item = (&'a Path, &'a [u8])>,
) -> Result<Vec<PathBuf>, Error> {
    let kept = Kept::of(&context.state);
    let records = Records::read().map_err(Error::because)?;
    let now = jiff::Timestamp::now().as_millisecond();
    for (path, bytes) in shipped {
        if let Some(standing) = records.standing(path) {
            kept.keep_if_recorded(&RealDisk, path, &standing.record, bytes, now)?;
        }
    }
    let last = context.state.entries(&RealDisk, daemon)?.pop();
    let folder = last.map_or_else(|| kept.aside(), |entry| entry.folder.join("siblings"));
    let mut put = Vec::new();
    for path in all.filter_map(Waiting::beside) {
        let to = put_aside(&RealDisk, path, &folder)?;
        context.say_unless_json(&format!("put away  {} to {}", path.display(), to.display()));
        put.push(to);
    }
    Ok(put)
}
