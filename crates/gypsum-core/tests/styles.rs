//! How a new value is written: in the style of what is there, and so that the daemon reads what was asked for.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;

use common::{Case, check};
use gypsum_core::doc::Family;

#[test]
fn a_word_of_the_shell_is_expanded_only_where_it_was() {
    let table: [Case<'_>; 11] = [
        (Family::Assignments, "A='x'\n", &["A=$5"], Ok("A='$5'\n")),
        (Family::Assignments, "A=x\n", &["A=$5"], Ok("A='$5'\n")),
        (Family::Assignments, "A=\"x\"\n", &["A=it's $5"], Ok("A=\"it's \\$5\"\n")),
        (Family::Assignments, "A=\"$HOME/x\"\n", &["A=$HOME/y"], Ok("A=\"$HOME/y\"\n")),
        (Family::Assignments, "A='x'\n", &["A=it's"], Ok("A=\"it's\"\n")),
        (Family::Assignments, "A=x\n", &["A=two words"], Ok("A=\"two words\"\n")),
        (Family::Assignments, "A=\"x\"\n", &["A="], Ok("A=\"\"\n")),
        (Family::Assignments, "A=x\n", &["A="], Ok("A=\n")),
        (Family::Assignments, "A=~/x\n", &["A=~/y"], Ok("A=~/y\n")),
        (Family::Assignments, "A=x\n", &["A=~/y z"], Ok("A=\"~/y z\"\n")),
        (Family::Assignments, "A=`date`\n", &["A=x"], Err("computed")),
    ];
    check(&table);
}

#[test]
fn quotes_are_kept_and_added_where_they_are_needed() {
    let table: [Case<'_>; 12] = [
        (Family::Keyword, "a x\n", &["a=\""], Ok("a \"\n")),
        (Family::Keyword, "a \"x\"\n", &["a=y"], Ok("a \"y\"\n")),
        (Family::Keyword, "a \"x\"\n", &["a=y z"], Ok("a \"y z\"\n")),
        (Family::Keyword, "a x\n", &["a='own'"], Ok("a 'own'\n")),
        (Family::Sections, "[s]\na = x\n", &["s..a=y # z"], Ok("[s]\na = y # z\n")),
        (Family::Sections, "[s]\na = x\n", &["s..a= y"], Ok("[s]\na = \" y\"\n")),
        (Family::Equals, "a = 'x'\n", &["a=y"], Ok("a = 'y'\n")),
        (Family::Equals, "a = x\n", &["a=y;z"], Ok("a = y;z\n")),
        (Family::Properties, "a=x\n", &["a= y\\z"], Ok("a=\\ y\\\\z\n")),
        (Family::Properties, "a=x\n", &["a=\ty"], Ok("a=\\ty\n")),
        (Family::Braces, "a x;\n", &["a=y;z"], Ok("a \"y;z\";\n")),
        (Family::Toml, "a = 'x'\n", &["a=y'z"], Ok("a = \"y'z\"\n")),
    ];
    check(&table);
}

#[test]
fn the_sort_of_a_value_stays() {
    let table: [Case<'_>; 16] = [
        (Family::Yaml, "a:\nb: 1\n", &["a=5"], Ok("a: 5\nb: 1\n")),
        (Family::Yaml, "a:   # none\n", &["a=tide"], Ok("a: tide   # none\n")),
        (Family::Yaml, "s:\n  \"a b\":\n  c: 1\n", &["s..a b=x: y"], Ok("s:\n  \"a b\": \"x: y\"\n  c: 1\n")),
        (Family::Yaml, "c: 1\na:", &["a=5"], Ok("c: 1\na: 5")),
        (Family::Yaml, "a: null\n", &["a=true"], Ok("a: true\n")),
        (Family::Yaml, "a: null\n", &["a=\"5\""], Ok("a: \"5\"\n")),
        (Family::Yaml, "a: tide\n", &["a=5"], Ok("a: \"5\"\n")),
        (Family::Yaml, "a: true\n", &["a=yes"], Err("sort")),
        (Family::Yaml, "a: yes\n", &["a=no"], Ok("a: no\n")),
        (Family::Yaml, "a: 5\n", &["a=tide"], Err("sort")),
        (Family::Json, "{\"a\": null}\n", &["a=5"], Ok("{\"a\": 5}\n")),
        (Family::Json, "{\"a\": null}\n", &["a=tide"], Ok("{\"a\": \"tide\"}\n")),
        (Family::Json, "{\"a\": \"x\"}\n", &["a=5"], Ok("{\"a\": \"5\"}\n")),
        (Family::Json, "{\"a\": 5}\n", &["a=\"5\""], Ok("{\"a\": \"5\"}\n")),
        (Family::Toml, "a = 5\n", &["a=tide"], Err("sort")),
        (Family::Toml, "a = \"x\"\n", &["a=5"], Ok("a = \"5\"\n")),
    ];
    check(&table);
}

#[test]
fn what_is_new_looks_like_what_is_beside_it() {
    let table: [Case<'_>; 14] = [
        (Family::Xml, "<a>\n  <b>1</b>\n</a>\n", &["?-|a..c=5"], Ok("<a>\n  <b>1</b>\n  <c>5</c>\n</a>\n")),
        (Family::Xml, "<a>\n  <b>1</b>\n</a>\n", &["?-|a..c"], Ok("<a>\n  <b>1</b>\n  <c/>\n</a>\n")),
        (
            Family::Xml,
            "<a>\n  <b x=\"1\"/>\n</a>\n",
            &["a..b..y=2"],
            Ok("<a>\n  <b x=\"1\" y=\"2\"/>\n</a>\n"),
        ),
        (
            Family::Xml,
            "<a>\n  <b>1</b>\n</a>\n",
            &["?-|a..s", "a..s..port=1"],
            Ok("<a>\n  <b>1</b>\n  <s>\n    <port>1</port>\n  </s>\n</a>\n"),
        ),
        (Family::Yaml, "a:\n  b: 1\n", &["?-|a..c=5"], Ok("a:\n  b: 1\n  c: 5\n")),
        (Family::Yaml, "a:\n  - x\n  - y\n", &["?-|a..z"], Ok("a:\n  - x\n  - y\n  - z\n")),
        (Family::Yaml, "a:\n  b: 1\n", &["?-|a..two words=5"], Ok("a:\n  b: 1\n  two words: 5\n")),
        (
            Family::Json,
            "{\n  \"a\": 1\n}\n",
            &["?-|b=2", "?-|c=3"],
            Ok("{\n  \"a\": 1,\n  \"b\": 2,\n  \"c\": 3\n}\n"),
        ),
        (Family::Json, "{\"a\": 1, \"b\": 2, \"c\": 3}\n", &["!a", "!c"], Ok("{ \"b\": 2}\n")),
        (Family::Json, "{\"a\": 1, \"b\": 2, \"c\": 3}\n", &["!a", "!b", "!c"], Ok("{}\n")),
        (Family::Keyword, "a\t1\nb\t2\nlong\t3\n", &["?-|c=4"], Ok("a\t1\nb\t2\nlong\t3\nc\t4\n")),
        (Family::Equals, "a=1\nb = 2\nc = 3\n", &["?-|d=4"], Ok("a=1\nb = 2\nc = 3\nd = 4\n")),
        (Family::Braces, "s {\n\ta 1;\n}\n", &["?-|s..b=2"], Ok("s {\n\ta 1;\n\tb 2;\n}\n")),
        (Family::Sections, "[s]\r\na = 1\r\n", &["?-|s..b=2"], Ok("[s]\r\na = 1\r\nb = 2\r\n")),
    ];
    check(&table);
}

#[test]
fn options_in_a_value_are_words() {
    let table: [Case<'_>; 4] = [
        (Family::Assignments, "O=\"-Xms1g -Xmx2g\"\n", &["O..-Xmx=3g"], Ok("O=\"-Xms1g -Xmx3g\"\n")),
        (Family::Assignments, "O=\"-Da='x y' -Xmx2g\"\n", &["O..-Xmx=3g"], Ok("O=\"-Da='x y' -Xmx3g\"\n")),
        (Family::Assignments, "O=\"-Da='x y' -Xmx2g\"\n", &["O..-Da=z"], Ok("O=\"-Da=z -Xmx2g\"\n")),
        (Family::Assignments, "O=\"-v --port=1\"\n", &["O..--port=2"], Ok("O=\"-v --port=2\"\n")),
    ];
    check(&table);
}

#[test]
fn quoted_keys_are_keys() {
    let table: [Case<'_>; 7] = [
        // A key that is written with escapes is not repeated in plain.
        (Family::Yaml, "'it''s': 1\n", &["it's=2"], Err("repeated")),
        (Family::Yaml, "\"a\\u0062\": 1\n", &["ab=2"], Err("repeated")),
        (Family::Json, "{\"\\u0061b\": 1}\n", &["ab=2"], Err("repeated")),
        (Family::Yaml, "'it''s': 1\n", &["its=2"], Ok("'it''s': 1\nits: 2\n")),
        (Family::Toml, "\"a\\\"b\" = 1\nd = 1\n", &["d=2"], Ok("\"a\\\"b\" = 1\nd = 2\n")),
        (Family::Yaml, "\"a: b\": 1\n", &["a: b=2"], Ok("\"a: b\": 2\n")),
        (Family::Json, "{\"a.b\": 1}\n", &["a.b=2"], Ok("{\"a.b\": 2}\n")),
    ];
    check(&table);
}
