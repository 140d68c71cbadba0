//! Files of every sort: odd bytes, files that come and go, links, what a configuration refers to.

use crate::boards::{program, status};
use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};

struct Place {
    folder: tempfile::TempDir,
}

impl Place {
    fn with(files: &[(&str, &[u8])]) -> Self {
        let folder = tempfile::tempdir().unwrap();
        for (name, bytes) in files {
            let path = folder.path().join(name);
            fs::create_dir_all(path.parent().unwrap()).unwrap();
            fs::write(path, bytes).unwrap();
        }
        Self { folder }
    }

    fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    fn read(&self, name: &str) -> Vec<u8> {
        fs::read(self.path(name)).unwrap()
    }

    fn command(&self, main: &str, family: &str, words: &[&str]) -> Command {
        let mut command = Command::new(program());
        let (first, rest) = words.split_first().unwrap();
        command.args([first, "boards"]).args(rest).args(["--format", family, "--file"]);
        command.arg(self.path(main)).arg("--state").arg(self.path("state")).current_dir(self.folder.path());
        command.stdin(Stdio::null());
        command
    }

    /// A change that has to be kept; there is no service, so that it is unproven.
    fn kept(&self, main: &str, family: &str, words: &[&str]) {
        let output = self.command(main, family, words).output().unwrap();
        assert_eq!(status(&output), 7, "{words:?}: {}", said(&output));
    }
}

fn said(output: &Output) -> String {
    format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr))
}

#[test]
fn odd_bytes_stay_as_they_are() {
    let comments = b"# What the boards say, and a line = that is prose: 5\n".repeat(5000);
    let long = [comments.as_slice(), b"#rows 8\n", &comments].concat();
    let woken = [comments.as_slice(), b"rows 10\n", &comments].concat();
    let cases: [(&str, &[u8], &str, &[u8]); 8] = [
        ("keyword", b"a 1\r\nrows 8\r\nb 2\r\n", "rows=10", b"a 1\r\nrows 10\r\nb 2\r\n"),
        ("keyword", b"a 1\r\nb 2\n", "a=3", b"a 3\r\nb 2\n"),
        ("keyword", b"\xef\xbb\xbfrows 8\n", "rows=10", b"\xef\xbb\xbfrows 10\n"),
        (
            "keyword",
            b"# Fl\xfcgel\nrows 8\nname Br\xfccke\n",
            "rows=10",
            b"# Fl\xfcgel\nrows 10\nname Br\xfccke\n",
        ),
        ("keyword", b"rows\t\t8\nname\tx", "rows=10", b"rows\t\t10\nname\tx"),
        ("keyword", b"rows 8", "quay=north", b"rows 8\nquay north"),
        ("equals", b"a = 1,\n# n\n  2\nb = 3\n", "b=4", b"a = 1,\n# n\n  2\nb = 4\n"),
        ("keyword", &long, "rows=10", &woken),
    ];
    for (family, before, edit, after) in cases {
        let place = Place::with(&[("etc/boards.conf", before)]);
        place.kept("etc/boards.conf", family, &["change", edit]);
        assert!(
            place.read("etc/boards.conf") == after,
            "{edit} in {:?}",
            String::from_utf8_lossy(&before[..before.len().min(80)])
        );
    }
}

#[test]
fn a_drop_in_and_its_folder_are_made_and_go_again() {
    let place = Place::with(&[("etc/boards.conf", b"include more.d/*.conf\nrows 8\n")]);
    let drop_in = place.path("etc/more.d/50-local.conf");
    let name = drop_in.to_str().unwrap();
    let output = place
        .command("etc/boards.conf", "keyword", &["change", "quay=north", "--in", name])
        .output()
        .unwrap();
    assert_eq!(status(&output), 2, "{}", said(&output));
    assert!(said(&output).contains("--new makes it"), "{}", said(&output));
    place.kept("etc/boards.conf", "keyword", &["change", "quay=north", "--in", name, "--new"]);
    assert_eq!(fs::read(&drop_in).unwrap(), b"quay north\n");
    assert_eq!(fs::metadata(&drop_in).unwrap().permissions().mode() & 0o777, 0o644);
    // Now that it is there, the edit lands there.
    place.kept("etc/boards.conf", "keyword", &["change", "quay=south"]);
    assert_eq!(fs::read(&drop_in).unwrap(), b"quay south\n");
    place.kept("etc/boards.conf", "keyword", &["restore", "2"]);
    place.kept("etc/boards.conf", "keyword", &["restore", "1"]);
    assert!(!place.path("etc/more.d").exists(), "the folder went with the file");
    // One that nobody would read is refused.
    let other = place.path("etc/more.d/50-local.cnf");
    let words = ["change", "quay=north", "--in", other.to_str().unwrap(), "--new"];
    let output = place.command("etc/boards.conf", "keyword", &words).output().unwrap();
    assert_eq!(status(&output), 3, "{}", said(&output));
    assert!(said(&output).contains("reads no file of this name") && !place.path("etc/more.d").exists());
}

#[test]
fn links_are_switched_on_and_off() {
    let files: [(&str, &[u8]); 3] = [
        ("etc/web.conf", b"include sites-enabled/*;\nrows 8;\n"),
        ("etc/sites-available/north", b"quay north;\n"),
        ("etc/sites-enabled/own", b"quay south;\n"),
    ];
    let place = Place::with(&files);
    let link = place.path("etc/sites-enabled/north");
    place.kept("etc/web.conf", "braces", &["change", "--switch-on", "north", "--why", "it opens"]);
    assert_eq!(fs::read_link(&link).unwrap(), Path::new("../sites-available/north"));
    let output =
        place.command("etc/web.conf", "braces", &["change", "--switch-on", "north"]).output().unwrap();
    assert!(status(&output) == 0 && said(&output).contains("Unchanged"), "{}", said(&output));
    place.kept("etc/web.conf", "braces", &["change", "--switch-off", "north"]);
    assert!(fs::symlink_metadata(&link).is_err());
    place.kept("etc/web.conf", "braces", &["restore"]);
    assert_eq!(fs::read_link(&link).unwrap(), Path::new("../sites-available/north"));
    let output =
        place.command("etc/web.conf", "braces", &["change", "--switch-on", "nort"]).output().unwrap();
    assert!(said(&output).contains("did you mean north?"), "{}", said(&output));
    let own = place.path("etc/sites-enabled/own");
    place.kept("etc/web.conf", "braces", &["change", "--delete-file", own.to_str().unwrap()]);
    assert!(!own.exists());
}

#[test]
fn a_companion_is_placed_with_the_change_and_goes_with_it() {
    let place =
        Place::with(&[("etc/boards.conf", b"rows 8\n"), ("new.logo", b"\x89PNG"), ("list", b"north\n")]);
    let missing = place.path("srv/quays.list");
    let include = format!("include={}", missing.display());
    let output = place.command("etc/boards.conf", "keyword", &["change", &include]).output().unwrap();
    assert!(said(&output).contains("does not exist"), "{}", said(&output));
    place.kept("etc/boards.conf", "keyword", &["restore"]);
    let (to, logo) = (missing.to_str().unwrap(), place.path("srv/logo.png"));
    let words = [
        "change",
        "rows=9",
        &include,
        "--companion",
        "list",
        "--to",
        to,
        "--companion",
        "new.logo",
        "--to",
        logo.to_str().unwrap(),
        "--mode",
        "0640",
    ];
    place.kept("etc/boards.conf", "keyword", &words);
    assert_eq!(
        (fs::read(&missing).unwrap(), fs::read(&logo).unwrap()),
        (b"north\n".to_vec(), b"\x89PNG".to_vec())
    );
    assert_eq!(fs::metadata(&logo).unwrap().permissions().mode() & 0o777, 0o640);
    place.kept("etc/boards.conf", "keyword", &["restore"]);
    assert!(!place.path("srv").exists(), "what was made for them is gone");
    assert_eq!(place.read("etc/boards.conf"), b"rows 8\n");
}

#[test]
fn a_secret_is_read_unseen_and_never_shown() {
    let place = Place::with(&[("etc/boards.conf", b"rows 8\nbroker harbour\n")]);
    let mut command = place.command("etc/boards.conf", "keyword", &["change", "--secret", "broker", "-v"]);
    let mut child =
        command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    std::io::Write::write_all(&mut child.stdin.take().unwrap(), b"gull-and-tern\n").unwrap();
    let output = child.wait_with_output().unwrap();
    assert_eq!(place.read("etc/boards.conf"), b"rows 8\nbroker gull-and-tern\n");
    assert!(!said(&output).contains("gull") && said(&output).contains("(hidden)"), "{}", said(&output));
    let state = place.path("state/boards");
    for entry in fs::read_dir(&state).unwrap().flatten() {
        for name in ["change.json", "events.jsonl", "journal"] {
            let text = fs::read_to_string(entry.path().join(name)).unwrap_or_default();
            assert!(!text.contains("gull"), "{name}");
        }
    }
}

#[test]
fn files_that_include_each_other_are_read_once_and_named() {
    let place = Place::with(&[
        ("etc/a.conf", b"include b.conf\nrows 8\n"),
        ("etc/b.conf", b"include a.conf\nquay all\n"),
    ]);
    let output = place.command("etc/a.conf", "keyword", &["change", "quay=north"]).output().unwrap();
    assert_eq!(place.read("etc/b.conf"), b"include a.conf\nquay north\n");
    assert!(said(&output).contains("includes it in turn"), "{}", said(&output));
}

/// C13: each edit may be for another file, and each new line has a place of its own; on the command line and in a file
/// of edits.
#[test]
fn each_edit_has_its_own_file_and_place() {
    let place = Place::with(&[
        ("etc/boards.conf", b"include more.d/*.conf\nrows 8\nquay all\n"),
        ("etc/more.d/a.conf", b"berth 1\nberth 2\n"),
        ("etc/more.d/b.conf", b"rows 9\nberth 7\n"),
        ("edits.toml", b"[[edit]]\nset = \"rows\"\nto = \"11\"\nin = \"etc/more.d/b.conf\"\n\n[[edit]]\nadd = \"gull\"\nto = \"2\"\nin = \"etc/boards.conf\"\nabove = \"quay\"\n"),
    ]);
    let words = |text: &str| -> Vec<String> { text.split(' ').map(str::to_owned).collect() };
    let refused = |text: &str, why: &str| {
        let words = words(text);
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        let output = place.command("etc/boards.conf", "keyword", &words).output().unwrap();
        assert!(status(&output) == 2 && said(&output).contains(why), "{text}: {}", said(&output));
    };
    let kept = |text: &str| {
        let words = words(text);
        place.kept("etc/boards.conf", "keyword", &words.iter().map(String::as_str).collect::<Vec<_>>());
    };
    kept(
        "change --in etc/boards.conf rows=10 --add tide=3 --below quay --in etc/more.d/a.conf --add berth=0 --first --add berth=3 --above berth#2",
    );
    assert_eq!(place.read("etc/boards.conf"), b"include more.d/*.conf\nrows 10\nquay all\ntide 3\n");
    assert_eq!(place.read("etc/more.d/a.conf"), b"berth 0\nberth 1\nberth 3\nberth 2\n");
    kept("change --edits edits.toml");
    assert_eq!(place.read("etc/boards.conf"), b"include more.d/*.conf\nrows 10\ngull 2\nquay all\ntide 3\n");
    assert_eq!(place.read("etc/more.d/b.conf"), b"rows 11\nberth 7\n");
    refused(
        "change rows=3 --in etc/boards.conf tide=4 --in etc/more.d/a.conf",
        "no --in FILE is in front of rows",
    );
    refused("change --first --add a=1 --add b=2", "no --add or --piece is in front of it");
    refused("change --add a=1 --first --last", "two places were given");
    let print = [
        "change",
        "--in",
        "etc/boards.conf",
        "rows=3",
        "--in",
        "etc/more.d/a.conf",
        "--delete",
        "berth#1",
        "--print-edits",
    ];
    let output = place.command("etc/boards.conf", "keyword", &print).output().unwrap();
    assert!(said(&output).contains("in = \"etc/more.d/a.conf\""), "{}", said(&output));
}
