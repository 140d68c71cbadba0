//! Any value that is set is what its daemon's language reads, or it is refused: asked of Python and the shell
//! themselves, of java.util.Properties' rules, and of the witness of each family that has one.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::disallowed_macros)]
#![allow(clippy::disallowed_methods, clippy::disallowed_types)]

mod common;

use common::{dialect, edited, read};
use gypsum_core::doc::{Family, Kind};
use std::io::Write;
use std::process::{Command, Stdio};

/// Values that readers are known to trip over.
const VALUES: [&str; 62] = [
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
    "a\\nb",
    "a\\",
    "a;b",
    "; c",
    "a ; b",
    "a:b",
    "a: b",
    "- a",
    "[x]",
    "{y}",
    "[1, 2]",
    "(1, 2)",
    "%",
    "50%",
    "$HOME",
    "${x}",
    "$(id)",
    "`id`",
    "<b>",
    "a & b",
    "&amp;",
    "a|b",
    "a=b",
    "a, b",
    "yes",
    "No",
    "y",
    "null",
    "None",
    "True",
    "~",
    "1:30",
    "10.0.0.2",
    "10.0.0.0/8",
    "2026-11-24",
    "12:30:00",
    "1.2.3",
    "1_000",
    "0x1f",
    "0o17",
    "007",
    "1e3",
    ".5",
    "true",
    "é",
    "*x",
    "!x",
    "\"q\"",
    "a\"b",
    "a'b\"c",
    " lead",
    "trail ",
];

/// What Python makes of `NAME = …`; `None` where it is none of its literals.
fn python(source: &str) -> Option<String> {
    let script = "import ast,sys\ntree=ast.parse(sys.stdin.read())\nprint(repr({s.targets[0].id: ast.literal_eval(s.value) for s in tree.body if isinstance(s, ast.Assign)}))";
    told("/usr/bin/python3", &["-c", script], source)
}

fn told(program: &str, words: &[&str], input: &str) -> Option<String> {
    let mut child = Command::new(program)
        .args(words)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .unwrap_or_else(|error| panic!("{program}: {error}"));
    child.stdin.take().unwrap().write_all(input.as_bytes()).unwrap();
    let output = child.wait_with_output().unwrap();
    output.status.success().then(|| String::from_utf8_lossy(&output.stdout).into_owned())
}

/// H7: a value of a settings file of Python stays a text where one was, and is no syntax error.
#[test]
fn python_reads_what_was_set() {
    for before in
        ["bind = \"10.0.0.1\"\nother = 5\n", "bind = '10.0.0.1'\nother = 5\n", "bind = 3\nother = 5\n"]
    {
        for value in VALUES {
            let Ok(after) = edited(Family::Literals, before, &[&format!("bind={value}")]) else { continue };
            let said = python(&after).unwrap_or_else(|| panic!("{value:?} became {after:?}"));
            assert!(said.contains("'other': 5"), "{value:?}: {said}");
            let text = python(&format!("bind = {}\nother = 5\n", quoted_for_python(value))).unwrap();
            let alone = python(&format!("bind = {value}\nother = 5\n"));
            let is_text = said == text;
            assert!(is_text || Some(&said) == alone.as_ref(), "{value:?} became {after:?}, which is {said}");
            let own_quotes = value.starts_with(['"', '\'']) && value.len() > 1;
            let collection = value.starts_with(['[', '(', '{']);
            assert!(
                is_text || before.contains('3') || own_quotes || collection,
                "{value:?} is no text any more: {after:?}"
            );
        }
    }
}

fn quoted_for_python(value: &str) -> String {
    format!("\"{}\"", value.replace('\\', "\\\\").replace('"', "\\\""))
}

/// H11: the shell itself reads what was set, and bodies of what is compound are no settings.
#[test]
fn the_shell_reads_what_was_set() {
    for before in
        ["A=old\nOTHER=5\n", "A=\"old\"\nOTHER=5\n", "A='old'\nOTHER=5\n", "export A=old\nOTHER=5\n"]
    {
        for value in VALUES {
            let Ok(after) = edited(Family::Assignments, before, &[&format!("A={value}")]) else { continue };
            let script = format!("{after}\nprintf '%s|%s' \"$A\" \"$OTHER\"\n");
            let said =
                told("/bin/sh", &["-u"], &script).unwrap_or_else(|| panic!("{value:?} became {after:?}"));
            let own_quotes = value.starts_with('"') && value.ends_with('"') && value.len() > 1;
            let wanted = if own_quotes { value.trim_matches('"') } else { value };
            assert!(said == format!("{wanted}|5"), "{value:?} became {after:?}, which is {said}");
        }
    }
}

#[test]
fn what_is_compound_in_a_shell_file_holds_no_settings() {
    let source = "A=1\nif [ -n \"$A\" ]; then\n  B=2\nfi\nrun() {\n  C=3\n}\nfor D in 1 2; do E=4; done\nF=(\n  G=5\n)\ncat <<END\nH=6\nEND\ncase $A in\n  x) I=7 ;;\nesac\nK=8\n";
    let doc = read(Family::Assignments, source);
    let names: Vec<String> = doc
        .statements()
        .filter(|(_, kind, _)| *kind == Kind::Setting)
        .map(|(.., parts)| doc.name(&parts))
        .collect();
    assert_eq!(names, ["A", "K"]);
    let after = edited(Family::Assignments, source, &["L=9"]).unwrap();
    assert_eq!(after, format!("{source}L=9\n"));
    assert!(told("/bin/sh", &["-n"], &after.replace("F=(\n  G=5\n)\n", "")).is_some());
}

/// H15: blanks at the end belong to a value, joined lines get none between them, and a backslash stays one.
#[test]
fn properties_are_what_java_reads() {
    let read_value = |source: &str| {
        let doc = read(Family::Properties, source);
        let (.., parts) = doc.statements().next().unwrap();
        doc.value(&parts)
    };
    assert_eq!(read_value("a = b  \n"), "b  ");
    assert_eq!(read_value("a = one,\\\n    two\n"), "one,two");
    assert_eq!(edited(Family::Properties, "a = old  \nb = 1\n", &["a=new"]).unwrap(), "a = new\nb = 1\n");
    for value in VALUES {
        let after = edited(Family::Properties, "a = old\n", &[&format!("a={value}")]).unwrap();
        assert_eq!(read_value(&after), value, "{after:?}");
    }
}

/// H8: what begins a comment without a blank before it is quoted, or refused.
#[test]
fn comment_marks_are_kept_out_of_values() {
    let mut tight = dialect(Family::Sections);
    tight.inline_comments = vec!["#".into()];
    tight.comments_anywhere = true;
    tight.quotes = "\"'".into();
    for (value, wanted) in
        [("a#b", Ok("p = \"a#b\"\n")), ("a\"#b", Ok("p = 'a\"#b'\n")), ("x\"y'#", Err("needs-quotes"))]
    {
        let doc =
            gypsum_core::doc::Document::read(b"[s]\np = old\n".to_vec(), Family::Sections, tight.clone())
                .unwrap();
        let files = [gypsum_core::edit::File { path: "x".into(), doc }];
        let edit = gypsum_core::edit::Edit::parse_set(&format!("s..p={value}")).unwrap();
        let got = gypsum_core::edit::propose(&files, &[edit], &gypsum_core::edit::Guide::default());
        let got = got.map(|proposal| String::from_utf8(proposal.files[0].after().to_vec()).unwrap());
        match wanted {
            Ok(line) => assert_eq!(got.unwrap(), format!("[s]\n{line}")),
            Err(rule) => assert_eq!(got.unwrap_err()[0].rule, rule),
        }
    }
}

/// Whatever opens a group in a shell file, what is inside is no setting of the file: the shell itself, reading the
/// file, has set only what is listed.
#[test]
fn what_is_inside_a_group_of_the_shell_is_no_setting() {
    for inner in [
        "function f {\n  I=1\n}\n",
        "function f() {\n  I=1\n}\n",
        "f() {\n  I=1\n}\n",
        "f() { I=1; }\n",
        "case quay in\n  ferry)\n    I=1\n    ;;\n  boat|ship)\n    I=2 ;;\n  *)\n    :;;\nesac\n",
        "case quay in\n  (ferry) I=1 ;;\nesac\n",
        "if false; then\n  I=1\nfi\n",
        "for x in; do\n  I=1\ndone\n",
        "while false\ndo\n  I=1\ndone\n",
        "( I=1\n)\n",
        "L=(\n  I=1\n)\n",
        "cat >/dev/null <<END\nI=1\nEND\n",
        "X=$(\n  I=1\n)\n",
    ] {
        let source = format!("A=1\n{inner}B=2\n");
        let script = format!("{source}\nset | grep -c ^I= || :");
        let told = std::process::Command::new("bash").args(["--norc", "-c", &script]).output().unwrap();
        assert_eq!(String::from_utf8_lossy(&told.stdout).trim(), "0", "{inner}");
        let doc = read(Family::Assignments, &source);
        let names: Vec<String> = doc
            .statements()
            .filter(|(_, kind, _)| *kind == Kind::Setting)
            .map(|(.., parts)| doc.name(&parts))
            .filter(|name| name != "L" && name != "X")
            .collect();
        assert_eq!(names, ["A", "B"], "{inner}");
    }
}
