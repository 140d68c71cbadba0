//! What clients asked, found in the access logs and asked again as HEAD.

use super::follow;
use crate::children;
use crate::disk::walk::open_to_read;
use crate::logs::tail;
use crate::service::ASKING;
use gypsum_core::probe::{Answer, Grade, Http, Replay};
use gypsum_core::replay::{Request, request_of};
use std::collections::HashMap;
use std::io;
use std::path::Path;
use std::time::{Duration, Instant, SystemTime};

/// So much of the end of a log is read, in bytes.
const TAIL: u64 = 1 << 20;
/// So long all questions together may take.
const ALL: Duration = Duration::from_secs(3);

/// What a log is called that is the journal of a unit.
const JOURNAL: &str = "journal:";
/// So many lines of a journal are read.
const MOST_LINES: &str = "4000";
/// So many of the files are read that fit a pattern.
const NEWEST: usize = 2;

/// The journal of a unit, as the name of a log.
pub fn journal_of(unit: &str) -> String {
    format!("{JOURNAL}{unit}")
}

/// Whether it is the journal of a unit, which is no file.
pub fn is_journal(log: &str) -> bool {
    log.starts_with(JOURNAL)
}

/// The newest files that fit a pattern.
pub fn newest(pattern: &str) -> Vec<String> {
    let found = glob::glob(pattern).into_iter().flatten().flatten();
    let mut files: Vec<(SystemTime, String)> = found
        .filter_map(|path| Some((path.metadata().ok()?.modified().ok()?, path.to_str()?.to_owned())))
        .collect();
    files.sort_unstable_by(|one, other| other.cmp(one));
    files.into_iter().take(NEWEST).map(|(_, file)| file).collect()
}

/// The requests at the end of a log, and of the one before it where that is short.
pub fn requests(log: &str) -> Vec<Request> {
    if let Some(unit) = log.strip_prefix(JOURNAL) {
        let unit = format!("_SYSTEMD_UNIT={unit}");
        let words = ["journalctl", "-q", "--no-pager", "-o", "cat", "-n", MOST_LINES, &unit];
        let printed = children::run(&words.map(str::to_owned), ASKING).map(|ran| ran.out).unwrap_or_default();
        return printed.lines().filter_map(request_of).collect();
    }
    let rotated = format!("{log}.1");
    let mut text = end_of(log).unwrap_or_default();
    if text.len() < TAIL as usize / 4 {
        text = end_of(&rotated).unwrap_or_default() + &text;
    }
    text.lines().filter_map(request_of).collect()
}

fn end_of(log: &str) -> io::Result<String> {
    let file = open_to_read(Path::new(log))?;
    let size = file.metadata()?.len();
    tail(file, size, TAIL)
}

/// What stands for a path in records.
pub fn digest(path: &str) -> String {
    blake3::hash(path.as_bytes()).to_hex()[..16].to_owned()
}

/// The answers, one for each path that is still found in the logs.
pub fn answers(replay: &Replay, limit: Duration) -> Vec<Answer> {
    let deadline = Instant::now() + ALL;
    let all = replay.logs.iter().flat_map(|log| requests(log));
    let paths: HashMap<String, String> = all.map(|request| (digest(&request.path), request.path)).collect();
    let mut answers = Vec::new();
    for asked in &replay.asked {
        let Some(path) = paths.get(&asked.digest).filter(|_| Instant::now() < deadline) else { continue };
        let url = format!("{}{path}", asked.site);
        let http = Http { url: url.clone(), at: Some(asked.at.clone()), head: true, ..Http::default() };
        let answer = follow::answer(&http, limit)
            .unwrap_or_else(|error| Answer::new("", Grade::Failed, error.to_string()));
        // What it shows is for the person who types; records have the digest.
        answers.push(Answer { to: format!("{} {}", asked.site, asked.digest), shown: Some(url), ..answer });
    }
    answers
}
