//! Every family: what it reads, and how it is edited in its own style.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;

use common::{Case, check, edited, read};
use gypsum_core::address::address_of;
use gypsum_core::doc::{Family, Kind};
use gypsum_core::edit::{Edit, File, Guide, propose};
use proptest::prelude::*;

/// What is in a source: settings by address and value, other statements by their kind.
fn told(family: Family, source: &str) -> Vec<String> {
    let doc = read(family, source);
    let tell = |(leaf, kind, _): (u32, Kind, _)| match (kind, doc.parts(leaf)) {
        (Kind::Setting, Some(parts)) if parts.value.is_none() => Some(address_of(&doc, leaf).to_string()),
        (Kind::Setting, Some(parts)) => Some(format!("{} is {}", address_of(&doc, leaf), doc.value(&parts))),
        (Kind::Opaque | Kind::Broken, _) => Some(format!("{kind:?}")),
        _ => None,
    };
    doc.tree().leaves().filter_map(tell).collect()
}

#[test]
fn families_read_what_daemons_write() {
    let table: [(Family, &str, &[&str]); 19] = [
        (
            Family::Equals,
            "a = 1\nmydestination = x,\n# old\n   y\n\nb=\n",
            &["a is 1", "mydestination is x, y", "b is "],
        ),
        (
            Family::Equals,
            "work_mem = '64 MB'\ninclude_dir 'conf.d'\n",
            &["work_mem is 64 MB", "include_dir is conf.d"],
        ),
        (
            Family::Properties,
            "! note\na.b=1\nc : two\nd three \\\n  four\ne\\ f=5\n",
            &["a.b is 1", "c is two", "d is three four", "e\\ f is 5"],
        ),
        (
            Family::Assignments,
            "A=1\nexport B=\"x y\"\nC='$x'\nif true; then D=2; fi\nE=$(date)\nF=1 # n\n",
            &["A is 1", "B is x y", "C is $x", "Opaque", "Opaque", "F is 1"],
        ),
        (
            Family::Assignments,
            "OPTS=\"-Xms1g \\\n  -Xmx2g\"\n\\. x\necho it\\'s\n",
            &["OPTS is -Xms1g \\\n  -Xmx2g", "Opaque", "Opaque"],
        ),
        (
            Family::Literals,
            "import os\nA = 'x'  # n\nB = [\n  1,\n  2,\n]\nC = 64 * 1024\nD = os.path\nif A:\n    E = 1\n",
            &["Opaque", "A is x", "B is [\n  1,\n  2,\n]", "C is 64 * 1024", "Opaque", "Opaque", "Opaque"],
        ),
        (Family::Literals, "\"\"\"Doc\nA = 1\n\"\"\"\nB = True\n", &["Opaque", "B is True"]),
        (
            Family::Stanzas,
            "server:\n  port: 53\n  # c\nforward-zone:\n  name: \".\"\n",
            &["server..port is 53", "forward-zone..name is ."],
        ),
        (Family::Records, "10.0.0.1 boards.example boards # quay\n", &["10.0.0.1 is boards.example boards"]),
        (
            Family::Tags,
            "ServerName a\n<VirtualHost *:80>\n  DocumentRoot /x\n  <IfModule mod>\n    A \\\n b\n  </IfModule>\n</VirtualHost>\n",
            &[
                "ServerName is a",
                "VirtualHost *:80..DocumentRoot is /x",
                "VirtualHost *:80..IfModule mod..A is \\\n b",
            ],
        ),
        (Family::Tags, "</X>\n<\n", &["Broken", "Broken"]),
        (
            Family::Braces,
            "user www;\nhttp { server { server_name a b; listen 80; } }\n",
            &["user is www", "http..server a..server_name is a b", "http..server a..listen is 80"],
        ),
        (
            Family::Braces,
            "# x { y\nzone \"a\" { type master; }; // n\n/* b; {\n */ c d;\n",
            &["zone \"a\"..type is master", "c is d"],
        ),
        (
            Family::Braces,
            "a \"x;{\" ${v};\nlocation ~ \\.php$ {\n b c; # d\n}\n",
            &["a is \"x;{\" ${v}", "location ~ \\.php$..b is c"],
        ),
        (Family::Braces, "a b\n}\n;", &["Broken", "Broken"]),
        (
            Family::Nested,
            "# c\na = b  # d\nprotocol imap {\n  e = f g\n  passdb {\n    driver = pam\n  }\n}\nrotate {\n weekly\n}\n",
            &["a is b", "protocol imap..e is f g", "protocol imap..passdb..driver is pam", "rotate..weekly"],
        ),
        (Family::Nested, "}\na {\nb = c\n", &["Broken", "a..b is c"]),
        (Family::Keyword, "A 1\n", &["A is 1"]),
        (Family::Sections, "[a b]\nc = 1\n", &["a b..c is 1"]),
    ];
    for (family, source, wanted) in table {
        let wanted: Vec<String> = wanted
            .iter()
            .map(|one| (*one).replace("\"a\"..", "\"\"a\"\"\"..").replace("zone \"\"", "\"zone \"\""))
            .collect();
        assert_eq!(told(family, source), wanted, "{} {source:?}", family.name());
    }
}

#[test]
fn families_are_edited_in_their_own_style() {
    use Family as F;
    let server = "http {\n    server {\n        server_name boards.example;\n        location / {\n            expires 1h;\n        }\n    }\n}\n";
    let table: [Case<'_>; 46] = [
        (F::Nested, "#a = 1\nb {\n  c = d\n}\n", &["a=2", "b..c=e"], Ok("a = 2\nb {\n  c = e\n}\n")),
        (F::Nested, "b {\n  c = d\n}\n", &["b..f=g"], Ok("b {\n  c = d\n  f = g\n}\n")),
        (F::Equals, "a = 1\n#b = 2\n", &["b=3"], Ok("a = 1\nb = 3\n")),
        (F::Equals, "a   = x,\n# old\n  y\nb = 1\n", &["a=z"], Ok("a   = z\n# old\nb = 1\n")),
        (F::Equals, "a = 'x y'\n", &["a=z w"], Ok("a = 'z w'\n")),
        (F::Equals, "a = 1\n", &["c=3"], Ok("a = 1\nc = 3\n")),
        (F::Equals, "a = x,\n  y\nb = 1\n", &["~a"], Ok("#a = x,\n#  y\nb = 1\n")),
        // All lines of what sleeps wake, and prose below them does not.
        (F::Equals, "#a = x,\n#\ty\n# z\nb = 1\n", &["+a"], Ok("a = x,\n\ty\n# z\nb = 1\n")),
        (F::Toml, "# a = [\n#   1, # d\n# ]\n# z\n", &["+a"], Ok("a = [\n  1, # d\n]\n# z\n")),
        (F::Properties, "#a=x \\\n#  y\n# z\n", &["+a"], Ok("a=x \\\n  y\n# z\n")),
        (F::Properties, "a.b: 1\n#c.d=2\n", &["c.d=3", "a.b=2"], Ok("a.b: 2\nc.d=3\n")),
        (F::Properties, "a=1 \\\n  2\r\nb=3\r\n", &["a=4"], Ok("a=4\r\nb=3\r\n")),
        (F::Assignments, "A=\"x\"\n", &["A=y z"], Ok("A=\"y z\"\n")),
        (F::Assignments, "A=x\n", &["A=y z"], Ok("A=\"y z\"\n")),
        (F::Assignments, "A='x'\n", &["A=it's"], Ok("A=\"it's\"\n")),
        (F::Assignments, "#export A=x\nB=1\n", &["A=y"], Ok("export A=y\nB=1\n")),
        (F::Assignments, "export A=x\n", &["~A"], Ok("#export A=x\n")),
        (
            F::Assignments,
            "if x; then\n  :\nfi\nA=1\n",
            &["B=$HOME"],
            Ok("if x; then\n  :\nfi\nA=1\nB='$HOME'\n"),
        ),
        (F::Literals, "A = 'x'\nB = 5\n", &["A=y", "B=64 * 1024"], Ok("A = 'y'\nB = 64 * 1024\n")),
        (F::Literals, "B = 5\n", &["B=it's"], Ok("B = \"it's\"\n")),
        (F::Literals, "A = [\n    1,\n]  # n\n", &["A=[2]"], Ok("A = [2]  # n\n")),
        (
            F::Stanzas,
            "server:\n    port: 53\n",
            &["server..verbosity=1"],
            Ok("server:\n    port: 53\n    verbosity: 1\n"),
        ),
        (F::Stanzas, "server:\n", &["server..port=53"], Ok("server:\n    port: 53\n")),
        (F::Stanzas, "server:\n", &["port=53"], Err("no-section")),
        (F::Records, "10.0.0.1 a\n", &["10.0.0.1=b c"], Ok("10.0.0.1 b c\n")),
        (F::Tags, "<V *>\n  A 1\n</V>\n", &["V *..A=2", "V *..B=3"], Ok("<V *>\n  A 2\n  B 3\n</V>\n")),
        (F::Tags, "<V *>\n</V>\nA 1\n", &["B=3", "V..C=4"], Ok("<V *>\n    C 4\n</V>\nA 1\nB 3\n")),
        (F::Tags, "#<V *>\n#  A 1\n#</V>\nB 1\n", &["A=2"], Ok("#<V *>\n#  A 1\n#</V>\nB 1\nA 2\n")),
        (
            F::Braces,
            server,
            &["location /..expires=2h"],
            Ok(
                "http {\n    server {\n        server_name boards.example;\n        location / {\n            expires 2h;\n        }\n    }\n}\n",
            ),
        ),
        (
            F::Braces,
            server,
            &["server boards.example..listen=80"],
            Ok(
                "http {\n    server {\n        server_name boards.example;\n        listen 80;\n        location / {\n            expires 1h;\n        }\n    }\n}\n",
            ),
        ),
        (F::Braces, "a 1; b 2;\n", &["!a"], Ok(" b 2;\n")),
        (F::Braces, "s {\n  l / {\n    a 1;\n  }\n}\nb 2;\n", &["!s..l /"], Ok("s {\n}\nb 2;\n")),
        (F::Braces, "s {\n  l {\n\n    a 1;\n  }\n}\n", &["~l"], Ok("s {\n  #l {\n#\n  #  a 1;\n  #}\n}\n")),
        (F::Braces, "s {\n  #l {\n#\n  #  a 1;\n  #}\n}\n", &["+l"], Ok("s {\n  l {\n\n    a 1;\n  }\n}\n")),
        (F::Braces, "s { l { a 1; } }\n", &["~l"], Err("shares-its-line")),
        (F::Sections, "[a]\nb=1\n\n# of c\n[c]\nd=2\n", &["!a"], Ok("\n# of c\n[c]\nd=2\n")),
        (
            F::Assignments,
            "J=\"-a -Xss1m\"\nJ=\"$J -b\"\n",
            &["J..-Xss*=2", "J..-Xmx=1g"],
            Ok("J=\"-a -Xss2m\"\nJ=\"$J -b -Xmx1g\"\n"),
        ),
        (F::Assignments, "J=\"-a --x=1\"\n", &["!J..-a", "J..--x=2"], Ok("J=\"--x=2\"\n")),
        (F::Assignments, "J=-a\n", &["?-|J..-b"], Ok("J=\"-a -b\"\n")),
        (F::Assignments, "J=\"-s -s\"\n", &["!J..-s"], Err("option")),
        (F::Literals, "A = [\n    'x',  # n\n    'y'\n]\n", &["A-=y"], Ok("A = [\n    'x'  # n\n]\n")),
        (F::Literals, "A = ('x', 'y')\n", &["A-=y", "A+=80"], Ok("A = ('x', '80',)\n")),
        (F::Braces, "a 1; b 2;\n", &["~a"], Err("shares-its-line")),
        (F::Braces, "s { a 1; }\n", &["s..b=2"], Ok("s { a 1; b 2; }\n")),
        (F::Braces, "  #listen 80;\n  a 1;\n", &["listen=81"], Ok("  listen 81;\n  a 1;\n")),
        (F::Braces, "a 1;\n", &["b=x;y"], Ok("a 1;\nb \"x;y\";\n")),
    ];
    check(&table);
}

#[test]
fn a_block_that_stands_commented_out_is_woken_whole() {
    use Family as F;
    let bind = "options {\n\tdirectory \"/x\";\n\n\t// If your provider names some, wake this:\n\t// forwarders {\n\t// \t0.0.0.0;\n\t// };\n\n\t// more prose { here\n\tlisten-on-v6 { any; };\n};\n";
    let active = "options {\n\tdirectory \"/x\";\n\n\t// If your provider names some, wake this:\n\tforwarders {\n\t\t0.0.0.0;\n\t};\n\n\t// more prose { here\n\tlisten-on-v6 { any; };\n};\n";
    let table: [Case<'_>; 7] = [
        (F::Braces, bind, &["+options..forwarders"], Ok(active)),
        (F::Braces, bind, &["+more"], Err("not-there")),
        (
            F::Braces,
            "#a {\n#  b {\n#    c 1;\n#  }\n#}\n#d 1;\n",
            &["+a"],
            Ok("a {\n  b {\n    c 1;\n  }\n}\n#d 1;\n"),
        ),
        (F::Tags, "# <V *>\n#   A 1\n# </V>\n", &["+V *"], Ok("<V *>\n  A 1\n</V>\n")),
        (F::Stanzas, "#zone:\n#  name: x\n#other\n", &["+zone"], Ok("zone:\n  name: x\n#other\n")),
        // Rules are found by their value.
        (
            F::Keyword,
            "allow a\ndeny all\nallow b\n",
            &["!allow b", "?<deny all|allow=c"],
            Ok("allow a\nallow c\ndeny all\n"),
        ),
        (F::Keyword, "allow a\nallow b\n", &["allow b=c"], Ok("allow a\nallow c\n")),
    ];
    check(&table);
}

#[test]
fn what_is_added_goes_where_it_is_to_go() {
    use Family as F;
    let server = "http {\n  server {\n    listen 80;\n  }\n}\n";
    let table: [Case<'_>; 38] = [
        (F::Keyword, "# top\nA 1\nB 2\n", &["?-|A=3"], Ok("# top\nA 1\nA 3\nB 2\n")),
        (F::Keyword, "# top\nA 1\nB 2\n", &["?^|C=3"], Ok("# top\nC 3\nA 1\nB 2\n")),
        (F::Keyword, "A 1\nB 2\n", &["?$|A=3"], Ok("A 1\nB 2\nA 3\n")),
        (F::Keyword, "allow a\ndeny b\n", &["?<deny|allow=c"], Ok("allow a\nallow c\ndeny b\n")),
        (F::Keyword, "allow a\ndeny b\n", &["?>allow|allow=c"], Ok("allow a\nallow c\ndeny b\n")),
        (F::Keyword, "A 1\n", &["?<B|A=2"], Err("not-there")),
        (F::Keyword, "A 1\n", &["?-|flag"], Ok("A 1\nflag\n")),
        (F::Sections, "[s]\na=1\n", &["?-|s..bare"], Ok("[s]\na=1\nbare\n")),
        (F::Sections, "[s]\na=1\n", &["?-|t", "t..b=2"], Ok("[s]\na=1\n\n[t]\nb = 2\n")),
        (
            F::Braces,
            server,
            &["?-|http..server..location /api", "http..server..location /api..expires=1h"],
            Ok("http {\n  server {\n    listen 80;\n    location /api {\n      expires 1h;\n    }\n  }\n}\n"),
        ),
        (
            F::Braces,
            server,
            &["?-|server..location /", "server..location /..a=1", "server..location /..b=x;"],
            Ok(
                "http {\n  server {\n    listen 80;\n    location / {\n      a 1;\n      b \"x;\";\n    }\n  }\n}\n",
            ),
        ),
        (F::Braces, "s { a 1; }\n", &["?-|s..t", "s..t..b=1"], Err("shares-its-line")),
        (F::Braces, "a 1;\n", &["?-|s", "s..b=1"], Ok("a 1;\n\ns {\n    b 1;\n}\n")),
        (
            F::Tags,
            "<V *>\n  A 1\n</V>\n",
            &["?-|V..Dir /x", "V..Dir /x..B=2"],
            Ok("<V *>\n  A 1\n  <Dir /x>\n    B 2\n  </Dir>\n</V>\n"),
        ),
        (
            F::Stanzas,
            "server:\n  a: 1\n",
            &["?-|zone", "zone..name=x"],
            Ok("server:\n  a: 1\n\nzone:\n  name: x\n"),
        ),
        (
            F::Braces,
            "o {\n\ta 1;\n};\n",
            &["?-|o..l", "o..l..any="],
            Ok("o {\n\ta 1;\n\tl {\n\t\tany;\n\t};\n};\n"),
        ),
        // Two blocks are two; a section that is there twice is one.
        (F::Braces, "s {\n}\ns {\n}\n", &["s..a=1"], Err("ambiguous")),
        (F::Braces, "s {\n}\ns {\n}\n", &["s#2..a=1"], Ok("s {\n}\ns {\n    a 1;\n}\n")),
        (
            F::Braces,
            "s {\n}\nh {\n    s {\n    }\n}\n",
            &["s..a=1"],
            Ok("s {\n    a 1;\n}\nh {\n    s {\n    }\n}\n"),
        ),
        (F::Sections, "[s]\na=1\n[t]\n[s]\n", &["s..b=1"], Ok("[s]\na=1\n[t]\n[s]\nb = 1\n")),
        (F::Records, "a 1\n", &["?-|s", "s..b=1"], Err("no-blocks")),
        (
            F::Equals,
            "h = a.example\nn = a.example, b\nl = aa.example\n",
            &["%a.example|c.example"],
            Ok("h = c.example\nn = c.example, b\nl = aa.example\n"),
        ),
        (F::Equals, "h = 1\n", &["%2|3"], Err("not-there")),
        (F::Assignments, "HEAP=\"512m\"\n", &["HEAP*=2"], Ok("HEAP=\"1024m\"\n")),
        (F::Equals, "#m = 64MB\n", &["m+=64MB"], Ok("m = 128MB\n")),
        (F::Equals, "m = 64MB\n", &["m+=64"], Err("no-quantity")),
        // A value with several words shows that it is a list, and what parts them.
        (F::Equals, "q = a, b\n", &["q+=c", "q-=a"], Ok("q = b, c\n")),
        (F::Equals, "q = a,b\n", &["q+=c"], Ok("q = a,b,c\n")),
        (F::Keyword, "q a b # x\n", &["q+=c"], Ok("q a b c # x\n")),
        (F::Equals, "q = a, b\n", &["q-=d"], Err("not-there")),
        (F::Equals, "q = a b, c\n", &["q+=d"], Err("no-quantity")),
        (F::Records, "q a,b c\n", &["q+=d"], Err("no-quantity")),
        (F::Records, "q=r a b\n", &["q=r=c"], Err("ambiguous")),
        (F::Records, "q=r a b\n", &["\"q=r\"=c d"], Ok("q=r c d\n")),
        (F::Equals, "q = one\n", &["q+=two"], Err("no-quantity")),
        (F::Equals, "q = 10 s\n", &["q+=two"], Err("no-quantity")),
        (F::Equals, "q = a, , b\n", &["q+=c"], Err("no-quantity")),
        (F::Equals, "q = \"a, b\" c\n", &["q+=d"], Err("no-quantity")),
    ];
    check(&table);
}

#[test]
fn a_remark_stands_above_in_the_files_own_comment_style() {
    let table = [
        (Family::Sections, "[s]\n  a=1\n", "s..b=2", "[s]\n  a=1\n  # why\n  b=2\n"),
        (Family::Keyword, "A 1\r\nB 2\r\n", "A=3", "# why\r\nA 3\r\nB 2\r\n"),
        (Family::Braces, "s {\n\ta 1;\n}\n", "s..a=2", "s {\n\t# why\n\ta 2;\n}\n"),
    ];
    for (family, source, edit, wanted) in table {
        let files = [File { path: "/etc/x".into(), doc: read(family, source) }];
        let guide = Guide { remark: Some("why"), ..Guide::default() };
        let proposal = propose(&files, &[Edit::parse_set(edit).unwrap()], &guide).unwrap();
        assert_eq!(String::from_utf8_lossy(proposal.files[0].after()), wanted);
    }
}

fn text() -> impl Strategy<Value = String> {
    let line = prop_oneof![
        "#?[ab](=| = |: | )[a-z0-9'\"]{0,5};?",
        "[ \t]{0,4}[abc] ?[=:]? ?[a-z0-9\"'\\[\\](){},]{0,8}[;\\\\]?",
        "<[AB] x>|</[AB]>|\\[[ab]\\]|[ab]:|[ab] \\{|\\}",
        "# [A-Za-z =:;{}]{0,20}",
        "(//|/\\*|\\*/) ?[a-z;]{0,4}",
        "[^\n\r\\x00]{0,10}",
        "",
    ];
    (prop::collection::vec(line, 0..10), prop::sample::select(vec!["\n", "\r\n"]), any::<bool>())
        .prop_map(|(lines, eol, ended)| lines.join(eol) + if ended { eol } else { "" })
}

/// Whether a line begins with one blank, as prose does behind a mark.
fn has_prose_blanks(text: &[u8]) -> bool {
    text.windows(3).any(|three| three[..2] == *b"\n " && !three[2].is_ascii_whitespace())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 600, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn every_edit_reads_back_and_changes_nothing_else(source in text(), value in "[a-z0-9][a-z0-9 ]{0,5}", which in 0usize..10) {
        let family = Family::ALL[which];
        let before = told(family, &source);
        let doc = read(family, &source);
        for (leaf, kind, _) in doc.statements().filter(|(_, kind, _)| *kind == Kind::Setting).take(4) {
            prop_assert_eq!(kind, Kind::Setting);
            let address = address_of(&doc, leaf).to_string();
            if address.starts_with(['+', '~', '!', '?', '%']) { continue; }
            // Proven inside: what comes out differs by exactly this, or nothing comes out.
            if let Ok(after) = edited(family, &source, &[&format!("{address}={value}")]) {
                let now = told(family, &after);
                prop_assert_eq!(now.len(), before.len(), "{}", after);
                let changed = now.iter().zip(&before).filter(|(now, before)| now != before).count();
                let commented_out = format!("{address} is {}", value.trim());
                // The name of a block may be the value of one of its settings.
                let renames = family == Family::Braces;
                prop_assert!(changed <= 1 || renames, "{:?} {:?}", before, now);
                prop_assert!(renames || now.iter().any(|one| *one == commented_out || one.ends_with(&value)), "{} in {:?}", commented_out, now);
            }
            if let Ok(after) = edited(family, &source, &[&format!("!{address}")]) {
                prop_assert_eq!(told(family, &after).len() + 1, before.len(), "{:?}", after);
            }
        }
    }

    #[test]
    fn disabled_and_enabled_again_is_the_same_bytes(source in text(), which in 0usize..10) {
        let family = Family::ALL[which];
        let doc = read(family, &source);
        let quiet = !doc.tree().leaves().any(|(_, kind, _)| kind == Kind::Comment);
        for (leaf, ..) in doc.statements().filter(|(_, kind, _)| *kind == Kind::Setting).take(3) {
            let address = address_of(&doc, leaf).to_string();
            // One name, no comments around: there is one thing to wake.
            let name = doc.parts(leaf).unwrap().name;
            let twins = doc.statements().filter(|(_, _, other)| other.name.of(doc.source()) == name.of(doc.source())).count();
            if twins > 1 { continue; }
            // Where a mark ends a statement, its last line alone may read as one that sleeps.
            let text = doc.tree().span(leaf).of(doc.source()).trim_ascii();
            let unclear = text.contains(&b'\n') && (family == Family::Braces || has_prose_blanks(text));
            if !quiet || unclear || address.contains('#') || address.starts_with(['+', '~', '!', '?', '%']) { continue; }
            if let Ok(commented_out) = edited(family, &source, &[&format!("~{address}")])
                && let Ok(active) = edited(family, &commented_out, &[&format!("+{address}")])
            {
                prop_assert_eq!(&active, &source);
            }
        }
    }
}
