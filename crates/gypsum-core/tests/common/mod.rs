//! What the tests of the formats share: reading, editing as it is typed, tables of edits.

// Each of them needs a part of it.
#![allow(dead_code)]

pub mod host;
pub mod version;

use gypsum_core::address::Address;
use gypsum_core::doc::{Dialect, Document, Family};
use gypsum_core::edit::{Edit, File, Guide, Where, propose};

pub fn dialect(family: Family) -> Dialect {
    let mut dialect = family.plain_dialect();
    if family == Family::Json {
        // As a daemon that takes comments has it.
        dialect.comments = vec!["//".into(), "/*".into()];
    }
    dialect.identified_by.insert("server".into(), "server_name".into());
    dialect
}

pub fn read(family: Family, source: &str) -> Document {
    Document::read(source.into(), family, dialect(family)).unwrap()
}

/// `+X` wakes, `~X` comments out, `!X` removes, `?-|X` adds beside its kin, `?^|X` first, `?$|X` last, `?<A|X` above A,
/// `?>A|X` below; `%A|B` replaces A; anything else is set. What comes of it, or the rules of the misfits.
pub fn edited(family: Family, source: &str, edits: &[&str]) -> Result<String, String> {
    let files = [File { path: "/etc/x".into(), doc: read(family, source) }];
    let parse = |text: &&str| match (text.get(..1), text.get(1..)) {
        (Some("+"), Some(rest)) => Edit::Enable(Address::parse(rest).unwrap()),
        (Some("~"), Some(rest)) => Edit::Disable(Address::parse(rest).unwrap()),
        (Some("!"), Some(rest)) => Edit::Delete(Address::parse(rest).unwrap()),
        (Some("?"), Some(rest)) => {
            let (spot, rest) = rest.split_once('|').unwrap();
            let spot = match spot.split_at(1) {
                ("^", "") => Where::First,
                ("$", "") => Where::Last,
                ("<", above) => Where::Above(Address::parse(above).unwrap()),
                (">", below) => Where::Below(Address::parse(below).unwrap()),
                _ => Where::NextToSiblings,
            };
            Edit::parse_add(rest, spot).unwrap()
        }
        (Some("%"), Some(rest)) => {
            let (old, new) = rest.split_once('|').unwrap();
            Edit::ReplaceAll { old: old.into(), new: new.into() }
        }
        _ => Edit::parse_set(text).unwrap(),
    };
    let edits: Vec<Edit> = edits.iter().map(parse).collect();
    let guide = Guide { plausible: &|_, _| true, quantity: &|_| true, ..Guide::default() };
    match propose(&files, &edits, &guide) {
        Ok(proposal) => Ok(proposal
            .files
            .into_iter()
            .next()
            .map_or(source.into(), |one| String::from_utf8(one.after().to_vec()).unwrap())),
        Err(findings) => Err(findings.iter().map(|one| one.rule.as_str()).collect::<Vec<_>>().join(" ")),
    }
}

/// A source, edits on it, and what comes of them.
pub type Case<'a> = (Family, &'a str, &'a [&'a str], Result<&'a str, &'a str>);

/// Every case of a table.
pub fn check(table: &[Case<'_>]) {
    for (family, source, edits, wanted) in table {
        let got = edited(*family, source, edits);
        assert_eq!(got.as_deref().map_err(String::as_str), *wanted, "{} {source:?} {edits:?}", family.name());
    }
}
