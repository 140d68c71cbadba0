//! Hosts that lose their power in the middle of a change, and start again from what was on the disk.

use crate::host::{Lab, boot, boot_image, new_image};
use std::path::Path;
use std::process::Stdio;
use std::time::{Duration, SystemTime};

/// So many power cuts, where `GYPSUM_POWER_CUTS` says no other number.
const CUTS: u32 = 6;

const PROGRAMS: [&str; 2] = ["/usr/sbin/nginx", "/usr/bin/redis-server"];

/// Nothing else than these two daemons starts with the host, and open changes are looked after.
pub const PREPARE: &str = r#"
systemctl list-unit-files --state=enabled --no-legend --type=service,timer,socket | awk '{ print $1 }' \
    | grep -v -E '^(nginx|redis-server|dbus|getty@)' | xargs systemctl mask -q
systemctl enable -q nginx redis-server
systemctl start nginx redis-server
gypsum setup boot > /dev/null
mkdir -p /etc/systemd/system/redis-server.service.d
printf '[Service]\nNice=1\n' > /etc/systemd/system/redis-server.service.d/boards.conf
systemctl daemon-reload
sync
"#;

/// A daemon, the file, an edit with a number, and the line that it makes.
struct Case {
    daemon: &'static str,
    file: &'static str,
    edit: fn(u32) -> String,
    line: fn(u32) -> String,
}

const CASES: [Case; 3] = [
    Case {
        daemon: "nginx",
        file: "/etc/nginx/nginx.conf",
        edit: |n| format!("http..types_hash_max_size={}", 2048 + n),
        line: |n| format!("types_hash_max_size {};", 2048 + n),
    },
    Case {
        daemon: "redis",
        file: "/etc/redis/redis.conf",
        edit: |n| format!("timeout={}", 10 + n),
        line: |n| format!("timeout {}", 10 + n),
    },
    Case {
        daemon: "unit:redis-server.service",
        file: "/etc/systemd/system/redis-server.service.d/boards.conf",
        edit: |n| format!("Service..Nice={}", 2 + n % 15),
        line: |n| format!("Nice={}", 2 + n % 15),
    },
];

/// Numbers that nobody can foresee; a failure names the moment.
fn millis_below(most: u32) -> u32 {
    SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).unwrap().subsec_micros() % most
}

fn image(folder: &Path, n: u32) -> std::path::PathBuf {
    folder.join(format!("host-{n}.ext4"))
}

#[test]
#[ignore = "needs root and daemons"]
fn a_host_that_goes_down_in_a_change_starts_on_old_or_new_files() {
    let cuts = std::env::var("GYPSUM_POWER_CUTS").map_or(CUTS, |text| text.parse().unwrap());
    let folder = tempfile::Builder::new().prefix("gypsum-images-").tempdir().unwrap();
    let first = image(folder.path(), 0);
    new_image(&first);
    let mut lab = boot_image(&first, "basic.target", &PROGRAMS);
    lab.sh(PREPARE);
    let mut ends = std::collections::BTreeMap::<String, u32>::new();
    for n in 1..=cuts {
        let case = &CASES[n as usize % CASES.len()];
        let before = lab.sh(&format!("cat {}", case.file));
        let earlier = newest(&lab, case.daemon).0;
        let (edit, line) = ((case.edit)(n), (case.line)(n));
        let mut words = vec!["gypsum", "change", case.daemon, &edit, "--why", "winter timetable"];
        if n % 2 == 0 {
            // A start of the host ends a probation as restored.
            words.extend(["--probation", "10m"]);
        }
        let mut front = lab.command(&words).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
        let moment = millis_below(1_600);
        std::thread::sleep(Duration::from_millis(moment.into()));
        let next = image(folder.path(), n);
        lab.cut(&next);
        // It was stopped with what it waits for.
        front.kill().unwrap();
        front.wait().unwrap();
        std::fs::remove_file(image(folder.path(), n - 1)).unwrap();
        lab = boot_image(&next, "multi-user.target", &PROGRAMS);
        let end = came_up(&lab, case, earlier, &before, &line)
            .unwrap_or_else(|why| panic!("cut {n} of {}, after {moment} ms: {why}", case.daemon));
        *ends.entry(end).or_default() += 1;
    }
    println!("{cuts} power cuts ended as: {ends:?}");
}

/// The number of the last change of a daemon, 0 where there is none, and the change.
fn newest(lab: &Lab, daemon: &str) -> (u64, serde_json::Value) {
    let listed = lab.gypsum(&["changes", daemon]).1;
    let last = listed["changes"][0].clone();
    (last["change"]["number"].as_u64().unwrap_or(0), last)
}

/// How the change ended; what is not as it must be is an error.
fn came_up(lab: &Lab, case: &Case, earlier: u64, before: &str, line: &str) -> Result<String, String> {
    let now = lab.sh(&format!("cat {}", case.file));
    let changed: Vec<(&str, &str)> = before.lines().zip(now.lines()).filter(|(was, is)| was != is).collect();
    let is_old = now == before;
    let is_new = changed.len() <= 1 && now.contains(line);
    let (_, document) = lab.gypsum(&["check", case.daemon]);
    let (number, last) = newest(lab, case.daemon);
    // Of one that was cut off before it had a backup there is no record.
    let last = if number > earlier { last } else { serde_json::Value::Null };
    let verdict = last["verdict"].as_str().unwrap_or("nothing").to_owned();
    let rest = lab.sh(&format!(
        "ls -A /var/lib/gypsum/.open 2>/dev/null; find {} -name '*gypsum*'; systemctl is-active nginx redis-server | grep -v '^active$'; \
         systemctl --failed --no-legend",
        Path::new(case.file).parent().unwrap().display()
    ));
    let healthy = lab.gypsum(&["health", case.daemon]).0;
    let fault = match (is_old || is_new, verdict.as_str()) {
        (false, _) => Some("the file is neither old nor new"),
        (true, "kept") if is_new => None,
        (true, "kept") => Some("it is kept, and the file is old"),
        (true, _) if !is_old => Some("it is not kept, and the file is new"),
        (true, "restored" | "nothing" | "dropped" | "refused") => None,
        (true, _) => Some("it has no such verdict"),
    };
    let fault = fault
        .or_else(|| (!document["open_change"].is_null()).then_some("the change is open still"))
        .or_else(|| (healthy != 0).then_some("the daemon is not healthy"))
        .or_else(|| (!rest.is_empty()).then_some("something is left"))
        .or_else(|| (!is_told(lab, case.daemon, &last)).then_some("nobody was told"));
    match fault {
        None => Ok(verdict),
        Some(fault) => Err(format!(
            "{fault}; changed {changed:?}; left {rest:?}; health {healthy}; {last:#}; {}",
            lab.sh("journalctl -q -b -u gypsum-boot-early -u gypsum-boot-late -t gypsum -o cat | tail -20")
        )),
    }
}

/// Whether a change that this start finished has its entry in the host's log.
fn is_told(lab: &Lab, daemon: &str, last: &serde_json::Value) -> bool {
    let (Some(folder), Some(number)) = (last["change"]["folder"].as_str(), last["change"]["number"].as_u64())
    else {
        return true;
    };
    let events = lab.sh(&format!("cat {folder}/events.jsonl 2>/dev/null || :"));
    let entry = format!(
        "journalctl -q -b -o cat GYPSUM_DAEMON='{daemon}' GYPSUM_CHANGE={number} GYPSUM_WHY='winter timetable' | wc -l"
    );
    !events.contains("was interrupted") || lab.sh(&entry) == "1"
}

/// A start of the host that put files back says nothing of a later change in the same start: what is restored then is
/// taken up by the service.
#[test]
#[ignore = "needs root and daemons"]
fn a_later_restore_in_the_same_start_is_taken_up() {
    let lab = boot(&["/usr/bin/redis-server"]);
    lab.sh("systemctl start redis-server; gypsum setup boot > /dev/null");
    let mut front =
        lab.command(&["gypsum", "change", "redis", "timeout=77", "--steady", "60s", "--no-trial"]);
    let mut front = front.stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
    let timeout = "redis-cli config get timeout | tail -n 1";
    lab.until(20, &format!("[ \"$({timeout})\" = 77 ]"), &|| lab.sh("gypsum changes redis"));
    // All that was at work is gone, as after a power cut, and the daemon starts between the two parts.
    lab.sh("pkill -KILL -f '[_]_guardian|[g]ypsum change' || :; systemctl stop redis-server; gypsum __boot early; sleep 0.1");
    front.kill().unwrap();
    front.wait().unwrap();
    lab.sh("systemctl start redis-server; gypsum __boot late");
    assert_eq!(lab.gypsum(&["check", "redis"]).1["open_change"], serde_json::Value::Null);
    let events = lab.sh("cat /var/lib/gypsum/redis/*-0001/events.jsonl");
    assert!(events.contains("was started with this host, on its old configuration"), "{events}");
    let was = lab.sh(timeout);
    let fails = ["change", "redis", "timeout=88", "--must", "tcp 127.0.0.1:9", "--no-trial"];
    let (status, document) = lab.gypsum(&fails);
    assert_eq!(status, 4, "{document:#}");
    assert_eq!(lab.sh(timeout), was, "the running daemon has its old configuration");
}

/// What is installed goes again, and a host without an open change is not held up.
#[test]
#[ignore = "needs root and daemons"]
fn what_looks_after_open_changes_is_installed_and_removed() {
    let lab = boot(&["/usr/sbin/nginx"]);
    let (status, document) = lab.gypsum(&["setup", "boot"]);
    assert_eq!(status, 0, "{document:#}");
    assert_eq!(document["files"].as_array().unwrap().len(), 2);
    let verified = lab.run(&[
        "systemd-analyze",
        "verify",
        "/etc/systemd/system/gypsum-boot-early.service",
        "/etc/systemd/system/gypsum-boot-late.service",
    ]);
    let said = String::from_utf8_lossy(&verified.stderr).into_owned();
    assert!(!said.contains("gypsum-boot"), "{said}");
    let enabled = lab.sh("systemctl is-enabled gypsum-boot-early gypsum-boot-late | sort -u");
    assert_eq!(enabled, "enabled");
    // Its condition fails, which is no failure.
    lab.sh("systemctl start gypsum-boot-early gypsum-boot-late");
    assert_eq!(lab.sh("systemctl show -p ConditionResult --value gypsum-boot-early"), "no");
    let (status, document) = lab.gypsum(&["setup", "boot", "--remove"]);
    assert_eq!((status, &document["files"]), (0, &serde_json::json!([])));
    assert_eq!(lab.sh("ls /etc/systemd/system /etc/systemd/system/*.wants | grep -c gypsum || :"), "0");
}
