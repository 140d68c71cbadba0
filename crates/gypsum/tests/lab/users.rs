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
    // A client of the user's is asked, which would start the daemon through its socket: only where it runs.
    let control = "runuser -u mate -- env XDG_RUNTIME_DIR=/run/user/1700 systemctl --user";
    lab.sh(&format!("{control} start pulseaudio.service; sleep 0.5"));
    let (status, report) = change(&["exit-idle-time=78"]);
    assert!(status == 0 || status == 7, "{report:#}");
    let health = lab.sh("gypsum health pulseaudio | tr -s ' \\n' ' '");
    let sink = lab.sh(
        "runuser -u mate -- env HOME=/home/mate XDG_RUNTIME_DIR=/run/user/1700 pactl info | sed -n 's/^Default Sink: //p'",
    );
    assert!(health.contains(&format!("default sink is {sink}")), "{health}");
    assert!(health.contains("what it lists, as before") && !sink.is_empty(), "{health}");
    lab.sh(&format!("{control} stop pulseaudio.service; {control} start pulseaudio.socket"));
    assert_eq!(change(&["exit-idle-time=79"]).0, 7);
    assert_eq!(lab.sh(&format!("{control} is-active pulseaudio.service || true")), "inactive");
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

/// B11: what an account cannot see is not told as "no", and what was not run is not told as run.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn an_account_is_told_what_it_cannot_see() {
    let lab = boot(&["/usr/sbin/sshd", "/usr/bin/redis-server", "/usr/sbin/php-fpm8.2"]);
    lab.sh("useradd -m -u 1700 mate; chmod 700 /etc/redis; systemctl start ssh php8.2-fpm; rm -rf /var/lib/gypsum");
    assert_eq!(lab.gypsum(&["change", "sshd", "MaxAuthTries=4"]).0, 0);
    let as_mate = |words: &str| {
        let ran = lab.run(&["runuser", "-u", "mate", "--", "sh", "-c", &format!("gypsum {words} 2>&1")]);
        let text = String::from_utf8_lossy(&ran.stdout).split_whitespace().collect::<Vec<_>>().join(" ");
        (ran.status.code(), text)
    };
    let cases = [
        ("daemons", 0, "redis this account cannot see it"),
        ("daemons", 0, "gunicorn not on this host"),
        ("changes", 0, "Only root can see what root changed"),
        ("show sshd MaxAuthTries", 0, "never by this account; only root can see what root changed"),
        ("check sshd", 0, "sshd -t was not run"),
        ("health sshd", 0, "port 22"),
        (
            "health php-fpm",
            0,
            "not known, answers clients: this account may not use /run/php/php8.2-fpm.sock",
        ),
        ("health php-fpm", 0, "php-fpm is healthy, as far as this account can see"),
    ];
    for (words, status, says) in cases {
        let (got, text) = as_mate(words);
        let found = text.replace("/etc/gunicorn/gunicorn.conf.py", "not on this host");
        assert_eq!(got, Some(status), "{words}: {text}");
        assert!(found.contains(says), "{words}: {text}");
        assert!(!text.contains("in a private view.") && !text.contains("No changes of"), "{words}: {text}");
    }
}
