//! The boards under each service manager besides systemd, each for real: kept, put back, and never called well because
//! their manager says so.

use crate::host::{Lab, boot};
use crate::services::HEAD;

const PROFILE: &str = r#"pid-file = "/run/boards.pid"
activation = "restart"
limit = "10s"
steady = "1500ms"
[[health]]
http = "http://127.0.0.1:8571/"
contains = "mode"
limit = "300ms"
patience = "2s"
"#;

/// A host that systemd did not boot, as far as anybody can tell.
fn without_systemd(needs: &[&str], more: &str) -> Lab {
    let lab = boot(needs);
    lab.sh(&format!(
        "mount -t tmpfs tmpfs /run/systemd
         mkdir -p /etc/boards /etc/gypsum/profiles
         printf 'mode good\\n' > /etc/boards/boards.conf
         cat > /etc/gypsum/profiles/boards.toml <<'END'\n{HEAD}{PROFILE}END
         {more}"
    ));
    lab
}

fn answers(lab: &Lab) -> String {
    lab.sh("curl -s http://127.0.0.1:8571/ || true")
}

fn goes_through(lab: &Lab, keeper: &str) {
    assert!(answers(lab).contains("mode good"), "{keeper}");
    let (status, report) = lab.gypsum(&["change", "boards", "mode=better"]);
    assert_eq!(
        (status, report["verdict"].as_str()),
        (0, Some("kept")),
        "{keeper}: {report:#}\n{}",
        lab.sh("cat /var/lib/gypsum/boards/*/events.jsonl")
    );
    assert!(answers(lab).contains("mode better"), "{keeper}");
    for mode in ["fails", "dies", "loops"] {
        let (status, report) = lab.gypsum(&["change", "boards", &format!("mode={mode}")]);
        assert_eq!(
            (status, report["verdict"].as_str()),
            (4, Some("restored")),
            "{keeper} {mode}: {report:#}"
        );
        assert!(answers(lab).contains("mode better"), "{keeper} {mode}");
    }
    let (status, report) = lab.gypsum(&["health", "boards"]);
    assert_eq!(status, 0, "{keeper}: {report:#}");
    // Killed, it may still be called started; and whatever it is called, it comes back with the next change.
    lab.sh("pkill -KILL -f '^/usr/bin/perl /usr/local/lib/boards.pl'; sleep 1.5");
    let (status, report) = lab.gypsum(&["change", "boards", "mode=best"]);
    assert_eq!((status, report["healthy"].as_bool()), (0, Some(true)), "{keeper}: {report:#}");
    assert!(answers(lab).contains("mode best"), "{keeper}");
}

/// The number in its pid file is another program's now.
fn is_not_taken_for_another(lab: &Lab, keeper: &str) {
    lab.sh("pkill -KILL -f '^/usr/bin/perl /usr/local/lib/boards.pl'; sleep 0.2
            setsid sleep 1000 >/dev/null 2>&1 </dev/null & sleep 0.2
            pgrep -x sleep | head -n 1 > /run/boards.pid; touch -d '1 hour ago' /run/boards.pid");
    let (status, report) = lab.gypsum(&["health", "boards"]);
    let service = &report["health"][0];
    assert_eq!((status, service["healthy"].as_bool()), (3, Some(false)), "{keeper}: {report:#}");
    let (status, report) = lab.gypsum(&["change", "boards", "mode=fine"]);
    assert_eq!((status, report["healthy"].as_bool()), (0, Some(true)), "{keeper}: {report:#}");
    lab.sh("pgrep -x sleep");
}

const DETACHED: &str = "start-stop-daemon --start --quiet --background --make-pidfile --pidfile /run/boards.pid --exec /usr/bin/perl -- /usr/local/lib/boards.pl";

/// The boards as a script of System V, started.
fn lsb_script() -> String {
    format!(
        "cat > /etc/init.d/boards <<'END'
#!/bin/sh
### BEGIN INIT INFO
# Provides: boards
### END INIT INFO
. /lib/lsb/init-functions
case $1 in
start) {DETACHED} ;;
stop) start-stop-daemon --stop --quiet --oknodo --retry 5 --pidfile /run/boards.pid --exec /usr/bin/perl ;;
restart) $0 stop; $0 start ;;
status) status_of_proc -p /run/boards.pid /usr/bin/perl boards ;;
*) exit 2 ;;
esac
END
        chmod +x /etc/init.d/boards; /etc/init.d/boards start; sleep 0.4"
    )
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn scripts_as_system_v_had_them() {
    let script = lsb_script();
    let lab = without_systemd(&["/usr/bin/perl", "/usr/bin/curl"], &script);
    goes_through(&lab, "script");
    is_not_taken_for_another(&lab, "script");
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn openrc() {
    let script = "mkdir -p /run/openrc; touch /run/openrc/softlevel; rc-status -a >/dev/null 2>&1
        cat > /etc/init.d/boards <<'END'
#!/sbin/openrc-run
command=/usr/bin/perl
command_args=/usr/local/lib/boards.pl
command_background=yes
pidfile=/run/boards.pid
END
        chmod +x /etc/init.d/boards; rc-service boards start >/dev/null 2>&1; sleep 0.4";
    let needs = ["/usr/bin/perl", "/usr/bin/curl", "/sbin/openrc-run"];
    let lab = without_systemd(&needs, script);
    goes_through(&lab, "openrc");
    is_not_taken_for_another(&lab, "openrc");
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn runit() {
    let script = "rm -rf /etc/service; mkdir -p /etc/service/boards
        printf '#!/bin/sh\\nexec /usr/bin/perl /usr/local/lib/boards.pl 2>&1\\n' > /etc/service/boards/run; 
        mkdir -p /etc/service/boards/log/main; printf '#!/bin/sh\nexec svlogd -tt ./main\n' > /etc/service/boards/log/run
        chmod +x /etc/service/boards/run /etc/service/boards/log/run
        (setsid runsvdir /etc/service >/dev/null 2>&1 &); sleep 1.5";
    let needs = ["/usr/bin/perl", "/usr/bin/curl", "/usr/bin/runsvdir"];
    let lab = without_systemd(&needs, script);
    goes_through(&lab, "runit");
    // What it wrote when it could not start, from the file of its own logger.
    let events = lab.sh("cat $(ls -d /var/lib/gypsum/boards/2*/ | sed -n 2p)events.jsonl");
    assert!(events.contains("cannot work like that"), "{events}");
}

/// The host starts with a change open, and with something to watch: the manager runs the script that was installed.
fn starts_again(lab: &Lab, keeper: &str, installed: &str, start: &str, boot: &str) {
    let (status, document) = lab.gypsum(&["setup", "boot"]);
    assert_eq!(status, 0, "{keeper}: {document:#}");
    lab.sh(installed);
    let watched = ["change", "boards", "mode=better", "--watch", "1h", "http http://127.0.0.1:8571/"];
    let (status, document) = lab.gypsum(&watched);
    assert_eq!(status, 0, "{keeper}: {document:#}");
    let mut front = lab.command(&["gypsum", "change", "boards", "mode=best", "--steady", "60s"]);
    let mut front = front.stdout(std::process::Stdio::null()).spawn().unwrap();
    lab.until(20, "curl -s http://127.0.0.1:8571/ | grep -q best", &|| lab.sh("gypsum changes boards"));
    lab.sh("pkill -KILL -f '[_]_guardian|[_]_watch|[g]ypsum change'; pkill -KILL -f '^/usr/bin/perl /usr/local/lib/boards.pl'; rm -f /run/boards.pid");
    front.kill().unwrap();
    front.wait().unwrap();
    assert!(lab.sh("cat /etc/boards/boards.conf").contains("best"));
    lab.sh(boot);
    assert!(lab.sh("cat /etc/boards/boards.conf").contains("better"), "{keeper}: the early part");
    lab.sh(start);
    let closed = "gypsum changes boards --json | jq -e '.changes[0].verdict == \"restored\"'";
    lab.until(30, closed, &|| lab.sh("gypsum changes boards; gypsum check boards 2>&1 || :"));
    lab.until(20, "pgrep -f '[_]_watch'", &|| lab.sh("ps ax | grep gypsum; ls -A /var/lib/gypsum/.watches"));
    assert_eq!(lab.gypsum(&["health", "--watching", "--stop", "1"]).0, 0);
    assert_eq!(lab.gypsum(&["setup", "boot", "--remove"]).0, 0);
    lab.sh(&format!("! {{ {installed}; }} 2>/dev/null"));
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_host_of_openrc_starts_in_a_change() {
    // Nothing else is to start: no clock is set, no file system mounted.
    let script = format!(
        "mkdir -p /run/openrc; touch /run/openrc/softlevel; rm -f /etc/runlevels/*/*; rc-status -a >/dev/null 2>&1
        {}; /etc/init.d/boards stop; rc-service boards start",
        lsb_script()
    );
    let lab = without_systemd(&["/usr/bin/perl", "/usr/bin/curl", "/sbin/openrc-run"], &script);
    starts_again(
        &lab,
        "openrc",
        "rc-update show boot | grep -q gypsum-boot",
        "rc-service boards start",
        "openrc sysinit; openrc boot",
    );
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_host_of_system_v_scripts_starts_in_a_change() {
    let lab = without_systemd(&["/usr/bin/perl", "/usr/bin/curl"], &lsb_script());
    let boot = "for script in /etc/rcS.d/S*gypsum-boot; do $script start; done";
    starts_again(&lab, "System V", "ls /etc/rcS.d/S*gypsum-boot", "/etc/init.d/boards start", boot);
}
