//! The four standards: what they read, how they are edited, and that other parsers of theirs agree.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;

use common::{Case, check, edited, read};
use gypsum_core::address::address_of;
use gypsum_core::doc::{Family, Kind};
use proptest::prelude::*;
use std::fmt::Write;

/// Every setting by address and value; what is broken, by its line.
fn told(family: Family, source: &str) -> Vec<String> {
    let doc = read(family, source);
    let tell = |(leaf, kind, _): (u32, Kind, _)| match (kind, doc.parts(leaf)) {
        (Kind::Setting, Some(parts)) if parts.value.is_none() => Some(address_of(&doc, leaf).to_string()),
        (Kind::Setting, Some(parts)) => Some(format!("{}={}", address_of(&doc, leaf), doc.value(&parts))),
        (Kind::Broken, _) => Some(format!("broken in line {}", doc.place(leaf).line)),
        _ => None,
    };
    doc.tree().leaves().filter_map(tell).collect()
}

#[test]
fn standards_are_read() {
    use Family as F;
    let table: [(Family, &str, &[&str]); 13] = [
        (F::Json, "{\"a\": 1, \"b\": {\"c\": \"x\"}, \"d\": [1, 2]}", &["a=1", "b..c=x", "d=[1, 2]"]),
        (F::Json, "[{\"a\": 1}, {\"a\": 2}]", &["\"\"#1..a=1", "\"\"#2..a=2"]),
        (F::Json, "{\n  \"a\": 1\n  \"b\": 2\n}", &["broken in line 2"]),
        (F::Json, "{ // n\n \"a\": [{\"b\": 1}, 2] /* m */\n}", &["a..#1..b=1", "a..2"]),
        (F::Yaml, "a: 1 # n\nb:\n  c: 'it''s'\nd: [1, 2]\n", &["a=1", "b..c=it's", "d=[1, 2]"]),
        (F::Yaml, "l:\n- a\n- b: 1\n  c: 2\n- - x\n", &["l..a", "l..#1..b=1", "l..#1..c=2", "l..#2..x"]),
        (F::Yaml, "t: |\n  a\n  b\n\nx: !t &n 5\ny: *n\nz:\n", &["t=|\n  a\n  b", "x=5", "y=*n", "z"]),
        (F::Yaml, "é: \"ü\\t\"\n? [a]\n: b\nw: 1\n", &["é=ü\t", "w=1"]),
        (F::Yaml, "a: [1\nb: 2\n", &["broken in line 2"]),
        (
            F::Toml,
            "a = 1 # n\n[b.c]\nd = [\n 1, # m\n 2]\n[[e]]\nf = 'x'\n",
            &["a=1", "b.c..d=[\n 1, # m\n 2]", "e..f=x"],
        ),
        (
            F::Toml,
            "a = \"\"\"x\ny\"\"\"\nb.\"c d\" = { e = 1 }\n",
            &["a=x\ny", "\"b.\"\"c d\"\"\"={ e = 1 }"],
        ),
        (F::Toml, "a = 1\nb = \n", &["broken in line 2"]),
        (
            F::Xml,
            "<?xml version=\"1.0\"?>\n<s a='1'>\n <!-- n -->\n <t b=\"2\"/>\n <u>x &amp; y</u><v/>\n <w c=\"3\">z</w>\n</s>\n",
            &["s..a=1", "s..t..b=2", "s..u=x & y", "s..v", "s..w..c=3", "s..w..w=z"],
        ),
    ];
    for (family, source, wanted) in table {
        assert_eq!(told(family, source), wanted, "{} {source:?}", family.name());
    }
}

#[test]
fn standards_are_edited_where_they_stand() {
    use Family as F;
    let table: [Case<'_>; 34] = [
        // The commas of JSON are nobody's concern.
        (F::Json, "{\n  \"a\": 1\n}\n", &["b=2"], Ok("{\n  \"a\": 1,\n  \"b\": 2\n}\n")),
        (F::Json, "{\n  \"a\": 1, // n\n  \"b\": 2\n}\n", &["!b"], Ok("{\n  \"a\": 1 // n\n}\n")),
        (F::Json, "{\n  \"a\": 1,\n  \"b\": 2,\n}\n", &["!b"], Err("not-there")),
        (F::Json, "{\"a\": 1, \"b\": 2}", &["!a"], Ok("{ \"b\": 2}")),
        (F::Json, "{\n  \"a\": 1\n  // \"b\": 2\n}\n", &["b=3"], Ok("{\n  \"a\": 1,\n  \"b\": 3\n}\n")),
        (
            F::Json,
            "{\n  \"a\": 1, // n\n  \"b\": 2\n}\n",
            &["~a"],
            Ok("{\n  //\"a\": 1, // n\n  \"b\": 2\n}\n"),
        ),
        (F::Json, "{\"a\": 1}", &["~a"], Err("no-comments")),
        (F::Json, "{}", &["a=1"], Ok("{ \"a\": 1}")),
        (
            F::Json,
            "{\n  \"a\": {\n    \"b\": 1\n  }\n}\n",
            &["?-|c", "c..d=x", "c..e=true"],
            Ok("{\n  \"a\": {\n    \"b\": 1\n  },\n  \"c\": {\n    \"d\": \"x\",\n    \"e\": true\n  }\n}\n"),
        ),
        // A setting keeps the sort of value that it has.
        (F::Json, "{\"a\": \"1\"}", &["a=2"], Ok("{\"a\": \"2\"}")),
        (F::Json, "{\"a\": 1}", &["a=x"], Err("sort")),
        (F::Json, "{\"a\": 1}", &["a=\"x\""], Ok("{\"a\": \"x\"}")),
        (F::Json, "{\"a\": null}", &["a=x\"y"], Ok("{\"a\": \"x\\\"y\"}")),
        (F::Json, "{\"a\": [\n  \"x\" // n\n]}", &["a+=5"], Ok("{\"a\": [\n  \"x\",\n  \"5\" // n\n]}")),
        (F::Json, "{\"a\": [1, 2]}", &["a-=2", "a+=3"], Ok("{\"a\": [1, 3]}")),
        (F::Yaml, "a: 1  # n\n", &["a=2", "b=no"], Ok("a: 2  # n\nb: no\n")),
        (F::Yaml, "a: x\n", &["a=no"], Ok("a: \"no\"\n")),
        (F::Yaml, "a: 'x'\n", &["a=it's"], Ok("a: 'it''s'\n")),
        (F::Yaml, "a: &n 1\nb: *n\n", &["a=2"], Err("anchor")),
        (F::Yaml, "a: &n 1\nb: *n\n", &["b=2"], Err("anchor")),
        (F::Yaml, "a:\n  b: 1\nc: 2\n", &["a..d=x: y"], Ok("a:\n  b: 1\n  d: \"x: y\"\nc: 2\n")),
        (F::Yaml, "l:\n  - a: 1\n  - a: 2\n", &["l..#2..b=3"], Ok("l:\n  - a: 1\n  - a: 2\n    b: 3\n")),
        (F::Yaml, "l:\n- a\n- b\n", &["l+=c", "l-=a"], Ok("l:\n- b\n- c\n")),
        (F::Yaml, "#a: 1\nb: 2\n", &["a=3"], Ok("a: 3\nb: 2\n")),
        (F::Yaml, "a: 1\n", &["?-|b", "b..c=x"], Ok("a: 1\n\nb:\n  c: x\n")),
        (F::Yaml, "a:\n  b: 1\n", &["!a..b"], Err("last-in-block")),
        (F::Toml, "a = 1 # n\r\n", &["a=2", "b=x"], Ok("a = 2 # n\r\nb = \"x\"\r\n")),
        (
            F::Toml,
            "a = 'x'\n[t]\nb = 1\n",
            &["a=it's", "t..c=true"],
            Ok("a = \"it's\"\n[t]\nb = 1\nc = true\n"),
        ),
        (F::Toml, "a = [\n  1,\n]\n", &["a+=2"], Ok("a = [\n  1,\n  2,\n]\n")),
        (F::Toml, "[[t]]\na = 1\n[[t]]\na = 2\n", &["t#1..a=3"], Ok("[[t]]\na = 3\n[[t]]\na = 2\n")),
        (
            F::Xml,
            "<s>\n  <a>1</a>\n</s>\n",
            &["a=x<y", "b=2"],
            Ok("<s>\n  <a>x&lt;y</a>\n  <b>2</b>\n</s>\n"),
        ),
        (
            F::Xml,
            "<s>\n  <t a='1' />\n</s>\n",
            &["t..a=it's", "t..b=2"],
            Ok("<s>\n  <t a='it&apos;s' b=\"2\" />\n</s>\n"),
        ),
        (F::Xml, "<s>\n  <t a='1'>x</t>\n</s>\n", &["t..t=y"], Ok("<s>\n  <t a='1'>y</t>\n</s>\n")),
        (F::Xml, "<s>\n  <a>1</a>\n</s>\n", &["~a"], Err("no-comments")),
    ];
    check(&table);
}

/// A configuration as any of the standards can hold it.
#[derive(Clone, Debug)]
enum Node {
    Number(u16),
    Flag(bool),
    Text(String),
    List(Vec<u16>),
    Table(Vec<(String, Node)>),
}

fn node() -> impl Strategy<Value = Vec<(String, Node)>> {
    let leaf = prop_oneof![
        any::<u16>().prop_map(Node::Number),
        any::<bool>().prop_map(Node::Flag),
        "[a-z][a-z0-9 :#'\"\\\\<&é-]{0,8}".prop_map(Node::Text),
        prop::collection::vec(any::<u16>(), 0..3).prop_map(Node::List),
    ];
    let entries = |node: BoxedStrategy<Node>| {
        prop::collection::vec(node, 1..4).prop_map(|nodes| {
            nodes.into_iter().enumerate().map(|(n, node)| (format!("k{n}"), node)).collect::<Vec<_>>()
        })
    };
    let inner =
        leaf.clone().boxed().prop_recursive(3, 12, 3, move |node| entries(node).prop_map(Node::Table));
    entries(inner.boxed())
}

fn write(family: Family, entries: &[(String, Node)], depth: usize, flat: bool, path: &str, out: &mut String) {
    let pad = "  ".repeat(depth);
    let text = |text: &str| serde_json::to_string(text).unwrap();
    let (before, after): (&[_], _) = (entries, entries.len());
    for (n, (key, node)) in before.iter().enumerate() {
        let value = match node {
            Node::Number(number) => number.to_string(),
            Node::Flag(flag) => flag.to_string(),
            Node::Text(value) => text(value),
            Node::List(list) => format!("{list:?}"),
            Node::Table(inner) => {
                match family {
                    Family::Json => {
                        let eol = if flat { " " } else { "\n" };
                        write!(out, "{pad}\"{key}\": {{{eol}").unwrap();
                        write(family, inner, depth + 1, flat, "", out);
                        let comma = if n + 1 < after { "," } else { "" };
                        write!(out, "{pad}}}{comma}{eol}").unwrap();
                    }
                    Family::Yaml => {
                        writeln!(out, "{pad}{key}:").unwrap();
                        write(family, inner, depth + 1, flat, "", out);
                    }
                    Family::Toml => {
                        let path = format!("{path}{}{key}", if path.is_empty() { "" } else { "." });
                        writeln!(out, "[{path}] # t").unwrap();
                        let plain = |(_, node): &&(String, Node)| !matches!(node, Node::Table(_));
                        let sorted = inner.iter().filter(plain).chain(inner.iter().filter(|one| !plain(one)));
                        write(family, &sorted.cloned().collect::<Vec<_>>(), depth, flat, &path, out);
                    }
                    _ => {
                        writeln!(out, "{pad}<{key}>").unwrap();
                        write(family, inner, depth + 1, flat, "", out);
                        writeln!(out, "{pad}</{key}>").unwrap();
                    }
                }
                continue;
            }
        };
        match family {
            Family::Json => {
                let comma = if n + 1 < after { "," } else { "" };
                write!(out, "{pad}\"{key}\": {value}{comma}{}", if flat { " " } else { "\n" }).unwrap();
            }
            Family::Yaml => writeln!(out, "{pad}{key}: {value}{}", if flat { "" } else { "  # n" }).unwrap(),
            Family::Toml => writeln!(out, "{key} = {value}{}", if flat { "" } else { "  # n" }).unwrap(),
            _ if flat => writeln!(out, "{pad}<{key} v=\"{}\"/>", value.replace(['"', '&', '<'], "")).unwrap(),
            _ => writeln!(out, "{pad}<{key}>{}</{key}>", value.replace(['"', '&', '<'], "")).unwrap(),
        }
    }
}

fn text_of(family: Family, entries: &[(String, Node)], flat: bool) -> String {
    let mut out = String::new();
    let plain = |(_, node): &&(String, Node)| !matches!(node, Node::Table(_));
    let sorted: Vec<_> =
        entries.iter().filter(plain).chain(entries.iter().filter(|one| !plain(one))).cloned().collect();
    let depth = usize::from(matches!(family, Family::Json | Family::Xml));
    write(family, &sorted, depth, flat, "", &mut out);
    match family {
        Family::Json => format!("{{\n{out}}}\n"),
        Family::Xml => format!("<conf>\n{out}</conf>\n"),
        _ => out,
    }
}

/// Whether a strict parser takes it.
fn is_valid(family: Family, source: &str) -> bool {
    match family {
        Family::Json => serde_json::from_str::<serde_json::Value>(source).is_ok(),
        Family::Toml => toml::from_str::<toml::Table>(source).is_ok(),
        _ => !told(family, source).iter().any(|one| one.starts_with("broken")),
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 150, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn edits_of_standards_do_what_they_say_and_no_more(
        entries in node(), flat: bool, which in 0usize..4, value in "[a-z0-9]([a-z0-9 :#\"'&<é-]{0,5}[a-z0-9])?",
    ) {
        let family = [Family::Json, Family::Yaml, Family::Toml, Family::Xml][which];
        let source = text_of(family, &entries, flat);
        prop_assert!(is_valid(family, &source), "{}", source);
        let before = told(family, &source);
        let doc = read(family, &source);
        for (leaf, _, parts) in doc.statements().filter(|(_, kind, _)| *kind == Kind::Setting) {
            let address = address_of(&doc, leaf).to_string();
            let own = format!("{address}={}", doc.value(&parts));
            prop_assert_eq!(edited(family, &source, &[&own]), Ok(source.clone()), "to what it is: {}", own);
            match edited(family, &source, &[&format!("{address}={value}")]) {
                Ok(after) => {
                    let now = told(family, &after);
                    prop_assert!(is_valid(family, &after), "{}", after);
                    prop_assert_eq!(now.len(), before.len());
                    prop_assert!(now.iter().zip(&before).filter(|(now, before)| now != before).count() <= 1);
                    let read_back = value.trim_matches('"');
                    prop_assert!(now.contains(&format!("{address}={value}")) || now.contains(&format!("{address}={read_back}")), "{} in {:?}", value, now);
                }
                Err(rule) => prop_assert!(["sort", "misread"].contains(&rule.as_str()), "{}", rule),
            }
            match edited(family, &source, &[&format!("!{address}")]) {
                Ok(after) => {
                    prop_assert!(is_valid(family, &after), "{}", after);
                    let rest: Vec<_> = before.iter().filter(|one| **one != own).cloned().collect();
                    prop_assert_eq!(told(family, &after), rest);
                }
                // What held it would be nothing without it.
                Err(rule) => prop_assert!(["misread", "last-in-block"].contains(&rule.as_str()) && matches!(family, Family::Yaml | Family::Xml), "{} {}", rule, address),
            }
            let beside = address.rsplit_once("..").map_or(String::new(), |(outer, _)| format!("{outer}.."));
            let after = edited(family, &source, &[&format!("{beside}new={value}")]);
            prop_assert!(after.is_ok(), "{:?} {}", after, source);
            let after = after.unwrap();
            prop_assert!(is_valid(family, &after), "{}", after);
            prop_assert_eq!(told(family, &after).len(), before.len() + 1);
            if let Ok(commented_out) = edited(family, &source, &[&format!("~{address}")]) {
                prop_assert_eq!(edited(family, &commented_out, &[&format!("+{address}")]), Ok(source.clone()));
            }
        }
    }
}
