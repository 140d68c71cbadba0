//! Files that are not the administrator's alone, and files that lock out.

use crate::host::{Lab, boot};
use serde_json::Value;

fn change(lab: &Lab, file: &str, words: &[&str]) -> (i32, Value) {
    let all = [&["change", "porters", "--file", file, "--format", "records"], words].concat();
    lab.gypsum(&all)
}

/// Kept, and no service is known that could be looked at.
const UNPROVEN: i32 = 7;

/// The messages of a rule.
fn of_rule<'a>(report: &'a Value, rule: &str) -> Vec<&'a str> {
    let findings = report["findings"].as_array().unwrap_or_else(|| panic!("{report:#}"));
    let one = |finding: &&Value| finding["rule"] == rule;
    findings.iter().filter(one).map(|finding| finding["message"].as_str().unwrap()).collect()
}

/// sudo, PAM, the table of file systems: no daemon notices a mistake, so their own checkers are asked, on the file as it
/// will be; without one the change is refused.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn files_that_lock_out_are_read_by_their_own_checkers() {
    let lab = boot(&["/usr/sbin/visudo", "/usr/bin/findmnt", "/usr/sbin/pwck"]);
    lab.sh("echo 'root ALL=(ALL:ALL) ALL' > /etc/sudoers; chmod 440 /etc/sudoers; rm -f /etc/sudoers.d/*; printf 'tmpfs /tide tmpfs defaults 0 0\\n' > /etc/fstab; mkdir -p /tide /etc/pam.d; test -e /etc/pam.d/sshd || echo '@include common-auth' > /etc/pam.d/sshd");
    let refused = |file: &str, edit: &str, rule: &str| {
        let before = lab.file(file);
        let (status, report) = change(&lab, file, &["--add", edit]);
        assert_eq!(status, 3, "{edit}: {report:#}");
        assert!(!of_rule(&report, rule).is_empty(), "{edit}: {report:#}");
        assert_eq!(lab.file(file), before);
    };
    refused("/etc/sudoers", "porter=ALL=(ALL ALL", "checker");
    refused("/etc/fstab", "/dev/nothing=/nowhere ext4 defaults 0 2", "checker");
    refused("/etc/passwd", "porter:x:12", "checker");
    refused("/etc/pam.d/sshd", "auth=required pam_deny.so", "no-checker");
    let (status, report) = change(&lab, "/etc/sudoers", &["--add", "porter=ALL=(ALL) ALL"]);
    assert_eq!(status, UNPROVEN, "{report:#}");
    assert!(of_rule(&report, "checker").is_empty(), "{report:#}");
    assert!(report["checked_by"].to_string().contains("visudo -c -f"), "{report:#}");
    assert!(lab.sh("cat /etc/sudoers").contains("porter ALL=(ALL) ALL"));
    // A mistake that is taken on purpose is the person's.
    let (status, report) =
        change(&lab, "/etc/pam.d/sshd", &["--add", "session=optional pam_tide.so", "--accept", "no-checker"]);
    assert_eq!(status, UNPROVEN, "{report:#}");
    // What was written can be taken back, whatever it is.
    let (status, report) =
        lab.gypsum(&["restore", "porters", "--file", "/etc/pam.d/sshd", "--format", "records"]);
    assert_eq!(status, UNPROVEN, "{report:#}");
}

/// What will happen to the edit is said, and `--strict` refuses.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn who_else_owns_a_file_is_said() {
    let lab = boot(&["/usr/bin/git"]);
    lab.sh("mkdir -p /etc/boards /etc/tide && mount -t tmpfs none /etc/tide && echo 'rows 3' | tee /etc/boards/own /etc/tide/table >/dev/null
         printf '# Managed by the harbour office.\\nrows 3\\n' > /etc/boards/managed
         export HOME=/root; cd /etc/boards && git init -q && git add own managed && git -c user.name=porter -c user.email=porter@quay.example commit -qm 'as it was'");
    let warned = |file: &str, rule: &str, says: &str| {
        let (status, report) = change(&lab, file, &["rows=4", "-n"]);
        assert_eq!(status, 0, "{report:#}");
        let said = of_rule(&report, rule);
        assert!(said.iter().any(|message| message.contains(says)), "{file}: {report:#}");
        let (status, report) = change(&lab, file, &["rows=4", "-n", "--strict"]);
        assert_eq!(status, 3, "{report:#}");
    };
    let (status, report) = change(&lab, "/etc/boards/own", &["rows=4", "-n", "--strict"]);
    assert_eq!(status, 0, "all is committed: {report:#}");
    warned("/etc/boards/managed", "generated", "something else writes it");
    warned("/etc/tide/table", "in-memory", "/etc/tide is kept in memory; this edit is lost at the next boot");
    lab.sh("mkdir -p /etc/tide/upper /etc/tide/work /etc/layer && mount -t overlay none -o lowerdir=/etc/boards,upperdir=/etc/tide/upper,workdir=/etc/tide/work /etc/layer");
    warned("/etc/layer/own", "in-memory", "/etc/layer is kept in memory");
    lab.sh("umount /etc/layer; echo 'rows 5' >> /etc/boards/managed");
    warned("/etc/boards/own", "uncommitted", "has changes that are not committed: managed");
    // A folder of somebody else may name programs; nothing in it is run as root, and that is no "no".
    lab.sh("useradd porter; chown -R porter /etc/boards; printf '#!/bin/sh\\ntouch /root/ran\\n' > /usr/local/bin/watch; chmod +x /usr/local/bin/watch
         printf '[core]\\n\\tfsmonitor = /usr/local/bin/watch\\n' >> /etc/boards/.git/config; chown root: /etc/boards/own");
    let (_, report) = change(&lab, "/etc/boards/own", &["rows=4", "-n"]);
    assert!(lab.sh("ls /root/ran 2>/dev/null || true").is_empty(), "{report:#}");
    // Nothing can be written where the file system is read alone.
    lab.sh("chown -R root: /etc/boards; mkdir -p /etc/image; mount --bind /etc/boards /etc/image; mount -o remount,ro,bind /etc/image");
    let (status, report) = change(&lab, "/etc/image/own", &["rows=4", "-n"]);
    assert_eq!(status, 3, "{report:#}");
    assert!(of_rule(&report, "read-only")[0].contains("/etc/image is mounted read-only"), "{report:#}");
}
