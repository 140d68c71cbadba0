//! The tree holds the hard cases of all families, those to come among them, and its leaves always
//! tile the source.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use gypsum_core::doc::{Dialect, Document, Family, Tree, all_commented_out};
use gypsum_core::text::Span;
use proptest::prelude::*;

fn joined(tree: &Tree, source: &[u8]) -> Vec<u8> {
    tree.leaves().flat_map(|(_, _, span)| span.of(source).to_vec()).collect()
}

fn span_of(source: &str, part: &str) -> Span {
    let start = source.find(part).unwrap();
    Span::new(start, start + part.len())
}

#[test]
fn a_value_in_pieces_with_comments_between_is_one_leaf() {
    let source = "mydestination = boards.example,\n# the old name\n    ferries.example\nmyorigin = x\n";
    let dialect = Dialect { continuation: true, ..Family::Equals.plain_dialect() };
    let doc = Document::read(source.into(), Family::Equals, dialect).unwrap();
    let (_, _, parts) = doc.statements().next().unwrap();
    assert_eq!(parts.value.raw(source.as_bytes()), b"boards.example, ferries.example");
    assert_eq!(
        parts.value.hull(),
        Some(span_of(source, "boards.example,\n# the old name\n    ferries.example"))
    );
}

#[test]
fn a_block_scalar_is_one_leaf_in_a_mapping_without_a_closing_mark() {
    let source = "boards:\n  notice: |\n    Mind: the\n    gangway\n  rows: 8\nport: 1\n";
    let doc = Document::read(source.into(), Family::Yaml, Family::Yaml.plain_dialect()).unwrap();
    let tree = doc.tree();
    let inner: Vec<_> = (0..tree.len()).map(|leaf| tree.block_of(leaf)).collect();
    assert_eq!(inner, [None, Some(0), Some(0), None]);
    assert_eq!((tree.block(0).close(), tree.block(0).end()), (None, 3));
    assert_eq!(tree.span(1).of(source.as_bytes()), b"  notice: |\n    Mind: the\n    gangway\n");
}

#[test]
fn nested_blocks_may_stand_on_one_line() {
    let source = "server { location / { expires 1h; } }\n";
    let doc = Document::read(source.into(), Family::Braces, Family::Braces.plain_dialect()).unwrap();
    let tree = doc.tree();
    let pieces: Vec<String> = tree
        .leaves()
        .map(|(.., span)| String::from_utf8_lossy(span.of(source.as_bytes())).trim().to_owned())
        .collect();
    assert_eq!(pieces[..3], ["server {", "location / {", "expires 1h;"]);
    assert_eq!((tree.block(1).parent(), tree.block_of(2)), (Some(0), Some(1)));
    assert_eq!((doc.title(0), doc.title(1)), ("server", "location /"));
}

#[test]
fn a_block_that_stands_commented_out_is_known_as_one() {
    let dialect = Dialect { groups: vec!["Match".into()], ignore_case: true, ..Dialect::default() };
    let source = "#Match User ida\n#\tX11Forwarding no\n#Port 22\n# Port is a number\n#  Port 3\n";
    let doc = Document::read(source.into(), Family::Keyword, dialect).unwrap();
    let found: Vec<(u32, bool)> =
        all_commented_out(&doc).map(|one| (one.leaf, one.under.is_some())).collect();
    assert_eq!(found, [(0, false), (1, true), (2, false), (3, false)]);
}

#[test]
fn groups_without_a_closing_mark_run_to_the_next_one() {
    let dialect = Dialect { groups: vec!["Match".into()], ..Dialect::default() };
    let source = "Port 22\nMatch User a\n  X no\nMatch User b\n  X yes\n";
    let doc = Document::read(source.into(), Family::Keyword, dialect).unwrap();
    assert_eq!((doc.title(0), doc.title(1)), ("Match User a", "Match User b"));
    let blocks: Vec<_> = (0..doc.tree().len()).map(|leaf| doc.tree().block_of(leaf)).collect();
    assert_eq!(blocks, [None, None, Some(0), None, Some(1)]);
    assert!(doc.is_conditional(0));
}

proptest! {
    #[test]
    fn leaves_tile_any_bytes(source: Vec<u8>, family in prop::sample::select(Family::ALL.to_vec()), continuation: bool) {
        let groups = vec!["Match".into()];
        let dialect = Dialect { groups, continuation, equals: true, inline_comments: vec!["#".into()], ..family.plain_dialect() };
        let doc = Document::read(source.clone(), family, dialect).unwrap();
        prop_assert_eq!(joined(doc.tree(), &source), source);
        for (leaf, _, parts) in doc.statements() {
            let span = doc.tree().span(leaf);
            prop_assert!(span.start <= parts.name.start && parts.end <= span.end);
        }
        prop_assert!(all_commented_out(&doc).count() <= doc.tree().len() as usize);
    }

    #[test]
    fn leaves_tile_configuration_like_text(source in "((\u{feff})?([#;/* ]{0,2}[A-Za-z\\[\\]=\"'{};<>:, \t\\\\!]{0,12}(\n|\r\n)?){0,12})") {
        for family in Family::ALL {
            let doc = Document::read(source.clone().into_bytes(), family, family.plain_dialect()).unwrap();
            prop_assert_eq!(joined(doc.tree(), source.as_bytes()), source.as_bytes());
            // A walk says of each leaf what a search for it finds.
            for step in doc.tree().walk() {
                let found = (doc.tree().block_of(step.leaf), doc.tree().opened_by(step.leaf));
                prop_assert_eq!((step.block, step.opens), found);
                prop_assert_eq!((step.kind, step.span), (doc.tree().kind(step.leaf), doc.tree().span(step.leaf)));
            }
        }
    }
}
