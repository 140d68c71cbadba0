//! Whether the time for a block is the same for 1,000 and for 100,000 of them: all addresses of a file, a setting of
//! the last block but a few, and one value replaced in all. `cargo bench -p gypsum-core --bench scale`
//! prints the items a second, which must not fall with their number.

// A benchmark that cannot be set up should say so at once.
#![allow(clippy::expect_used, clippy::disallowed_macros)]

use divan::Bencher;
use divan::counter::ItemsCount;
use gypsum_core::address::address_of;
use gypsum_core::doc::{Document, Family, Kind};
use gypsum_core::edit::{Edit, File, Guide, propose};

const COUNTS: [usize; 2] = [1_000, 100_000];

/// So many equal blocks, each with a setting of its own number.
fn source(family: Family, count: usize) -> String {
    let blocks = |head: &str, line: &str, tail: &str| -> String {
        (0..count).map(|n| format!("{head}{}{tail}", line.replace("{n}", &n.to_string()))).collect()
    };
    match family {
        Family::Braces => blocks("quay {\n", "  rows 8;\n  number {n};\n", "}\n"),
        Family::Nested => blocks("quay {\n", "  rows = 8\n  number = {n}\n", "}\n"),
        Family::Tags => blocks("<Quay>\n", "  Rows 8\n  Number {n}\n", "</Quay>\n"),
        Family::Sections => blocks("[quay]\n", "rows = 8\nnumber = {n}\n", ""),
        Family::Stanzas => blocks("quay:\n", "  rows: 8\n  number: {n}\n", ""),
        Family::Yaml => format!("quays:\n{}", blocks("", "- rows: 8\n  number: {n}\n", "")),
        Family::Toml => blocks("[[quay]]\n", "rows = 8\nnumber = {n}\n", ""),
        Family::Xml => format!(
            "<quays>\n{}</quays>\n",
            blocks("<quay>", "<rows>8</rows><number>{n}</number>", "</quay>\n")
        ),
        _ => {
            let list = blocks("", "{\"rows\": 8, \"number\": {n}},", "");
            format!("{{\"quays\": [{}]}}\n", list.trim_end_matches(','))
        }
    }
}

const FAMILIES: [Family; 9] = [
    Family::Braces,
    Family::Nested,
    Family::Tags,
    Family::Sections,
    Family::Stanzas,
    Family::Yaml,
    Family::Toml,
    Family::Xml,
    Family::Json,
];

fn read(family: Family, count: usize) -> Document {
    Document::read(source(family, count).into_bytes(), family, family.plain_dialect())
        .expect("it is not too large")
}

/// All addresses of a file.
fn addresses<const COUNT: usize>(bencher: Bencher<'_, '_>, family: Family) {
    bencher.counter(ItemsCount::new(COUNT)).with_inputs(|| read(family, COUNT)).bench_values(|doc| {
        let settings = doc.statements().filter(|(_, kind, _)| *kind == Kind::Setting);
        settings.map(|(leaf, ..)| address_of(&doc, leaf).to_string().len()).sum::<usize>()
    });
}

#[divan::bench(args = FAMILIES, sample_count = 3, sample_size = 1)]
fn addresses_of_1_000(bencher: Bencher<'_, '_>, family: Family) {
    addresses::<{ COUNTS[0] }>(bencher, family);
}

#[divan::bench(args = FAMILIES, sample_count = 3, sample_size = 1)]
fn addresses_of_100_000(bencher: Bencher<'_, '_>, family: Family) {
    addresses::<{ COUNTS[1] }>(bencher, family);
}

/// One value replaced wherever it is, with both proofs.
fn replace_all<const COUNT: usize>(bencher: Bencher<'_, '_>, family: Family) {
    let files = [File { path: "quays".into(), doc: read(family, COUNT) }];
    let edits = [Edit::ReplaceAll { old: "8".into(), new: "9".into() }];
    let guide = Guide::default();
    bencher.counter(ItemsCount::new(COUNT)).bench_local(|| propose(&files, &edits, &guide).expect("it fits"));
}

#[divan::bench(args = FAMILIES, sample_count = 2, sample_size = 1)]
fn replace_all_of_1_000(bencher: Bencher<'_, '_>, family: Family) {
    replace_all::<{ COUNTS[0] }>(bencher, family);
}

#[divan::bench(args = FAMILIES, sample_count = 2, sample_size = 1)]
fn replace_all_of_100_000(bencher: Bencher<'_, '_>, family: Family) {
    replace_all::<{ COUNTS[1] }>(bencher, family);
}

fn main() {
    divan::main();
}
