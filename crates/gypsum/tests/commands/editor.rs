//! `gypsum edit`, with scripts in the place of a person's editor; where somebody is asked, at a real terminal.

use crate::boards::{command, config, gypsum, host, json, said, status};
use crate::terminal::Terminal;
use gypsum_demo::Host;
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::PathBuf;
use std::process::{Output, Stdio};
use std::time::{Duration, Instant};

/// An editor that does this to its file, `$1`; how it was called is appended to `calls`.
fn editor(host: &Host, does: &str) -> PathBuf {
    let path = host.root().join(format!("editor-{}", blake(does)));
    let log = host.root().join("calls").display().to_string();
    let text = format!(
        "#!/bin/sh\nfor last; do :; done\nset -- \"$last\" \"$@\"\necho \"$2 $3\" >> {log}\n{does}\n"
    );
    fs::write(&path, text).unwrap();
    fs::set_permissions(&path, fs::Permissions::from_mode(0o755)).unwrap();
    path
}

fn blake(text: &str) -> u64 {
    text.bytes().fold(7, |sum, byte| sum.wrapping_mul(31).wrapping_add(u64::from(byte)))
}

fn edit(host: &Host, does: &str, words: &[&str]) -> Output {
    let all = [&["edit", "departures"], words].concat();
    command(host, &all).env("VISUAL", editor(host, does)).stdin(Stdio::null()).output().unwrap()
}

fn drafts(host: &Host) -> usize {
    let drafts = json(&gypsum(host, &["drafts", "departures", "--json"]));
    drafts["drafts"].as_array().unwrap().len()
}

#[test]
fn what_an_editor_leaves_goes_live_as_a_change() {
    let host = host();
    let output = edit(&host, "true", &[]);
    assert!(
        status(&output) == 0 && said(&host, &output).contains("nothing happens"),
        "{}",
        said(&host, &output)
    );
    // What is only tried stays a draft.
    let output = edit(&host, "sed -i 's/^rows 8/rows 9/' \"$1\"", &["-n"]);
    assert_eq!((status(&output), drafts(&host)), (0, 1), "{}", said(&host, &output));
    let output = edit(&host, "sed -i 's/^rows 9/rows 10/' \"$1\"", &["--why", "summer", "--draft", "2"]);
    assert_eq!(status(&output), 0, "{}", said(&host, &output));
    assert!(config(&host).contains("\nrows 10 ") && drafts(&host) == 0);
    assert!(host.ask().unwrap().lines().count() > 10, "and the boards show it");
    let calls = fs::read_to_string(host.root().join("calls")).unwrap();
    assert!(
        calls.lines().all(|line| line.trim_end().ends_with("/departures.conf")),
        "the file has its own name: {calls}"
    );
}

#[test]
fn what_was_typed_survives_a_refusal_a_crash_and_a_restore() {
    let host = host();
    let before = config(&host);
    // Refused by our own check.
    let output = edit(&host, "sed -i 's/^rows 8/rows 800/' \"$1\"; echo '# kept' >> \"$1\"", &[]);
    assert_eq!((status(&output), config(&host)), (3, before.clone()), "{}", said(&host, &output));
    assert!(said(&host, &output).contains("too high"), "{}", said(&host, &output));
    let shown = gypsum(&host, &["show", "departures"]);
    assert!(
        said(&host, &shown).contains("draft 1") && said(&host, &shown).contains("left"),
        "{}",
        said(&host, &shown)
    );
    // Continued by its number; that editor crashes after it has written.
    let output = edit(
        &host,
        "grep -q '# kept' \"$1\" || exit 9; echo '# more' >> \"$1\"; kill -9 $$",
        &["--draft", "1"],
    );
    assert_eq!(status(&output), 1, "{}", said(&host, &output));
    assert!(said(&host, &output).contains("--draft 1"), "{}", said(&host, &output));
    // A session that is lost takes Gypsum along while the editor is open.
    let written = host.root().join("written");
    let slow = editor(&host, &format!("echo '# lost' >> \"$1\"; touch {}; sleep 20", written.display()));
    let mut edit_of = command(&host, &["edit", "departures", "--draft", "1"]);
    let mut child = edit_of.env("VISUAL", slow).stdin(Stdio::null()).spawn().unwrap();
    while !written.exists() {
        std::thread::sleep(Duration::from_millis(10));
    }
    child.kill().unwrap();
    child.wait().unwrap();
    // And the next; what comes of it is put back, and kept.
    let output = edit(
        &host,
        "grep -q '# more' \"$1\" && grep -q '# lost' \"$1\" || exit 9; sed -i 's/^rows 800/rows 9/; s/^quay all/quay east/' \"$1\"",
        &["--draft", "1"],
    );
    assert_eq!((status(&output), config(&host)), (4, before), "{}", said(&host, &output));
    let output = edit(
        &host,
        "grep -q 'quay east' \"$1\" || exit 9; sed -i 's/^quay east/quay all/' \"$1\"",
        &["--draft", "1"],
    );
    assert_eq!(status(&output), 0, "{}", said(&host, &output));
    assert!(config(&host).contains("\nrows 9 ") && config(&host).contains("# more") && drafts(&host) == 0);
}

#[test]
fn an_editor_that_is_made_to_fail_leaves_what_the_person_wants() {
    let host = host();
    let before = config(&host);
    // As `:cq` ends vi: nothing was saved, and nothing is left.
    let output = edit(&host, "exit 1", &[]);
    assert_eq!((status(&output), drafts(&host)), (1, 0), "{}", said(&host, &output));
    let at_a_terminal = |does: &str, words: &[&str], key: &str| {
        let mut edit = command(&host, &[&["edit", "departures"], words].concat());
        edit.env("VISUAL", editor(&host, does));
        let mut terminal = Terminal::of(&edit);
        terminal.until("the editor ended with an error");
        terminal.until("k  keep it as a draft");
        terminal.until("to stop");
        terminal.press(key);
        assert_eq!(terminal.child.wait().unwrap().code(), Some(1), "{key:?}");
    };
    at_a_terminal("echo '# once' >> \"$1\"; exit 1", &[], "t");
    assert_eq!(drafts(&host), 0);
    // Who only wants to get away loses nothing.
    at_a_terminal("echo '# once' >> \"$1\"; exit 1", &[], "\x1b");
    assert_eq!(drafts(&host), 1);
    // A draft that was there before is then as it was.
    let listed = said(&host, &gypsum(&host, &["drafts", "departures"]));
    let number = listed.split("--draft ").nth(1).unwrap().split_whitespace().next().unwrap().to_owned();
    at_a_terminal("echo '# twice' >> \"$1\"; exit 1", &["--draft", &number], "t");
    let shown = gypsum(&host, &["drafts", "departures", "--show", &number]);
    let shown = said(&host, &shown);
    assert!(shown.contains("# once") && !shown.contains("# twice"), "{shown}");
    assert_eq!(config(&host), before);
}

#[test]
fn two_who_edit_at_once_are_told_and_merged_or_shown() {
    let host = host();
    // While the editor is open somebody changes another line by hand.
    let other = format!("sed -i 's/^quay all/quay north/' {}", host.config().display());
    let output = edit(&host, &format!("sed -i 's/^rows 8/rows 7/' \"$1\"; {other}"), &[]);
    assert_eq!(status(&output), 0, "{}", said(&host, &output));
    assert!(
        config(&host).contains("\nrows 7 ") && config(&host).contains("\nquay north"),
        "{}",
        config(&host)
    );
    // And now the same one: both are shown, and theirs stays.
    let other = format!("sed -i 's/^rows 7/rows 5/' {}", host.config().display());
    let output = edit(&host, &format!("sed -i 's/^rows 7/rows 6/' \"$1\"; {other}"), &[]);
    let text = said(&host, &output);
    assert!(
        status(&output) == 3 && text.contains("theirs  rows 5") && text.contains("yours   rows 6"),
        "{text}"
    );
    assert!(config(&host).contains("\nrows 5 ") && drafts(&host) == 1);
    // A second editor is told who, and since when.
    let wait = host.root().join("wait");
    let open = host.root().join("open");
    let slow = editor(
        &host,
        &format!("touch {}; until [ -e {} ]; do sleep 0.05; done", open.display(), wait.display()),
    );
    let mut first = command(&host, &["edit", "departures", "--fresh"])
        .env("VISUAL", slow)
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .spawn()
        .unwrap();
    let begun = Instant::now();
    while !open.exists() {
        std::thread::sleep(Duration::from_millis(10));
    }
    loop {
        let output = edit(&host, "true", &["--fresh"]);
        let text = said(&host, &output);
        if text.contains("is editing") && text.contains("since") {
            assert_eq!(status(&output), 6, "{text}");
            break;
        }
        assert!(begun.elapsed() < Duration::from_secs(5), "{text}");
    }
    let shown = gypsum(&host, &["show", "departures"]);
    assert!(said(&host, &shown).contains("being edited"), "{}", said(&host, &shown));
    // No lock is held meanwhile.
    assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=4"])), 0);
    fs::write(wait, "").unwrap();
    first.wait().unwrap();
}

#[test]
fn at_a_terminal_the_person_chooses() {
    let host = host();
    let before = config(&host);
    // Once it writes what is refused, then it mends it.
    let does = "if grep -q '^rows 800' \"$1\"; then sed -i 's/^rows 800/rows 9/' \"$1\"; else sed -i 's/^rows 8/rows 800/' \"$1\"; fi";
    let mut edit = command(&host, &["edit", "departures", "--at", "quay"]);
    edit.env("VISUAL", format!("env {}", editor(&host, does).display()));
    let mut terminal = Terminal::of(&edit);
    terminal.until("1 fault (line ");
    assert!(
        terminal.passed().lines().last().is_some_and(|line| line.ends_with("departures.conf: ")),
        "{:?}",
        terminal.passed()
    );
    terminal.until("What to do?");
    terminal.until("l  leave it");
    terminal.until("Esc or q to stop");
    // Down to the difference, which comes back to the question; then by letter.
    terminal.press("\x1b[B\r");
    terminal.until("+rows 800");
    terminal.until("l  leave it");
    assert_eq!(config(&host), before);
    terminal.press("e");
    terminal.until("Kept");
    assert!(terminal.child.wait().unwrap().success());
    assert!(config(&host).contains("\nrows 9 "));

    // A draft that waits is offered, and who does not answer throws nothing away.
    edit_left(&host);
    for stop in ["\x04", "\x1b", "q", "\x1b[1;5Bq"] {
        let mut terminal = Terminal::of(&command(&host, &["edit", "departures"]));
        terminal.until("t  throw it away");
        terminal.until("to stop");
        terminal.press(stop);
        assert_eq!(terminal.child.wait().unwrap().code(), Some(1), "{stop:?}");
        assert_eq!(drafts(&host), 1);
    }
    let mut edit = command(&host, &["edit", "departures"]);
    edit.env("VISUAL", editor(&host, "grep -q '# waits' \"$1\" && cp \"$1\" \"$1.seen\"; true"));
    let mut terminal = Terminal::of(&edit);
    terminal.until("Draft 2 of");
    terminal.until("t  throw it away");
    terminal.press("t");
    terminal.until("nothing happens");
    terminal.child.wait().unwrap();
    assert_eq!(drafts(&host), 0);
}

#[test]
fn what_is_not_well_already_is_a_choice() {
    let host = host();
    let words = ["change", "departures", "rows=5", "--health", "tcp 127.0.0.1:9 patience 10ms"];
    let before = config(&host);
    for key in ["\r", "s", "\x03"] {
        let mut terminal = Terminal::of(&command(&host, &words));
        terminal.until("unhealthy-before");
        terminal.until("g  go on");
        terminal.press(key);
        terminal.until("you chose to stop");
        assert_eq!(terminal.child.wait().unwrap().code(), Some(1), "{key:?}");
    }
    assert_eq!(config(&host), before);
    let mut terminal = Terminal::of(&command(&host, &words));
    terminal.until("g  go on");
    terminal.press("g");
    terminal.until("Kept");
    assert_eq!(terminal.child.wait().unwrap().code(), Some(7));
    // Nobody is asked who said so beforehand, or who is not there.
    for more in [["rows=7", "--yes"], ["rows=9", "--accept=unhealthy-before"]] {
        let mut terminal = Terminal::of(&command(&host, &[&words[..2], &words[3..], &more].concat()));
        terminal.until("unhealthy-before");
        terminal.until("Kept");
        assert!(terminal.child.wait().unwrap().code().is_some_and(|code| code != 1), "{more:?}");
    }
    assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=6", words[3], words[4]])), 7);
}

fn edit_left(host: &Host) {
    let output =
        edit(host, "echo '# waits' >> \"$1\"; echo 'rows 800' >> \"$1\"", &["--on-finding", "leave"]);
    assert_eq!(status(&output), 3, "{}", said(host, &output));
}
