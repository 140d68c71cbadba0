//! Files that were once read or edited wrongly, each in its smallest form, and what must come of them.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod common;

use common::{check, dialect, edited, read};
use gypsum_core::address::Address;
use gypsum_core::doc::{Dialect, Document, Family as F, Kind};
use gypsum_core::edit::{Edit, File, Guide, Where, find_active, propose};

/// The settings of a file, by address and value.
fn told(family: F, source: &str) -> Vec<String> {
    told_in(&read(family, source))
}

fn told_in(doc: &Document) -> Vec<String> {
    let settings = doc.statements().filter(|(_, kind, _)| *kind == Kind::Setting);
    settings
        .map(|(leaf, _, parts)| {
            format!("{}={}", gypsum_core::address::address_of(doc, leaf), doc.value(&parts))
        })
        .collect()
}

fn is_broken(family: F, source: &str) -> bool {
    read(family, source).tree().leaves().any(|(_, kind, _)| kind == Kind::Broken)
}

/// What an edit in a dialect of its own comes to.
fn in_dialect(family: F, dialect: Dialect, source: &str, edits: &[&str]) -> Result<String, String> {
    let doc = Document::read(source.into(), family, dialect).unwrap();
    let edits: Vec<Edit> = edits.iter().map(|edit| Edit::parse_set(edit).unwrap()).collect();
    match propose(&[File { path: "x".into(), doc }], &edits, &Guide::default()) {
        Ok(proposal) => Ok(proposal
            .files
            .first()
            .map_or_else(|| source.into(), |file| String::from_utf8(file.after().to_vec()).unwrap())),
        Err(findings) => Err(findings[0].rule.clone()),
    }
}

/// H1: a block of text within a mapping ends where its lines do.
#[test]
fn a_block_of_text_does_not_swallow_the_next_key() {
    assert_eq!(told(F::Yaml, "a:\n  x: |\n    one\n  y: 2\n"), ["a..x=|\n    one", "a..y=2"]);
    check(&[
        (F::Yaml, "a:\n  x: |\n    one\n  y: 2\n", &["a..x=new"], Ok("a:\n  x: new\n  y: 2\n")),
        (F::Yaml, "a:\n  x: |\n    one\n  y: 2\n", &["!a..x"], Ok("a:\n  y: 2\n")),
        (F::Yaml, "a:\n  x: |\n    one\n  y: 2\n", &["~a..x"], Ok("a:\n  #x: |\n#    one\n  y: 2\n")),
        (F::Yaml, "a:\n  x: >-\n    one\n\n  # two\n  y: 2\n", &["!a..x"], Ok("a:\n  # two\n  y: 2\n")),
    ]);
}

/// A lone carriage return ends a line of YAML, and no place goes wrong by it; a tag that the second reader gives up on
/// refuses the edit.
#[test]
fn odd_line_ends_and_tags_of_yaml_do_no_harm() {
    assert!(!told(F::Yaml, "---\na: b\n---\n- x\r- y: z\n").is_empty());
    let refused = edited(F::Yaml, "a: !<> b\nc: 1\n", &["c=2"]);
    assert!(refused.is_err() || refused.as_deref() == Ok("a: !<> b\nc: 2\n"));
}

/// H2: without its only key an element of a list would become part of the next one.
#[test]
fn the_only_key_of_an_element_is_not_taken_alone() {
    check(&[
        (F::Yaml, "l:\n- a: 1\n- b: 2\n", &["!l..#1..a"], Err("last-in-block")),
        (F::Yaml, "l:\n- a: 1\n- b: 2\n", &["!l..#1"], Ok("l:\n- b: 2\n")),
        (F::Yaml, "l:\n- a: 1\n  b: 2\n", &["!l..#1..a"], Ok("l:\n- b: 2\n")),
        (F::Yaml, "l:\n- a: 1\n  # c\n  b: 2\n", &["!l..#1..a"], Ok("l:\n- \n  # c\n  b: 2\n")),
    ]);
}

/// H3, H9: what is commented out comes back byte for byte, or is not commented out.
#[test]
fn what_is_commented_out_comes_back() {
    for (family, source, address) in [
        (F::Yaml, "a:\n  x: |\n    one\n  # a remark\n  y: 2\n", "a..x"),
        (F::Yaml, "a: |\n  one\n# remark\nb: 1\n", "a"),
        (F::Keyword, "#Port 80\n#Port 81\nPort 82\nPort 83\n", "Port#1"),
        (F::Keyword, "Port 80\nPort 81\n", "Port#1"),
        (F::Keyword, "Port 80\nPort 81\n", "Port#2"),
        (F::Sections, "[s]\n;a = 1\na = 2\na = 3\n", "s..a#2"),
    ] {
        let Ok(commented_out) = edited(family, source, &[&format!("~{address}")]) else {
            continue;
        };
        assert_ne!(commented_out, source);
        // The line is known from the record of the change; without it, another one is never taken in its place.
        let line =
            commented_out.lines().find(|line| !source.lines().any(|old| old == *line)).unwrap().to_owned();
        let record = |_: &str| Some(line.clone());
        let files = [File { path: "x".into(), doc: read(family, &commented_out) }];
        let guide = Guide { disabled: &record, plausible: &|_, _| true, ..Guide::default() };
        let back = propose(&files, &[Edit::Enable(Address::parse(address).unwrap())], &guide).unwrap();
        assert_eq!(String::from_utf8_lossy(back.files[0].after()), source, "{address}");
        match edited(family, &commented_out, &[&format!("+{address}")]).as_deref() {
            Ok(back) => assert_eq!(back, source, "{address}"),
            Err(rule) => assert_eq!(rule, "ambiguous"),
        }
    }
    check(&[
        (F::Keyword, "Port 80\nPort 81\n", &["~Port#1"], Ok("#Port 80\nPort 81\n")),
        (F::Keyword, "#Port 80\nPort 81\n", &["+Port#1"], Ok("Port 80\nPort 81\n")),
        // Which of the two was meant cannot be told.
        (F::Keyword, "#Port 80\n#Port 81\n", &["+Port"], Err("ambiguous")),
        (F::Keyword, "#Port 80\n#Port 81\n", &["+Port#2"], Ok("#Port 80\nPort 81\n")),
        (F::Yaml, "a: b\n c\n", &["~a"], Err("one-way")),
    ]);
}

/// H4: what is inside an anchored block is used elsewhere, too.
#[test]
fn a_shared_block_is_not_changed_without_a_word() {
    let source = "base: &b\n  x: 1\nuse: *b\nown: &c\n  y: 1\n";
    check(&[
        (F::Yaml, source, &["base..x=2"], Err("anchor")),
        (F::Yaml, source, &["!base..x"], Err("last-in-block")),
        (F::Yaml, source, &["base..z=2"], Err("anchor")),
        (F::Yaml, source, &["own..y=2"], Ok("base: &b\n  x: 1\nuse: *b\nown: &c\n  y: 2\n")),
    ]);
}

/// H5: a text stays one, to readers of YAML 1.1 and of 1.2.
#[test]
fn texts_of_yaml_stay_texts() {
    for value in ["1:30", "2026-01-01", "1_000", "y", "0o17", "1e3x", "<<", "~x", "12e03"] {
        let after = edited(F::Yaml, "a: text\n", &[&format!("a={value}")]).unwrap();
        let quoted = format!("a: \"{value}\"\n");
        assert!(after == quoted || value.contains('x'), "{value}: {after}");
    }
    check(&[(F::Yaml, "a: text\n", &["a=10.0.0.2"], Ok("a: 10.0.0.2\n"))]);
}

/// H6: an anchored list in brackets and elements over several lines are one value.
#[test]
fn brackets_of_yaml_are_read_whole() {
    assert_eq!(told(F::Yaml, "k: &a {x: 1}\nz: 2\n"), ["k={x: 1}", "z=2"]);
    assert_eq!(
        told(F::Yaml, "l:\n- {a: 1,\n   b: 2}\n- 3\n"),
        ["\"l\"..{a: 1,\n   b: 2}=", "l..3="]
            .map(|text| text.replace("\"l\"", "l"))
            .map(|text| if text.contains('\n') { "l..\"{a: 1,\n   b: 2}\"=".to_owned() } else { text })
    );
}

/// H7: a value that is no literal of Python is quoted, and a text stays a text.
#[test]
fn addresses_of_python_stay_texts() {
    check(&[
        (F::Literals, "BIND = \"10.0.0.1\"\n", &["BIND=10.0.0.2"], Ok("BIND = \"10.0.0.2\"\n")),
        (F::Literals, "BIND = '10.0.0.1'\n", &["BIND=10.0.0.0/8"], Ok("BIND = '10.0.0.0/8'\n")),
        (F::Literals, "AT = \"12:30\"\n", &["AT=12:45"], Ok("AT = \"12:45\"\n")),
        (F::Literals, "DAY = \"2026-01-01\"\n", &["DAY=2026-11-24"], Ok("DAY = \"2026-11-24\"\n")),
        (F::Literals, "N = 5\n", &["N=1.2.3"], Ok("N = \"1.2.3\"\n")),
    ]);
    assert_eq!(told(F::Literals, "A = 10.0.0.2\nB = 007\nC = 1:30\nD = 5\n"), ["D=5"]);
}

/// H8: the daemons that begin a comment without a blank before its mark cut a value there.
#[test]
fn a_password_is_not_cut_at_its_mark() {
    let anywhere = |family: F, quotes: &str, mark: &str| Dialect {
        comments_anywhere: true,
        inline_comments: vec![mark.into()],
        quotes: quotes.into(),
        ..family.plain_dialect()
    };
    let sections = |source, edit| in_dialect(F::Sections, anywhere(F::Sections, "\"'", "#"), source, &[edit]);
    assert_eq!(sections("[s]\np = old\n", "s..p=a#b").as_deref(), Ok("[s]\np = \"a#b\"\n"));
    let stanzas = Dialect { groups: vec!["userlist".into()], ..anywhere(F::Stanzas, "\"'", "#") };
    let after = in_dialect(
        F::Stanzas,
        stanzas,
        "userlist u\n  user a password x\n",
        &["userlist u..user=a password x#y"],
    );
    assert_eq!(after.as_deref(), Ok("userlist u\n  user a password \"x#y\"\n"));
    let bare = in_dialect(F::Equals, anywhere(F::Equals, "", "#"), "p = old\n", &["p=a#b"]);
    assert_eq!(bare, Err("needs-quotes".into()));
    let doc = Document::read(b"p = a#b\n".to_vec(), F::Equals, anywhere(F::Equals, "", "#")).unwrap();
    assert_eq!(told_in(&doc), ["p=a"]);
}

/// H10: an empty setting takes its value behind its mark, and a bare neighbour lends no separator.
#[test]
fn empty_settings_of_nested_files_are_filled() {
    check(&[
        (F::Nested, "#a =\nb = 2\n", &["a=1"], Ok("a = 1\nb = 2\n")),
        (F::Nested, "a =\n", &["a=1"], Ok("a = 1\n")),
        (
            F::Nested,
            "s {\n  bare x\n  other y\n}\n",
            &["s..a=1"],
            Ok("s {\n  bare x\n  other y\n  a = 1\n}\n"),
        ),
    ]);
}

/// H12: a comment that a backslash continues hides the line below it, where the daemon reads it so; in units a
/// comment may stand inside a continued value.
#[test]
fn comments_and_backslashes_go_together() {
    assert_eq!(told(F::Tags, "# note \\\nPort 80\nRows 8\n"), ["Rows=8"]);
    let unit = Dialect {
        continuation: true,
        comments_inside: true,
        quotes: String::new(),
        ..F::Sections.plain_dialect()
    };
    let doc = Document::read(b"[s]\na=one \\\n# note\n  two\nb=1\n".to_vec(), F::Sections, unit).unwrap();
    assert_eq!(told_in(&doc), ["s..a=one two", "s..b=1"]);
}

/// H13: a text over several lines is one value though the file ends behind it.
#[test]
fn the_last_text_of_toml_needs_no_line_end() {
    assert_eq!(told(F::Toml, "a = \"\"\"\nb = 1\n\"\"\""), ["a=b = 1\n"]);
    check(&[(F::Toml, "a = 1\nb = [\n 1,\n]", &["a=2"], Ok("a = 2\nb = [\n 1,\n]"))]);
}

/// H14: JSON by the letter, and with a byte-order mark.
#[test]
fn json_is_taken_by_the_letter() {
    let plain = |source: &str| {
        let doc = Document::read(source.into(), F::Json, F::Json.plain_dialect()).unwrap();
        doc.tree().leaves().any(|(_, kind, _)| kind == Kind::Broken)
    };
    for source in
        ["{\"a\": 1,}", "{\"a\": \"x\ty\"}", "{\"a\": 1} // c\n", " ", "{\"a\": 01}", "{\"a\": 1}{}"]
    {
        assert!(plain(source), "{source:?} is no JSON");
    }
    let empty = Document::read(Vec::new(), F::Json, F::Json.plain_dialect()).unwrap();
    assert!(gypsum_core::witness::well_formed(F::Json, empty.source(), empty.dialect()).is_err());
    check(&[(F::Json, "\u{feff}{\"a\": 1}\n", &["a=2"], Ok("\u{feff}{\"a\": 2}\n"))]);
}

/// H16, C6: XML is refused where it is not well-formed, text in sections is seen, and another encoding stays whole.
#[test]
fn xml_is_taken_by_the_letter() {
    for source in [
        "<a>x</a>y\n",
        "<a/><b/>\n",
        "<a><b></a></b>\n",
        "<a x=1/>\n",
        "<a>&none;</a>\n",
        "<a b='1' b='2'/>\n",
        "",
        "<a>\u{1}</a>",
    ] {
        let broken = is_broken(F::Xml, source) || source.is_empty();
        assert!(broken, "{source:?} is not well-formed");
    }
    assert_eq!(told(F::Xml, "<a><b><![CDATA[x < y]]></b></a>\n"), ["a..b=x < y"]);
    check(&[
        (
            F::Xml,
            "<a>\n  <b/>\n  <c>1</c>\n</a>\n",
            &["a..b=x & y"],
            Ok("<a>\n  <b>x &amp; y</b>\n  <c>1</c>\n</a>\n"),
        ),
        (F::Xml, "<a>1</a>\n", &["!a"], Err("not-confirmed")),
        (F::Xml, "<a>1</a>\n", &["b=2"], Err("misread")),
    ]);
    let latin = b"<?xml version=\"1.0\" encoding=\"ISO-8859-1\"?>\n<a><b>\xe9</b><c>1</c></a>\n".to_vec();
    let doc = Document::read(latin, F::Xml, dialect(F::Xml)).unwrap();
    assert_eq!(told_in(&doc), ["a..b=é", "a..c=1"]);
    let edit = Edit::parse_set("a..c=ü").unwrap();
    let proposal = propose(&[File { path: "x".into(), doc }], &[edit], &Guide::default()).unwrap();
    assert!(proposal.files[0].after().ends_with(b"<b>\xe9</b><c>&#252;</c></a>\n"));
}

/// A key that is written with `?` is in the file, and cannot be shown: a new one of its name would be there twice.
#[test]
fn a_name_that_only_the_second_reader_sees_is_not_made_anew() {
    let source = "a: 1\n? rows\n: 8\n";
    check(&[
        (F::Yaml, source, &["?-|rows=9"], Err("not-confirmed")),
        (F::Yaml, source, &["a=2"], Ok("a: 2\n? rows\n: 8\n")),
        (F::Yaml, source, &["?-|b=9"], Ok("a: 1\n? rows\n: 8\nb: 9\n")),
        (F::Yaml, "t:\n  ? rows\n  : 8\n", &["?-|t..rows=9"], Err("misread")),
        // It would be outside of the block that was asked for.
        (F::Yaml, "t:\n  ? rows\n  : 8\n", &["?-|t..a=9"], Err("misread")),
        // A block of another one has names of its own.
        (
            F::Yaml,
            "t:\n  ? rows\n  : 8\ns:\n  a: 1\n",
            &["?-|s..rows=9"],
            Ok("t:\n  ? rows\n  : 8\ns:\n  a: 1\n  rows: 9\n"),
        ),
    ]);
    let file = File { path: "/etc/x".into(), doc: read(F::Yaml, source) };
    let found = gypsum_core::check::unlisted_ones(&file);
    assert!(matches!(&found[..], [one] if one.line == Some(2)), "{found:?}");
    let plain = File { path: "/etc/x".into(), doc: read(F::Yaml, "--- # x\na: \"?\"\nb:\n  - 1\n") };
    assert_eq!(gypsum_core::check::unlisted_ones(&plain), []);
}

/// H17: lists within lists, apostrophes, comments over lines, an empty name.
#[test]
fn odd_texts_of_braces_are_read() {
    assert_eq!(told(F::Braces, "allow { 10/8; { 11/8; }; };\nb 1;\n").len(), 3);
    assert_eq!(told(F::Braces, "a it's;\nb 1;\n"), ["a=it's", "b=1"]);
    check(&[(
        F::Braces,
        "allow { 10/8; { 11/8; }; };\nb 1;\n",
        &["b=2"],
        Ok("allow { 10/8; { 11/8; }; };\nb 2;\n"),
    )]);
    let slashes = Dialect { comments: vec!["#".into(), "/*".into()], ..F::Keyword.plain_dialect() };
    let doc = Document::read(b"/* one\ntwo 2\n*/\nb 1\n".to_vec(), F::Keyword, slashes).unwrap();
    assert_eq!(told_in(&doc), ["b=1"]);
    assert_eq!(told(F::Stanzas, "server: port: 5\n  rows: 8\n"), ["server..rows=8"]);
    assert_eq!(told(F::Json, "{\"\": 1, \"a\": {\"\": 2}}"), ["\"\"=1", "a..\"\"=2"]);
    check(&[(F::Json, "{\"\": 1, \"a\": {\"\": 2}}", &["a..\"\"=3"], Ok("{\"\": 1, \"a\": {\"\": 3}}"))]);
}

/// H19, C4: a refusal says what would be misread, where, and what to do; of a deletion it speaks of no value.
#[test]
fn refusals_say_what_and_where() {
    let refused = |family: F, source: &str, edit: Edit| {
        let files = [File { path: "x".into(), doc: read(family, source) }];
        propose(&files, &[edit], &Guide::default()).unwrap_err().remove(0)
    };
    let deleted = refused(F::Xml, "<a>1</a>\n", Edit::Delete(Address::parse("a").unwrap()));
    assert!(deleted.message.contains("the document element is missing"), "{deleted:?}");
    assert!(!deleted.help.unwrap_or_default().contains("value"), "{}", deleted.message);
    let set = refused(F::Braces, "a 1;\nb 2;\n", Edit::parse_set("a=1 \"x").unwrap());
    assert_eq!(set.rule, "open-quote");
}

/// H20: headers of bare words over indented lines are headers.
#[test]
fn bare_headers_of_stanzas_are_read() {
    let source = "frontend web\n    bind :80\n    mode http\n\nbackend app\n    server a 10.0.0.1:80\n";
    assert_eq!(
        told(F::Stanzas, source),
        ["frontend web..bind=:80", "frontend web..mode=http", "backend app..server=a 10.0.0.1:80"]
    );
    check(&[(F::Stanzas, "a x\n  b 1\nc y\n  d 2\n", &["a x..b=3"], Ok("a x\n  b 3\nc y\n  d 2\n"))]);
}

/// C2: a number that is too high adds nothing.
#[test]
fn a_second_that_is_not_there_is_not_added() {
    check(&[
        (F::Keyword, "Port 22\n", &["Port#2=2222"], Err("not-there")),
        (F::Keyword, "Rows 8\n", &["Port#1=2222"], Err("not-there")),
        (F::Keyword, "Port 22\nPort 23\n", &["Port#2=2222"], Ok("Port 22\nPort 2222\n")),
    ]);
}

/// C3: a deletion shows every line that goes.
#[test]
fn a_deletion_shows_what_goes() {
    let shown = |source: &str, address: &str| {
        let files = [File { path: "x".into(), doc: read(F::Yaml, source) }];
        let proposal =
            propose(&files, &[Edit::Delete(Address::parse(address).unwrap())], &Guide::default()).unwrap();
        let one = proposal.shown.into_iter().next().unwrap();
        (one.line, one.before, one.after)
    };
    assert_eq!(shown("a: 1\nb: 2\n", "b"), (2, Some("b: 2".into()), None));
    assert_eq!(shown("a: |\n  x\n  y\nb: 2\n", "a"), (1, Some("a: |\n  x\n  y".into()), None));
    assert_eq!(shown("a:\n  x: 1\n  y: 2\nb: 2\n", "a"), (1, Some("a:\n  x: 1\n  y: 2".into()), None));
}

/// C4: a change of comments and blanks alone changes no setting.
#[test]
fn comments_say_nothing_to_a_daemon() {
    let same = |a: &str, b: &str| read(F::Keyword, a).says_the_same(&read(F::Keyword, b));
    assert!(same("# x\nPort 22\n", "Port 22 # y\n\n"));
    assert!(!same("Port 22\n", "Port 23\n"));
    assert!(!same("Port 22\n", "#Port 22\n"));
    assert!(!same("A 1\nB 2\n", "B 2\nA 1\n"));
}

/// C7: a setting may be added where others stand above the first section.
#[test]
fn what_may_stand_at_the_top_can_be_added_there() {
    check(&[
        (F::Sections, "top = 1\n[s]\na = 1\n", &["new=2"], Ok("top = 1\nnew = 2\n[s]\na = 1\n")),
        (F::Sections, "[s]\na = 1\n", &["new=2"], Err("no-section")),
    ]);
}

/// C8: what adds up from file to file is taken back first.
#[test]
fn a_value_that_adds_up_is_reset_first() {
    let file = |path: &str, source: &str| File { path: path.into(), doc: read(F::Sections, source) };
    let files = [file("/usr/lib/x", "[Service]\nExecStart=/bin/a\n"), file("/etc/x", "[Service]\nNice=5\n")];
    let guide = Guide {
        home: 1,
        only: Some(1),
        resets: &|address| address.ends_with("ExecStart"),
        ..Guide::default()
    };
    let edit = Edit::parse_set("Service..ExecStart=/bin/b").unwrap();
    let proposal = propose(&files, &[edit], &guide).unwrap();
    let after = String::from_utf8(proposal.files[0].after().to_vec()).unwrap();
    assert_eq!(after, "[Service]\nNice=5\nExecStart=\nExecStart=/bin/b\n");
}

/// C9: what is ambiguous offers whole edits, and says which place is in effect.
#[test]
fn choices_can_be_pasted() {
    let files = [File { path: "x".into(), doc: read(F::Keyword, "Port 22\nPort 23\n") }];
    let guide = Guide { knows_effect: true, in_effect: &|_, leaf| leaf == 1, ..Guide::default() };
    let refused = propose(&files, &[Edit::parse_set("Port=24").unwrap()], &guide).unwrap_err();
    let help = refused[0].help.clone().unwrap();
    assert_eq!(
        help,
        "say which:\n  'Port#1=24'   (line 1, not in effect)\n  'Port#2=24'   (line 2, in effect)"
    );
}

/// C14: an include goes to the top of the file, and not into a block of another file; what is to stand beside a
/// setting goes into the block of that.
#[test]
fn includes_go_to_the_top() {
    let file = |family, dialect: &Dialect, path: &str, source: &str| File {
        path: path.into(),
        doc: Document::read(source.into(), family, dialect.clone()).unwrap(),
    };
    let born = |files: &[File], home, edit: &str, spot| {
        let profile_block = |name: &str| (!name.contains("include")).then(|| "server".to_owned());
        let guide = Guide { home, block: &profile_block, ..Guide::default() };
        let proposal = propose(files, &[Edit::parse_add(edit, spot).unwrap()], &guide).unwrap();
        let edited = &proposal.files[0];
        (edited.file, String::from_utf8(edited.after().to_vec()).unwrap())
    };
    let braces = F::Braces.plain_dialect();
    let files = [
        file(F::Braces, &braces, "main", "include \"one\";\nserver {\n a 1;\n};\n"),
        file(F::Braces, &braces, "options", "view {\n include \"in\";\n b 2;\n};\n"),
    ];
    let beside = |text: &str| Where::Below(Address::parse(text).unwrap());
    let top = "include \"one\";\ninclude \"two\";\nserver {\n a 1;\n};\n";
    assert_eq!(born(&files, 1, "include=two", Where::NextToSiblings), (0, top.into()));
    let within = "view {\n include \"in\";\n include \"two\";\n b 2;\n};\n";
    assert_eq!(born(&files, 1, "view..include=two", Where::NextToSiblings), (1, within.into()));
    let below = "view {\n include \"in\";\n b 2;\n include \"two\";\n};\n";
    assert_eq!(born(&files, 1, "include=two", beside("b")), (1, below.into()));

    let stanzas = F::Stanzas.plain_dialect();
    let files = [
        file(F::Stanzas, &stanzas, "main", "# x\ninclude: \"one\"\n"),
        file(F::Stanzas, &stanzas, "other", "server:\n    a: 1\n"),
    ];
    assert_eq!(born(&files, 0, "include=two", Where::NextToSiblings).0, 0);

    let nested = Dialect { equals: true, includes: vec!["!include".into()], ..F::Nested.plain_dialect() };
    let files = [file(F::Nested, &nested, "main", "a = 1\n!include one\nb = 2\n")];
    let after = "a = 1\n!include one\n!include two\nb = 2\n";
    assert_eq!(born(&files, 0, "!include=two", Where::NextToSiblings), (0, after.into()));
}

/// A section that is called just so is meant, and not those that begin with its name.
#[test]
fn a_title_is_meant_before_its_first_word() {
    let files = [File { path: "x".into(), doc: read(F::Sections, "[Post]\na = 1\n[Post two]\na = 2\n") }];
    let found = find_active(&files, &Address::parse("Post..a").unwrap());
    assert_eq!(found.len(), 1);
    check(&[(
        F::Sections,
        "[Post]\na = 1\n[Post two]\na = 2\n",
        &["Post..a=3"],
        Ok("[Post]\na = 3\n[Post two]\na = 2\n"),
    )]);
}

/// A file without a block does not show what is behind the brace that closes one: the profile says it.
#[test]
fn the_first_block_of_a_file_is_closed_as_its_daemon_has_it() {
    let add = |source: &str, block_is_statement| {
        let dialect = Dialect { block_is_statement, ..dialect(F::Braces) };
        let doc = Document::read(source.into(), F::Braces, dialect).unwrap();
        let edits = [
            Edit::parse_add("zone quay", Where::NextToSiblings).unwrap(),
            Edit::parse_set("zone quay..type=master").unwrap(),
        ];
        let proposal = propose(&[File { path: "x".into(), doc }], &edits, &Guide::default()).unwrap();
        String::from_utf8(proposal.files[0].after().to_vec()).unwrap()
    };
    assert!(add("# zones\n", true).ends_with("zone quay {\n    type master;\n};\n"));
    assert!(add("# zones\n", false).ends_with("zone quay {\n    type master;\n}\n"));
    // What the file shows counts.
    assert!(add("a {\n    b c;\n}\n", true).ends_with("master;\n}\n"));
    assert!(add("a {\n    b c;\n};\n", false).ends_with("master;\n};\n"));
}

/// A list that is not set anywhere has nothing to be added to: what its daemon does without it is not known here.
#[test]
fn a_list_that_is_not_set_is_not_changed() {
    let files = [File { path: "x".into(), doc: read(F::Keyword, "Port 22\n") }];
    let guide = Guide { list: &|name| (name == "Users").then(|| " ".to_owned()), ..Guide::default() };
    let Err(findings) = propose(&files, &[Edit::parse_set("Users+=porter").unwrap()], &guide) else {
        panic!("it is refused")
    };
    assert_eq!(findings[0].message, "Users is not set, so there is no list to change");
    assert_eq!(findings[0].help.as_deref(), Some("'Users=porter' sets it to this alone"));
}

/// A whole line as it will be is no name, and a sign at the end of a name is no operator.
#[test]
fn what_is_typed_as_a_line_is_told_how_to_be_written() {
    let help = |family, source: &str, edit: Edit| {
        let files = [File { path: "x".into(), doc: read(family, source) }];
        let guide = Guide { quantity: &|_| true, ..Guide::default() };
        let Err(findings) = propose(&files, &[edit], &guide) else { panic!("it is refused") };
        (findings[0].rule.clone(), findings[0].help.clone().unwrap())
    };
    let added = |family, edit: &str| help(family, "a 1\n", Edit::parse_add(edit, Where::Last).unwrap());
    let (rule, said) = added(F::Keyword, "acl quay src 192.0.2.0/24");
    assert_eq!(
        (rule.as_str(), said.as_str()),
        ("no-value", "a setting is NAME=VALUE: --add 'acl=quay src 192.0.2.0/24'")
    );
    let (rule, said) = added(F::Tags, "Site *:80");
    assert!(
        rule == "no-value" && said.contains("'Site=*:80'") && said.contains("'Site *:80..NAME=VALUE'"),
        "{said}"
    );
    let (rule, said) =
        help(F::Keyword, "auth.* /var/log/auth.log\n", Edit::parse_set("auth.*=/var/log/quay.log").unwrap());
    assert_eq!(
        (rule.as_str(), said.as_str()),
        ("not-there", "quotes keep a name together: '\"auth.*\"=VALUE'")
    );
}
