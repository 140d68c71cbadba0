//! What installed daemons said of names, kept until the program is another one. What cannot be kept or read is asked
//! again.

use crate::accounts;
use crate::disk::Stamp;
use crate::sealed;
use crate::trust::{self, Relied};
use gypsum_core::profile::{Ask, NameAnswer};
use gypsum_core::record::unseal;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fs::{self, DirBuilder};
use std::io;
use std::os::unix::fs::DirBuilderExt;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, OnceLock, PoisonError};

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

/// Those that are kept, read once.
fn answers() -> MutexGuard<'static, Answers> {
    static ANSWERS: OnceLock<Mutex<Answers>> = OnceLock::new();
    let read = || Mutex::new(place().map_or_else(Answers::default, |place| read(&place)));
    ANSWERS.get_or_init(read).lock().unwrap_or_else(PoisonError::into_inner)
}

/// What the program of `ask` said of this name in this block, if it is still the same program.
pub fn kept(ask: &Ask, name: &str, block: &str) -> Option<NameAnswer> {
    let program = program_of(ask)?;
    let answers = answers();
    let kept = answers.0.get(&key(ask, name, block)).filter(|kept| kept.program == program)?;
    Some(kept.answer.clone())
}

/// Keeps an answer.
pub fn keep(ask: &Ask, name: &str, block: &str, answer: &NameAnswer) {
    let (Some(program), Some(place)) = (program_of(ask), place()) else { return };
    let mut answers = answers();
    if answers.0.len() >= MOST {
        answers.0.clear();
    }
    answers.0.insert(key(ask, name, block), Kept { program, answer: answer.clone() });
    if let Err(error) = write_ours(&place, &*answers) {
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
pub(super) fn folder() -> Option<PathBuf> {
    match rustix::process::geteuid().is_root() {
        true => Some(PathBuf::from("/var/cache/gypsum")),
        false => accounts::own_folder("XDG_CACHE_HOME", ".cache"),
    }
}

fn place() -> Option<PathBuf> {
    folder().map(|folder| folder.join("names.json"))
}

fn read(place: &Path) -> Answers {
    unseal(&read_ours(place)).whole().unwrap_or_default()
}

/// The bytes of a file that nobody else can have written; none if there is no such file.
pub(super) fn read_ours(place: &Path) -> Vec<u8> {
    let is_ours = place.parent().is_some_and(|folder| trust::check_folder(Relied::State, folder).is_ok());
    if is_ours { fs::read(place).unwrap_or_default() } else { Vec::new() }
}

/// Writes a record into the folder of what daemons said.
pub(super) fn write_ours(place: &Path, record: &impl Serialize) -> io::Result<()> {
    let folder = place.parent().unwrap_or(place);
    DirBuilder::new().recursive(true).mode(0o700).create(folder)?;
    trust::check_folder(Relied::State, folder).map_err(|error| io::Error::other(error.to_string()))?;
    sealed::replace(place, record)
}
