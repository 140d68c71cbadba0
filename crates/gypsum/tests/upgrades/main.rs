//! Real cases of carrying settings onto the next release's file, each by `gypsum merge` with files alone: base, mine,
//! theirs, and what a person would want. What is in force in two files is compared without this project's readers: their
//! lines without comments, layout and order.
//!
//! The cases are in the folder that `GYPSUM_UPGRADES` names; `GYPSUM_UPGRADES_TABLE=FILE` writes what came of them.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use serde_json::Value;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

struct Case {
    folder: PathBuf,
    about: toml::Table,
}

impl Case {
    fn text(&self, key: &str) -> Option<&str> {
        self.about.get(key).and_then(toml::Value::as_str)
    }

    fn name(&self) -> String {
        format!("{} {}", self.folder.file_name().unwrap().to_string_lossy(), self.text("daemon").unwrap())
    }

    fn file(&self, which: &str) -> PathBuf {
        let path = self.text("path").unwrap();
        let path = match which {
            "theirs" | "want" => self.text("path-theirs").unwrap_or(path),
            _ => path,
        };
        self.folder.join(which).join(path)
    }

    /// The settings that a person has to decide about; the last word of each tells it.
    fn questions(&self) -> Vec<String> {
        let all = self.about["questions"].as_array().unwrap();
        all.iter().map(|one| one.as_str().unwrap().to_owned()).collect()
    }

    fn was(&self, key: &str) -> Option<&str> {
        self.about.get("verified")?.get(key)?.as_str()
    }

    fn merge(&self, to: &Path, more: &[&str]) -> (i32, Value) {
        let mut command = Command::new(assert_cmd::cargo::cargo_bin("gypsum"));
        command.args(["merge", self.text("daemon").unwrap(), "--json"]).args(more);
        for which in ["base", "mine", "theirs"] {
            command.arg(format!("--{which}")).arg(self.file(which));
        }
        let output = command.arg("--to").arg(to).output().unwrap();
        let document = serde_json::from_slice(&output.stdout)
            .unwrap_or_else(|_| panic!("{}: {}", self.name(), String::from_utf8_lossy(&output.stderr)));
        (output.status.code().unwrap(), document)
    }
}

fn cases() -> Option<Vec<Case>> {
    let folder = std::env::var("GYPSUM_UPGRADES").ok().filter(|folder| !folder.is_empty())?;
    let mut cases: Vec<Case> = fs::read_dir(&folder)
        .unwrap()
        .map(|entry| entry.unwrap().path())
        .filter(|path| path.join("case.toml").exists())
        .map(|folder| {
            let about = fs::read_to_string(folder.join("case.toml")).unwrap().parse().unwrap();
            Case { folder, about }
        })
        .collect();
    cases.sort_by(|a, b| a.folder.cmp(&b.folder));
    assert!(!cases.is_empty(), "there are no cases in {folder}");
    Some(cases)
}

/// What is in force: the lines without comments, each with one blank between its words.
fn in_force(path: &Path) -> Vec<String> {
    let text = fs::read_to_string(path).unwrap_or_default();
    let marks = ["#", ";", "//", "!"];
    let lines = text.lines().map(str::trim).filter(|line| !marks.iter().any(|mark| line.starts_with(mark)));
    let without = |line: &str| {
        let ends = [" #", "\t#", "\t//", " //"].iter().filter_map(|mark| line.find(mark)).min();
        ends.map_or(line, |end| &line[..end]).replace('=', " = ")
    };
    let words = |line: &str| without(line).split_whitespace().collect::<Vec<_>>().join(" ");
    let mut all: Vec<String> = lines.map(words).filter(|line| !line.is_empty()).collect();
    all.sort();
    all
}

/// Comment lines that the administrator wrote: those of mine that are not in the base.
fn own_comments(case: &Case) -> Vec<String> {
    let read = |which: &str| fs::read_to_string(case.file(which)).unwrap();
    let base = read("base");
    let is_prose = |line: &&str| line.starts_with("# ") || line.starts_with("// ");
    read("mine")
        .lines()
        .map(str::trim)
        .filter(is_prose)
        .filter(|line| !base.contains(line))
        .map(str::to_owned)
        .collect()
}

fn addresses(document: &Value, list: &str) -> Vec<String> {
    let all = document[list].as_array().unwrap();
    all.iter().filter_map(|one| one["address"].as_str()).map(str::to_owned).collect()
}

/// Whether `address` is what a case calls `question`: one of its words is the last step of the address.
fn is_about(address: &str, question: &str) -> bool {
    let step = address.rsplit("..").next().unwrap_or(address).trim_matches('"');
    address == question || question.split(' ').any(|word| word == step)
}

#[test]
#[ignore = "needs the cases of upgrades: see docs/testing.md"]
fn settings_are_carried_as_a_person_would() {
    let Some(cases) = cases() else {
        eprintln!("skipped: GYPSUM_UPGRADES names no folder of cases");
        return;
    };
    let folder = tempfile::tempdir().unwrap();
    let to = folder.path().join("result");
    let (mut wrong, mut table) = (Vec::new(), String::new());
    let mut fared: BTreeMap<String, (usize, usize)> = BTreeMap::new();
    for case in &cases {
        let outcome = case.text("outcome").unwrap();
        let (status, document) = case.merge(&to, &[]);
        let (asked, told) = (addresses(&document, "questions"), addresses(&document, "findings"));
        let questions = case.questions();
        let as_wanted = in_force(&to) == in_force(&case.file("want"));
        let named = |question: &String| asked.iter().chain(&told).any(|address| is_about(address, question));
        let text = fs::read_to_string(&to).unwrap();
        let mut why = Vec::new();
        if let Some(lost) = own_comments(case).iter().find(|comment| !text.contains(comment.as_str())) {
            why.push(format!("the comment {lost:?} is lost"));
        }
        match outcome {
            "clean" | "note" | "unchanged" | "keep-mine" => {
                if !(as_wanted && asked.is_empty() && status == 0) {
                    why.push(format!("as wanted: {as_wanted}, status {status}, asked {asked:?}"));
                }
            }
            "ask" => {
                let exact = asked.len() == questions.len()
                    && questions.iter().all(|one| asked.iter().any(|address| is_about(address, one)));
                // One of the two answers is what a person would want.
                let taken = ["mine", "theirs"].iter().any(|whose| {
                    case.merge(&to, &["--take", whose]);
                    in_force(&to) == in_force(&case.file("want"))
                });
                if !(exact && status == 3 && (as_wanted || taken)) {
                    why.push(format!(
                        "asked {asked:?}, wanted {questions:?}, status {status}, result {as_wanted}/{taken}"
                    ));
                }
            }
            "by-hand" => {
                if let Some(missing) = questions.iter().find(|question| !named(question)) {
                    why.push(format!("{missing} is not named: {asked:?} {told:?}"));
                }
                if status != 3 {
                    why.push(format!("status {status}"));
                }
            }
            other => why.push(format!("there is no outcome {other}")),
        }
        let counts = fared.entry(outcome.to_owned()).or_default();
        counts.0 += usize::from(why.is_empty());
        counts.1 += 1;
        let lines = case.was("diff3").unwrap_or("none");
        let whole = case.was("mine-started-on-13").unwrap_or("not tried");
        writeln!(
            table,
            "{} | {outcome} | {} | {lines} | {whole}",
            case.name(),
            if why.is_empty() { "right" } else { "wrong" }
        )
        .unwrap();
        wrong.extend(why.into_iter().map(|why| format!("{} ({outcome}): {why}", case.name())));
    }
    writeln!(table, "{fared:?}").unwrap();
    if let Ok(file) = std::env::var("GYPSUM_UPGRADES_TABLE") {
        fs::write(file, &table).unwrap();
    }
    assert!(wrong.is_empty(), "{}\n{table}", wrong.join("\n"));
}
