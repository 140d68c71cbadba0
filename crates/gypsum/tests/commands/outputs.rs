//! What comes out, and where: one document, two streams, every width, and nothing that a terminal would obey.

use crate::boards::{command, gypsum, host, json, said, status};
use gypsum_demo::Host;
use std::fs::{self, File};
use std::process::{Output, Stdio};

/// E1: every command answers with one document of the published schema, whatever happens.
#[test]
fn every_command_answers_with_one_document() {
    let host = host();
    let file = host.config().display().to_string();
    let enrol = ["enrol", "boards", "--file", &file, "--json"];
    let words: [&[&str]; 27] = [
        &["show", "departures"],
        &["show", "departures", "rows"],
        &["check", "departures"],
        &["health", "departures"],
        &["daemons"],
        &["daemons", "--check", "/no/such/profile.toml"],
        &["change", "departures", "rows=5", "--print-edits"],
        &["change", "departures", "rows=5", "-n"],
        &["change", "departures", "rows=5", "--why", "works"],
        &["change", "departures", "rows=5"],
        &["change", "departures", "rows=500"],
        &["change", "departures", "rows=500", "-n"],
        &["change", "departures", "quay=east"],
        &["change", "departures", "clock=12h", "--hold"],
        &["change", "departures", "no-edit"],
        &["change", "nosuch", "a=b"],
        &["change", "departures", "--no-such-option"],
        &["drafts"],
        &["drafts", "departures", "--show", "1"],
        &["drafts", "departures", "--discard", "1"],
        &["edit", "departures"],
        &["restore", "departures"],
        &["restore", "departures", "99"],
        &["recover"],
        &["recover", "departures", "--set-aside"],
        &["changes"],
        &["changes", "departures", "2"],
    ];
    for words in words.iter().copied().chain([&enrol[..4]]) {
        let words = [words, &["--json"]].concat();
        let output = command(&host, &words).env("VISUAL", "true").stdin(Stdio::null()).output().unwrap();
        let document = json(&output);
        let name = if words.contains(&"--no-such-option") { None } else { Some(words[0]) };
        assert_eq!(document["command"].as_str(), name, "{document:#}");
    }
    let demo = gypsum(&host, &["demo", "--json"]);
    let demo = json(&demo);
    assert_eq!(demo["as_announced"], true, "{demo:#}");
}

/// E1: what a program needs to know of a change that was restored.
#[test]
fn a_document_says_what_happened_and_why() {
    let host = host();
    let restored = json(&gypsum(&host, &["change", "departures", "quay=east", "--json"]));
    let reason = restored["reason"].as_str().unwrap();
    assert!(reason.starts_with("board was unhealthy: answered 503"), "{reason}");
    assert_eq!(restored["change"]["number"], 1);
    for time in ["begun", "ended"] {
        assert!(restored["change"][time].as_str().unwrap().ends_with('Z'), "{restored:#}");
    }
    assert_eq!(restored["activation"]["how"], "reload departures");
    assert_eq!(restored["reactivation"]["ok"], true);
    assert_eq!(restored["drafts"], serde_json::json!([1]));
    let refused = json(&gypsum(&host, &["change", "departures", "rows=500", "--json"]));
    assert!(refused["reason"].as_str().unwrap().contains("too high"), "{refused:#}");
    assert_eq!(json(&gypsum(&host, &["check", "departures", "--json"]))["valid"], true);
}

/// E2: an answer that cannot be written is an error; a reader that has gone away is none.
#[test]
fn a_write_error_is_an_error() {
    let host = host();
    for words in [&["show", "departures"][..], &["changes"], &["check", "departures"], &["--help"]] {
        for more in [&[][..], &["--json"]] {
            if words == ["--help"] && !more.is_empty() {
                continue;
            }
            let words = [words, more].concat();
            let full = File::options().write(true).open("/dev/full").unwrap();
            let output = command(&host, &words).stdout(full).stderr(Stdio::piped()).output().unwrap();
            assert_eq!(status(&output), 1, "{words:?}");
            assert!(said(&host, &output).contains("No space left"), "{words:?}: {}", said(&host, &output));
        }
    }
    // What a change did counts for more; that it could not be told is said all the same.
    let full = File::options().write(true).open("/dev/full").unwrap();
    let output = command(&host, &["change", "departures", "rows=5"]).stdout(full).output().unwrap();
    assert_eq!(status(&output), 0);
    assert!(said(&host, &output).contains("No space left"), "{}", said(&host, &output));
    let (reader, writer) = std::io::pipe().unwrap();
    drop(reader);
    let output = command(&host, &["show", "departures"]).stdout(writer).output().unwrap();
    assert_eq!((status(&output), said(&host, &output)), (0, String::new()));
}

/// E2: what stands in the way is on standard error.
#[test]
fn refusals_are_on_standard_error() {
    let host = host();
    for words in [&["change", "departures", "rows=500"][..], &["change", "departures", "rows=500", "-n"]] {
        let output = gypsum(&host, words);
        let (out, err) = (text(&output.stdout), text(&output.stderr));
        assert!(err.contains("fault: ") && err.contains("Refused: "), "{err}");
        assert!(!out.contains("fault") && !out.contains("Refused"), "{out}");
    }
}

fn text(bytes: &[u8]) -> String {
    String::from_utf8(bytes.to_vec()).unwrap()
}

/// E4: every width from 40 to 200 columns is used, and none is exceeded but by what is to be copied.
#[test]
fn every_width_is_kept_to() {
    let host = host();
    for columns in ["20", "40", "60", "80", "132", "200", "999"] {
        let width: usize = columns.parse::<usize>().unwrap().clamp(40, 200);
        let mut widest = 0;
        let longest = "The ferry to Oyster Island leaves from the north quay while the south quay is rebuilt; \
                       tickets are sold on board, and bicycles go on the forward deck of each ferry until spring";
        let words: [&[&str]; 5] = [
            &["change", "departures", &format!("notice={longest}")],
            &["change", "departures", "quay=“north”"],
            &["changes", "departures"],
            &["check", "departures"],
            &["restore", "departures", "--why", longest],
        ];
        for words in words {
            let output = command(&host, words).env("COLUMNS", columns).output().unwrap();
            for line in said(&host, &output).lines() {
                let to_copy = line.contains("[HOST]") || line.contains("gypsum ") || line.contains("waiting");
                let count = line.chars().count();
                assert!(count <= width || to_copy, "{columns}: {count}: {line}");
                widest = widest.max(if to_copy { 0 } else { count });
            }
        }
        assert!(widest * 10 > width * 8, "{columns}: the widest line has {widest}");
    }
}

/// E4, G13: nothing of a file reaches the terminal as a control sequence, in a text or in a document.
#[test]
fn control_characters_are_shown_and_never_obeyed() {
    let host = host();
    let config = fs::read_to_string(host.config()).unwrap();
    fs::write(host.config(), format!("{config}\nnotice \u{1b}]0;owned\u{7}\u{1b}[8mFog\u{202e}\u{9b}31m\n"))
        .unwrap();
    for words in [
        &["show", "departures"][..],
        &["show", "departures", "notice"],
        &["change", "departures", "notice=Calm", "-n", "--color", "always"],
        &["check", "departures", "--color", "always"],
        &["show", "departures", "--json"],
        &["change", "departures", "notice=Calm", "-n", "--json"],
    ] {
        let output = gypsum(&host, words);
        let shown = said(&host, &output);
        for bad in ["\u{1b}]", "\u{1b}[8m", "\u{7}", "\u{202e}", "\u{9b}"] {
            assert!(!shown.contains(bad), "{words:?}: {shown:?}");
        }
    }
    // A reader of JSON gets the text as it is.
    let settings = json(&gypsum(&host, &["show", "departures", "--json"]));
    let values = settings["settings"].as_array().unwrap().iter().map(|one| one["value"].as_str().unwrap());
    assert!(values.into_iter().any(|value| value.contains("\u{1b}]0;owned\u{7}")), "{settings:#}");
    let shown = said(&host, &gypsum(&host, &["show", "departures", "notice"]));
    assert!(shown.contains("\\x1b]0;owned\\x07"), "{shown}");
}

/// E4: on a terminal whose locale is not of UTF-8 all is ASCII.
#[test]
fn a_terminal_without_utf_8_gets_ascii() {
    let host = host();
    let at_terminal = |locale: &str| {
        let command = command(&host, &["change", "departures", "quay=östlich", "-n"]);
        let words: Vec<String> = std::iter::once(command.get_program())
            .chain(command.get_args())
            .map(|word| format!("'{}'", word.to_str().unwrap()))
            .collect();
        let mut script = std::process::Command::new("script");
        script.args(["-qefc", &words.join(" "), "/dev/null"]).env("LC_ALL", locale).stdin(Stdio::null());
        String::from_utf8(script.output().unwrap().stdout).unwrap()
    };
    let plain = at_terminal("C");
    assert!(plain.is_ascii() && plain.contains("\\u{f6}stlich"), "{plain}");
    assert!(at_terminal("C.UTF-8").contains("östlich"));
}

fn list(host: &Host, words: &[&str]) -> Vec<u64> {
    let listed = json(&gypsum(host, &[&["changes", "departures", "--json"], words].concat()));
    let number = |one: &serde_json::Value| one["change"]["number"].as_u64().unwrap();
    listed["changes"].as_array().unwrap().iter().map(number).collect()
}

/// The list is newest first, and what was asked for.
#[test]
fn changes_are_listed_newest_first_and_by_what_is_asked() {
    let host = host();
    for edit in ["rows=5", "quay=east", "rows=6"] {
        gypsum(&host, &["change", "departures", edit]);
    }
    let me = gypsum_host::who::login_name();
    let cases: [(&[&str], &[u64]); 8] = [
        (&[], &[3, 2, 1]),
        (&["--last", "2"], &[3, 2]),
        (&["--verdict", "restored"], &[2]),
        (&["--verdict", "kept", "--last", "1"], &[3]),
        (&["--by", "nobody-of-that-name"], &[]),
        (&["--by", &me], &[3, 2, 1]),
        (&["--since", "1h"], &[3, 2, 1]),
        (&["--since", "2099-01-01"], &[]),
    ];
    for (words, numbers) in cases {
        assert_eq!(list(&host, words), numbers, "{words:?}");
    }
    for words in [&["--since", "soon"][..], &["--verdict", "fine"], &["--last", "x"]] {
        assert_eq!(status(&gypsum(&host, &[&["changes", "departures"], words].concat())), 2, "{words:?}");
    }
    for words in [&["changes", "nosuch"][..], &["recover", "nosuch"]] {
        let output: Output = gypsum(&host, words);
        assert_eq!(status(&output), 2, "{words:?}: {}", said(&host, &output));
    }
}
