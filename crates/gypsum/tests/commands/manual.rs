//! The manual: a page for every command and topic, as two readers of manual pages take it.

use crate::boards::program;
use std::collections::BTreeSet;
use std::path::Path;
use std::process::Command;

fn run(words: &[&str]) -> (i32, String) {
    let output = Command::new(program()).args(words).output().unwrap();
    (output.status.code().unwrap(), String::from_utf8(output.stdout).unwrap())
}

fn names_in(folder: &Path) -> BTreeSet<String> {
    let entries = std::fs::read_dir(folder).unwrap();
    entries.map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect()
}

#[test]
fn there_is_a_page_for_every_command_and_topic_and_they_go_again() {
    let folder = tempfile::tempdir().unwrap();
    let to = folder.path().to_str().unwrap();
    assert_eq!(run(&["setup", "manual", "--to", to]).0, 0);
    let commands = run(&["help"]).1;
    let listed = commands.lines().filter_map(|line| line.strip_prefix("  ")?.split_whitespace().next());
    let pages = names_in(&folder.path().join("man1"));
    for command in listed {
        assert!(pages.contains(&format!("gypsum-{command}.1")), "{command}: {pages:?}");
        let page = std::fs::read_to_string(folder.path().join(format!("man1/gypsum-{command}.1"))).unwrap();
        for title in ["NAME", "SYNOPSIS", "OPTIONS", "EXIT STATUS", "FILES", "ENVIRONMENT", "SEE ALSO"] {
            let is_title = |line: &str| line.trim_start_matches(".SH ").trim_matches('"') == title;
            assert!(page.lines().any(is_title), "{command} has no {title}");
        }
    }
    assert!(names_in(&folder.path().join("man5")).contains("gypsum-profile.5"));
    assert!(names_in(&folder.path().join("man7")).contains("gypsum-checks.7"));
    assert_eq!(run(&["setup", "manual", "--to", to, "--remove"]).0, 0);
    assert_eq!(names_in(&folder.path().join("man1")).len(), 0);
}

/// Neither of them has anything to complain of, however small.
#[test]
#[ignore = "needs mandoc and groff"]
fn two_readers_of_pages_are_silent() {
    let folder = tempfile::tempdir().unwrap();
    assert_eq!(run(&["setup", "manual", "--to", folder.path().to_str().unwrap()]).0, 0);
    let mut count = 0;
    for section in ["man1", "man5", "man7"] {
        for page in names_in(&folder.path().join(section)) {
            let path = folder.path().join(section).join(&page);
            let readers: [&[&str]; 2] = [&["mandoc", "-T", "lint"], &["groff", "-ww", "-man", "-T", "utf8"]];
            for reader in readers {
                let ran = Command::new(reader[0]).args(&reader[1..]).arg(&path).output().unwrap();
                let said = if reader[0] == "mandoc" { [ran.stdout, ran.stderr].concat() } else { ran.stderr };
                assert!(
                    ran.status.success() && said.is_empty(),
                    "{page}: {}",
                    String::from_utf8_lossy(&said)
                );
            }
            count += 1;
        }
    }
    assert!(count > 25, "{count}");
}
