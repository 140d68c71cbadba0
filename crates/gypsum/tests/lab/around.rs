//! What is around the daemon: sockets that start it, instances behind a unit that only stands for them, processes
//! that it leaves behind, unit files that cannot be loaded, and other people.

use crate::host::{Lab, PROGRAM, actions, boot};
use crate::services::{answers, boards, put_back};

fn last_events(lab: &Lab) -> String {
    lab.sh("cat $(ls -d /var/lib/gypsum/*/2*/ | tail -n 1)events.jsonl")
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_restart_by_somebody_else_is_no_crash_and_a_stop_is_told() {
    let lab = boards("restart", "2500ms", "Type=exec");
    let meanwhile = |mode: &str, what: &str| {
        let waits =
            format!("until grep -q 'mode {mode}' /etc/boards/boards.conf; do sleep 0.1; done; sleep 1");
        lab.sh(&format!("setsid sh -c \"{waits}; {what}\" >/dev/null 2>&1 </dev/null &"));
        lab.gypsum(&["change", "boards", &format!("mode={mode}")])
    };
    let (status, report) = meanwhile("better", "systemctl restart boards");
    assert_eq!((status, report["verdict"].as_str()), (0, Some("kept")), "{report:#}");
    assert!(last_events(&lab).contains("another process restarted it meanwhile"), "{}", last_events(&lab));
    let (status, report) = meanwhile("best", "systemctl stop boards");
    assert_eq!(status, 4, "{report:#}");
    assert!(last_events(&lab).contains("another process stopped it meanwhile"), "{}", last_events(&lab));
    // Ended by a signal and started again by hand, it was not asked to stop.
    let (status, report) = meanwhile("fine", "pkill -KILL perl; sleep 0.3; systemctl start boards");
    assert_eq!(status, 4, "{report:#}");
    assert!(answers(&lab).contains("mode better"));
}

/// What a renewal of certificates does on its own: a new one is there, and the daemon is told to read it.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_renewed_certificate_and_a_reload_by_somebody_else_are_no_failure() {
    let lab = boot(&["/usr/sbin/nginx", "/usr/bin/openssl"]);
    let renew = "openssl req -x509 -newkey rsa:2048 -nodes -days 90 -subj /CN=boards.saltmarsh.example -addext subjectAltName=DNS:boards.saltmarsh.example \
        -keyout /etc/nginx/boards.key -out /etc/nginx/boards.crt 2>/dev/null";
    lab.sh(&format!(
        "{renew}; printf 'server {{ listen 443 ssl; server_name boards.saltmarsh.example; ssl_certificate boards.crt; ssl_certificate_key boards.key; \
         location / {{ return 200 boards; }} }}\\n' > /etc/nginx/conf.d/boards.conf; systemctl start nginx"
    ));
    let print =
        "openssl s_client -connect 127.0.0.1:443 </dev/null 2>/dev/null | openssl x509 -noout -fingerprint";
    for (n, what) in [(61, "systemctl reload nginx"), (62, &format!("{renew}; systemctl reload nginx"))] {
        let before = lab.sh(print);
        let waits =
            format!("until grep -q 'timeout {n}' /etc/nginx/nginx.conf; do sleep 0.1; done; sleep 1; {what}");
        lab.sh(&format!("setsid sh -c \"{waits}\" >/dev/null 2>&1 </dev/null &"));
        let edit = format!("http..keepalive_timeout={n}");
        let (status, report) = lab.gypsum(&["change", "nginx", &edit, "--steady", "4s"]);
        assert_eq!((status, report["verdict"].as_str()), (0, Some("kept")), "{what}: {report:#}");
        assert_eq!(lab.sh(print) != before, n == 62, "{what}");
    }
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_socket_that_gave_up_is_opened_again() {
    let lines = "Type=exec\n[Unit]\nStartLimitBurst=2\nStartLimitIntervalSec=60";
    let lab = boards("restart", "1500ms", lines);
    lab.sh("systemctl stop boards
         printf '[Socket]\\nListenStream=127.0.0.1:8571\\n' > /etc/systemd/system/boards.socket
         systemctl daemon-reload; systemctl start boards.socket boards");
    for mode in ["dies", "fails"] {
        // Somebody who goes on calling makes it fail until its socket closes.
        lab.sh("setsid sh -c 'for n in $(seq 40); do curl -s -m 1 http://127.0.0.1:8571/; sleep 0.1; done' >/dev/null 2>&1 </dev/null &");
        put_back(&lab, mode, "boards.s");
        assert!(lab.is_active("boards.socket"), "{mode}");
        // On a slow host it was started more than once on its way back: those starts count for the manager, not here.
        lab.sh("sleep 1; systemctl stop boards; systemctl reset-failed boards.service");
        assert!(answers(&lab).contains("mode good"), "{mode}: the socket starts it");
    }
    // Down while its file changes, it is started by nobody, and takes its port from the socket again.
    let (status, report) = lab.gypsum(&["change", "boards", "mode=better", "--activation", "stop-first"]);
    assert_eq!(status, 0, "{report:#}");
    assert!(lab.is_active("boards.socket") && answers(&lab).contains("mode better"));
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn the_instances_behind_a_unit_that_stands_for_them_count() {
    let lab = boards("restart", "1500ms", "Type=exec");
    lab.sh(
        "systemctl stop boards
         printf '[Service]\\nType=oneshot\\nRemainAfterExit=yes\\nExecStart=/bin/true\\nExecReload=/bin/true\\n' > /etc/systemd/system/boards.service
         cat > /etc/systemd/system/boards@.service <<'END'
[Unit]
PartOf=boards.service
ReloadPropagatedFrom=boards.service
[Service]
ExecStart=/bin/sh -c 'test %i = quay && exec perl /usr/local/lib/boards.pl; grep -q \"ebb\" /etc/boards/boards.conf && exit 3; exec sleep 1000'
ExecReload=/bin/sh -c 'test %i = quay && kill -HUP $MAINPID; if grep -q \"neap\" /etc/boards/boards.conf; then kill -KILL $MAINPID; fi'
END
         systemctl daemon-reload; systemctl start boards boards@quay; sleep 0.3",
    );
    let change = |words: &[&str]| lab.gypsum(&[&["change", "boards"], words].concat());
    let (status, report) = change(&["mode=better"]);
    assert_eq!(
        (status, report["activation"]["how"].as_str()),
        (0, Some("restart boards@quay.service")),
        "{report:#}"
    );
    let (status, report) = change(&["mode=dies"]);
    assert_eq!(status, 4, "{report:#}");
    // It stands for two now: what happens to either counts, however well it does itself.
    lab.sh("systemctl start boards@tide");
    for (edit, how) in [("tide=ebb", "restart"), ("tide=neap", "reload")] {
        let (status, report) = change(&[edit, "--activation", how]);
        assert_eq!(status, 4, "{edit}: {report:#}");
        let told = format!("{how} boards.service");
        assert!(actions(&last_events(&lab)).contains(&told), "{edit}: {}", last_events(&lab));
        assert!(lab.is_active("boards@quay") && lab.is_active("boards@tide"), "{edit}: {report:#}");
        // What the journal says of it is quoted, too.
        let quoted = lab.sh("grep '\"log\"' $(ls -d /var/lib/gypsum/boards/2*/ | tail -n 1)events.jsonl");
        assert!(quoted.contains("boards@tide.service: Failed"), "{edit}: {quoted}");
    }
    let (status, report) = change(&["tide=flood"]);
    assert_eq!(status, 0, "{report:#}");
    let (status, report) = lab.gypsum(&["change", "unit:boards@", "Service..Nice=5"]);
    let said = report["next"].as_str().unwrap();
    assert_eq!(status, 2, "{report:#}");
    assert!(said.contains("is a template") && said.contains("boards@NAME.service"), "{said}");
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn what_a_stop_leaves_behind_is_seen_before_a_file_changes() {
    let lab = boards("stop-first", "500ms", "Type=exec\nKillMode=process");
    lab.sh("sed -i 's/^limit = \"10s\"/limit = \"1s\"/' /etc/gypsum/profiles/boards.toml
            sed -i 's/mode good/mode clings/' /etc/boards/boards.conf; systemctl restart boards; sleep 0.3");
    let before = lab.file("/etc/boards/boards.conf").0;
    let (status, report) = lab.gypsum(&["change", "boards", "mode=better"]);
    assert_eq!(status, 5, "its port is held, and nothing can be done about that: {report:#}");
    assert!(report["next"].as_str().unwrap().contains("systemctl status boards.service"), "{report:#}");
    let events = last_events(&lab);
    assert!(events.contains("left behind still has 127.0.0.1:8571"), "{events}");
    assert_eq!(lab.file("/etc/boards/boards.conf").0, before);
    lab.sh("pkill -KILL perl; true");
    let (status, report) = lab.gypsum(&["recover", "boards"]);
    assert_eq!(status, 4, "{report:#}");
    assert!(lab.is_active("boards") && answers(&lab).contains("mode clings"));
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_unit_that_cannot_be_loaded_is_not_stopped_and_unit_files_are_read_again() {
    let lab = boards("restart", "500ms", "Type=exec");
    let file = "/etc/systemd/system/boards.service.d/50-quay.conf";
    let change = |edit: &str| {
        let more = ["--file", file, "--format", "sections", "--unit", "boards", "--new"];
        lab.gypsum(&[&["change", "drop-in", "--add", "Service", edit], &more[..]].concat())
    };
    let process = lab.sh("systemctl show -P MainPID boards");
    // A second command is more than such a unit may have.
    let (status, report) = change("Service..ExecStart=/bin/true");
    assert_eq!(status, 4, "{report:#}");
    assert!(last_events(&lab).contains("cannot be loaded"), "{}", last_events(&lab));
    assert_eq!(lab.sh("systemctl show -P MainPID,LoadState boards"), format!("{process}\nloaded"));
    // Stopped, it is told nothing; its manager knows the new file all the same.
    lab.sh("systemctl stop boards");
    let (status, report) = change("Service..Nice=7");
    assert_eq!(status, 7, "{report:#}");
    assert_eq!(lab.sh("systemctl show -P Nice boards"), "7");
}

#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_start_that_takes_its_time_can_be_interrupted() {
    // Its manager waits for that as long as it takes, and so do we.
    let lines = "Type=exec\nTimeoutStartSec=infinity\nExecStartPost=/bin/sh -c 'grep -q \"mode good\" /etc/boards/boards.conf || exec sleep 600'";
    let lab = boards("restart", "500ms", lines);
    lab.sh("sed -i 's/^limit = \"10s\"/limit = \"10m\"/' /etc/gypsum/profiles/boards.toml");
    let before = lab.file("/etc/boards/boards.conf").0;
    let waits =
        "until systemctl show -P ActiveState boards | grep -q activating; do sleep 0.1; done; sleep 0.5";
    let change = format!("{PROGRAM} --json change boards mode=better --steady 1s");
    // Ctrl-C reaches the one that was typed at.
    let report = lab.sh(&format!(
        "{change} >/run/report 2>/dev/null & typed=$!; {waits}; kill -INT $typed; wait $typed; echo $?; cat /run/report"
    ));
    let (status, report) = report.split_once('\n').unwrap();
    assert_eq!(status, "4", "{report}");
    assert!(report.contains("\"verdict\": \"restored\""), "{report}");
    assert!(last_events(&lab).contains("it was interrupted"), "{}", last_events(&lab));
    assert_eq!(lab.file("/etc/boards/boards.conf").0, before);
    assert!(lab.is_active("boards") && answers(&lab).contains("mode good"));
}
