//! systemd is asked on its bus, and by its programs where there is none: both say the same, and a bus that is lost in the
//! middle loses nothing.

use crate::host::{Lab, PROGRAM, boot};
use serde_json::Value;

/// A daemon with all that a unit can have of what counts: variables, credentials, dependants, an account, limits.
const BOARDS: &str = "mkdir -p /etc/boards; echo QUAY=north > /etc/boards/environment; echo key > /etc/boards/key
    echo rows=8 > /etc/boards/boards.conf
    printf '[Unit]\\nPropagatesReloadTo=nginx.service\\n[Service]\\nType=exec\\nUser=daemon\\nExecStart=/bin/sleep 1000\\n\
        ExecReload=/bin/sh -c \"! grep rows=9 /etc/boards/boards.conf\"\\nEnvironmentFile=/etc/boards/environment\\n\
        LoadCredential=key:/etc/boards/key\\nTimeoutStartSec=20\\n' > /etc/systemd/system/boards.service
    printf '[Unit]\\nRequires=boards.service\\nAfter=boards.service\\n[Service]\\nExecStart=/bin/sleep 1000\\n' \
        > /etc/systemd/system/quay.service
    systemctl daemon-reload; systemctl start boards quay";

fn change(lab: &Lab, edit: &str, more: &[&str]) -> (i32, Value) {
    let file = ["--file", "/etc/boards/boards.conf", "--format", "equals", "--unit", "boards"];
    lab.gypsum(&[&["change", "boards", edit], &file[..], more].concat())
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn the_bus_and_the_programs_say_the_same_of_a_unit() {
    let lab = boot(&["/usr/sbin/nginx"]);
    lab.sh(BOARDS);
    // Nothing shows that a sleeping process took something up.
    assert_eq!(change(&lab, "rows=7", &["--activation", "reload", "--steady", "0"]).0, 7);
    // A record begins with its digest.
    let seen = || {
        let plan = lab.sh("cat $(ls -d /var/lib/gypsum/boards/*/plan | tail -n 1)");
        let (_, plan) = plan.split_once(' ').unwrap();
        let plan: Value = serde_json::from_str(plan).unwrap();
        let mut seen = plan["plan"]["service_before"].clone();
        // A reload changes it.
        assert!(seen["since_ms"].take().is_i64());
        // `systemctl show` cannot print them.
        let credentials = seen["started_as"]["credentials"].take();
        (seen, credentials)
    };
    let (by_bus, credentials) = seen();
    assert_eq!(credentials, serde_json::json!(["/etc/boards/key"]));
    assert!(by_bus["invocation"].is_string() && by_bus["started_as"]["account"] == "daemon", "{by_bus:#}");
    assert!(by_bus["dependants"].to_string().contains("quay.service"), "{by_bus:#}");
    // The programs have a line of their own to the manager.
    lab.sh("systemctl stop dbus.socket dbus.service; rm -f /run/dbus/system_bus_socket");
    let (status, report) = change(&lab, "rows=6", &["--activation", "reload", "--steady", "0"]);
    assert_eq!(status, 7, "{report:#}");
    assert_eq!(seen().0, by_bus);
    let (status, report) = change(&lab, "rows=5", &["--activation", "restart", "--steady", "0"]);
    assert_eq!(status, 0, "{report:#}");
    assert_eq!(lab.sh("cat /etc/boards/boards.conf"), "rows=5");
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_job_that_fails_is_told_in_words_and_undone() {
    let lab = boot(&["/usr/sbin/nginx"]);
    lab.sh(BOARDS);
    let (status, report) = change(&lab, "rows=9", &["--activation", "reload", "--steady", "0"]);
    assert_eq!(status, 4, "{report:#}");
    assert!(report.to_string().contains("systemd's job failed"), "{report:#}");
    assert_eq!(lab.sh("cat /etc/boards/boards.conf"), "rows=8");
    lab.sh(
        "sed -i 's|^ExecStart=.*|&\\nExecStartPre=/bin/sh -c \"! grep -q rows=4 /etc/boards/boards.conf\"|' \
        /etc/systemd/system/boards.service; systemctl daemon-reload",
    );
    let (status, report) = change(&lab, "rows=4", &["--activation", "restart", "--steady", "0"]);
    assert_eq!(status, 4, "{report:#}");
    assert!(report.to_string().contains("a process of it ended with an error"), "{report:#}");
    assert!(lab.is_active("boards"));
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_bus_that_is_lost_while_a_job_runs_loses_nothing() {
    let lab = boot(&["/usr/sbin/nginx"]);
    lab.sh(BOARDS);
    // What takes up the new file ends the bus on its way.
    lab.sh("sed -i 's|^ExecReload=.*|ExecReload=+/bin/sh -c \"pkill -KILL dbus-daemon; sleep 1\"|' \
        /etc/systemd/system/boards.service; systemctl daemon-reload");
    let (status, report) = change(&lab, "rows=7", &["--activation", "reload", "--steady", "0"]);
    assert_eq!(status, 7, "{report:#}");
    assert_eq!(lab.sh("cat /etc/boards/boards.conf"), "rows=7");
    assert!(lab.is_active("boards"));
    assert_eq!(lab.run(&[PROGRAM, "recover"]).status.code(), Some(0));
}
