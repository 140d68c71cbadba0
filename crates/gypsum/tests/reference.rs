//! The reference of the profile format, made from its types: `docs/schema/profile.json`, and
//! `docs/profile-reference.md`. With `SNAPSHOTS=overwrite` the files are written anew; otherwise they must be as they would be.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use gypsum_core::profile::BUILT_IN;
use gypsum_core::reference::{any_of, definitions, properties, reference, resolved, rule_forms, schema};
use gypsum_core::rules::read_profile as read;
use serde_json::Value;
use std::fs;
use std::path::{Path, PathBuf};

/// Behind this line of `docs/profile-reference.md` is what is made here.
const MARK: &str =
    "<!-- Made from the types by a test: SNAPSHOTS=overwrite cargo test -p gypsum --test reference. -->\n";

fn docs(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs").join(name)
}

/// Compares a file with what it should hold, or writes it.
fn is_kept(name: &str, text: &str) {
    if std::env::var("SNAPSHOTS").is_ok_and(|value| value == "overwrite") {
        fs::write(docs(name), text).unwrap();
    }
    let kept = fs::read_to_string(docs(name)).unwrap();
    let differ = kept.lines().zip(text.lines()).find(|(kept, made)| kept != made);
    assert!(
        kept == text,
        "docs/{name} is not as the types make it, first at {differ:?}: SNAPSHOTS=overwrite"
    );
}

#[test]
fn the_schema_and_the_reference_are_as_the_types() {
    let schema = schema();
    is_kept("schema/profile.json", &format!("{}\n", serde_json::to_string_pretty(&schema).unwrap()));
    let kept = fs::read_to_string(docs("profile-reference.md")).unwrap();
    let (head, _) = kept.split_once(MARK).expect("the mark is in docs/profile-reference.md");
    is_kept("profile-reference.md", &format!("{head}{MARK}{}", reference(&schema)));
}

/// Every key has a meaning: a key without a doc comment would have an empty line in the reference.
#[test]
fn every_key_is_described() {
    let schema = schema();
    let whole = ("a profile".to_owned(), schema.clone());
    let forms =
        rule_forms(&schema).into_iter().map(|(word, form)| (word.clone(), form["properties"][&word].clone()));
    for (name, table) in definitions(&schema).into_iter().chain([whole]).chain(forms) {
        for (key, property) in properties(&table) {
            let is_described = property.get("description").is_some();
            assert!(is_described, "{key} of {name} has no description");
        }
    }
}

/// All built-in profiles are as the schema says, and so are the examples of the document.
#[test]
fn the_schema_takes_every_profile_that_the_reader_takes() {
    let schema = schema();
    let text = fs::read_to_string(docs("profiles.md")).unwrap();
    let examples = text.split("```toml\n").skip(1).filter_map(|rest| rest.split_once("\n```"));
    let examples: Vec<&str> = examples.map(|(example, _)| example).collect();
    assert!(examples.len() > 3, "the worked example has several steps");
    for text in BUILT_IN.iter().map(|one| one.text).chain(examples) {
        let read = read(text);
        assert!(read.is_ok(), "{read:?}\n{text}");
        let table: toml::Table = text.parse().unwrap();
        known_keys(&schema, &schema, &serde_json::to_value(table).unwrap(), "");
    }
}

/// Every key of a document is one that the schema has at that place.
fn known_keys(root: &Value, schema: &Value, value: &Value, at: &str) {
    let schema = resolved(root, schema);
    match value {
        Value::Object(table) => {
            let choices = any_of(root, schema);
            for (key, value) in table {
                let at = format!("{at}.{key}");
                let found = choices.iter().find_map(|one| {
                    let own = one.get("properties").and_then(|all| all.get(key));
                    own.or_else(|| one.get("additionalProperties").filter(|any| any.is_object()))
                });
                known_keys(
                    root,
                    found.unwrap_or_else(|| panic!("the schema does not know {at}")),
                    value,
                    &at,
                );
            }
        }
        Value::Array(elements) => {
            let items = any_of(root, schema).into_iter().find_map(|one| one.get("items"));
            for element in elements {
                known_keys(root, items.unwrap_or(&Value::Null), element, at);
            }
        }
        _ => {}
    }
}
