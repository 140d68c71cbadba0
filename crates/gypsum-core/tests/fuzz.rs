//! Files by chance: seeds of our own are torn, doubled, mixed and sprinkled with marks. Whatever comes of it, the
//! leaves tile it, nothing panics, and an edit that is not refused changes what a second reader sees by one thing.
//!
//! `GYPSUM_FUZZ_SECONDS` says for how long each family is tried; `GYPSUM_FUZZ_SEED` where chance begins.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::disallowed_macros)]
#![allow(clippy::disallowed_methods, clippy::disallowed_types)]

mod common;

use common::dialect;
use gypsum_core::address::{Address, address_of};
use gypsum_core::doc::{Document, Family, Kind};
use gypsum_core::edit::{Edit, File, Guide, Where, propose};
use gypsum_core::witness::{Account, Entry, Witness};
use std::time::{Duration, Instant};

/// Numbers by chance, the same for the same seed.
struct Chance(u64);

impl Chance {
    fn below(&mut self, limit: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % limit.max(1)
    }

    fn of<'a, T: ?Sized>(&mut self, all: &[&'a T]) -> &'a T {
        all[self.below(all.len())]
    }
}

const MARKS: [&str; 48] = [
    "\n",
    "\r\n",
    " ",
    "  ",
    "\t",
    "#",
    ";",
    "=",
    ":",
    ": ",
    "- ",
    "\"",
    "'",
    "\\",
    "\\\n",
    "{",
    "}",
    "[",
    "]",
    "(",
    ")",
    ",",
    "//",
    "/*",
    "*/",
    "<!--",
    "-->",
    "<a>",
    "</a>",
    "<![CDATA[",
    "]]>",
    "&amp;",
    "&x;",
    "|\n",
    ">\n",
    "&a ",
    "*a",
    "!t ",
    "---\n",
    "$(x)",
    "`",
    "if x; then\n",
    "fi\n",
    "<<E\n",
    "E\n",
    "true",
    "1_0",
    "\u{feff}",
];

const VALUES: [&str; 16] = [
    "x", "5", "a b", "a#b", "# c", "it's", "\"q\"", "\\", "[1]", "{a: 1}", "yes", "1:30", "$X", "<b>", "é",
    "a;b",
];

fn seeds(family: Family) -> &'static [&'static str] {
    match family {
        Family::Keyword => {
            &["# quays\nPort 8099\n#Rows 8\nNotice \"Fog # north\"\nMatch User ida\n  Rows 3\n"]
        }
        Family::Sections => &[
            "; board\n[quay]\nname = north\nrows=8 # wide\n#clock = 24\n[quay]\nbare\n",
            "top = 1\n[a b]\nx=\n",
        ],
        Family::Tags => &[
            "# berths\n<Berth north>\n  Rows 8\n  <Limit>\n    Deny all\n  </Limit>\n</Berth>\nNotice \"a \\\n b\"\n",
        ],
        Family::Braces => &[
            "board {\n  rows 8; # wide\n  notice \"fog; late\";\n  # clock 24;\n  berth a { depth 5; }\n}\nallow { 10/8; { 11/8; }; };\n",
        ],
        Family::Nested => {
            &["rows = 8\n#clock = 24\nberth north {\n  depth = 5 # m\n  light {\n    on = yes\n  }\n}\n"]
        }
        Family::Equals => {
            &["rows = 8\nnotice = 'fog # late'\n#clock = 24\nberths = north,\n  south\n# c\n  east\n"]
        }
        Family::Properties => &["! board\nrows=8\nnotice : fog\\\n   late\nname\\ x = é \n"],
        Family::Assignments => &[
            "# board\nROWS=8\nexport NOTICE=\"fog $X\"\nif [ \"$ROWS\" ]; then\n  CLOCK=24\nfi\nf() {\n  A=1\n}\ncat <<E\nB=2\nE\n#C=3\nD='x'\n",
        ],
        Family::Literals => &[
            "rows = 8\nnotice = \"fog\"  # late\nberths = [\n  'north',\n  \"south\",\n]\nbig = 2 * 4\nf = run(1)\nmap = {'a': 1}\n#clock = 24\n",
        ],
        Family::Stanzas => &[
            "server:\n  port: 5\n  #rows: 8\n  name: \"a # b\"\nzone:\n  name: x\n",
            "head north\n  rows 8\n  bind :80\nhead south\n  rows 9\n",
        ],
        Family::Records => &["# berths\nnorth 8 wide\nsouth 9\n"],
        Family::Json => &[
            "{\n  \"rows\": 8,\n  \"board\": {\"name\": \"north\", \"on\": true},\n  \"berths\": [1, 2],\n  \"list\": [{\"a\": null}, {\"a\": \"x\\n\"}]\n}\n",
        ],
        Family::Yaml => &[
            "rows: 8\nboard:\n  name: north\n  text: |\n    one\n    two\n  on: true\n#clock: 24\nlist:\n- a: 1\n  b: 2\n- c\nflow: {x: 1, y: [2, 3]}\nbase: &a\n  z: 1\nuse: *a\n",
            "---\na: 1\n...\n---\n- x\n- y: 'it''s'\n",
        ],
        Family::Toml => &[
            "rows = 8\nname = \"north\"\n#clock = 24\n[board]\non = true\nlist = [\n  1,\n  2, # c\n]\n[[berth]]\ndepth = 5\n[[berth]]\ndepth = 6\ntext = \"\"\"\na\nb\"\"\"\n",
        ],
        Family::Xml => &[
            "<?xml version=\"1.0\"?>\n<!-- board -->\n<board rows=\"8\">\n  <name>north</name>\n  <berth depth='5'/>\n  <text a=\"1\">fog &amp; rain</text>\n  <![CDATA[x]]>\n  <empty/>\n</board>\n",
        ],
    }
}

fn mutated(chance: &mut Chance, seeds: &[&str]) -> Vec<u8> {
    let mut text = chance.of(seeds).as_bytes().to_vec();
    for _ in 0..1 + chance.below(4) {
        let at = chance.below(text.len() + 1);
        let end = (at + chance.below(12)).min(text.len());
        match chance.below(6) {
            0 => drop(text.drain(at..end)),
            1 => drop(text.splice(at..at, chance.of(&MARKS).bytes())),
            2 => drop(text.splice(at..end, chance.of(&MARKS).bytes())),
            3 => {
                let again = text[at..end].to_vec();
                drop(text.splice(at..at, again));
            }
            4 if at < text.len() => text[at] = (chance.below(256)) as u8,
            _ => {
                let other = chance.of(seeds).as_bytes();
                let from = chance.below(other.len());
                drop(text.splice(at..end, other[from..].iter().copied().take(40)));
            }
        }
    }
    text
}

/// Tries one file with one edit; whether the edit was done.
fn tried(chance: &mut Chance, family: Family, text: Vec<u8>) -> bool {
    let doc = Document::read(text.clone(), family, dialect(family)).unwrap();
    let joined: Vec<u8> = doc.tree().leaves().flat_map(|(.., span)| span.of(&text).to_vec()).collect();
    assert_eq!(joined, text, "the leaves are the source");
    let settings: Vec<_> = doc
        .statements()
        .filter(|(_, kind, _)| *kind == Kind::Setting)
        .map(|(leaf, _, parts)| (address_of(&doc, leaf), doc.value(&parts), parts.value.is_none()))
        .collect();
    if settings.is_empty() {
        return false;
    }
    let (address, value, bare) = &settings[chance.below(settings.len())];
    if address.to_string().contains('\u{fffd}') || value.contains('\u{fffd}') {
        return false;
    }
    let printed = address.to_string();
    assert_eq!(
        Address::parse(&printed).as_ref().map(ToString::to_string),
        Ok(printed.clone()),
        "it can be typed"
    );
    let files = [File { path: "f".into(), doc: doc.clone() }];
    let guide = Guide { plausible: &|_, _| true, quantity: &|_| true, ..Guide::default() };
    if !bare
        && let Ok(same) =
            propose(&files, &[Edit::Set { address: address.clone(), value: value.clone() }], &guide)
    {
        assert!(same.files.is_empty(), "{printed} set to what it is");
    }
    let new = *chance.of(&VALUES.iter().collect::<Vec<_>>());
    let edit = match chance.below(5) {
        0 | 1 => Edit::Set { address: address.clone(), value: new.into() },
        2 => Edit::Delete(address.clone()),
        3 => Edit::Disable(address.clone()),
        _ => Edit::Add {
            address: Address::parse("fresh").unwrap(),
            value: Some(new.into()),
            spot: Where::Last,
        },
    };
    let Ok(proposal) = propose(&files, std::slice::from_ref(&edit), &guide) else {
        return false;
    };
    let Some(after) = proposal.files.first() else {
        return false;
    };
    let Some(witness) = Witness::of(family) else {
        return true;
    };
    let read = |bytes: &[u8]| witness.read(bytes, doc.dialect());
    let (Ok(before), Ok(now)) = (read(&text), read(after.after())) else {
        panic!("{edit:?} was done on a file that the second reader cannot read");
    };
    assert!(differ_by_one(&before, &now), "{edit:?}\n{}\n→\n{}", show(&text), show(after.after()));
    true
}

fn show(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

/// Whether the accounts are the same but for one run of entries; what is around it may hold more or fewer.
fn differ_by_one(before: &Account, after: &Account) -> bool {
    let same = |a: &Entry, b: &Entry| (&a.name, &a.value, a.block) == (&b.name, &b.value, b.block);
    let start = before.entries.iter().zip(&after.entries).take_while(|(a, b)| same(a, b)).count();
    let (old, new) = (&before.entries[start..], &after.entries[start..]);
    let end = old.iter().rev().zip(new.iter().rev()).take_while(|(a, b)| same(a, b)).count();
    let (old, new) = (&old[..old.len() - end], &new[..new.len() - end]);
    // One thing, with all that is in it: a list set as a whole may come in the place of another.
    let size = |entries: &[Entry], from: usize| entries.first().map_or(0, |first| first.end - from);
    old.len() <= size(old, start).max(64) && new.len() <= size(new, start).max(64)
}

fn fuzz(family: Family) {
    let seconds = std::env::var("GYPSUM_FUZZ_SECONDS").ok().and_then(|text| text.parse().ok()).unwrap_or(1);
    let seed = std::env::var("GYPSUM_FUZZ_SEED").ok().and_then(|text| text.parse().ok()).unwrap_or(7);
    let begun = Instant::now();
    let (mut files, mut done) = (0u64, 0u64);
    while begun.elapsed() < Duration::from_secs(seconds) || files < 200 {
        let mut chance = Chance(seed + files);
        chance.below(1);
        let text = mutated(&mut chance, seeds(family));
        let tried = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| {
            tried(&mut chance, family, text.clone())
        }));
        match tried {
            Ok(was_done) => done += u64::from(was_done),
            Err(panic) => {
                println!("{} with seed {}: {:?}", family.name(), seed + files, show(&text));
                std::panic::resume_unwind(panic);
            }
        }
        files += 1;
    }
    println!("{}: {files} files, {done} edits done", family.name());
    assert!(done * 100 > files, "only {done} of {files} edits had an effect");
}

macro_rules! families {
    ($($name:ident: $family:ident,)*) => { $(
        #[test]
        fn $name() {
            fuzz(Family::$family);
        }
    )* };
}

families! {
    keyword: Keyword,
    sections: Sections,
    tags: Tags,
    braces: Braces,
    nested: Nested,
    equals: Equals,
    properties: Properties,
    assignments: Assignments,
    literals: Literals,
    stanzas: Stanzas,
    records: Records,
    json: Json,
    yaml: Yaml,
    toml: Toml,
    xml: Xml,
}
