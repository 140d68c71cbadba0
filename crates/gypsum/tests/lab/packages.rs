//! A change while the package manager is at work.

use crate::host::boot;
use std::time::Instant;

/// Holds dpkg's lock, as dpkg does (fcntl(2)), while a command runs below it or beside it.
const HOLD: &str = "use Fcntl; open my $lock, '+>>', '/var/lib/dpkg/lock-frontend' or die; \
    my $whole = pack('s s l! l! i', F_WRLCK, 0, 0, 0, 0); \
    fcntl($lock, F_SETLK, $whole) or die \"$!\"; system(@ARGV); exit $? >> 8;";

#[test]
#[ignore = "needs root and daemons"]
fn a_change_waits_for_the_package_manager() {
    let lab = boot(&["/usr/sbin/nginx"]);
    lab.sh("systemctl start nginx; touch /var/lib/dpkg/lock-frontend");
    let hold = |seconds: u32| {
        let mut holder = lab.command(&["perl", "-e", HOLD, "sleep", &seconds.to_string()]);
        let holder = holder.spawn().unwrap();
        lab.until(5, "grep -q POSIX /proc/locks", &|| "the lock is not held".into());
        holder
    };
    let mut holder = hold(600);
    let begun = Instant::now();
    let (status, document) = lab.gypsum(&["change", "nginx", "http..keepalive_timeout=61", "--no-wait"]);
    assert_eq!(status, 6, "{document:#}");
    let why = document["next"].as_str().or(document["error"]["message"].as_str()).unwrap_or_default();
    assert!(why.contains("the package manager is at work: dpkg (perl, process "), "{document:#}");
    assert!(begun.elapsed().as_secs() < 5);
    let (status, _) = lab.gypsum(&["change", "nginx", "http..keepalive_timeout=61", "--wait", "1s"]);
    assert_eq!(status, 6);
    // A dry run touches nothing, and waits for nobody.
    assert_eq!(lab.gypsum(&["change", "nginx", "http..keepalive_timeout=61", "-n"]).0, 0);
    lab.sh("pkill sleep");
    holder.wait().unwrap();
    let mut holder = hold(2);
    let (status, document) = lab.gypsum(&["change", "nginx", "http..keepalive_timeout=61"]);
    assert_eq!(status, 0, "{document:#}");
    holder.wait().unwrap();
    // A script of a package: its own manager is no reason to wait.
    let below = ["perl", "-e", HOLD, "gypsum", "change", "nginx", "http..keepalive_timeout=62", "--no-wait"];
    let ran = lab.run(&below);
    assert!(ran.status.success(), "{ran:?}");
}
