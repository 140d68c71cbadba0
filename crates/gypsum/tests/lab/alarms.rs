//! What is no trouble is not told as one.

use crate::host::{Lab, boot};
use crate::services::boards;
use serde_json::Value;

/// The severities of the findings of this rule.
fn severities(report: &Value, rule: &str) -> Vec<String> {
    let findings = report["findings"].as_array().unwrap().iter();
    findings
        .filter(|finding| finding["rule"] == rule)
        .map(|finding| finding["severity"].as_str().unwrap().to_owned())
        .collect()
}

fn found(lab: &Lab, words: &[&str], rule: &str) -> Vec<String> {
    severities(&lab.gypsum(words).1, rule)
}

/// C15: what Gypsum itself wrote is no edit by somebody else, and one that was not activated is told as that.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn gypsums_own_change_is_nobody_elses() {
    let lab = boards("restart", "300ms", "");
    let change = |words: &[&str]| lab.gypsum(&[&["change", "boards"], words].concat());
    let dry = |edit: &str| severities(&change(&[edit, "-n"]).1, "never-loaded");
    // A service is asked for files that are younger by more than a second.
    lab.sh("sleep 1.2");
    assert_eq!(change(&["mode=quiet", "--activation", "none"]).0, 0);
    let (_, report) = change(&["mode=good", "-n"]);
    assert_eq!(severities(&report, "never-loaded"), ["hint"], "{report:#}");
    assert!(report.to_string().contains("change 1 of this file was not activated"), "{report:#}");
    let (status, report) = change(&["--activation", "restart"]);
    assert_eq!(
        (status, severities(&report, "never-loaded").as_slice()),
        (0, &["hint".to_owned()][..]),
        "{report:#}"
    );
    assert!(dry("mode=good").is_empty());
    lab.sh("sleep 1.2; echo '# by hand' >> /etc/boards/boards.conf");
    assert_eq!(dry("mode=good"), ["warning"]);
}

/// C15: a name that a check of this change asks for is asked for; a value that held already moves nothing; the advice
/// never is to edit a package's own file.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn what_was_asked_for_is_not_missed() {
    let lab = boot(&["/usr/sbin/nginx"]);
    lab.sh("systemctl start nginx
         printf '[Service]\\nExecStart=/bin/sleep 1000\\n' > /etc/systemd/system/tides.service
         mkdir -p /usr/local/lib/systemd /usr/lib/systemd/system/tides.service.d
         printf '[Service]\\nOOMScoreAdjust=9\\n' > /usr/lib/systemd/system/tides.service.d/90-late.conf
         systemctl daemon-reload; systemctl start tides");
    let name = "server..server_name=north.boards.example";
    assert_eq!(found(&lab, &["change", "nginx", name, "-n"], "not-asked"), ["hint"]);
    let must = "http http://north.boards.example/ 200";
    assert!(found(&lab, &["change", "nginx", name, "-n", "--must", must], "not-asked").is_empty());

    let drop_in = "/etc/systemd/system/tides.service.d/50-quay.conf";
    let change =
        |edit: &str| lab.gypsum(&["change", "unit:tides", "--in", drop_in, "--new", "--steady", "0", edit]);
    let (status, report) = change("Service..Nice=0");
    assert_eq!((status, severities(&report, "unmoved").len()), (0, 0), "{report:#}");
    let (_, report) = change("Service..OOMScoreAdjust=5");
    let advice = report["findings"].to_string();
    assert!(
        advice.contains("put the setting into a file under /etc") && !advice.contains("--in /usr"),
        "{report:#}"
    );
}

/// C15: what the daemon's own account tells otherwise each time it is asked is no change.
#[test]
#[ignore = "needs root and daemons of Debian: see docs/testing.md"]
fn a_time_in_an_account_is_no_change() {
    let lab = boards("restart", "300ms", "");
    // It tells the time, and twice the rows.
    lab.sh("cat > /usr/local/bin/account <<'END'
#!/bin/sh
echo \"told-at $(date +%s.%N)\"
echo \"width $(grep -c . /etc/boards/boards.conf)\"
END
         chmod +x /usr/local/bin/account
         printf '[effective]\\nrun = [\"/usr/local/bin/account\"]\\n' >> /etc/gypsum/profiles/boards.toml");
    let (_, report) = lab.gypsum(&["change", "boards", "mode=quiet", "-n"]);
    assert!(severities(&report, "also-changes").is_empty(), "{report:#}");
    let (_, report) = lab.gypsum(&["change", "boards", "--add", "quay=north", "-n"]);
    let told = report["findings"].to_string();
    assert!(told.contains("width (from 2 to 3)") && !told.contains("told-at"), "{report:#}");
}
