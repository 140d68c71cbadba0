//! The program is replaced or removed while a change of it is open.

use crate::host::{Lab, boot};
use std::path::Path;
use std::time::{Duration, Instant};

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

/// Puts a program of this machine into the host.
pub fn put(lab: &Lab, program: &std::ffi::OsStr, path: &str) {
    let bytes = std::fs::File::open(program).unwrap_or_else(|error| panic!("{}: {error}", program.display()));
    let mut copy = lab.command(&["sh", "-c", &format!("cat > {path}; chmod 755 {path}")]);
    assert!(copy.stdin(bytes).status().unwrap().success());
}

/// A change, a probation and a watch that one build began, and another one, newer or older, has to end.
#[test]
#[ignore = "needs root, daemons and GYPSUM_EARLIER, the program of an earlier build"]
fn each_of_two_builds_ends_what_the_other_one_began() {
    let earlier = std::env::var_os("GYPSUM_EARLIER").expect("GYPSUM_EARLIER names a program");
    // It may be made still.
    let begun = Instant::now();
    while !Path::new(&earlier).exists() && begun.elapsed() < Duration::from_secs(600) {
        std::thread::sleep(Duration::from_secs(1));
    }
    let lab = installed();
    put(&lab, &earlier, "/opt/gypsum/earlier");
    lab.sh("cp /usr/local/bin/gypsum /opt/gypsum/now; ! cmp -s /opt/gypsum/now /opt/gypsum/earlier");
    for (began, ends) in [("earlier", "now"), ("now", "earlier")] {
        // As dpkg does: a new file under the old name.
        let install = |build: &str| format!("cp /opt/gypsum/{build} {OWN}.new; mv {OWN}.new {OWN}");
        let (begin, upgrade) = (install(began), install(ends));
        let status = |words: &str| lab.run(&["sh", "-c", &format!("{OWN} {words}")]).status.code();
        let change = "change nginx http..keepalive_timeout";
        let original = lab.sh("cat /etc/nginx/nginx.conf");
        let is_old = || lab.sh("cat /etc/nginx/nginx.conf") == original;

        lab.sh(&format!(
            "{begin}; {OWN} {change}=61 --steady 3s > /root/out 2>&1 & sleep 2; {upgrade}; wait $!"
        ));
        until_verdict(&lab, "kept");
        assert_eq!(
            (status("restore nginx"), is_old()),
            (Some(0), true),
            "{ends} takes back what {began} kept"
        );

        lab.sh(&format!(
            "{begin}; ({OWN} {change}=62 --steady 60s > /root/out 2>&1 &); sleep 3; {upgrade}
            pkill -KILL -x gypsum; sleep 0.5"
        ));
        assert!(!is_old(), "{began} was not live yet: {}", lab.sh("cat /root/out"));
        let said = lab.sh(&format!("{OWN} check nginx 2>&1 || :"));
        assert!(said.contains("was interrupted") && said.contains("gypsum recover nginx"), "{ends}: {said}");
        assert_eq!(
            (status("recover nginx"), is_old()),
            (Some(4), true),
            "{ends} recovers what {began} began"
        );

        lab.sh(&begin);
        assert_eq!(status(&format!("{change}=63 --probation 5s")), Some(8), "{began}");
        lab.sh(&upgrade);
        until_verdict(&lab, "restored");
        assert!(is_old(), "{began}, {ends}");

        lab.sh(&begin);
        assert_eq!(status(&format!("{change}=64 --probation 10m")), Some(8), "{began}");
        lab.sh(&upgrade);
        assert_eq!(status("keep nginx"), Some(0), "{ends} keeps what {began} put on probation");
        until_verdict(&lab, "kept");
        assert_eq!((status("restore nginx"), is_old()), (Some(0), true));

        lab.sh(&begin);
        let watched = format!("{change}=65 --watch 1m 'http http://127.0.0.1/ 200'");
        assert_eq!(status(&watched), Some(0), "{began}");
        lab.sh(&format!("{upgrade}; sleep 1; systemctl stop nginx"));
        let failed = format!("{OWN} health --watching --json | jq -e '.watches[0].failed != null'");
        lab.until(40, &failed, &|| {
            lab.sh(&format!("{OWN} health --watching || :; journalctl -q -b | tail -20"))
        });
        lab.sh(&format!("{OWN} health --watching --stop $({OWN} health --watching --json | jq .watches[0].number); systemctl start nginx"));
        assert_eq!((status("restore nginx"), is_old()), (Some(0), true));
    }
}
