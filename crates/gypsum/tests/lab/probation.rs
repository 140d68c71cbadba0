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
