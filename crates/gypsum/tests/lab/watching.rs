//! Watching on under a real systemd: a timer looks, and it goes again.

use crate::host::{boot, boot_image, new_image};
use crate::power_cuts::PREPARE;

#[test]
#[ignore = "needs root and daemons"]
fn a_timer_looks_and_what_fails_is_told_once() {
    let lab = boot(&["/usr/sbin/nginx"]);
    lab.sh("systemctl start nginx");
    let words =
        ["change", "nginx", "http..keepalive_timeout=61", "--watch", "2m", "http http://127.0.0.1/ 200"];
    let (status, document) = lab.gypsum(&words);
    assert_eq!(status, 0, "{document:#}");
    lab.sh("systemctl list-timers --all --no-legend | grep gypsum-watch-1");
    let looked =
        "gypsum health --watching --json | jq -e '.watches[0].looked != null and .watches[0].failed == null'";
    lab.until(20, looked, &|| {
        lab.sh("gypsum health --watching || :; journalctl -q -b -u 'gypsum-watch*' | tail")
    });
    // Nobody is kept from another change meanwhile.
    assert_eq!(lab.gypsum(&["change", "nginx", "http..keepalive_timeout=62"]).0, 0);
    lab.sh("systemctl stop nginx");
    let failed = "gypsum health --watching --json | jq -e '.watches[0].failed != null'";
    lab.until(30, failed, &|| lab.sh("gypsum health --watching || :"));
    let told =
        "journalctl -q -b -o cat -t gypsum GYPSUM_CHANGE=1 PRIORITY=4 | grep -c 'watched since change 1'";
    lab.until(10, told, &|| lab.sh("journalctl -q -b -t gypsum -o cat"));
    lab.sh("sleep 4");
    assert_eq!(lab.sh(told), "1");
    lab.until(10, "! systemctl list-timers --all --no-legend | grep -q gypsum-watch", &|| {
        lab.sh("systemctl list-timers --all --no-legend")
    });
}

/// A start of the host takes the timers away, and they are made again.
#[test]
#[ignore = "needs root and daemons"]
fn what_is_watched_is_watched_after_a_start_of_the_host() {
    let folder = tempfile::Builder::new().prefix("gypsum-images-").tempdir().unwrap();
    let (before, after) = (folder.path().join("before.ext4"), folder.path().join("after.ext4"));
    new_image(&before);
    let programs = ["/usr/sbin/nginx", "/usr/bin/redis-server"];
    let lab = boot_image(&before, "basic.target", &programs);
    lab.sh(PREPARE);
    for (value, time) in [("61", "2m"), ("62", "10s")] {
        let edit = format!("timeout={value}");
        let (status, document) =
            lab.gypsum(&["change", "redis", &edit, "--watch", time, "tcp 127.0.0.1:6379"]);
        assert_eq!(status, 0, "{document:#}");
    }
    lab.cut(&after);
    let lab = boot_image(&after, "multi-user.target", &programs);
    let timers = "systemctl list-timers --all --no-legend";
    lab.until(30, &format!("{timers} | grep -q gypsum-watch-1"), &|| {
        lab.sh(&format!("{timers}; gypsum health --watching; journalctl -q -b -u gypsum-boot-late -o cat"))
    });
    let one = "gypsum health --watching --json | jq -e '.watches | length == 1'";
    // The time of the other one is over.
    lab.until(30, one, &|| lab.sh("gypsum health --watching"));
    lab.sh("systemctl stop redis-server");
    let failed = "gypsum health --watching --json | jq -e '.watches[0].failed != null'";
    lab.until(30, failed, &|| lab.sh("gypsum health --watching || :"));
}
