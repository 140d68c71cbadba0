//! What installed daemons said of names, kept until the program is another one. What cannot be kept or read is asked
//! again.

use crate::disk::Stamp;
use crate::trust::{self, Relied};
use gypsum_core::profile::{Ask, NameAnswer};
use gypsum_core::record::{Recorded, seal, unseal};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fs::{self, DirBuilder, File};
use std::io::{self, Write};
use std::os::unix::fs::{DirBuilderExt, OpenOptionsExt};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

/// So many answers are kept; then they are asked for anew.
const MOST: usize = 4_000;

/// The answers, by what was asked.
#[derive(Default, Serialize, Deserialize)]
struct Answers(BTreeMap<String, Kept>);

#[derive(Serialize, Deserialize)]
struct Kept {
    /// The program that said it.
    program: Stamp,
    answer: NameAnswer,
}

/// What the program of `ask` said of this name in this block, if it is still the same program.
pub fn kept(ask: &Ask, name: &str, block: &str) -> Option<NameAnswer> {
    let program = program_of(ask)?;
    let mut answers = read(&place()?);
    answers.0.remove(&key(ask, name, block)).filter(|kept| kept.program == program).map(|kept| kept.answer)
}

/// Keeps an answer.
pub fn keep(ask: &Ask, name: &str, block: &str, answer: &NameAnswer) {
    let (Some(program), Some(place)) = (program_of(ask), place()) else { return };
    static ONE_AT_A_TIME: Mutex<()> = Mutex::new(());
    let _one = ONE_AT_A_TIME.lock().unwrap_or_else(PoisonError::into_inner);
    let mut answers = read(&place);
    if answers.0.len() >= MOST {
        answers.0.clear();
    }
    answers.0.insert(key(ask, name, block), Kept { program, answer: answer.clone() });
    if let Err(error) = write(&place, &answers) {
        tracing::debug!(%error, "what a daemon said of a name is not kept");
    }
}

/// The whole question: another profile asks in another way.
fn key(ask: &Ask, name: &str, block: &str) -> String {
    let texts = ask.texts(name, block).into_iter().flatten().collect::<Vec<_>>();
    let says = [&ask.unknown[..], &ask.removed, ask.listed.as_slice()].concat();
    let question = [ask.command("", name, block), texts, says, vec![name.into(), block.into()]].concat();
    blake3::hash(question.join("\0").as_bytes()).to_hex().to_string()
}

fn program_of(ask: &Ask) -> Option<Stamp> {
    fs::metadata(ask.run.first()?).ok().as_ref().map(Stamp::of)
}

/// Root's answers are where root alone can write.
fn place() -> Option<PathBuf> {
    let folder = if rustix::process::geteuid().is_root() {
        PathBuf::from("/var/cache/gypsum")
    } else {
        let home = || std::env::var_os("HOME").map(|home| Path::new(&home).join(".cache"));
        let base = std::env::var_os("XDG_CACHE_HOME").map(PathBuf::from).filter(|path| path.is_absolute());
        base.or_else(home)?.join("gypsum")
    };
    Some(folder.join("names.json"))
}

fn read(place: &Path) -> Answers {
    let is_ours = place.parent().is_some_and(|folder| trust::check_folder(Relied::State, folder).is_ok());
    let bytes = if is_ours { fs::read(place).unwrap_or_default() } else { Vec::new() };
    match unseal(&bytes) {
        Recorded::Whole(answers) => answers,
        Recorded::Absent | Recorded::Damaged(_) | Recorded::Newer(_) => Answers::default(),
    }
}

fn write(place: &Path, answers: &Answers) -> io::Result<()> {
    let folder = place.parent().unwrap_or(place);
    DirBuilder::new().recursive(true).mode(0o700).create(folder)?;
    trust::check_folder(Relied::State, folder).map_err(|error| io::Error::other(error.to_string()))?;
    let aside = place.with_extension(std::process::id().to_string());
    let mut file = File::options().write(true).create(true).truncate(true).mode(0o600).open(&aside)?;
    file.write_all(seal(answers)?.to_string().as_bytes())?;
    fs::rename(&aside, place)
}
