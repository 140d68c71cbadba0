//! Edits by chance on the files of a suite, each looked at by a reader of another maker.

use crate::cases::Case;
use crate::reader::{Answers, Reader};
use gypsum_core::address::{Address, address_of};
use gypsum_core::doc::{Document, Family, Kind, LeafId};
use gypsum_core::edit::{Edit, File, Guide, Where, propose};
use std::collections::BTreeMap;

/// Numbers by chance, the same in each run.
pub struct Chance(u64);

impl Chance {
    pub fn below(&mut self, limit: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % limit.max(1)
    }

    fn of<'a, T>(&mut self, all: &'a [T]) -> &'a T {
        &all[self.below(all.len())]
    }
}

/// Values that readers are known to trip over.
pub const VALUES: [&str; 44] = [
    "8080",
    "quay",
    "a b",
    "a#b",
    "a # b",
    "#x",
    "it's",
    "say \"ah\"",
    "\\",
    "a\\b",
    "a\\",
    "a;b",
    "; c",
    "a:b",
    "a: b",
    "- a",
    "[x]",
    "{y}",
    "[1, 2]",
    "%",
    "50%",
    "$HOME",
    "${x}",
    "`id`",
    "<b>",
    "a & b",
    "&amp;",
    "]]>",
    "yes",
    "No",
    "y",
    "null",
    "~",
    "1:30",
    "2026-11-24",
    "1_000",
    "0x1f",
    "0o17",
    "1e3",
    ".5",
    "true",
    "é",
    "*x",
    "!x",
];

/// Makes edits until `wanted` had an effect, and demands that every one of these is seen as it was asked for.
pub fn agree(family: Family, cases: &[Case], wanted: usize) {
    let mut reader = Reader::new();
    let mut chance = Chance(family.name().len() as u64);
    let (mut done, mut tried) = (0, 0);
    let mut refused: BTreeMap<String, usize> = BTreeMap::new();
    let mut wrong = Vec::new();
    let sources: Vec<(&Case, Document, Answers)> = cases
        .iter()
        .filter(|case| case.valid)
        .filter_map(|case| {
            let doc = Document::read(case.source.clone(), family, family.plain_dialect()).ok()?;
            let settings = doc.statements().any(|(_, kind, _)| kind == Kind::Setting);
            // Attributes and elements that a document type supplies are nowhere in the text.
            let text = String::from_utf8_lossy(&case.source);
            if family == Family::Xml && text.contains("<!ATTLIST") {
                return None;
            }
            let said = settings.then(|| reader.read(family.name(), &case.source))??;
            Some((case, doc, said))
        })
        .collect();
    assert!(sources.len() >= 10, "{} files of {} can be edited", sources.len(), family.name());
    while done < wanted && tried < wanted * 6 {
        tried += 1;
        let (case, doc, before) = chance.of(&sources);
        match one(&mut chance, &mut reader, family, doc, before) {
            Ok(Some(())) => done += 1,
            Ok(None) => {}
            Err(Odd::Refused(rule)) => *refused.entry(rule).or_default() += 1,
            Err(Odd::Wrong(what)) => wrong.push(format!("{}: {what}", case.name)),
        }
    }
    println!("{}: {tried} edits, {done} agree, refused {refused:?}, disagree {}", family.name(), wrong.len());
    wrong.truncate(20);
    assert!(wrong.is_empty(), "{wrong:#?}");
    assert_eq!(done, wanted, "not enough of {tried} edits had an effect");
}

enum Odd {
    Refused(String),
    Wrong(String),
}

fn one(
    chance: &mut Chance,
    reader: &mut Reader,
    family: Family,
    doc: &Document,
    before: &Answers,
) -> Result<Option<()>, Odd> {
    let settings: Vec<LeafId> =
        doc.statements().filter(|(_, kind, _)| *kind == Kind::Setting).map(|all| all.0).collect();
    let leaf = *chance.of(&settings);
    let address = address_of(doc, leaf);
    let parts = doc.parts(leaf).unwrap();
    let value = *chance.of(&VALUES);
    // Beside an element of a list nothing with a name can stand.
    let named = !parts.value.is_none() || !matches!(family, Family::Yaml | Family::Json);
    let kind = if named { chance.below(4) } else { 1 };
    let edit = match kind {
        0 => Edit::Set { address: address.clone(), value: value.into() },
        1 => Edit::Delete(address.clone()),
        2 => {
            let mut beside = Address::parse("fresh").unwrap();
            let path = address.to_string();
            if let Some((outer, _)) = path.rsplit_once("..") {
                beside =
                    Address::parse(&format!("{outer}..fresh")).map_err(|_| Odd::Refused("address".into()))?;
            }
            Edit::Add { address: beside, value: Some(value.into()), spot: Where::Last }
        }
        _ => Edit::Disable(address.clone()),
    };
    let after = edited(doc, &edit).map_err(Odd::Refused)?;
    let context = |what: &str, after: &[u8]| {
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        Odd::Wrong(format!("{what}: {edit:?}\n{}\n→\n{}", text(doc.source()), text(after)))
    };
    if after == doc.source() {
        return Ok(None);
    }
    let Some(now) = reader.read(family.name(), &after) else {
        return Err(context("it cannot be read any more", &after));
    };
    let fits = match kind {
        0 => is_set(before, &now, value, family),
        1 | 3 => is_gone(before, &now, family),
        _ => is_added(before, &now, value, family),
    };
    if !fits {
        return Err(context("the other reader sees something else", &after));
    }
    // These are flags to the one and texts to the other, and were typed as such.
    let flag = ["yes", "No"].contains(&value);
    if family == Family::Yaml
        && (kind == 0 || kind == 2)
        && !flag
        && now.iter().any(|row| row.1 == "text" && row.2 == value)
    {
        // A text is one for readers of YAML 1.1, too.
        let old = reader.read("yaml11", &after);
        let was = reader.read("yaml11", doc.source());
        let count = |said: &Answers| said.iter().filter(|row| row.1 == "text" && row.2 == value).count();
        if let (Some(old), Some(was)) = (old, was)
            && count(&old) <= count(&was)
            && count(&now) > count(before)
        {
            return Err(context("it is no text for YAML 1.1", &after));
        }
    }
    if kind == 3 {
        let again = Document::read(after.clone(), family, family.plain_dialect()).unwrap();
        match edited(&again, &Edit::Enable(address)) {
            Ok(back) if back == doc.source() => {}
            Ok(back) => return Err(context("enabled again it is not as it was", &back)),
            Err(rule) => return Err(Odd::Refused(format!("enable: {rule}"))),
        }
    }
    Ok(Some(()))
}

fn edited(doc: &Document, edit: &Edit) -> Result<Vec<u8>, String> {
    let files = [File { path: "file".into(), doc: doc.clone() }];
    match propose(&files, std::slice::from_ref(edit), &Guide::default()) {
        Ok(proposal) => Ok(proposal
            .files
            .into_iter()
            .next()
            .map_or_else(|| doc.source().to_vec(), |file| file.after().to_vec())),
        Err(findings) => {
            if std::env::var_os("GYPSUM_SUITES_TELL").is_some() {
                let text = String::from_utf8_lossy(doc.source());
                println!("REFUSED {}: {} | {edit:?}\n{text}", findings[0].rule, findings[0].message);
            }
            Err(findings[0].rule.clone())
        }
    }
}

/// What is only in the first, and only in the second, between what both begin and end with. Tables of TOML
/// have no order.
fn apart(before: &Answers, after: &Answers, family: Family) -> (Answers, Answers) {
    if family == Family::Toml {
        let minus = |a: &Answers, b: &Answers| {
            let mut rest = b.clone();
            let mut is_new =
                |row: &&(Vec<String>, String, String)| match rest.iter().position(|other| other == *row) {
                    Some(at) => {
                        rest.swap_remove(at);
                        false
                    }
                    None => true,
                };
            a.iter().filter(|row| is_new(row)).cloned().collect::<Answers>()
        };
        return (minus(before, after), minus(after, before));
    }
    let start = before.iter().zip(after).take_while(|(a, b)| a == b).count();
    let end =
        before[start..].iter().rev().zip(after[start..].iter().rev()).take_while(|(a, b)| a == b).count();
    (before[start..before.len() - end].to_vec(), after[start..after.len() - end].to_vec())
}

fn is_set(before: &Answers, after: &Answers, value: &str, family: Family) -> bool {
    let (gone, new) = apart(before, after, family);
    let inner = value.trim_matches('"');
    match (gone.as_slice(), new.as_slice()) {
        ([old], [new]) => {
            // Quotes around the whole are a part of the value to the other reader of sections; they stay.
            let quote = old.2.chars().next().filter(|first| ['"', '\''].contains(first));
            let in_its_quotes = quote.is_some_and(|quote| new.2 == format!("{quote}{value}{quote}"));
            (old.0 == new.0 || family == Family::Literals && old.0 == ["#"])
                && (new.1 != "text"
                    || new.2 == value
                    || new.2 == inner
                    || family == Family::Sections && in_its_quotes)
                && (old.1 == new.1
                    || old.1 == "null"
                    || family == Family::Literals
                    || family == Family::Yaml && old.1 == "other")
        }
        // Of XML an empty element has no text.
        ([], [new]) => new.1 == "text" && new.2 == value,
        // The same value was meant.
        ([], []) => true,
        _ => value.starts_with(['[', '{']),
    }
}

fn is_gone(before: &Answers, after: &Answers, family: Family) -> bool {
    let (gone, new) = apart(before, after, family);
    // A document that holds nothing any more is null to some readers.
    let emptied = new.iter().all(|row| row.0.is_empty() && row.1 == "null");
    (family == Family::Toml || !gone.is_empty()) && emptied
}

fn is_added(before: &Answers, after: &Answers, value: &str, family: Family) -> bool {
    let (gone, new) = apart(before, after, family);
    let named = |row: &(Vec<String>, String, String)| {
        row.0.iter().rev().find(|name| !name.is_empty()).is_some_and(|name| name == "fresh")
    };
    let text =
        new.iter().filter(|row| row.1 == "text").all(|row| row.2 == value || value.starts_with(['[', '{']));
    gone.is_empty()
        && !new.is_empty()
        && text
        && new.iter().all(|row| named(row) || value.starts_with(['[', '{']))
}
