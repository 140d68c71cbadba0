//! What only root, or only a host of its own, can try: profiles that others could write, no
//! permission, a full disk, a file that is a mount, units that cannot be used.

use crate::host::PROGRAM;
use crate::services::boards;

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn places_that_are_not_as_they_should_be() {
    let lab = boards("restart", "50ms", "Type=exec");
    let before = lab.file("/etc/boards/boards.conf");
    let refused = |words: &[&str], status: i32, text: &str| {
        let mut all = vec![PROGRAM];
        all.extend(words);
        let ran = lab.run(&all);
        let said =
            format!("{}{}", String::from_utf8_lossy(&ran.stdout), String::from_utf8_lossy(&ran.stderr));
        assert_eq!(ran.status.code(), Some(status), "{words:?}: {said}");
        assert!(said.contains(text), "{words:?} does not say {text:?}: {said}");
        assert_eq!(lab.file("/etc/boards/boards.conf"), before, "{words:?}");
        assert_eq!(lab.sh("ls -A /etc/boards"), "boards.conf", "{words:?}");
    };
    let change = ["change", "boards", "mode=better"];

    // A profile names commands that run as root.
    lab.sh("chmod 666 /etc/gypsum/profiles/boards.toml");
    refused(&change, 3, "is not used");
    lab.sh("chmod 644 /etc/gypsum/profiles/boards.toml; chown games /etc/gypsum");
    refused(&change, 3, "is not used");
    lab.sh("chown root /etc/gypsum");

    // Units.
    let file = ["--file", "/etc/boards/boards.conf", "--format", "keyword", "--unit"];
    let with_unit = |unit: &'static str| [&["change", "x", "mode=better"][..], &file, &[unit]].concat();
    refused(&with_unit("no-such"), 1, "systemd knows no unit no-such");
    lab.sh("systemctl mask -q cron.service");
    refused(&with_unit("cron"), 1, "is masked");

    // Another account.
    lab.sh("mkdir -p /tmp/home && chown nobody /tmp/home");
    let nobody = ["setpriv", "--reuid=65534", "--clear-groups", "env", "HOME=/tmp/home", PROGRAM];
    let ran = lab.run(&[&nobody[..], &change[..]].concat());
    let said = String::from_utf8_lossy(&ran.stdout).into_owned() + &String::from_utf8_lossy(&ran.stderr);
    assert_eq!(ran.status.code(), Some(1), "{said}");
    assert!(said.contains("run it as root"), "{said}");
    assert_eq!(lab.file("/etc/boards/boards.conf"), before);

    // No room for the backup, and no room beside the file.
    lab.sh("mkdir /tmp/small && mount -t tmpfs -o size=8k tmpfs /tmp/small");
    refused(&["change", "boards", "mode=better", "--state", "/tmp/small/state"], 1, "make room");
    lab.sh("mount -o remount,size=1m /tmp/small");
    let ran = lab.run(&[PROGRAM, "recover", "boards", "--state", "/tmp/small/state"]);
    assert!(
        matches!(ran.status.code(), Some(0 | 1)),
        "with room again there is nothing that was live: {ran:?}"
    );
    assert_eq!(lab.file("/etc/boards/boards.conf"), before);
    lab.sh(
        "mkdir /tmp/full && mount -t tmpfs -o size=16k tmpfs /tmp/full && cp /etc/boards/boards.conf /tmp/full/
         dd if=/dev/zero of=/tmp/full/rest bs=4k count=2 2>/dev/null; dd if=/dev/zero of=/tmp/full/rest2 bs=1k 2>/dev/null; true",
    );
    refused(
        &["change", "x", "mode=better", "--file", "/tmp/full/boards.conf", "--format", "keyword"],
        1,
        "make room",
    );
    assert_eq!(lab.sh("ls -A /tmp/full"), "boards.conf\nrest\nrest2");

    // An immutable file is said to be one.
    if lab.run(&["chattr", "+i", "/etc/boards/boards.conf"]).status.success() {
        let ran = lab.run(&[&[PROGRAM], &change[..]].concat());
        lab.sh("chattr -i /etc/boards/boards.conf");
        assert!(!ran.status.success(), "{ran:?}");
        assert_eq!(lab.file("/etc/boards/boards.conf").0, before.0);
        assert_eq!(lab.sh("ls -A /etc/boards"), "boards.conf");
    }
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_file_that_is_itself_a_mount_is_written_in_place() {
    let lab = boards("restart", "50ms", "Type=exec");
    lab.sh(
        "cp -p /etc/boards/boards.conf /etc/real.conf; mount --bind /etc/real.conf /etc/boards/boards.conf",
    );
    let (status, report) = lab.gypsum(&["change", "boards", "mode=better"]);
    assert_eq!(status, 0, "{report:#}");
    assert!(lab.sh("cat /etc/real.conf").contains("mode better"));
    let (status, report) = lab.gypsum(&["change", "boards", "mode=fails"]);
    assert_eq!(status, 4, "{report:#}");
    assert!(lab.sh("cat /etc/real.conf").contains("mode better"));
    assert_eq!(lab.sh("ls -A /etc/boards"), "boards.conf");
}

/// G17: what keeps a change from being made is told as what it is, and nothing is named that is not there.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn what_is_in_the_way_is_told_as_what_it_is() {
    let lab = boards("restart", "50ms", "Type=exec");
    let says = |words: &[&str], status: i32, texts: &[&str]| {
        let (got, report) = lab.gypsum(words);
        assert_eq!(got, status, "{words:?}: {report:#}");
        texts
            .iter()
            .for_each(|text| assert!(report.to_string().contains(text), "{words:?} {text}: {report:#}"));
        report
    };
    let change = ["change", "boards", "mode=better"];
    // The file system of the lab may have no such flags: one of its own has.
    lab.sh("dd if=/dev/zero of=/root/disk bs=1M count=8 2>/dev/null; mkfs.ext4 -q /root/disk; mkdir /srv/own; mount -o loop /root/disk /srv/own
         printf 'rows 8\\n' > /srv/own/quay.conf; chattr +i /srv/own/quay.conf");
    let quay = ["change", "quay", "--file", "/srv/own/quay.conf", "--format", "keyword", "rows=5"];
    says(&quay, 3, &["is immutable", "chattr -ia /srv/own/quay.conf"]);
    lab.sh("chattr -i /srv/own/quay.conf; chattr +a /srv/own/quay.conf");
    says(&quay, 3, &["is immutable"]);
    lab.sh("chattr -a /srv/own/quay.conf; chattr +i /srv/own");
    says(&quay, 1, &["immutable"]);
    lab.sh("chattr -i /srv/own");
    // A checker that prints for ever.
    let flood = [&quay[..], &["--checker", "/usr/bin/yes {file}"]].concat();
    says(&flood, 3, &["printed without end"]);
    // A full disk for the records: nothing is live, and no draft is named that could not be kept.
    lab.sh("mkdir -m 700 /srv/state; mount -t tmpfs -o size=64k,mode=700 tmpfs /srv/state; dd if=/dev/zero of=/srv/state/rest bs=1k count=60 2>/dev/null; true");
    let full = [&change[..], &["--state", "/srv/state"]].concat();
    let report = says(&full, 1, &["no space left"]);
    assert!(!report.to_string().contains("--draft"), "{report:#}");
    assert_eq!(lab.gypsum(&["drafts", "boards", "--state", "/srv/state"]).1["drafts"], serde_json::json!([]));
    lab.sh("rm /srv/state/rest");
    says(&full, 0, &["kept"]);
}
