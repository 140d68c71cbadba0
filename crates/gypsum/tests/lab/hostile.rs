//! A host with other people on it: nothing that an account of theirs may do lends them root.

use crate::host::{Lab, PROGRAM};
use crate::services::{answers, boards};
use serde_json::Value;

/// The account of somebody else, who owns `/srv/harbour`, and whose shell is [`as_other`].
fn with_other() -> Lab {
    let lab = boards("restart", "50ms", "Type=exec");
    lab.sh("useradd -m -u 1717 mate; mkdir -m 755 /srv/harbour; chown mate: /srv/harbour");
    lab
}

fn as_other(lab: &Lab, text: &str) -> String {
    let ran = lab.run(&["setpriv", "--reuid=1717", "--regid=1717", "--clear-groups", "sh", "-c", text]);
    assert!(ran.status.success(), "{text}: {ran:?}");
    String::from_utf8_lossy(&ran.stdout).trim().to_owned()
}

/// Kept without a service that could prove it.
const KEPT: i32 = 7;

/// A change of a file of no daemon in particular.
fn change_of(lab: &Lab, file: &str, words: &[&str]) -> (i32, Value) {
    lab.gypsum(&[&["change", "quay", "--file", file, "--format", "keyword"], words].concat())
}

/// G1: in the folder of another account its files are changed as that account; a link there is not followed, and what
/// is no file is not opened.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_folder_of_another_account_leads_root_nowhere() {
    let lab = with_other();
    lab.sh("printf 'rows 8\\n' > /etc/roots.conf; chmod 600 /etc/roots.conf");
    let roots = lab.file("/etc/roots.conf");
    as_other(&lab, "printf 'rows 8\\n' > /srv/harbour/boards.conf; chmod 640 /srv/harbour/boards.conf");
    let (status, report) = change_of(&lab, "/srv/harbour/boards.conf", &["rows=5"]);
    assert_eq!(status, KEPT, "{report:#}");
    assert_eq!(
        lab.sh("cat /srv/harbour/boards.conf; stat -c '%U %a' /srv/harbour/boards.conf"),
        "rows 5\nmate 640"
    );

    // What that account cannot give the new file is said.
    lab.sh("setfattr -n trusted.note -v x /srv/harbour/boards.conf; setfattr -n user.note -v y /srv/harbour/boards.conf");
    let (status, report) = change_of(&lab, "/srv/harbour/boards.conf", &["rows=6"]);
    assert_eq!(status, KEPT, "{report:#}");
    let events = lab.sh("cat /var/lib/gypsum/quay/*-0002/events.jsonl");
    assert!(events.contains("does not have these attributes: trusted.note\""), "{events}");

    let refused = |file: &str, status: i32, says: &str| {
        let (got, report) = change_of(&lab, file, &["rows=3"]);
        assert_eq!(got, status, "{file}: {report:#}");
        assert!(report.to_string().contains(says), "{file}: {report:#}");
        assert_eq!(lab.file("/etc/roots.conf"), roots, "{file}");
    };
    as_other(&lab, "ln -s /etc/roots.conf /srv/harbour/link.conf");
    refused("/srv/harbour/link.conf", 3, "the account mate can change where it leads");
    as_other(&lab, "ln -s /etc /srv/harbour/conf.d");
    refused("/srv/harbour/conf.d/roots.conf", 3, "/srv/harbour/conf.d is a symbolic link");
    as_other(&lab, "mkfifo /srv/harbour/pipe.conf");
    refused("/srv/harbour/pipe.conf", 1, "a pipe or socket");
    // Where several may write root keeps out, whoever owns the file.
    lab.sh("mkdir /srv/shared; chmod 777 /srv/shared; cp /etc/roots.conf /srv/shared/");
    refused("/srv/shared/roots.conf", 3, "every account can change what is in /srv/shared");
    lab.sh("chmod 755 /srv/shared; setfacl -m u:mate:rwx /srv/shared");
    refused("/srv/shared/roots.conf", 3, "accounts that its access list names");
    // A group does not list those whose main group it is.
    lab.sh(
        "setfacl -b /srv/shared; useradd -g mate pilot; chown root:mate /srv/shared; chmod 775 /srv/shared",
    );
    refused("/srv/shared/roots.conf", 3, "the group mate can change what is in /srv/shared");
    // A file that is not the account's is read, and not changed.
    lab.sh("cp /etc/roots.conf /srv/harbour/left.conf; chown root: /srv/harbour/left.conf; chmod 600 /srv/harbour/left.conf");
    refused("/srv/harbour/left.conf", 3, "belongs to root, and its folder to mate");
    let shown = lab.sh("gypsum show quay --file /srv/harbour/left.conf --format keyword");
    assert!(shown.contains("rows  8"), "{shown}");
    // A link that root alone can change is followed, and both names are shown.
    lab.sh("ln -s /etc/roots.conf /etc/link.conf");
    let ran =
        lab.run(&[PROGRAM, "change", "quay", "--file", "/etc/link.conf", "--format", "keyword", "rows=3"]);
    let said = String::from_utf8_lossy(&ran.stdout);
    assert!(
        ran.status.code() == Some(KEPT)
            && said.contains("/etc/link.conf")
            && said.contains("/etc/roots.conf"),
        "{said}"
    );
    assert!(lab.file("/etc/roots.conf").0.contains("rows 3"));
    // A pipe where the new file waits, and one in place of the live file.
    as_other(&lab, "for n in $(seq 9); do mkfifo /srv/harbour/.boards.conf.gypsum-000$n~; done");
    let (status, report) = change_of(&lab, "/srv/harbour/boards.conf", &["rows=7"]);
    assert_eq!(status, KEPT, "{report:#}");
    assert_eq!(lab.sh("cat /srv/harbour/boards.conf"), "rows 7");
}

/// G2, G10: what is made belongs to root, is no wider than what it comes from, and its content is shown and recorded
/// nowhere.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_key_stays_a_key() {
    let lab = with_other();
    lab.sh("mkdir /etc/quay; printf 'rows 8\\n' > /etc/quay/quay.conf; printf 'key of the harbour\\n' > /root/key; chmod 600 /root/key
         touch /etc/quay/aaa; chown mate: /etc/quay/aaa; chmod 666 /etc/quay/aaa
         setfacl -d -m u:mate:rwx /etc/quay");
    let (status, report) = change_of(
        &lab,
        "/etc/quay/quay.conf",
        &["tls=/etc/quay/key", "--companion", "/root/key", "--to", "/etc/quay/key"],
    );
    assert_eq!(status, KEPT, "{report:#}");
    assert_eq!(
        lab.sh("stat -c '%U:%G %a' /etc/quay/key /etc/quay/quay.conf"),
        "root:root 600\nroot:root 644"
    );
    assert!(as_other(&lab, "cat /etc/quay/key 2>&1 || true").contains("Permission denied"));
    assert!(!lab.sh("getfacl -cp /etc/quay/key /etc/quay/quay.conf").contains("mate"));
    let shown = report.to_string();
    assert!(
        !shown.contains("key of the harbour") && shown.contains("bytes, mode 0600, BLAKE3 "),
        "{report:#}"
    );
    // Taken back and restored, it is as it was.
    lab.sh(&format!(
        "{PROGRAM} restore quay --file /etc/quay/quay.conf --format keyword --why 'no more'; true"
    ));
    assert_eq!(lab.sh("ls /etc/quay"), "aaa\nquay.conf");
    let (status, report) = lab.gypsum(&[
        "restore",
        "quay",
        "1",
        "--to",
        "1",
        "--file",
        "/etc/quay/quay.conf",
        "--format",
        "keyword",
    ]);
    assert!(status == 0 || status == 2, "{report:#}");
    let records = lab.sh(
        "cd /var/lib/gypsum/quay; grep -rl 'key of the harbour' . | grep -v '/before/\\|/after/' || true",
    );
    assert_eq!(records, "");
    assert_eq!(lab.sh("stat -c '%a' /var/lib/gypsum /var/lib/gypsum/quay"), "700\n700");
}

/// G4, G6: what names commands, and what says what is done as root, is in root's hands alone.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn nobody_else_says_what_is_done_as_root() {
    let lab = with_other();
    let refused = |words: &[&str], says: &str| {
        let (status, report) = lab.gypsum(words);
        assert_eq!(status, 3, "{words:?}: {report:#}");
        assert!(report.to_string().contains(says), "{words:?}: {report:#}");
    };
    let change = ["change", "boards", "mode=better"];
    lab.sh("setfacl -m u:mate:rw /etc/gypsum/profiles/boards.toml");
    refused(&change, "the profile /etc/gypsum/profiles/boards.toml is not used");
    lab.sh("setfacl -b /etc/gypsum/profiles/boards.toml; setfacl -m u:mate:rwx /etc/gypsum");
    refused(&change, "accounts that its access list names can change");
    lab.sh("setfacl -b /etc/gypsum; mv /etc/gypsum/profiles /srv/harbour/; ln -s /srv/harbour/profiles /etc/gypsum/profiles");
    refused(&change, "the account mate can change");
    lab.sh("rm /etc/gypsum/profiles; mv /srv/harbour/profiles /etc/gypsum/");
    // A state folder of somebody else, and one that somebody else could have filled.
    for (make, folder) in [
        ("mkdir /srv/harbour/state", "/srv/harbour/state"),
        ("mkdir -m 777 /srv/state", "/srv/state"),
        ("ln -s /srv/harbour /srv/harbour/way", "/srv/harbour/way/state"),
        ("mkdir /srv/acl; setfacl -m u:mate:rwx /srv/acl", "/srv/acl"),
    ] {
        lab.sh(make);
        for words in
            [&["change", "boards", "mode=better"][..], &["recover"], &["changes"], &["restore", "boards"]]
        {
            refused(&[words, &["--state", folder]].concat(), "the state folder");
        }
    }
    lab.sh("mkdir -m 755 -p /srv/open/boards");
    let (status, report) = lab.gypsum(&["change", "boards", "mode=better", "--state", "/srv/open"]);
    assert_eq!(status, 1, "{report:#}");
    assert!(report.to_string().contains("chmod 700 /srv/open/boards"), "{report:#}");
    assert_eq!(lab.gypsum(&change).0, 0);
}

/// G5: no account can hold, fill or block root's locks; its own services it can lock, and root respects that.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn nobody_else_holds_roots_locks() {
    let lab = with_other();
    lab.sh("systemctl start systemd-logind; rm -f /run/nologin; mkdir -p /run/user/1717; chown mate: /run/user/1717; chmod 700 /run/user/1717");
    let tried = as_other(
        &lab,
        "mkdir -p /run/gypsum/locks 2>&1; for d in /run/gypsum /run/gypsum/locks /run/lock; do (mkfifo $d/x || touch $d/x) 2>&1; done; true",
    );
    assert!(tried.contains("Permission denied") || tried.contains("cannot"), "{tried}");
    assert_eq!(lab.gypsum(&["change", "boards", "mode=better"]).0, 0);
    assert_eq!(lab.sh("stat -c '%U %a' /run/gypsum/locks"), "root 700");
    // All that is in the old place, and in the temporary folder, is nothing to root.
    as_other(
        &lab,
        "mkdir -p /run/lock/gypsum /tmp/gypsum-locks-0; mkfifo /run/lock/gypsum/x; chmod 777 /run/lock/gypsum; true",
    );
    assert_eq!(lab.gypsum(&["changes", "boards"]).0, 0);
    assert_eq!(lab.gypsum(&["change", "boards", "mode=good"]).0, 0);
    // An account that changes its own file now locks it against root, and says nothing that root repeats.
    as_other(&lab, "printf 'rows 8\\n' > /srv/harbour/boards.conf");
    lab.sh("setpriv --reuid=1717 --regid=1717 --clear-groups env HOME=/home/mate setsid gypsum change quay --file /srv/harbour/boards.conf --format keyword rows=5 --steady 5s --health 'file /srv/harbour/boards.conf' >/tmp/others.log 2>&1 </dev/null &");
    lab.until(5, "ls -A /run/user/1717/gypsum-locks | grep -q .", &|| lab.sh("cat /tmp/others.log"));
    lab.sh("for lock in /run/user/1717/gypsum-locks/*; do printf '\\033[31mroot said so' > $lock; done");
    let (status, report) = change_of(&lab, "/srv/harbour/boards.conf", &["rows=3"]);
    assert_eq!(status, 6, "{report:#}");
    let said = report.to_string();
    assert!(said.contains("(the account mate)") && !said.contains("root said so"), "{report:#}");
}

/// G7: what another process does to a file while it is watched is said and saved; the verdict does not speak of a file
/// that is not there.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn what_is_kept_is_what_is_there() {
    for (what, says) in [
        ("rm /etc/boards/boards.conf", "another process removed /etc/boards/boards.conf"),
        ("printf 'mode good # theirs\\n' > /etc/boards/boards.conf", "its version is saved in"),
        ("rm /etc/boards/boards.conf; mkfifo /etc/boards/boards.conf", "something that is no file"),
    ] {
        let lab = with_other();
        lab.sh(&format!("cat > /root/what <<'END'\nsleep 2; {what}\nEND\nsetsid sh /root/what >/dev/null 2>&1 </dev/null &"));
        let (status, report) = lab.gypsum(&["change", "boards", "mode=better", "--steady", "4s"]);
        assert_eq!((status, report["verdict"].as_str()), (7, Some("kept")), "{what}: {report:#}");
        assert!(
            report["summary"].as_str().unwrap().contains("another process changed"),
            "{what}: {report:#}"
        );
        let events = lab.sh("cat /var/lib/gypsum/boards/*-0001/events.jsonl");
        assert!(events.contains(says), "{what}: {events}");
        if what.contains("theirs") {
            assert_eq!(lab.sh("cat /var/lib/gypsum/boards/*-0001/foreign/*"), "mode good # theirs");
        }
    }
}

/// G8: while a change of one daemon is open, no other daemon changes a file that both have.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn an_open_change_stops_every_daemon_on_its_files() {
    let lab = with_other();
    lab.sh("setsid gypsum change boards mode=better --steady 30s >/dev/null 2>&1 </dev/null &");
    lab.until(10, "grep -q mode.better /etc/boards/boards.conf", &|| "it is not live".into());
    lab.sh("pkill -KILL gypsum; sleep 0.2");
    let quay = |words: &[&str]| change_of(&lab, "/etc/boards/boards.conf", words);
    let (status, report) = quay(&["mode=good"]);
    assert_eq!(status, 6, "{report:#}");
    assert!(report.to_string().contains("gypsum recover boards"), "{report:#}");
    // Even where its plan cannot be read.
    lab.sh("cd /var/lib/gypsum/boards/*-0001; printf x > plan; printf x > journal");
    let (status, report) = quay(&["mode=good"]);
    assert_eq!(status, 6, "{report:#}");
    lab.sh("gypsum recover boards --set-aside; true");
    let (status, report) = quay(&["mode=good"]);
    assert_eq!(status, KEPT, "{report:#}");
}

/// G9: fifty at once have fifty numbers, whichever files they are of.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn each_change_has_a_number_of_its_own() {
    let lab = with_other();
    lab.sh(
        "mkdir /etc/quays; for n in $(seq 20); do printf 'rows 8\\n' > /etc/quays/$n.conf; done
         for n in $(seq 20); do gypsum change quay --file /etc/quays/$n.conf --format keyword rows=1$n --wait 60s >/dev/null 2>&1 & done; wait",
    );
    assert_eq!(lab.sh("ls /var/lib/gypsum/quay | sed 's/.*-//' | sort -u | wc -l"), "20");
    assert_eq!(lab.sh("ls /var/lib/gypsum/quay | wc -l"), "20");
    assert_eq!(lab.sh("cat /etc/quays/*.conf | sort -u | wc -l"), "20");
}

/// G11: names that are not UTF-8, no threads, no processes and no memory are errors; what was live ends in a verdict.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn what_the_host_does_not_give_is_an_error() {
    let lab = with_other();
    lab.sh("mkdir /etc/quays; printf 'rows 8\\n' > /etc/quays/a.conf; printf 'rows 9\\n' > \"/etc/quays/$(printf 'b\\377.conf')\"
         cat > /etc/gypsum/profiles/quays.toml <<'END'\ndaemon = \"quays\"\ntitle = \"Quays\"\n[files]\nhome = \"/etc/quays/a.conf\"\nread = [\"/etc/quays/*.conf\"]\nformat = \"keyword\"\nEND");
    for words in [
        &["show", "quays"][..],
        &["check", "quays"],
        &["change", "quays", "rows=5", "--in", "/etc/quays/a.conf"],
    ] {
        let ran = lab.run(&[&[PROGRAM][..], words].concat());
        let said = String::from_utf8_lossy(&ran.stderr);
        assert!(
            ran.status.code().is_some_and(|code| code < 100) && !said.contains("panicked"),
            "{words:?}: {said}"
        );
    }
    // A file with a hole of 100 GB.
    lab.sh("truncate -s 100G /etc/quays/c.conf");
    for words in [
        &["show", "quays"][..],
        &["change", "quays", "rows=5", "--companion", "/etc/quays/c.conf", "--to", "/etc/x"],
    ] {
        let ran = lab.run(&[&["prlimit", "--as=4000000000", PROGRAM][..], words].concat());
        let said = String::from_utf8_lossy(&ran.stderr);
        assert!(
            matches!(ran.status.code(), Some(1..=3)) && (said.contains("bytes") || said.contains("MiB")),
            "{words:?}: {said}"
        );
    }
    lab.sh("rm /etc/quays/c.conf");
    // So many processes and threads may there be at once, in all.
    for most in [1, 2, 3, 4, 5, 6, 8, 10, 14, 20] {
        let before = lab.sh("cat /etc/boards/boards.conf");
        let (old, mode) = if before.contains("mode good") { ("good", "better") } else { ("better", "good") };
        let tasks = format!("TasksMax={most}");
        let edit = format!("mode={mode}");
        let words = ["systemd-run", "-q", "--scope", "-p", &tasks, PROGRAM, "change", "boards", &edit];
        let ran = lab.run(&words);
        let said =
            format!("{}{}", String::from_utf8_lossy(&ran.stdout), String::from_utf8_lossy(&ran.stderr));
        assert!(!said.contains("panicked"), "{most}: {said}");
        let code = ran.status.code();
        assert!(matches!(code, Some(0 | 1 | 3 | 4 | 7)), "{most}: {code:?}: {said}");
        let after = lab.sh("cat /etc/boards/boards.conf");
        let is_kept = matches!(code, Some(0 | 7));
        assert_eq!(after != before, is_kept, "{most}: {said}");
        // Nothing is left open; of a daemon without a change there is nothing to recover.
        let recovered = lab.gypsum(&["recover", "boards"]).0;
        assert!(matches!(recovered, 0 | 2), "{most}: {recovered}: {said}");
        lab.until(5, "systemctl is-active -q boards", &|| format!("{most}: {said}"));
        assert!(answers(&lab).contains(if is_kept { mode } else { old }), "{most}: {said}");
    }
}

/// G18: the editor runs as the person who called, on what only they can read; and a name that is only claimed is said
/// to be that.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn the_editor_is_the_persons() {
    let lab = with_other();
    lab.sh("cat > /usr/local/bin/type <<'END'\n#!/bin/sh\nid -u > /tmp/editor; id -G >> /tmp/editor; stat -c '%U %a' \"$1\" \"$(dirname $1)\" >> /tmp/editor\necho $HOME >> /tmp/editor; cat /etc/shadow >> /tmp/editor 2>&1\nsed -i s/good/better/ \"$1\"\nEND\nchmod 755 /usr/local/bin/type; touch /tmp/editor; chmod 666 /tmp/editor");
    let (status, report) = {
        let words = [
            "env",
            "SUDO_UID=1717",
            "SUDO_USER=mate",
            "EDITOR=/usr/local/bin/type",
            PROGRAM,
            "--json",
            "edit",
            "boards",
            "-y",
        ];
        let ran = lab.run(&words);
        let report: Value = serde_json::from_slice(&ran.stdout).unwrap_or_else(|_| panic!("{ran:?}"));
        (ran.status.code(), report)
    };
    assert_eq!(status, Some(0), "{report:#}");
    let seen = lab.sh("cat /tmp/editor");
    assert!(seen.starts_with("1717\n1717\nmate 600\nmate 700\n/home/mate\n"), "{seen}");
    assert!(seen.contains("Permission denied"), "{seen}");
    assert!(answers(&lab).contains("mode better"));
    assert_eq!(lab.sh("ls -d /tmp/gypsum-* 2>/dev/null || true"), "");
    let who = report["who"].as_str().unwrap();
    let login = lab.sh("cat /proc/self/loginuid");
    if login == u32::MAX.to_string() {
        assert_eq!(who, "mate (claimed, root)");
    } else {
        assert!(!who.contains("mate"), "{who}");
    }
}

/// G2: a new file has the label that the policy has for its place. The kernel of the lab has no such policy: the program
/// that knows the policy answers all the same, and the attribute is the same one.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_new_file_gets_the_label_of_its_place() {
    let lab = boards("restart", "50ms", "Type=exec");
    lab.sh(
        "mkdir /etc/saltmarsh; printf 'rows 8\\n' > /etc/quay.conf; echo a > /root/old; echo b > /root/new",
    );
    let mut rows = 8;
    let mut install = |source: &str, file: &str| {
        rows += 1;
        let edit = format!("rows={rows}");
        let (status, report) =
            change_of(&lab, "/etc/quay.conf", &[&edit, "--companion", source, "--to", file]);
        assert_eq!(status, KEPT, "{report:#}");
        lab.sh(&format!("cat /var/lib/gypsum/quay/*-{:04}/events.jsonl", rows - 8))
    };
    // No file is labelled on a kernel that does not do it.
    install("/root/old", "/etc/saltmarsh/before.conf");
    lab.sh("{ cat /proc/filesystems; printf 'nodev\\tselinuxfs\\n'; } > /run/filesystems
        mount --bind /run/filesystems /proc/filesystems
        mkdir -p /etc/selinux/lab/contexts/files
        printf 'SELINUX=enforcing\\nSELINUXTYPE=lab\\n' > /etc/selinux/config
        printf '%s\\n' '/etc/saltmarsh(/.*)?  system_u:object_r:board_etc_t:s0' \\
            > /etc/selinux/lab/contexts/files/file_contexts");
    install("/root/old", "/etc/saltmarsh/after.conf");
    // What is replaced keeps its own.
    install("/root/new", "/etc/saltmarsh/before.conf");
    let label = |file: &str| {
        lab.sh(&format!("getfattr -m security -d --absolute-names {file} | grep -v '^#' || true"))
    };
    assert_eq!(label("/etc/saltmarsh/after.conf"), "security.selinux=\"system_u:object_r:board_etc_t:s0\"");
    assert_eq!(label("/etc/saltmarsh/before.conf"), "");
    // Nobody can be asked.
    lab.sh("rm /usr/sbin/matchpathcon");
    let events = install("/root/old", "/etc/saltmarsh/third.conf");
    assert!(events.contains("restorecon /etc/saltmarsh/third.conf"), "{events}");
}
