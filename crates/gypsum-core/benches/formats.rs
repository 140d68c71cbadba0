//! How fast the families read and edit, and how much memory a tree takes.
//! `cargo bench -p gypsum-core`

// A benchmark that cannot be set up should say so at once.
#![allow(clippy::expect_used, clippy::disallowed_macros)]

use divan::Bencher;
use divan::counter::BytesCount;
use gypsum_core::doc::{Dialect, Document, Family};
use gypsum_core::edit::{Edit, File, Guide, propose};

const MB: usize = 1_000_000;

/// A file of about `size` bytes with the mixture of a shipped configuration: half comments, some blank
/// lines, settings with and without remarks.
fn source(family: Family, size: usize) -> Vec<u8> {
    let (head, setting, tail) = match family {
        Family::Sections => ("[boards{n}]\n", "board_name_{n}    = north quay {n}\n", ""),
        Family::Tags => ("<Quay {n}>\n", "    BoardName{n} north quay {n}\n", "</Quay>\n"),
        Family::Nested => ("quay {n} {\n", "    board_name_{n} = north quay {n}\n", "}\n"),
        Family::Braces => ("quay {n} {\n", "    board_name_{n} \"north quay\" {n};\n", "}\n"),
        Family::Equals => ("", "board_name_{n} = north quay {n}\n", ""),
        Family::Properties => ("", "board.name.{n}=north quay {n}\n", ""),
        Family::Assignments => ("", "export BOARD_NAME_{n}=\"north quay {n}\"\n", ""),
        Family::Literals => ("", "BOARD_NAME_{n} = ['north', 'quay', {n}]\n", ""),
        Family::Stanzas => ("quay{n}:\n", "    board-name-{n}: north quay {n}\n", ""),
        // Strict JSON: each member brings the comma in front of it.
        Family::Json => {
            (",\n  \"quay{n}\": {\n    \"rows\": 8", ",\n    \"board-name-{n}\": \"north quay {n}\"", "\n  }")
        }
        Family::Yaml => ("quay{n}:\n", "  board-name-{n}: north quay {n}\n", ""),
        Family::Toml => ("[quay{n}]\n", "board-name-{n} = \"north quay {n}\"\n", ""),
        Family::Xml => {
            ("  <quay{n}>\n", "    <board-name-{n}>north quay {n}</board-name-{n}>\n", "  </quay{n}>\n")
        }
        Family::Keyword | Family::Records => ("", "BoardName{n} north quay {n} # as painted\n", ""),
    };
    let (before, remark, after) = match family {
        Family::Json => ("{\n  \"mode\": \"good\"", "", "\n}\n"),
        Family::Xml => {
            ("<quays>\n", "<!-- What the boards of this quay are called: no alias yet. -->\n", "</quays>\n")
        }
        _ => ("", "# What the boards of this quay are called.\n#BoardAlias no\n", ""),
    };
    let mut out = Vec::with_capacity(size + 200);
    out.extend_from_slice(before.as_bytes());
    let (mut n, mut block) = (0, 0);
    while out.len() < size || n % 50 != 0 {
        n += 1;
        let fill = |text: &str, n: usize| text.replace("{n}", &n.to_string()).into_bytes();
        if n % 50 == 1 {
            block = n;
            out.extend(fill(head, n));
        }
        out.extend_from_slice(remark.as_bytes());
        out.extend(fill(setting, n));
        if n % 4 == 0 {
            out.extend_from_slice(b"\n");
        }
        if n % 50 == 0 {
            out.extend(fill(tail, block));
        }
    }
    out.extend_from_slice(after.as_bytes());
    if family == Family::Keyword {
        out.extend_from_slice(b"MaxBoards 8\n");
    }
    out
}

fn dialect(family: Family) -> Dialect {
    Dialect { groups: vec!["Match".into()], ignore_case: true, ..family.plain_dialect() }
}

fn read(source: Vec<u8>, family: Family) -> Document {
    Document::read(source, family, dialect(family)).expect("a benchmark's file is small enough")
}

#[divan::bench(args = Family::ALL, sample_count = 10, sample_size = 1)]
fn parse_100_mb(bencher: Bencher<'_, '_>, family: Family) {
    let bytes = source(family, 100 * MB);
    bencher
        .counter(BytesCount::new(bytes.len()))
        .with_inputs(|| bytes.clone())
        .bench_values(|bytes| read(bytes, family));
}

/// Those that are read line by line.
const BY_LINE: [Family; 8] = [
    Family::Keyword,
    Family::Sections,
    Family::Equals,
    Family::Properties,
    Family::Assignments,
    Family::Literals,
    Family::Stanzas,
    Family::Records,
];

fn parse_mb(bencher: Bencher<'_, '_>, family: Family, mb: usize) {
    let bytes = source(family, mb * MB);
    bencher
        .counter(BytesCount::new(bytes.len()))
        .with_inputs(|| bytes.clone())
        .bench_values(|bytes| read(bytes, family));
}

#[divan::bench(args = BY_LINE, sample_count = 10, sample_size = 1)]
fn parse_1_mb(bencher: Bencher<'_, '_>, family: Family) {
    parse_mb(bencher, family, 1);
}

#[divan::bench(args = BY_LINE, sample_count = 3, sample_size = 1)]
fn parse_500_mb(bencher: Bencher<'_, '_>, family: Family) {
    parse_mb(bencher, family, 500);
}

#[divan::bench(args = [4_000, 10 * MB])]
fn edit_and_prove(bencher: Bencher<'_, '_>, size: usize) {
    let doc = read(source(Family::Keyword, size), Family::Keyword);
    let files = [File { path: "boards.conf".into(), doc }];
    let guide = Guide::default();
    let edits = [Edit::parse_set("MaxBoards=9").expect("an edit")];
    bencher.bench_local(|| propose(&files, &edits, &guide).expect("it fits"));
}

fn main() {
    divan::main();
    for family in Family::ALL {
        let doc = read(source(family, 100 * MB), family);
        let (file, tree) = (doc.source().len(), doc.tree().weight());
        println!(
            "{}: file and tree take {:.2} times the file",
            family.name(),
            (file + tree) as f64 / file as f64
        );
    }
}
