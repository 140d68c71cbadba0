//! Edits at the edges: of a block, of a file, of a list, of a word; and what is refused there.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;

use common::{Case, check, edited, read};
use gypsum_core::doc::Family;
use gypsum_core::edit::{Edit, File, Guide, Where, propose};

#[test]
fn blocks_begin_and_end_where_their_format_says() {
    let table: [Case<'_>; 9] = [
        // A header of TOML goes with its own keys, and not with the tables below it.
        (Family::Toml, "[a]\nx = 1\n\n[a.b]\ny = 2\n", &["!a"], Ok("\n[a.b]\ny = 2\n")),
        (Family::Toml, "[[a]]\nx = 1\n\n[[a]]\nx = 2\n", &["!a#1"], Ok("\n[[a]]\nx = 2\n")),
        (Family::Sections, "[s]\na = 1\n", &["t..b=2"], Err("no-such-block")),
        (Family::Braces, "s {\n  a 1;\n}\n", &["!s"], Ok("")),
        (Family::Braces, "s { a 1; }\n", &["s..a=2"], Ok("s { a 2; }\n")),
        (Family::Braces, "s {\n  a 1;\n}\nt {\n}\n", &["?>s|b=2"], Ok("s {\n  a 1;\n}\nb 2;\nt {\n}\n")),
        (Family::Braces, "s {\n  a 1;\n}\nt {\n}\n", &["?<t|b=2"], Ok("s {\n  a 1;\n}\nb 2;\nt {\n}\n")),
        (Family::Tags, "<S x>\n  A 1\n</S>\n", &["S x..A=2"], Ok("<S x>\n  A 2\n</S>\n")),
        (Family::Tags, "<S x>\n  A 1\n</S>\n", &["~S x"], Ok("#<S x>\n#  A 1\n#</S>\n")),
    ];
    check(&table);
}

#[test]
fn elements_of_lists_go_with_their_separators() {
    let table: [Case<'_>; 7] = [
        (Family::Json, "{\"a\": [1, 2], \"b\": 1}", &["a..1=5"], Err("one-piece")),
        (Family::Json, "{\r\n  \"a\": 1,\r\n  \"b\": 2\r\n}\r\n", &["!b"], Ok("{\r\n  \"a\": 1\r\n}\r\n")),
        (Family::Json, "{\"a\":1,\"b\":{\"c\":[]}}", &["b..c=5"], Err("sort")),
        (Family::Json, "{\"a\": \"x\\\"y\", \"b\": 1}\n", &["b=2"], Ok("{\"a\": \"x\\\"y\", \"b\": 2}\n")),
        (Family::Toml, "a = [1, 2]\nb = 1\n", &["b=2"], Ok("a = [1, 2]\nb = 2\n")),
        (Family::Toml, "a = [\n  1,\n  2,\n]\nb = 1\n", &["b=2"], Ok("a = [\n  1,\n  2,\n]\nb = 2\n")),
        (Family::Yaml, "a: [1, 2]\nb: 1\n", &["b=2"], Ok("a: [1, 2]\nb: 2\n")),
    ];
    check(&table);
}

#[test]
fn options_go_with_what_belongs_to_them() {
    let table: [Case<'_>; 20] = [
        (Family::Assignments, "O=\"-v\"\n", &["?-|O..-Xmx=3g"], Ok("O=\"-v -Xmx3g\"\n")),
        (Family::Assignments, "O=\"-v\"\n", &["?-|O..--port=2"], Ok("O=\"-v --port=2\"\n")),
        (Family::Assignments, "O=-v\n", &["?-|O..--port=2"], Ok("O=\"-v --port=2\"\n")),
        (Family::Assignments, "O=\"\"\n", &["?-|O..-v"], Ok("O=\"-v\"\n")),
        (Family::Assignments, "O=\"-v --port=1 -x\"\n", &["!O..--port"], Ok("O=\"-v -x\"\n")),
        (Family::Assignments, "O=\"-v --port 1\"\n", &["!O..--port"], Err("option")),
        (Family::Assignments, "O=\"-Xmx2g -v\"\n", &["!O..-Xmx"], Ok("O=\"-v\"\n")),
        (Family::Assignments, "O=\"-a x\\ y -Xmx2g\"\n", &["O..-Xmx=3g"], Ok("O=\"-a x\\ y -Xmx3g\"\n")),
        (Family::Assignments, "O=\"-v\"\n", &["!O..-x"], Err("option")),
        (Family::Assignments, "O=\"-v -v\"\n", &["!O..-v"], Err("option")),
        // A value of a standard format that shows none is no list of options.
        (Family::Yaml, "t: null\n", &["t..a=9"], Err("no-such-block")),
        (Family::Yaml, "t:\nz: 1\n", &["t..a=9"], Err("no-such-block")),
        (Family::Yaml, "t: 5\n", &["?-|t..a=9"], Err("no-such-block")),
        (Family::Json, "{\n  \"t\": true\n}\n", &["t..a=9"], Err("no-such-block")),
        (Family::Yaml, "t: -v\n", &["t..a=9"], Ok("t: -v a=9\n")),
        (Family::Yaml, "t: x\n", &["t..--a=9"], Ok("t: x --a=9\n")),
        (Family::Keyword, "s {}\n", &["s..a=1"], Err("one-piece")),
        // What is written in one piece has none.
        (Family::Yaml, "m: {a: 1}\n", &["m..b=2"], Err("one-piece")),
        (Family::Yaml, "m: {}\n", &["?-|m..b=2"], Err("one-piece")),
        (Family::Toml, "m = { a = 1 }\n", &["m..b=2"], Err("one-piece")),
    ];
    check(&table);
}

#[test]
fn what_is_new_stands_in_the_columns_of_its_neighbours() {
    let table: [Case<'_>; 9] = [
        (Family::Equals, "aa   = 1\nb    = 2\n", &["?-|ccc=3"], Ok("aa   = 1\nb    = 2\nccc  = 3\n")),
        (Family::Equals, "a = 1\n", &["?-|b=2"], Ok("a = 1\nb = 2\n")),
        (Family::Keyword, "a  1\nlong  2\n", &["?-|b=3"], Ok("a  1\nlong  2\nb     3\n")),
        (Family::Keyword, "a\t1\n", &["?-|b=3"], Ok("a\t1\nb\t3\n")),
        (Family::Keyword, "a 1", &["?-|b=3"], Ok("a 1\nb 3")),
        (Family::Keyword, "a 1\n  ", &["?$|b=3"], Ok("a 1\nb 3\n  ")),
        (Family::Yaml, "a: 1\n", &["?-|b c=2"], Ok("a: 1\nb c: 2\n")),
        (Family::Yaml, "a: 1\n", &["?-|\"b: c\"=2"], Ok("a: 1\n\"b: c\": 2\n")),
        (Family::Properties, "a: 1\n", &["?-|b=2"], Ok("a: 1\nb: 2\n")),
    ];
    check(&table);
}

#[test]
fn what_may_be_one_of_several_is_asked_for_by_number() {
    let list = "q:\n  - n: 1\n  - n: 2\nb: 1\n";
    let table: [Case<'_>; 7] = [
        (Family::Keyword, "#a 1\n#a 1\n", &["+a"], Ok("a 1\n#a 1\n")),
        (Family::Keyword, "#a 1\n#a 2\n", &["+a"], Err("ambiguous")),
        (Family::Keyword, "#a 1\n#a 2\n", &["+a#2"], Ok("#a 1\na 2\n")),
        // Behind a list a number may be that of an element.
        (Family::Yaml, list, &["!q#1"], Err("ambiguous")),
        (Family::Yaml, list, &["!q"], Ok("b: 1\n")),
        (Family::Yaml, list, &["!q..#1"], Ok("q:\n  - n: 2\nb: 1\n")),
        (Family::Json, "{\"q\": [{\"n\": 1}], \"b\": 1}", &["!q#1"], Err("ambiguous")),
    ];
    check(&table);
}

#[test]
fn what_a_program_sets_elsewhere_is_not_set_beside_it() {
    let shell = |line: &str| format!("A=1\n{line}\n");
    for (line, refused) in [
        ("if true; then D=1; fi", true),
        ("E=1 D=2", true),
        ("true && D=2", true),
        ("true; D+=x", true),
        ("f() { D=3; }", true),
        ("read D", true),
        ("unset D", true),
        ("for D in a b; do :; done", true),
        ("export D=$(date)", true),
        ("[ \"$D\" = x ] && E=1", false),
        ("XD=1 E=2", false),
        ("echo D", false),
        ("echo --D=1", false),
    ] {
        let got = edited(Family::Assignments, &shell(line), &["D=5"]);
        assert_eq!(got.is_err(), refused, "{line}: {got:?}");
    }
    for (line, refused) in [
        ("if A: D = 2", true),
        ("def f():\n    D = 3", true),
        ("E = f(D=1)", false),
        ("if D == 1:\n    E = 2", false),
        ("D += [1]", true),
    ] {
        let got = edited(Family::Literals, &format!("A = 1\n{line}\n"), &["D=5"]);
        assert_eq!(got.is_err(), refused, "{line}: {got:?}");
    }
}

#[test]
fn a_new_block_takes_what_is_added_to_it() {
    let source = "s x {\n  a 1;\n}\n";
    let wanted = "s x {\n  a 1;\n}\n\ns y {\n  a 2;\n  b 3;\n}\n";
    for edits in [&["?-|s y", "s y..a=2", "s y..b=3"], &["?-|s y", "?-|s y..a=2", "?$|s y..b=3"]] {
        assert_eq!(edited(Family::Braces, source, edits).as_deref(), Ok(wanted), "{edits:?}");
    }
}

#[test]
fn an_element_is_named_by_its_text() {
    let files = [File { path: "/etc/x".into(), doc: read(Family::Yaml, "l:\n  - a\n  - b\n") }];
    let address = |text: &str| gypsum_core::address::Address::parse(text).unwrap();
    for edit in [Edit::Delete(address("l..#2")), Edit::parse_set("l..#2=c").unwrap()] {
        let found = propose(&files, &[edit], &Guide::default()).err().unwrap().remove(0);
        let help = "an element of a list is named by its text: 'l-=OLD' 'l+=NEW'";
        assert_eq!(found.help.as_deref(), Some(help), "{}", found.message);
    }
}

#[test]
fn what_is_new_at_the_top_of_yaml_goes_behind_what_is_there() {
    let table: [Case<'_>; 9] = [
        (
            Family::Yaml,
            "t:\n  x:\n    y: 1\nz: 1\n",
            &["?-|t..a=9"],
            Ok("t:\n  a: 9\n  x:\n    y: 1\nz: 1\n"),
        ),
        (
            Family::Yaml,
            "t:\n  - a\n  - b: 1\n    c: 2\nz: 1\n",
            &["?-|t..e"],
            Ok("t:\n  - a\n  - b: 1\n    c: 2\n  - e\nz: 1\n"),
        ),
        (Family::Yaml, "t:\n- b: 1\n  c:\n  - 2\n", &["?-|t..e"], Ok("t:\n- b: 1\n  c:\n  - 2\n- e\n")),
        (
            Family::Yaml,
            "# top\na:\n  b: 1\nc:\n  d: 2\n",
            &["?-|n=2"],
            Ok("# top\na:\n  b: 1\nc:\n  d: 2\n\"n\": 2\n"),
        ),
        (Family::Yaml, "a:\n  b: 1\nc: 1\n", &["?-|e=2"], Ok("a:\n  b: 1\nc: 1\ne: 2\n")),
        (
            Family::Yaml,
            "a:\n  - b: 1\n    c:\n      - 2\n",
            &["?-|e=2"],
            Ok("a:\n  - b: 1\n    c:\n      - 2\ne: 2\n"),
        ),
        (Family::Yaml, "a:\n  b: |\n    x\n\n    y\n", &["?-|e=2"], Ok("a:\n  b: |\n    x\n\n    y\ne: 2\n")),
        (Family::Yaml, "a:\n  b: 1", &["?-|e=2"], Ok("a:\n  b: 1\ne: 2")),
        (Family::Yaml, "a:\n", &["?-|e=2"], Ok("a:\ne: 2\n")),
    ];
    check(&table);
}

#[test]
fn one_of_several_is_uncommented_by_its_number_and_changed() {
    let table: [Case<'_>; 7] = [
        // What shares its line is not commented out with it, and what is new is so once.
        (Family::Braces, "a 1; b 2;\n", &["~b"], Err("shares-its-line")),
        (Family::Braces, "a 1; b 2;\n", &["~a"], Err("shares-its-line")),
        (Family::Keyword, "a 1\n", &["?-|b=2", "?-|b=2"], Err("twice")),
        (Family::Keyword, "#a 1\n#a 2\n", &["a#2=5"], Ok("#a 1\na 5\n")),
        (Family::Keyword, "a 1\n#a 2\n", &["a#2=5"], Ok("a 1\na 5\n")),
        (Family::Keyword, "a 1\n", &["a#2=5"], Err("not-there")),
        (
            Family::Assignments,
            "O=\"-v\"\nO=\"--port=1\"\n",
            &["O..--port=2"],
            Ok("O=\"-v\"\nO=\"--port=2\"\n"),
        ),
    ];
    check(&table);
}

#[test]
fn a_value_is_replaced_wherever_it_is_one() {
    let table: [Case<'_>; 5] = [
        (Family::Keyword, "a x\nb y\nc x\n", &["%x|z"], Ok("a z\nb y\nc z\n")),
        (Family::Keyword, "a x y\nb xy\n", &["%x|z"], Ok("a z y\nb xy\n")),
        // The title of a block is no value, and neither is a name.
        (Family::Tags, "<S x>\n  A x\n  x y\n</S>\n", &["%x|z"], Ok("<S x>\n  A z\n  x y\n</S>\n")),
        (Family::Braces, "s x {\n  a x;\n}\n", &["%x|z"], Ok("s x {\n  a z;\n}\n")),
        (Family::Keyword, "a x\n", &["%y|z"], Err("not-there")),
    ];
    check(&table);
}

#[test]
fn where_a_block_is_missing_the_help_says_what_there_is() {
    for (family, source, edit, help) in [
        (
            Family::Braces,
            "server {\n  a 1;\n}\n",
            "serve..a=2",
            "there is: server; --add 'serve' makes a new one",
        ),
        (Family::Braces, "a 1;\n", "serve..a=2", "--add 'serve' makes it, in the same change"),
        (Family::Braces, "a 1;\n", "serve..quay..a=2", "the files of this daemon have no blocks"),
        (Family::Braces, "tide {\n}\n", "serve..quay..a=2", "there is: tide"),
    ] {
        let files = [File { path: "/etc/x".into(), doc: read(family, source) }];
        let found = propose(&files, &[Edit::parse_set(edit).unwrap()], &Guide::default());
        let finding = found.err().unwrap().remove(0);
        assert_eq!(
            (finding.rule.as_str(), finding.help.as_deref()),
            ("no-such-block", Some(help)),
            "{source:?} {edit}"
        );
    }
}

#[test]
fn a_place_is_named_by_its_last_step_and_a_file_may_be_empty() {
    let nested = "s {\n  t {\n    a 1;\n  }\n}\n";
    let table: [Case<'_>; 2] = [
        (Family::Braces, nested, &["?<t|s..b=2"], Ok("s {\n  b 2;\n  t {\n    a 1;\n  }\n}\n")),
        (Family::Keyword, "", &["?-|a=1"], Ok("a 1\n")),
    ];
    check(&table);
}

#[test]
fn elements_go_with_their_own_lines_and_no_others() {
    let table: [Case<'_>; 8] = [
        (Family::Literals, "A = [\n    'x',\n    'y',\n]\n", &["A-='x'"], Ok("A = [\n    'y',\n]\n")),
        (
            Family::Literals,
            "A = [\n    'x', 'y',\n    'z',\n]\n",
            &["A-='y'"],
            Ok("A = [\n    'x', 'z',\n]\n"),
        ),
        (
            Family::Literals,
            "A = [\n    'x', 'y',\n    'z',\n]\n",
            &["A-='x'"],
            Ok("A = [\n    'y',\n    'z',\n]\n"),
        ),
        (Family::Literals, "A = ['x', 'y']\n", &["A-='y'"], Ok("A = ['x']\n")),
        (Family::Literals, "A = ['it\\'s', 'y']\n", &["A-='y'"], Ok("A = ['it\\'s']\n")),
        (Family::Literals, "A = [ 'x', 'y' ]\n", &["A-='y'"], Ok("A = [ 'x' ]\n")),
        (
            Family::Literals,
            "A = [\r\n    'x',\r\n    'y'  \r\n]\r\n",
            &["A-='y'"],
            Ok("A = [\r\n    'x'\r\n]\r\n"),
        ),
        (
            Family::Literals,
            "A = [\r\n    'x',\r\n    'y',\r\n]\r\n",
            &["A-='x'"],
            Ok("A = [\r\n    'y',\r\n]\r\n"),
        ),
    ];
    check(&table);
}

/// The lines that are shown: each change once, and at the line where it will be.
#[test]
fn each_change_is_shown_once_and_at_its_line() {
    let shown =
        |family: Family, source: &str, edits: &[&str]| -> Vec<(u32, Option<String>, Option<String>)> {
            let files = [File { path: "/etc/x".into(), doc: read(family, source) }];
            let edits: Vec<Edit> = edits
                .iter()
                .map(|edit| match edit.strip_prefix('?') {
                    Some(rest) => Edit::parse_add(rest, Where::NextToSiblings).unwrap(),
                    None => Edit::parse_set(edit).unwrap(),
                })
                .collect();
            let guide = Guide { plausible: &|_, _| true, quantity: &|_| true, ..Guide::default() };
            let proposal = propose(&files, &edits, &guide).unwrap();
            proposal.shown.into_iter().map(|one| (one.line, one.before, one.after)).collect()
        };
    let text = |text: &str| Some(text.to_owned());
    for source in ["a 1\n", "a 1"] {
        assert_eq!(shown(Family::Keyword, source, &["?b=2"]), [(2, None, text("b 2"))], "{source:?}");
    }
    // Two lines that read alike are two.
    let alike = "s {\n  x 1;\n}\nt {\n  x 1;\n}\n";
    let both = shown(Family::Braces, alike, &["s..x=2", "t..x=2"]);
    assert_eq!(both.iter().map(|(line, ..)| *line).collect::<Vec<_>>(), [2, 5], "{both:?}");
    // Two edits of one value are one line.
    let one = shown(Family::Assignments, "O=\"-a1 -b2\"\n", &["O..-a=3", "O..-b=4"]);
    assert_eq!(one, [(1, text("O=\"-a1 -b2\""), text("O=\"-a3 -b4\""))]);
}
