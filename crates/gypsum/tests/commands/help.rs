//! What the program says of itself, and of a command line that is wrong: the nearest right line, ready to be typed.

use crate::boards::program;
use std::path::Path;
use std::process::{Command, Output};

fn run(words: &[&str]) -> (i32, String, String) {
    let Output { status, stdout, stderr } = Command::new(program()).args(words).output().unwrap();
    let text = |bytes: Vec<u8>| String::from_utf8(bytes).unwrap();
    (status.code().unwrap(), text(stdout), text(stderr))
}

#[test]
fn a_wrong_line_ends_with_2_and_names_a_right_one() {
    let table: [(&[&str], &str); 25] = [
        (&["status", "sshd"], "try: gypsum health sshd\n"),
        (&["list"], "try: gypsum daemons\n"),
        (&["set", "sshd", "Port=22"], "try: gypsum change sshd Port=22\n"),
        (&["set", "sshd", "Port", "22"], "try: gypsum change sshd Port=22\n"),
        (&["get", "sshd", "Port"], "try: gypsum show sshd Port\n"),
        (&["log"], "try: gypsum changes DAEMON\n"),
        (&["undo", "sshd"], "try: gypsum restore sshd\n"),
        (&["chnage", "sshd", "Port=22"], "try: gypsum change sshd Port=22\n"),
        (&["statsu", "sshd"], "try: gypsum health sshd\n"),
        (&["sshd", "show"], "try: gypsum show sshd\n"),
        (&["harbour"], "all commands: gypsum help\n"),
        (&["change", "sshd", "a=b c", "--dryrun"], "did you mean: gypsum change sshd 'a=b c' --dry-run\n"),
        (
            &["change", "sshd", "a=b", "--acept=value"],
            "did you mean: gypsum change sshd a=b --accept=value\n",
        ),
        (&["--color", "never", "change", "sshd", "--dryrun"], "--color never change sshd --dry-run\n"),
        (&["change", "x", "--delete a b", "-n"], "did you mean: gypsum change x --delete 'a b' -n\n"),
        (&["change"], "for example: gypsum change sshd MaxAuthTries=4"),
        (&["change", "sshd", "--why"], "--why needs a value"),
        (&["change", "sshd", "a=b", "--watch", "3d"], "--watch needs 2 values"),
        (&["changes", "--verdict", "restord"], "did you mean: gypsum changes --verdict restored\n"),
        (&["changes", "--verdict", "x"], "it takes kept, restored, refused, dropped, stuck"),
        (&["drafts", "sshd", "--show", "x"], "--show does not take \"x\": that is no number"),
        (&["restore", "sshd", "7", "--to", "3"], "does not go together with --to"),
        (&["setup"], "see: gypsum setup -h\n"),
        (&["setup", "boots"], "try: gypsum setup boot\n"),
        (&["help", "adresses"], "gypsum help addresses\n"),
    ];
    for (words, wanted) in table {
        let (status, out, err) = run(words);
        assert_eq!((status, out.as_str()), (2, ""), "{words:?}: {err}");
        assert!(err.starts_with("gypsum: ") && err.contains(wanted), "{words:?}: {err}");
        // The same for other programs.
        let (status, out, _) = run(&[&["--json"], words].concat());
        let document: serde_json::Value =
            serde_json::from_str(&out).unwrap_or_else(|error| panic!("{words:?}: {error}"));
        assert_eq!((status, &document["status"]), (2, &serde_json::json!(2)), "{words:?}");
    }
}

#[test]
fn help_is_an_answer_and_the_first_screen_is_none() {
    let (status, out, err) = run(&[]);
    assert_eq!((status, out.as_str()), (2, ""));
    assert!(err.lines().count() < 24 && err.contains("gypsum change sshd MaxAuthTries=4 -n"), "{err}");
    let long: [&[&str]; 6] = [
        &["help"],
        &["help", "change"],
        &["help", "setup", "boot"],
        &["change", "--help"],
        &["help", "addresses"],
        &["help", "checks"],
    ];
    for words in long {
        let (status, out, err) = run(words);
        assert_eq!((status, err.as_str()), (0, ""), "{words:?}");
        assert!(out.lines().count() > 15, "{words:?}: {out}");
        assert!(out.lines().all(|line| line.chars().count() <= 80), "{words:?}: {out}");
    }
    assert_eq!(run(&["help", "change"]).1, run(&["change", "--help"]).1);
    let document = serde_json::from_str(&run(&["help", "checks", "--json"]).1).unwrap();
    crate::schema::assert_schema(&document);
    assert!(run(&["change", "-h"]).1.lines().count() < 24);
}

/// The documents of the map in the README can be read in a terminal, and in one sitting.
#[test]
fn a_document_is_short_and_narrow() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let text = |name: &str| std::fs::read_to_string(root.join(name)).unwrap();
    let readme = text("README.md");
    let map = readme.lines().filter(|line| line.starts_with('|'));
    let led_to = map.flat_map(|line| line.split("](").skip(1)).filter_map(|rest| rest.split(')').next());
    let documents: Vec<&str> = led_to.collect();
    assert!(documents.len() > 8, "{documents:?}");
    for name in documents.iter().chain(&["README.md"]) {
        let text = text(name);
        assert!(text.lines().count() <= 300, "{name} is long");
        // Drawings and code are as wide as they are.
        let is_text = |line: &&str| !line.starts_with("    ");
        let wide: Vec<&str> =
            text.lines().filter(is_text).filter(|line| line.chars().count() > 100).collect();
        assert_eq!(wide, Vec::<&str>::new(), "{name}");
    }
}
