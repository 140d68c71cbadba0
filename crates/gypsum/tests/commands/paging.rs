//! An answer that is longer than the screen is shown page by page; the status stays its own.

use crate::boards::{host, program};
use std::path::Path;
use std::process::{Command, Stdio};

/// Shell on a terminal of this many rows; what came on the screen.
fn on_a_terminal(rows: u32, shell: &str, state: &Path) -> String {
    let line = format!("stty rows {rows} cols 80; {shell}; echo \"status $?\"");
    let mut script = Command::new("script");
    script.args(["-qec", &line, "/dev/null"]).env("GYPSUM", program()).env("STATE", state);
    // Like a pager that ends by itself: it marks what it was given.
    script.env("PAGER", "sed s/^/paged:/").env_remove("LESS");
    let ran = script.stdin(Stdio::null()).output().unwrap();
    String::from_utf8_lossy(&ran.stdout).replace('\r', "")
}

#[test]
fn what_is_longer_than_the_screen_is_paged_and_nothing_else() {
    let host = host();
    let folder = host.root().to_owned();
    let show = format!(
        "\"$GYPSUM\" --state \"$STATE\" show departures --all --profile {}",
        host.profile().display()
    );
    let paged = on_a_terminal(6, &show, &folder);
    assert!(paged.lines().filter(|line| line.starts_with("paged:")).count() > 5, "{paged}");
    assert!(paged.ends_with("status 0\n"), "{paged}");
    for (rows, shell) in [
        (200, show.clone()),
        (6, format!("{show} --no-pager")),
        (6, format!("PAGER= {show}")),
        (6, format!("PAGER=cat {show}")),
        (6, format!("PAGER=/no/such/pager {show}")),
        (6, format!("{show} | cat")),
    ] {
        let seen = on_a_terminal(rows, &shell, &folder);
        assert!(!seen.contains("paged:") && seen.contains("harbour"), "{shell}: {seen}");
        assert!(seen.ends_with("status 0\n"), "{shell}: {seen}");
    }
    // A pager that is left early is no failure, and the status is that of the answer.
    let other = folder.join("other.conf");
    std::fs::write(&other, "rows 9\n").unwrap();
    let diff = format!(
        "PAGER='head -n 1' \"$GYPSUM\" --state \"$STATE\" diff departures --lines --file {}",
        other.display()
    );
    let left = on_a_terminal(4, &format!("{diff} --profile {}", host.profile().display()), &folder);
    assert!(left.ends_with("status 3\n") && left.lines().count() == 2, "{left}");
}
