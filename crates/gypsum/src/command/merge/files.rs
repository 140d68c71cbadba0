//! `gypsum merge` with files alone: it reads three files, writes a fourth, and touches nothing else.

use super::shown::{lines, with_answers};
use super::{Context, check_answers};
use crate::args::MergeArgs;
use crate::command::whole;
use crate::target::{NoTarget, bare, form_of};
use gypsum_core::carry::{Answers, Carried, Question, Versions, Whose};
use gypsum_core::doc::{Dialect, Document, Family};
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::profile::Profile;
use gypsum_core::starter::guess;
use gypsum_host::error::Error;
use gypsum_host::profiles::load;
use serde_json::json;
use std::fs::{self, OpenOptions};
use std::io::{self, Write};
use std::os::unix::fs::{OpenOptionsExt, PermissionsExt};
use std::path::Path;

/// The four files.
pub struct Paths<'a> {
    pub base: &'a Path,
    pub mine: &'a Path,
    pub theirs: &'a Path,
    pub to: &'a Path,
}

pub fn run(
    context: &Context,
    asked: &MergeArgs,
    paths: &Paths<'_>,
    answers: Answers,
) -> Result<ExitStatus, NoTarget> {
    let (base, mine) = (whole(paths.base)?, whole(paths.mine)?);
    let theirs = match paths.theirs.exists() {
        true => Some(whole(paths.theirs)?),
        false => None,
    };
    if [paths.base, paths.mine, paths.theirs].iter().any(|one| is_same(one, paths.to)) {
        return Err(Error::usage("--to is one of the files that are merged; name another one").into());
    }
    let (profile, family, dialect) = form(asked, paths.mine, &mine)?;
    let (answers, carried) = match theirs {
        Some(theirs) => {
            let read = |bytes: Vec<u8>| {
                Document::read(bytes, family, dialect.clone())
                    .map_err(|error| Error::cannot(error.to_string()))
            };
            let (base, mine, theirs) = (read(base)?, read(mine)?, read(theirs)?);
            let versions =
                Versions { profile: &profile, base: &base, mine: &mine, theirs: &theirs, knows: &|_| None };
            with_answers(context, &versions, answers)?
        }
        None => dropped(paths.theirs, mine, &answers),
    };
    let addresses: Vec<&str> = carried.questions.iter().map(|question| &*question.address).collect();
    check_answers(&answers, &addresses)?;
    write(paths, &carried.bytes)?;
    let status = match carried.is_open() {
        true => ExitStatus::Refused,
        false => ExitStatus::Success,
    };
    context.answer(
        status,
        json!({
            "daemon": profile.daemon,
            "to": paths.to,
            "questions": carried.questions,
            "findings": carried.findings,
            "settled": carried.settled,
        }),
    );
    if !context.out.json {
        let name = paths.mine.file_name().unwrap_or_default().to_string_lossy();
        lines(context, &name, &carried).iter().for_each(|line| context.out.print(line));
        context.out.print(&format!("written to {}", paths.to.display()));
    }
    Ok(status)
}

/// The package has no such file any more.
fn dropped(theirs: &Path, mine: Vec<u8>, answers: &Answers) -> (Answers, Carried) {
    const FILE: &str = "the file";
    let given = answers.by_address.get(FILE).copied().or(answers.all).filter(|answer| *answer != Whose::Both);
    let question = Question {
        address: FILE.to_owned(),
        why: format!(
            "{} does not exist: if the new version has dropped it, see where the daemon reads these settings now",
            theirs.display()
        ),
        base: None,
        mine: Some("kept whole".to_owned()),
        theirs: Some("no file".to_owned()),
        line: None,
        answers: vec![Whose::Mine, Whose::Theirs],
        default: Whose::Mine,
        answered: given,
    };
    let bytes = if question.taken() == Whose::Theirs { Vec::new() } else { mine };
    (answers.clone(), Carried { bytes, questions: vec![question], ..Carried::default() })
}

/// What is known of the daemon, and the format of the file.
fn form(asked: &MergeArgs, mine: &Path, bytes: &[u8]) -> Result<(Profile, Family, Dialect), NoTarget> {
    let path = mine.to_string_lossy();
    if let Some(name) = &asked.format {
        let form = form_of(name)?.as_seen(bytes);
        let profile = match load(&asked.daemon, asked.profile.as_deref()) {
            Ok(profile) => profile,
            Err(_) if asked.profile.is_none() => bare(&asked.daemon, &path, form.clone()),
            Err(why) => return Err(why.into()),
        };
        return Ok((profile, form.family, form.dialect));
    }
    match load(&asked.daemon, asked.profile.as_deref()) {
        Ok(profile) => {
            let (family, dialect) = profile.form_of(&path);
            let dialect = dialect.clone();
            Ok((profile, family, dialect))
        }
        // A daemon without a profile: the file shows its format.
        Err(gypsum_host::profiles::NoProfile::Error(_)) if asked.profile.is_none() => {
            let form = guess(&path, bytes).form;
            Ok((bare(&asked.daemon, &path, form.clone()), form.family, form.dialect))
        }
        Err(why) => Err(why.into()),
    }
}

fn is_same(one: &Path, other: &Path) -> bool {
    one == other || matches!((one.canonicalize(), other.canonicalize()), (Ok(a), Ok(b)) if a == b)
}

/// Writes the result, which others may read no more than mine.
fn write(paths: &Paths<'_>, bytes: &[u8]) -> Result<(), Error> {
    let write = || -> io::Result<()> {
        let mode = fs::metadata(paths.mine)?.permissions().mode() & 0o666;
        let mut file =
            OpenOptions::new().write(true).create(true).truncate(true).mode(mode).open(paths.to)?;
        file.write_all(bytes)?;
        file.sync_all()
    };
    write().map_err(|error| Error::file("write", paths.to, error))
}
