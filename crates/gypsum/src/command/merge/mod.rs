//! `gypsum merge`: one's own settings carried onto a new version of a shipped file.

mod files;
mod shown;

use super::Context;
use crate::args::MergeArgs;
use crate::target::NoTarget;
use gypsum_core::carry::{Answers, Whose};
use gypsum_core::exit_status::ExitStatus;
use gypsum_host::error::Error;

pub fn run(context: &Context, asked: &MergeArgs) -> Result<ExitStatus, NoTarget> {
    let answers = answers(asked)?;
    match (&asked.base, &asked.mine, &asked.theirs, &asked.to) {
        (Some(base), Some(mine), Some(theirs), Some(to)) => {
            files::run(context, asked, &files::Paths { base, mine, theirs, to }, answers)
        }
        _ => Err(Error::usage("this needs --base, --mine, --theirs and --to").into()),
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
