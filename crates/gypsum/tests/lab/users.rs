//! A daemon that a user's own service manager runs reads that user's own file.

use crate::host::boot;

/// C12: a user's own file is read instead of the host's; it is edited where it is there, and an edit of the other one
/// is said to be without effect.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_users_own_file_is_the_one_that_counts() {
    let lab = boot(&["/usr/bin/pulseaudio", "/lib/systemd/system/user@.service"]);
    lab.sh(
        "useradd -m -u 1700 mate; rm -f /run/nologin; systemctl daemon-reload; systemctl start user@1700
         runuser -u mate -- sh -c 'mkdir -p ~/.config/pulse && echo \"exit-idle-time = 30\" > ~/.config/pulse/daemon.conf'",
    );
    let own = "/home/mate/.config/pulse/daemon.conf";
    let change = |words: &[&str]| lab.gypsum(&[&["change", "pulseaudio", "--steady", "0"], words].concat());
    let dump = || {
        lab.sh("runuser -u mate -- env HOME=/home/mate pulseaudio --dump-conf | grep -E '^###|^exit-idle'")
    };

    let (status, report) = change(&["exit-idle-time=77"]);
    assert!(status == 0 || status == 7, "{report:#}");
    assert_eq!(report["edits"][0]["file"], own, "{report:#}");
    assert!(dump().contains("mate/.config") && dump().contains("exit-idle-time = 77"), "{}", dump());
    assert_eq!(lab.sh(&format!("stat -c %U {own}")), "mate");

    let (status, report) = change(&["exit-idle-time=99", "--in", "/etc/pulse/daemon.conf"]);
    assert_eq!(status, 3, "{report:#}");
    assert!(report.to_string().contains(&format!("no effect for the user of {own}")), "{report:#}");
    // Where the user has none, the host's is edited; a new one of the user's hides it, and that is said.
    lab.sh(&format!("rm {own}"));
    let (status, report) = change(&["exit-idle-time=88", "-n"]);
    assert_eq!(
        (status, report["edits"][0]["file"].as_str()),
        (0, Some("/etc/pulse/daemon.conf")),
        "{report:#}"
    );
    let (status, report) = change(&["exit-idle-time=88", "--in", own, "--new", "-n"]);
    assert_eq!(status, 0, "{report:#}");
    assert!(report.to_string().contains("instead of /etc/pulse/daemon.conf"), "{report:#}");
}
