//! Settings carried onto a new version: what must hold for any three versions.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used)]

use gypsum_core::carry::{Answers, Carried, Fate, Versions, Whose, carry};
use gypsum_core::differences::differences;
use gypsum_core::doc::{Document, Family};
use gypsum_core::profile::{Files, Profile, read as read_profile};
use proptest::prelude::*;

fn profile(family: Family) -> Profile {
    Profile::bare("boards", "boards".into(), Files::one("/etc/boards".into(), family))
}

fn read(family: Family, text: &str) -> Document {
    Document::read(text.into(), family, family.plain_dialect()).unwrap()
}

fn carried_by(profile: &Profile, texts: [&str; 3], answers: &Answers) -> Carried {
    let [base, mine, theirs] = texts.map(|text| read(profile.files.format, text));
    let versions = Versions { profile, base: &base, mine: &mine, theirs: &theirs, knows: &|_| None };
    carry(&versions, answers)
}

fn carried(family: Family, texts: [&str; 3]) -> Carried {
    carried_by(&profile(family), texts, &Answers::default())
}

fn text(carried: &Carried) -> String {
    String::from_utf8(carried.bytes.clone()).unwrap()
}

fn asked(carried: &Carried) -> Vec<&str> {
    carried.questions.iter().map(|question| &*question.address).collect()
}

/// What an administrator does, what the new version does, and what comes of both; without a question.
#[test]
fn what_can_be_carried_is_carried() {
    let cases: [(&str, Family, [&str; 3], &str); 19] = [
        ("set", Family::Keyword, ["a 1\nb 2\n", "a 9\nb 2\n", "b 2\nc 3\na 1\n"], "b 2\nc 3\na 9\n"),
        (
            "woken where the comment above reads otherwise",
            Family::Keyword,
            [
                "# on or off\n#lamp off\nrows 8\n",
                "# on or off\nlamp on\nrows 8\n",
                "# \"on\" or \"off\"\n#lamp off\nrows 8\nmap 1\n",
            ],
            "# \"on\" or \"off\"\nlamp on\nrows 8\nmap 1\n",
        ),
        (
            "added at the end, with its comment",
            Family::Keyword,
            ["a 1\nb 2\n", "a 1\nb 2\n\n# quay 4\nmast 1\n", "a 1\nb 2\n# more\n#c 3\n"],
            "a 1\nb 2\n# more\n#c 3\n\n# quay 4\nmast 1\n",
        ),
        ("both did the same", Family::Keyword, ["a 1\n", "a 2\nb 1\n", "a 2\nb 1\n"], "a 2\nb 1\n"),
        ("deleted", Family::Keyword, ["a 1\nb 2\n", "b 2\n", "a 1\nb 2\nc 3\n"], "b 2\nc 3\n"),
        (
            "commented out",
            Family::Keyword,
            ["a 1\nb 2\n", "#a 1\nb 2\n", "c 3\na 1\nb 2\n"],
            "c 3\n#a 1\nb 2\n",
        ),
        (
            "theirs deleted what I deleted",
            Family::Keyword,
            ["a 1\nb 2\n", "b 2\n", "b 2\nc 3\n"],
            "b 2\nc 3\n",
        ),
        (
            "a comment of one's own",
            Family::Keyword,
            ["a 1\nb 2\n", "a 1\n# ask the pilot\nb 2\n", "x 0\na 1\nb 3\n"],
            "x 0\na 1\n# ask the pilot\nb 3\n",
        ),
        (
            "one more of several, in its order",
            Family::Keyword,
            [
                "allow a\nallow b\ndeny all\n",
                "allow a\nallow x\nallow b\ndeny all\n",
                "allow 0\nallow a\nallow b\ndeny all\n",
            ],
            "allow 0\nallow a\nallow x\nallow b\ndeny all\n",
        ),
        (
            "a renamed block",
            Family::Sections,
            [
                "[quay]\nrows=8\nlamp=1\nmast=2\n",
                "[quay]\nrows=9\nlamp=1\nmast=2\n",
                "[pier]\nrows=8\nlamp=1\nmast=3\n",
            ],
            "[pier]\nrows=9\nlamp=1\nmast=3\n",
        ),
        (
            "a new block",
            Family::Braces,
            [
                "quay {\n  rows 8;\n}\n",
                "quay {\n  rows 8;\n}\npier {\n  rows 2;\n}\n",
                "quay {\n  rows 7;\n}\n",
            ],
            "quay {\n  rows 7;\n}\npier {\n  rows 2;\n}\n",
        ),
        (
            "in a block",
            Family::Braces,
            [
                "quay {\n  rows 8;\n}\n",
                "quay {\n  rows 8;\n  lamp on;\n}\n",
                "quay {\n  rows 7;\n}\nmap 1;\n",
            ],
            "quay {\n  rows 7;\n  lamp on;\n}\nmap 1;\n",
        ),
        (
            "lines of one list",
            Family::Equals,
            [
                "list = (\n  a,\n  b,\n  c\n  )\n",
                "list = (\n  x,\n  a,\n  b,\n  c\n  )\n",
                "list = (\n  a,\n  b,\n  c,\n  d\n  )\n",
            ],
            "list = (\n  x,\n  a,\n  b,\n  c,\n  d\n  )\n",
        ),
        (
            "a setting that moved goes where theirs has it",
            Family::Sections,
            ["[a]\nx=1\ny=1\n[b]\nz=1\n", "[a]\nx=2\ny=1\n[b]\nz=1\n", "[a]\ny=1\n[b]\nz=1\nx=1\n"],
            "[a]\ny=1\n[b]\nz=1\nx=2\n",
        ),
        (
            "blocks without a setting under new titles",
            Family::Sections,
            ["[old]\n\n[older]\n\n", "[old]\nx=1\n\n[older]\n\n", "[new]\n\n[newer]\n\n"],
            "[new]\nx=1\n\n[newer]\n\n",
        ),
        (
            "a remark behind a value",
            Family::Equals,
            ["a = 1\nb = 2\n", "a = 3 # ask ida\nb = 2\n", "a = 1\nb = 2\nc = 3\n"],
            "a = 3 # ask ida\nb = 2\nc = 3\n",
        ),
        (
            "a remark behind a value, where theirs has another one",
            Family::Equals,
            ["a = 1\nb = 2\n", "a = 3 # ask ida\nb = 2\n", "a = 1 # the rows\nb = 2\n"],
            "# ask ida\na = 3 # the rows\nb = 2\n",
        ),
        (
            "a remark behind a value, in braces",
            Family::Braces,
            ["a 1;\nb 2;\n", "a 3; # ask ida\nb 2;\n", "a 1;\nb 4;\n"],
            "a 3; # ask ida\nb 4;\n",
        ),
        ("no line end", Family::Keyword, ["a 1", "a 1\nb 2", "c 3\na 1"], "c 3\na 1\nb 2\n"),
    ];
    for (what, family, texts, wanted) in cases {
        let done = carried(family, texts);
        assert_eq!(text(&done), wanted, "{what}: {done:#?}");
        assert!(done.questions.is_empty() && !done.is_open(), "{what}: {done:#?}");
    }
}

#[test]
fn what_a_person_must_decide_is_asked() {
    let cases: [(&str, Family, [&str; 3], &str, &str); 8] = [
        (
            "both set it",
            Family::Keyword,
            ["a 1\nb 1\n", "a 2\nb 1\n", "a 3\nb 1\n"],
            "a 2\nb 1\n",
            "a 3\nb 1\n",
        ),
        ("both added it", Family::Keyword, ["b 1\n", "b 1\na 2\n", "a 3\nb 1\n"], "a 2\nb 1\n", "a 3\nb 1\n"),
        (
            "they commented it out",
            Family::Keyword,
            ["a 1\nb 1\n", "a 2\nb 1\n", "#a 1\nb 1\n"],
            "a 2\nb 1\n",
            "#a 1\nb 1\n",
        ),
        (
            "they deleted it",
            Family::Keyword,
            ["a 1\nb 1\n", "a 2\nb 1\n", "b 1\nc 1\n"],
            "a 2\nb 1\nc 1\n",
            "b 1\nc 1\n",
        ),
        ("I deleted it", Family::Keyword, ["a 1\nb 1\n", "b 1\n", "a 2\nb 1\n"], "b 1\n", "a 2\nb 1\n"),
        (
            "their example is gone",
            Family::Keyword,
            ["#a 1\n#c 3\nb 1\n", "a 2\n#c 3\nb 1\n", "#c 3\nb 1\nd 1\n"],
            "a 2\n#c 3\nb 1\nd 1\n",
            "#c 3\nb 1\nd 1\n",
        ),
        (
            "it is a block now",
            Family::Nested,
            ["#a = x\nb = 1\n", "a = y\nb = 1\n", "#a {\n#  x = yes\n#}\nb = 1\n"],
            "#a {\n#  x = yes\n#}\na = y\nb = 1\n",
            "#a {\n#  x = yes\n#}\nb = 1\n",
        ),
        (
            "a block of mine is gone",
            Family::Sections,
            ["[a]\nx=1\n[b]\ny=1\n", "[a]\nx=2\n[b]\ny=1\n", "[b]\ny=1\n"],
            "[a]\nx=2\n[b]\ny=1\n",
            "[b]\ny=1\n",
        ),
    ];
    for (what, family, texts, mine, theirs) in cases {
        for (take, wanted) in [(None, mine), (Some(Whose::Mine), mine), (Some(Whose::Theirs), theirs)] {
            let answers = Answers { all: take, ..Answers::default() };
            let done = carried_by(&profile(family), texts, &answers);
            assert_eq!(asked(&done).len(), 1, "{what}: {done:#?}");
            assert_eq!(done.is_open(), take.is_none(), "{what}");
            assert_eq!(text(&done), wanted, "{what}, {take:?}: {done:#?}");
        }
    }
}

/// Two lists that both grew: the default has the words of both.
#[test]
fn lists_that_both_made_longer_can_have_both() {
    let texts = ["hosts a b\n", "hosts a b mine\n", "hosts a b theirs\n"];
    let done = carried(Family::Keyword, texts);
    assert_eq!((text(&done).as_str(), done.questions[0].default), ("hosts a b theirs mine\n", Whose::Both));
    let answers = Answers { by_address: [("hosts".to_owned(), Whose::Mine)].into(), ..Answers::default() };
    assert_eq!(text(&carried_by(&profile(Family::Keyword), texts, &answers)), "hosts a b mine\n");
}

/// A name of an earlier version: renamed, replaced, gone, without effect; and none of it where theirs still has the name.
#[test]
fn earlier_names_are_followed() {
    let head = "daemon = 'boards'\ntitle = 'boards'\nignored = ['fog']\n[files]\nread = ['/b']\nhome = '/b'\nformat = 'keyword'\n[heirs]\nlamp = 'light'\nmast = 'a pole beside it'\nbuoy = ''\n'listen fast' = 'speed high'\n";
    let profile = read_profile(head).unwrap();
    let by = |texts: [&str; 3]| carried_by(&profile, texts, &Answers::default());
    let done = by(["rows 8\n#lamp 1\n", "rows 8\nlamp 2\n", "rows 8\n#light 1\n"]);
    assert_eq!((text(&done).as_str(), done.settled[0].fate), ("rows 8\nlight 2\n", Fate::Renamed));
    let done = by(["rows 8\nlamp 1\n", "rows 8\n#lamp 1\n", "rows 8\nlight 9\n"]);
    assert_eq!((text(&done).as_str(), asked(&done)), ("rows 8\n#light 9\n", vec!["lamp"]));
    for name in ["mast", "buoy"] {
        let done = by(["rows 8\n", &format!("rows 8\n{name} 2\n"), "rows 7\n"]);
        assert_eq!((text(&done).as_str(), asked(&done)), ("rows 7\n", vec![name]));
    }
    let done = by(["rows 8\n", "rows 8\nfog 2\nlisten 80 fast\n", "rows 7\n"]);
    assert_eq!((text(&done).as_str(), done.is_open()), ("rows 7\nlisten 80\nspeed high\n", false));
    for still in ["buoy 1", "#buoy 1"] {
        let done = by(["rows 8\n", "rows 8\nbuoy 2\n", &format!("rows 8\nlists 1\n{still}\n")]);
        assert!(text(&done).contains("buoy 2"), "{still}: {done:#?}");
    }
}

#[test]
fn a_file_of_its_own_is_kept_whole() {
    let shipped = "a 1\nb 2\nc 3\nd 4\ne 5\n# lines\n";
    let own = "tide 1\nmoon 2\nquay 3\npier 4\n";
    let done = carried(Family::Keyword, [shipped, own, "a 1\nb 2\nc 3\nd 4\ne 6\n# lines\n"]);
    assert_eq!((text(&done).as_str(), done.findings[0].rule.as_str()), (own, "kept-whole"));
}

#[test]
fn a_secret_is_in_no_question() {
    let done = carried(Family::Keyword, ["password a1\n", "password b2tide\n", "password c3tide\n"]);
    let said = format!("{:?} {:?} {:?}", done.questions, done.findings, done.settled);
    assert!(asked(&done) == ["password"] && !said.contains("tide"), "{said}");
}

/// A file of a family: settings, examples and comments, some of them in blocks.
fn file(family: Family) -> impl Strategy<Value = String> {
    let line = prop_oneof![
        4 => ("[a-h]", "[0-9]{1,2}").prop_map(|(name, value)| (name, value, "")),
        2 => ("[a-h]", "[0-9]{1,2}").prop_map(|(name, value)| (name, value, "#")),
        1 => ("[x-z]{3} [x-z]{4} [x-z]{2} [x-z]{5} [x-z]+\\.", Just(String::new())).prop_map(|(name, value)| (name, value, "# ")),
    ];
    let setting = move |(name, value, mark): (String, String, &str)| match family {
        Family::Braces if value.is_empty() => format!("{mark}{name}\n"),
        Family::Braces => format!("{mark}{name} {value};\n"),
        Family::Sections | Family::Equals | Family::Nested if value.is_empty() => format!("{mark}{name}\n"),
        Family::Sections | Family::Equals | Family::Nested => format!("{mark}{name} = {value}\n"),
        _ => format!("{mark}{name} {value}\n"),
    };
    let lines = prop::collection::vec(line, 0..7).prop_map(move |lines| {
        // One of each name, as a setting that is set twice is several.
        let mut seen = std::collections::BTreeSet::new();
        let once = lines.into_iter().filter(|(name, ..)| seen.insert(name.clone()));
        once.map(setting).collect::<String>()
    });
    prop::collection::vec(lines, 1..4).prop_map(move |blocks| {
        let mut out = String::new();
        for (n, lines) in blocks.into_iter().enumerate() {
            match (n, family) {
                (0, _) | (_, Family::Keyword | Family::Equals) if n == 0 => out.push_str(&lines),
                (n, Family::Braces) => out.push_str(&format!("block{n} {{\n{lines}}}\n")),
                (n, Family::Sections) => out.push_str(&format!("[block{n}]\n{lines}")),
                (n, Family::Nested) => out.push_str(&format!("block{n} {{\n{lines}}}\n")),
                (n, Family::Tags) => out.push_str(&format!("<Block{n}>\n{lines}</Block{n}>\n")),
                _ => {}
            }
        }
        out
    })
}

fn families() -> impl Strategy<Value = (Family, String, String, String)> {
    let of = |family: Family| (Just(family), file(family), file(family), file(family));
    prop_oneof![
        of(Family::Keyword),
        of(Family::Braces),
        of(Family::Sections),
        of(Family::Equals),
        of(Family::Nested),
        of(Family::Tags),
        of(Family::Records)
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(256))]

    /// Whatever the three versions are: the result is proven, and taking mine or theirs leaves nothing of the other in
    /// what both changed.
    #[test]
    fn the_result_is_always_proven((family, base, mine, theirs) in families()) {
        let done = carried(family, [&base, &mine, &theirs]);
        prop_assert!(done.findings.iter().all(|finding| finding.rule != "cannot-carry"), "{:#?}", done);
    }

    #[test]
    fn who_did_nothing_changes_nothing((family, base, other, _) in families()) {
        prop_assert_eq!(text(&carried(family, [&base, &base, &other])), other.clone());
        prop_assert_eq!(text(&carried(family, [&base, &other, &base])), other.clone());
        let both = carried(family, [&base, &other, &other]);
        let profile = profile(family);
        let differ = differences(&profile, &read(family, &other), &read(family, &text(&both)));
        prop_assert!(differ.is_empty() && both.questions.is_empty(), "{:?} {:#?}", differ, both);
    }

    /// A comment that I wrote is in the result, once.
    #[test]
    fn my_comments_are_kept((family, base, theirs, _) in families(), at in 0usize..12) {
        let mut lines: Vec<&str> = base.split_inclusive('\n').collect();
        lines.insert(at.min(lines.len()), "# asked the harbour master\n");
        let done = carried(family, [&base, &lines.concat(), &theirs]);
        let is_told = done.findings.iter().any(|finding| finding.message.contains("your comments in it"));
        let count = text(&done).matches("# asked the harbour master\n").count();
        prop_assert!(count == 1 || is_told, "{}", text(&done));
        prop_assert!(done.questions.is_empty(), "{:#?}", done.questions);
    }
}
