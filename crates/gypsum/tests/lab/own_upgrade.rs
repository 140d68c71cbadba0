//! The program is replaced or removed while a change of it is open.

use crate::host::{Lab, boot};

/// Where it is put for this, apart from the one that looks at it afterwards.
const OWN: &str = "/opt/gypsum/bin/gypsum";

fn installed() -> Lab {
    let lab = boot(&["/usr/sbin/nginx"]);
    lab.sh(&format!("mkdir -p /opt/gypsum/bin; cp /usr/local/bin/gypsum {OWN}; systemctl start nginx"));
    lab
}

fn until_verdict(lab: &Lab, verdict: &str) {
    let test = format!("gypsum changes nginx --json | jq -e '.changes[0].verdict == \"{verdict}\"'");
    lab.until(30, &test, &|| lab.sh("gypsum changes nginx; journalctl -q -b -t gypsum -o cat | tail -5"));
}

/// A change that is watched goes on to its verdict, with the program that began it.
#[test]
#[ignore = "needs root and daemons"]
fn a_change_goes_on_where_its_program_is_replaced_or_removed() {
    // An upgrade writes a new file under the old name, as dpkg does.
    let replaced = format!("cp /bin/false {OWN}.new; mv {OWN}.new {OWN}");
    for then in [replaced, format!("rm {OWN}")] {
        let lab = installed();
        lab.sh(&format!("{OWN} change nginx http..keepalive_timeout=61 --steady 3s > /root/out 2>&1 & sleep 1.5; {then}; wait $!"));
        until_verdict(&lab, "kept");
        assert!(lab.sh("cat /root/out").contains("Kept"), "{}", lab.sh("cat /root/out"));
    }
}

/// A probation keeps its promise; where nothing of it is left, what to do is said.
#[test]
#[ignore = "needs root and daemons"]
fn a_probation_ends_as_promised_or_says_what_to_do() {
    let lab = installed();
    let begin = |time: &str| {
        let ran = lab.run(&[
            "sh",
            "-c",
            &format!("{OWN} change nginx http..keepalive_timeout=62 --probation {time}; rm {OWN}"),
        ]);
        assert!(ran.status.success(), "{ran:?}");
    };
    begin("5s");
    until_verdict(&lab, "restored");
    lab.sh(&format!("cp /usr/local/bin/gypsum {OWN}"));
    begin("10m");
    // The one that looks may be another version: it keeps what the other one began.
    assert_eq!(lab.run(&["gypsum", "keep", "nginx"]).status.code(), Some(0));
    until_verdict(&lab, "kept");
    lab.sh(&format!("cp /usr/local/bin/gypsum {OWN}; {OWN} restore nginx"));
    begin("4s");
    lab.sh("pkill -KILL -f '[_]_guardian|[_]_stand-by' || :; sleep 6");
    let said = lab.sh("gypsum check nginx || :");
    assert!(said.contains("was interrupted") && said.contains("gypsum recover nginx"), "{said}");
    assert_eq!(lab.run(&["gypsum", "recover", "nginx"]).status.code(), Some(4));
    assert!(!lab.sh("cat /etc/nginx/nginx.conf").contains("62"));
}
