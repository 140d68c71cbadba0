//! Drafts by their numbers: what was typed is not lost, does not pile up, and does not go live by accident.

use crate::boards::{command, config, gypsum, host, json, said, status};
use gypsum_demo::Host;
use serde_json::Value;
use std::process::{Output, Stdio};

/// The drafts: number and why each is not live.
fn drafts(host: &Host) -> Vec<(u64, String)> {
    let listed = json(&gypsum(host, &["drafts", "departures", "--json"]));
    let one =
        |draft: &Value| (draft["draft"].as_u64().unwrap(), draft["because"].as_str().unwrap().to_owned());
    listed["drafts"].as_array().unwrap().iter().map(one).collect()
}

fn known(list: &[(u64, &str)]) -> Vec<(u64, String)> {
    list.iter().map(|(number, because)| (*number, (*because).to_owned())).collect()
}

fn edit(host: &Host, editor: &str, words: &[&str]) -> Output {
    let words = [&["edit", "departures"], words].concat();
    command(host, &words).env("VISUAL", editor).stdin(Stdio::null()).output().unwrap()
}

/// D1: refused lines do not pile up; each message names the draft that it speaks of.
#[test]
fn a_refused_line_takes_the_place_of_the_last_refused_line() {
    let host = host();
    for (n, edit) in ["rows=800", "rows=900", "clock=36h"].into_iter().enumerate() {
        let output = gypsum(&host, &["change", "departures", edit]);
        assert_eq!(status(&output), 3);
        let number = n as u64 + 1;
        let line = format!("gypsum edit departures --draft {number}");
        assert!(said(&host, &output).contains(&line), "{}", said(&host, &output));
        assert_eq!(drafts(&host), known(&[(number, "refused")]), "one is left, with a number of its own");
    }
    let shown = said(&host, &gypsum(&host, &["drafts", "departures", "--show", "3"]));
    assert!(shown.contains("-#clock 24h") && shown.contains("+clock 36h"), "{shown}");
}

/// D1: an editor that fails, or that the person ends as failed, leaves nothing; what was written is kept.
#[test]
fn an_abandoned_editor_leaves_nothing() {
    let host = host();
    let before = config(&host);
    for (editor, code) in [("false", 1), ("/no/such/editor", 1), ("true", 0)] {
        let output = edit(&host, editor, &[]);
        assert_eq!(status(&output), code, "{editor}: {}", said(&host, &output));
        assert_eq!(drafts(&host), [], "{editor}");
    }
    let output = edit(&host, "sh -c 'echo \"# typed\" >> \"$0\"; exit 1'", &[]);
    assert_eq!(status(&output), 1);
    let number = drafts(&host)[0].0;
    let line = format!("gypsum edit departures --draft {number}");
    assert!(said(&host, &output).contains(&line), "{}", said(&host, &output));
    // A draft that was there before stays as it was.
    let was = drafts(&host);
    assert_eq!(status(&edit(&host, "false", &["--draft", &number.to_string()])), 1);
    assert_eq!(drafts(&host), was);
    assert_eq!(config(&host), before);
}

/// D2: from a script an edit begins from the live file.
#[test]
fn a_script_begins_from_the_live_file() {
    let host = host();
    assert_eq!(status(&gypsum(&host, &["change", "departures", "quay=east"])), 4, "it was restored");
    assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=7", "--hold"])), 0);
    let was = drafts(&host);
    assert_eq!(was, known(&[(1, "restored"), (2, "ready")]));
    let output = edit(&host, "sed -i 's/^#*refresh.*/refresh 20s/'", &[]);
    assert_eq!(status(&output), 0, "{}", said(&host, &output));
    let live = config(&host);
    assert!(live.contains("refresh 20s") && live.contains("quay all") && live.contains("rows 8"), "{live}");
    assert_eq!(drafts(&host), was, "and none of the drafts is gone");
    // A held change does not go live by an editor either.
    let output = edit(&host, "sed -i 's/^rows.*/rows 6/'", &["--draft", "2"]);
    assert_eq!(status(&output), 0, "{}", said(&host, &output));
    assert!(config(&host).contains("rows 8"));
    let held: Vec<u64> = drafts(&host).iter().filter(|(_, why)| why == "ready").map(|(n, _)| *n).collect();
    assert_eq!(status(&gypsum(&host, &["change", "departures", "--ready", &held[0].to_string()])), 0);
    assert!(config(&host).contains("rows 6") && config(&host).contains("refresh 20s"));
}

/// D3: a held change keeps its reason, is listed with the changes, and a second one says what it adds to.
#[test]
fn a_held_change_is_listed_and_keeps_its_reason() {
    let host = host();
    let before = config(&host);
    let first = gypsum(&host, &["change", "departures", "rows=7", "--hold", "--why", "summer timetable"]);
    assert!(said(&host, &first).contains("gypsum change departures --ready 1"), "{}", said(&host, &first));
    for words in [&["drafts", "departures"][..], &["changes", "departures"], &["show", "departures"]] {
        let text = said(&host, &gypsum(&host, words));
        assert!(text.contains("held") && text.contains("summer timetable"), "{words:?}: {text}");
        assert!(text.contains("gypsum change departures --ready 1"), "{words:?}: {text}");
    }
    let second = gypsum(&host, &["change", "departures", "quay=north", "--hold", "--why", "works"]);
    assert!(said(&host, &second).contains("--show 1"), "{}", said(&host, &second));
    let shown = said(&host, &gypsum(&host, &["drafts", "departures", "--show", "1"]));
    for text in ["+rows 7", "+quay north", "summer timetable; works"] {
        assert!(shown.contains(text), "{text}: {shown}");
    }
    assert_eq!(config(&host), before);
    let taken = json(&gypsum(&host, &["change", "departures", "--ready", "--json"]));
    assert_eq!(taken["why"], "summer timetable; works", "{taken}");
    assert!(config(&host).contains("rows 7") && config(&host).contains("quay north"));
    assert_eq!(drafts(&host), []);
}

/// Numbers are of one draft for ever, and what is typed wrong is said before anything is done.
#[test]
fn drafts_are_discarded_by_number() {
    let host = host();
    for (editor, n) in [("one", 1), ("two", 2), ("three", 3)] {
        let editor = format!("sh -c 'echo \"# {editor}\" >> \"$0\"; echo rows 800 >> \"$0\"'");
        assert_eq!(status(&edit(&host, &editor, &[])), 3);
        assert_eq!(drafts(&host).len(), n);
    }
    let wrong: [(&[&str], &str); 5] = [
        (&["--discard", "1,9"], "departures has no draft 9"),
        (&["--discard", "first"], "\"first\" is not the number of a draft"),
        (&["--show", "9"], "departures has no draft 9"),
        (&["--show", "x"], "that is no number"),
        (&["--show", "1", "--discard", "1"], "does not go together with"),
    ];
    for (words, says) in wrong {
        let output = gypsum(&host, &[&["drafts", "departures"], words].concat());
        assert_eq!(status(&output), 2, "{words:?}");
        assert!(said(&host, &output).contains(says), "{words:?}: {}", said(&host, &output));
    }
    assert_eq!(drafts(&host).len(), 3, "nothing was discarded by what is wrong");
    let output = gypsum(&host, &["drafts", "departures", "--discard", "1,3"]);
    assert_eq!(said(&host, &output).lines().count(), 2, "{}", said(&host, &output));
    assert_eq!(drafts(&host), known(&[(2, "left")]));
    assert_eq!(status(&gypsum(&host, &["drafts", "departures", "--discard", "all"])), 0);
    assert!(said(&host, &gypsum(&host, &["drafts"])).contains("No drafts"));
    assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=800"])), 3);
    assert_eq!(drafts(&host), known(&[(4, "refused")]));
    let ready = gypsum(&host, &["change", "departures", "--ready", "4"]);
    assert_eq!(status(&ready), 2);
    assert!(said(&host, &ready).contains("draft 4 of departures is not held"), "{}", said(&host, &ready));
}

/// A4: of a change to several files each draft is told, with its file.
#[test]
fn each_draft_of_a_change_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let (main, more) = (folder.path().join("boards.conf"), folder.path().join("more.conf"));
    std::fs::write(&main, format!("rows 8\ninclude {}\n", more.display())).unwrap();
    std::fs::write(&more, "quay all\n").unwrap();
    let profile = folder.path().join("boards.toml");
    let home = main.display();
    std::fs::write(
        &profile,
        format!(
            "daemon = \"boards\"\ntitle = \"boards\"\n[files]\nread = [\"{home}\"]\nhome = \"{home}\"\nformat = \"keyword\"\n\
             [dialect]\nincludes = [\"include\"]\n[setting]\nrows = {{ kind = \"integer\", max = 40 }}\nquay = {{}}\n"
        ),
    )
    .unwrap();
    let main_file = main.to_str().unwrap();
    let output = std::process::Command::new(crate::boards::program())
        .args([
            "change",
            "boards",
            "--in",
            main_file,
            "rows=800",
            "--in",
            more.to_str().unwrap(),
            "quay=east",
        ])
        .arg("--profile")
        .arg(&profile)
        .arg("--state")
        .arg(folder.path().join("state"))
        .output()
        .unwrap();
    let text =
        format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
    assert_eq!(status(&output), 3, "{text}");
    for line in ["gypsum edit boards --draft 1", "more.conf: correct it with: gypsum edit boards --draft 2"] {
        assert!(text.contains(line), "{line}: {text}");
    }
}
