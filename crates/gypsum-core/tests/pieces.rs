//! Prepared pieces put into files, and the commas of JSON that edits leave missing or over.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;

use gypsum_core::address::Address;
use gypsum_core::doc::Family::{self, Braces, Json, Keyword, Sections, Yaml};
use gypsum_core::edit::{Edit, File, Guide, Where, propose};

/// What comes of a piece under a block, or the rules of what refuses it.
fn put(family: Family, source: &str, piece: &str, under: &str, spot: Where) -> Result<String, String> {
    let files = [File { path: "/etc/x".into(), doc: common::read(family, source) }];
    let under = (!under.is_empty()).then(|| Address::parse(under).unwrap());
    let edit = Edit::Piece { text: piece.into(), under, spot };
    let guide = Guide { plausible: &|_, _| true, quantity: &|_| true, ..Guide::default() };
    match propose(&files, &[edit], &guide) {
        Ok(proposal) => Ok(String::from_utf8(proposal.files[0].after().to_vec()).unwrap()),
        Err(findings) => Err(findings.iter().map(|one| one.rule.as_str()).collect::<Vec<_>>().join(" ")),
    }
}

#[test]
fn a_piece_is_indented_to_its_place_and_keeps_its_own_layout() {
    let beside = Where::NextToSiblings;
    let above = |name: &str| Where::Above(Address::parse(name).unwrap());
    let below = |name: &str| Where::Below(Address::parse(name).unwrap());
    for (family, source, piece, under, spot, wanted) in [
        (Keyword, "a 1\n", "b 2\nc 3\n", "", Where::Last, Ok("a 1\nb 2\nc 3\n")),
        (Keyword, "a 1", "b 2\n", "", Where::Last, Ok("a 1\nb 2\n")),
        (Keyword, "a 1\nz 9\n", "  b 2\n  c 3\n", "", below("a"), Ok("a 1\nb 2\nc 3\nz 9\n")),
        (Keyword, "a 1\nz 9\n", "b 2\n", "", above("a"), Ok("b 2\na 1\nz 9\n")),
        // The file's own line ends.
        (Keyword, "a 1\r\n", "b 2\nc 3\n", "", Where::Last, Ok("a 1\r\nb 2\r\nc 3\r\n")),
        (
            Braces,
            "quay {\n    a 1;\n}\n",
            "\tberth {\n\t\tb 2;\n\n\t\tc 3;\n\t}\n",
            "quay",
            beside.clone(),
            Ok("quay {\n    a 1;\n    berth {\n    \tb 2;\n\n    \tc 3;\n    }\n}\n"),
        ),
        (Braces, "quay {\n}\n", "b 2;\n", "quay", beside.clone(), Ok("quay {\n    b 2;\n}\n")),
        (Braces, "quay {\n a 1; }\n", "b 2;\n", "quay", beside.clone(), Err("shares-its-line")),
        (Braces, "quay {\n a 1;\n}\n", "b {\n", "quay", beside.clone(), Err("piece")),
        (Braces, "quay {\n a 1;\n}\n", "}\nb {\n", "quay", beside.clone(), Err("piece")),
        (Braces, "quay {\n a 1;\n}\n", "# a remark alone\n", "quay", beside.clone(), Err("piece")),
        (
            Sections,
            "[quay]\na=1\n\n[pier]\nb=2\n",
            "c=3\n",
            "quay",
            beside.clone(),
            Ok("[quay]\na=1\nc=3\n\n[pier]\nb=2\n"),
        ),
        (
            Yaml,
            "quay:\n  a: 1\n",
            "b: 2\nc:\n  - 3\n",
            "quay",
            beside,
            Ok("quay:\n  a: 1\n  b: 2\n  c:\n    - 3\n"),
        ),
    ] {
        let got = put(family, source, piece, under, spot);
        assert_eq!(got.as_deref().map_err(String::as_str), wanted, "{} {source:?} {piece:?}", family.name());
    }
}

/// A comma behind each member but the last.
#[test]
fn commas_are_where_the_file_has_them() {
    common::check(&[
        (Json, "{\"a\": 1}\n", &["?$|b=2"], Ok("{\"a\": 1, \"b\": 2}\n")),
        (Json, "{\n  \"a\": 1\n}\n", &["?$|b=2"], Ok("{\n  \"a\": 1,\n  \"b\": 2\n}\n")),
        (Json, "{\n  \"a\": 1,\n  \"b\": 2\n}\n", &["!b"], Ok("{\n  \"a\": 1\n}\n")),
        (Json, "{\n  \"a\": 1,\n  \"b\": 2\n}\n", &["!a"], Ok("{\n  \"b\": 2\n}\n")),
        (Json, "{\n  \"a\": 1,\n  \"b\": 2,\n  \"c\": 3\n}\n", &["!a", "!c"], Ok("{\n  \"b\": 2\n}\n")),
        (Json, "{\n  \"a\": 1,\n  \"b\": 2,\n  \"c\": 3\n}\n", &["!b", "!c"], Ok("{\n  \"a\": 1\n}\n")),
        (
            Json,
            "{\n  \"a\": 1 // one, two\n}\n",
            &["?$|b=2"],
            Ok("{\n  \"a\": 1, // one, two\n  \"b\": 2\n}\n"),
        ),
        (Json, "{\n  \"a\": 1 /* , */\n}\n", &["?$|b=2"], Ok("{\n  \"a\": 1, /* , */\n  \"b\": 2\n}\n")),
        (Json, "{\n  \"a\": \"x\\\",\"\n}\n", &["?$|b=2"], Ok("{\n  \"a\": \"x\\\",\",\n  \"b\": 2\n}\n")),
        (
            Json,
            "{\n  \"q\": {\n    \"a\": 1\n  }\n}\n",
            &["?$|q..b=2"],
            Ok("{\n  \"q\": {\n    \"a\": 1,\n    \"b\": 2\n  }\n}\n"),
        ),
        (
            Json,
            "{\n  \"q\": {\n    \"a\": 1\n  }\n}\n",
            &["?$|b=2"],
            Ok("{\n  \"q\": {\n    \"a\": 1\n  },\n  \"b\": 2\n}\n"),
        ),
        (Json, "{\n  \"a\": 1\n}\n", &["!a"], Ok("{\n}\n")),
        (
            Json,
            "{\n  \"a\": [1, 2]\n}\n",
            &["a=[1]", "?$|b=true"],
            Ok("{\n  \"a\": [1],\n  \"b\": true\n}\n"),
        ),
    ]);
}

/// What is new goes below the block before it, at the same depth.
#[test]
fn a_setting_behind_a_block_is_indented_like_it() {
    common::check(&[
        (Braces, "pier {\n  a 1;\n}\n", &["?$|b=2"], Ok("pier {\n  a 1;\n}\nb 2;\n")),
        (Json, "{\n    \"q\": {\n    }\n}\n", &["?$|b=2"], Ok("{\n    \"q\": {\n    },\n    \"b\": 2\n}\n")),
    ]);
}
