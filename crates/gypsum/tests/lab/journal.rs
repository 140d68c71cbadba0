//! What the journal of the host has of a change.

use crate::host::{PROGRAM, boot};

/// E9: one line for each change that was live, with its number, files, who, why and priority, from whichever process
/// ended it; and none of the manager about the process that carried it.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn the_journal_has_one_line_for_each_change() {
    let lab = boot(&["/usr/sbin/sshd"]);
    lab.sh("systemctl start ssh");
    let (status, report) = lab.gypsum(&["change", "sshd", "MaxAuthTries=4", "--why", "fewer guesses"]);
    assert_eq!(status, 0, "{report:#}");
    lab.until(5, "journalctl -q -o cat GYPSUM_CHANGE=1 | grep -q .", &|| "no line came".into());
    let line = lab.sh("journalctl -q -o cat GYPSUM_DAEMON=sshd GYPSUM_CHANGE=1 GYPSUM_VERDICT=kept");
    for text in ["change 1 of sshd by root: kept", "/etc/ssh/sshd_config", "why: fewer guesses"] {
        assert!(line.contains(text), "{text}: {line}");
    }
    assert_eq!(line.lines().count(), 1, "{line}");
    assert_eq!(lab.sh("journalctl -q -o json GYPSUM_CHANGE=1 | grep -c '\"PRIORITY\":\"5\"'").trim(), "1");
    assert_eq!(lab.sh("journalctl -q -o cat _PID=1 | grep -c gypsum- || true").trim(), "0");
    // One that is recovered has its line from the recovery.
    let begin = format!("setsid {PROGRAM} change sshd MaxAuthTries=5 --steady 60s >/dev/null 2>&1 &");
    lab.sh(&format!("{begin} sleep 0.1"));
    lab.until(10, "grep -q activated /var/lib/gypsum/sshd/*-0002/journal", &|| "it is not live".into());
    // The brackets keep the shell that asks from being one of those that are asked for.
    lab.sh("pkill -9 -f '[g]ypsum change'; pkill -9 -f '[_]_guardian'; sleep 0.3");
    let (_, recovered) = lab.gypsum(&["recover", "sshd"]);
    assert_eq!(recovered["recovered"][0]["verdict"], "restored", "{recovered:#}");
    let line = lab.sh("journalctl -q -o cat -p warning GYPSUM_CHANGE=2");
    assert!(line.contains("change 2 of sshd by root: restored"), "{line}");
}
