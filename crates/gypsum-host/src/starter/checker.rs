//! What checks a daemon's files: a command of its unit, or a program of its name. It is tried before it is written
//! down: it must pass the file as it is, and refuse a damaged copy.

use super::Seen;
use crate::rehearse::{Proposed, check_live, rehearse};
use gypsum_core::finding::Severity;
use gypsum_core::profile::{Argv, Checker};
use gypsum_core::starter::SeenChecker;
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};

/// Where programs are.
const FOLDERS: [&str; 2] = ["/usr/sbin", "/usr/bin"];
/// What no format reads.
const DAMAGE: &[u8] = b"\n}<%[ ((\"\n";
/// A setting that no daemon has.
const NOBODY_KNOWS: [&[u8]; 3] =
    [b"\nnobody_knows_this = 1\n", b"\nnobody_knows_this 1\n", b"\nnobody_knows_this: 1\n"];

/// The first one that proves to be a checker.
pub(super) fn find(
    daemon: &str,
    file: &Path,
    bytes: &[u8],
    unit: Seen<'_>,
    package: &str,
) -> Option<SeenChecker> {
    candidates(daemon, file, unit, package).into_iter().find_map(|(run, from)| {
        let checker = Checker { run, ..Checker::default() };
        if !passes(&checker, file) || !refuses(&checker, file, bytes, DAMAGE) {
            return None;
        }
        let knows_names = NOBODY_KNOWS.iter().all(|line| refuses(&checker, file, bytes, line));
        Some(SeenChecker { run: checker.run, from, knows_names })
    })
}

fn candidates(daemon: &str, file: &Path, unit: Seen<'_>, package: &str) -> Vec<(Argv, String)> {
    let mut all = Vec::new();
    for words in unit.iter().flat_map(|unit| unit.before.iter().chain(&unit.reloads)) {
        // A signal checks nothing, and a shell may do anything.
        let program = words.first().map_or("", |word| word.rsplit('/').next().unwrap_or(word));
        let is_check = words.iter().enumerate().skip(1).any(|(n, word)| {
            let word = word.to_lowercase();
            // Before a path `-c` most often names a file.
            let alone = words.get(n + 1).is_none_or(|next| next.starts_with('-'));
            ["check", "test", "verify", "valid"].iter().any(|part| word.contains(part))
                || word == "-t"
                || word == "-tt"
                || word == "-c" && alone
        });
        if (is_check || program.contains("check")) && !["kill", "sh", "bash"].contains(&program) {
            let fill = |word: &String| word.replace(&file.display().to_string(), "{file}");
            all.push((words.iter().map(fill).collect(), "a command of its unit".to_owned()));
        }
    }
    let unit_name = unit.map(|unit| unit.name.trim_end_matches(".service"));
    let program = unit.and_then(|unit| unit.program.as_deref()?.file_name()?.to_str());
    let names: Vec<&str> = [Some(daemon), unit_name, program, Some(package)].into_iter().flatten().collect();
    for path in FOLDERS.iter().flat_map(|folder| programs(Path::new(folder))) {
        let name = path.file_name().and_then(|name| name.to_str()).unwrap_or_default();
        let is_ours = names.iter().any(|own| own.len() > 2 && name.starts_with(own));
        if is_ours && name.contains("check") {
            all.push((vec![path.display().to_string(), "{file}".to_owned()], format!("{name}, by its name")));
        }
    }
    all
}

/// The programs in a folder, in the order of their names.
fn programs(folder: &Path) -> Vec<PathBuf> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path());
    let runs = |path: &PathBuf| {
        path.metadata().is_ok_and(|meta| meta.is_file() && meta.permissions().mode() & 0o111 != 0)
    };
    let mut programs: Vec<PathBuf> = entries.filter(runs).collect();
    programs.sort();
    programs
}

/// Whether a checker finds nothing wrong with the file as it is.
fn passes(checker: &Checker, file: &Path) -> bool {
    match check_live(checker, file) {
        Ok(checked) => checked.findings.iter().all(|finding| finding.severity < Severity::Warning),
        Err(error) => {
            tracing::debug!(%error, "the checker cannot be run");
            false
        }
    }
}

/// Whether it refuses the file with these lines behind it.
fn refuses(checker: &Checker, file: &Path, bytes: &[u8], lines: &[u8]) -> bool {
    let proposal = [bytes, lines].concat();
    let one =
        Proposed { real: file, bytes: Some(&proposal), shifts: Vec::new(), ownership: None, is_home: true };
    match rehearse(checker, &[one], file, false) {
        Ok(checked) => checked.findings.iter().any(|finding| finding.severity == Severity::Fault),
        Err(error) => {
            tracing::debug!(%error, "the checker cannot be run");
            false
        }
    }
}
