//! Changes on probation under a real systemd.

use crate::host::{Lab, boot};

fn until_seconds(lab: &Lab, test: &str) {
    lab.until(20, test, &|| {
        lab.sh("journalctl -q -b -t gypsum -o cat | tail -5; gypsum check nginx 2>&1 || :")
    });
}

/// Both processes are killed, more than once: the service manager starts the second one again, and the time goes on.
#[test]
#[ignore = "needs root and daemons"]
fn the_time_outlives_every_process_that_counts_it() {
    let lab = boot(&["/usr/sbin/nginx"]);
    lab.sh("systemctl start nginx; mkdir -p /etc/gypsum
        printf '[tell]\\ncommand = [\"/usr/bin/tee\", \"/tmp/told\"]\\naccount = \"nobody\"\\n' > /etc/gypsum/gypsum.toml");
    for (time, word, verdict) in [("6s", "true", "restored"), ("10m", "gypsum keep nginx", "kept")] {
        let edit = format!("http..keepalive_timeout={}", if verdict == "kept" { 61 } else { 62 });
        let (status, document) = lab.gypsum(&["change", "nginx", &edit, "--probation", time]);
        assert_eq!(status, 8, "{document:#}");
        until_seconds(&lab, "systemctl list-units --no-legend 'gypsum-stand-by-*' | grep -q running");
        for _ in 0..2 {
            lab.sh("pkill -KILL -f '[_]_guardian|[_]_stand-by' || :; sleep 1.5");
        }
        lab.sh(word);
        until_seconds(
            &lab,
            &format!("gypsum changes nginx --json | jq -e '.changes[0].verdict == \"{verdict}\"'"),
        );
        let told =
            format!("journalctl -q -b -o cat -t gypsum GYPSUM_DAEMON=nginx GYPSUM_VERDICT={verdict} | wc -l");
        assert_eq!(lab.sh(&told), "1", "one entry a change");
        until_seconds(&lab, "! systemctl list-units --all --no-legend 'gypsum-*' | grep -q gypsum");
    }
    assert!(lab.sh("cat /etc/nginx/nginx.conf").contains("61"));
    // The administrator's command had the one that nobody kept, as the account of their choice.
    assert_eq!(lab.sh("stat -c %U /tmp/told; jq -r .verdict /tmp/told"), "nobody\nrestored");
}

/// A clock that is set meanwhile, a day on and two back, makes a probation neither longer nor shorter.
#[test]
#[ignore = "needs root and daemons"]
fn a_clock_that_is_set_meanwhile_changes_nothing() {
    let lab = boot(&["/usr/sbin/nginx", "/usr/bin/faketime"]);
    lab.sh("systemctl start nginx; echo +0 > /root/clock
        systemctl set-environment LD_PRELOAD=$(ls /usr/lib/*/faketime/libfaketime.so.1) \
            FAKETIME_TIMESTAMP_FILE=/root/clock FAKETIME_NO_CACHE=1 FAKETIME_DONT_FAKE_MONOTONIC=1");
    let year = "systemd-run -q --wait --pipe date +%F";
    let today = lab.sh(year);
    let begun = std::time::Instant::now();
    let (status, document) =
        lab.gypsum(&["change", "nginx", "http..keepalive_timeout=62", "--probation", "9s", "--no-trial"]);
    assert_eq!(status, 8, "{document:#}");
    let live = "cat /etc/nginx/nginx.conf | grep -c 'keepalive_timeout 62' || :";
    for clock in ["+1d", "-1d"] {
        lab.sh(&format!("echo {clock} > /root/clock; sleep 1.5"));
        assert_ne!(lab.sh(year), today, "the clock is another one");
        assert!(begun.elapsed().as_secs() >= 9 || lab.sh(live) == "1", "{clock}");
    }
    until_seconds(&lab, "gypsum changes nginx --json | jq -e '.changes[0].verdict == \"restored\"'");
    assert!((9..25).contains(&begun.elapsed().as_secs()), "{:?}", begun.elapsed());
    assert_eq!(lab.sh(live), "0");
}

/// Who is connected over the network and changes how one gets in is offered a probation, as the default.
#[test]
#[ignore = "needs root and daemons"]
fn a_probation_is_offered_for_ones_own_way_in() {
    let lab = boot(&["/usr/sbin/sshd"]);
    lab.sh("mkdir -p /run/sshd; systemctl start ssh");
    let run = |keys: &str, words: &str| {
        lab.sh(&format!(
            "export SSH_CONNECTION='192.0.2.7 50022 192.0.2.1 22'; (sleep 3; printf '{keys}'; sleep 1) | \
             script -qec 'gypsum change sshd --steady 1s {words}' /dev/null; echo \"status $?\""
        ))
    };
    let offered = run("\\r", "MaxAuthTries=4");
    for part in [
        "You are connected over the network",
        "ssh -p 22 root@192.0.2.1",
        "On probation for 10 min",
        "status 8",
    ] {
        assert!(offered.contains(part), "{part}: {offered}");
    }
    lab.sh("gypsum restore sshd");
    let stopped = run("s\\r", "MaxAuthTries=4");
    assert!(stopped.contains("nothing was touched") && stopped.contains("status 1"), "{stopped}");
    // Without a terminal, or where the person said yes beforehand, there is none.
    let (status, _) = lab.gypsum(&["change", "sshd", "MaxAuthTries=4"]);
    assert_eq!(status, 0);
    let said = run("", "-y MaxAuthTries=3");
    assert!(said.contains("status 0") && !said.contains("connected over"), "{said}");
}
