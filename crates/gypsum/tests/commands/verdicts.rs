//! Every way in which a change ends, on a real daemon.

use crate::boards::{beside, command, config, gypsum, holder, host, json, program, said, signal, status};
use std::fs;
use std::os::unix::fs::{MetadataExt, PermissionsExt, symlink};
use std::time::{Duration, Instant};

#[test]
fn a_good_change_is_kept_with_owner_mode_and_everything_around_it() {
    let host = host();
    fs::set_permissions(host.config(), fs::Permissions::from_mode(0o640)).unwrap();
    let before = config(&host);
    let output =
        gypsum(&host, &["change", "departures", "rows=5", "clock=12h", "--why", "small boards", "--json"]);
    assert_eq!(status(&output), 0, "{}", said(&host, &output));
    let after = before.replace("rows 8 ", "rows 5 ").replace("#clock 24h", "clock 12h");
    assert_eq!(config(&host), after);
    assert_eq!(fs::metadata(host.config()).unwrap().mode() & 0o7777, 0o640);
    assert_eq!(beside(&host.config()), ["departures.conf"], "nothing is left beside the file");
    assert!(host.ask().unwrap().contains("6:10 am"), "the daemon took it up");

    let report = json(&output);
    assert_eq!(
        (report["schema"].as_u64(), report["verdict"].as_str(), report["healthy"].as_bool()),
        (Some(3), Some("kept"), Some(true))
    );
    assert_eq!(report["edits"][1]["before"], "#clock 24h");
    assert_eq!(report["activation"]["how"], "reload departures");
    for field in ["change", "daemon", "findings", "backup", "health", "readings", "stages", "why", "who"] {
        assert!(!report[field].is_null(), "{field} is in the document");
    }
    let backup = format!("{}{}", report["backup"].as_str().unwrap(), host.config().display());
    assert_eq!(fs::read_to_string(&backup).unwrap(), before);
    assert_eq!(fs::metadata(&backup).unwrap().mode() & 0o7777, 0o640);
    assert_eq!(fs::metadata(host.state()).unwrap().mode() & 0o7777, 0o700);
}

#[test]
fn a_symbolic_link_is_followed_and_stays_one() {
    let host = host();
    let real = host.root().join("share/real.conf");
    fs::rename(host.config(), &real).unwrap();
    symlink(&real, host.config()).unwrap();
    assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=5"])), 0);
    assert!(fs::symlink_metadata(host.config()).unwrap().is_symlink());
    assert!(fs::read_to_string(real).unwrap().contains("rows 5"));
}

#[test]
fn what_does_not_work_out_is_put_back() {
    let cases = [
        ("quay=east", "expected 200"),
        // It goes on with its old configuration, and the reload told nobody.
        ("timetable=/nowhere", "still on the"),
        // A restart that fails: the port is taken (by nobody who may be: below 1024 needs root, and 1 is refused by the check).
        ("harbour=Nowhere", "does not contain"),
    ];
    let host = host();
    for (edit, why) in cases {
        let before = config(&host);
        let inode = fs::metadata(host.config()).unwrap().ino();
        let output = gypsum(&host, &["change", "departures", edit]);
        let said = said(&host, &output);
        assert_eq!(status(&output), 4, "{edit}: {said}");
        let flat = said.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(
            flat.contains(why) && flat.contains("Restored: ") && flat.contains("on its old configuration"),
            "{edit}: {said}"
        );
        assert_eq!(config(&host), before, "{edit}");
        assert_eq!(fs::metadata(host.config()).unwrap().ino(), inode, "the original itself is back");
        assert_eq!(beside(&host.config()), ["departures.conf"]);
        assert!(host.ask().unwrap().contains("Saltmarsh"), "{edit}");
    }
}

#[test]
fn a_port_that_somebody_holds_is_put_back_and_the_daemon_started_again() {
    let host = host();
    let taken = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let before = config(&host);
    let edit = format!("port={}", taken.local_addr().unwrap().port());
    let output = gypsum(&host, &["change", "departures", &edit]);
    let said = said(&host, &output);
    assert_eq!((status(&output), config(&host)), (4, before), "{said}");
    assert!(said.contains("in use") && host.ask().unwrap().contains("Saltmarsh"), "{said}");
}

#[test]
fn a_stopped_daemon_stays_stopped_unless_it_is_to_be_started() {
    let host = host();
    let pid = fs::read_to_string(host.root().join("run/departures.pid")).unwrap();
    std::process::Command::new("kill").arg(pid.trim()).status().unwrap();
    let begun = Instant::now();
    while host.root().join("run/departures.pid").exists() && begun.elapsed() < Duration::from_secs(2) {
        std::thread::sleep(Duration::from_millis(5));
    }
    let output = gypsum(&host, &["change", "departures", "rows=5"]);
    assert_eq!(status(&output), 7, "{}", said(&host, &output));
    assert!(said(&host, &output).contains("stopped, as before"), "{}", said(&host, &output));
    assert!(host.ask().is_err(), "it stays stopped");
    let output = gypsum(&host, &["change", "departures", "rows=6", "--start"]);
    assert_eq!(status(&output), 0, "{}", said(&host, &output));
    assert!(host.ask().is_ok());
}

#[test]
fn what_was_unwell_before_is_judged_by_whether_it_got_worse() {
    let host = host();
    let output = gypsum(&host, &["change", "departures", "rows=5", "--health", "1"]);
    let said = said(&host, &output);
    assert_eq!(status(&output), 7, "{said}");
    assert!(said.contains("was already unhealthy before") && said.contains("unhealthy as before"), "{said}");
    assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=6", "--health", "1", "--strict"])), 3);
    assert!(config(&host).contains("rows 5"));
}

#[test]
fn a_dry_run_and_an_unchanged_value_touch_nothing() {
    let host = host();
    let before = config(&host);
    let output = gypsum(&host, &["change", "departures", "rows=5", "-n"]);
    assert_eq!((status(&output), config(&host)), (0, before.clone()), "{}", said(&host, &output));
    assert!(said(&host, &output).contains("reload departures"), "the plan is said");
    assert!(!host.state().exists(), "no folder is made");
    let output = gypsum(&host, &["change", "departures", "rows=8", "--json"]);
    assert_eq!((status(&output), json(&output)["verdict"].as_str()), (0, Some("unchanged")));
    assert_eq!(config(&host), before);
}

#[test]
fn a_second_change_at_the_same_time_and_an_interrupt() {
    let host = host();
    let slow = fs::read_to_string(host.profile()).unwrap().replace("steady = \"60ms\"", "steady = \"20s\"");
    fs::write(host.profile(), slow).unwrap();
    let before = config(&host);
    let mut first = command(&host, &["change", "departures", "rows=5"])
        .stdout(std::process::Stdio::null())
        .spawn()
        .unwrap();
    let begun = Instant::now();
    while config(&host) == before && begun.elapsed() < Duration::from_secs(5) {
        std::thread::sleep(Duration::from_millis(2));
    }
    let second = gypsum(&host, &["change", "departures", "rows=6"]);
    assert_eq!(status(&second), 6, "{}", said(&host, &second));
    assert!(
        said(&host, &second).contains("another change has"),
        "who has it is told: {}",
        said(&host, &second)
    );
    let recovering = gypsum(&host, &["recover", "departures"]);
    assert_eq!(status(&recovering), 6, "what is at work is not recovered: {}", said(&host, &recovering));
    // Ctrl-C while it is watched: the old configuration comes back.
    signal("-INT", first.id());
    // Its steady time holds for the way back, too.
    let slow = Instant::now();
    while config(&host) != before && slow.elapsed() < Duration::from_secs(5) {
        std::thread::sleep(Duration::from_millis(5));
    }
    assert_eq!(config(&host), before);
    // Without the one who typed, and then without the one who carries it: what was begun comes first.
    first.kill().unwrap();
    first.wait().unwrap();
    let third = gypsum(&host, &["change", "departures", "rows=6"]);
    assert!(said(&host, &third).contains("another change has"), "it goes on: {}", said(&host, &third));
    signal("-KILL", holder(&said(&host, &third)));
    let fourth = gypsum(&host, &["change", "departures", "rows=6"]);
    assert_eq!(status(&fourth), 6, "an open record refuses, too: {}", said(&host, &fourth));
}

#[test]
fn a_change_survives_whichever_of_its_two_processes_is_killed() {
    let host = host();
    let slow = fs::read_to_string(host.profile()).unwrap().replace("steady = \"60ms\"", "steady = \"700ms\"");
    fs::write(host.profile(), slow).unwrap();
    let begin = |what: &str| {
        let before = config(&host);
        let words = ["--json", "change", "departures", what];
        let first = command(&host, &words).stdout(std::process::Stdio::piped()).spawn().unwrap();
        let begun = Instant::now();
        while config(&host) == before && begun.elapsed() < Duration::from_secs(5) {
            std::thread::sleep(Duration::from_millis(2));
        }
        let second = gypsum(&host, &["change", "departures", "rows=1"]);
        (first, holder(&said(&host, &second)))
    };
    let last = || {
        let list = json(&gypsum(&host, &["changes", "departures", "--json"]));
        list["changes"].as_array().unwrap().first().unwrap().clone()
    };

    assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=5", "--hold"])), 0);
    let (mut front, guardian) = begin("--ready");
    assert_ne!(front.id(), guardian, "the change is carried by another process");
    front.kill().unwrap();
    front.wait().unwrap();
    let begun = Instant::now();
    while last()["verdict"].is_null() && begun.elapsed() < Duration::from_secs(10) {
        std::thread::sleep(Duration::from_millis(20));
    }
    assert_eq!(last()["verdict"], "kept", "{:#}", last());
    assert!(config(&host).contains("rows 5"));
    let again = gypsum(&host, &["change", "departures", "--ready"]);
    assert_eq!(status(&again), 2, "what is live does not wait any more: {}", said(&host, &again));

    let (front, guardian) = begin("rows=6");
    signal("-KILL", guardian);
    let ended = front.wait_with_output().unwrap();
    let report = json(&ended);
    assert_eq!(report["verdict"], "restored", "{report:#}");
    assert_eq!(last()["verdict"], "restored");
    assert!(config(&host).contains("rows 5"));
    let third = gypsum(&host, &["change", "departures", "rows=7"]);
    assert_eq!(status(&third), 0, "nothing is left locked: {}", said(&host, &third));
}

#[test]
fn the_demonstration_ends_as_announced_and_leaves_nothing() {
    let begun = Instant::now();
    let output = std::process::Command::new(program()).arg("demo").output().unwrap();
    let text = String::from_utf8_lossy(&output.stdout);
    assert!(output.status.success(), "{text}");
    assert!(begun.elapsed() < Duration::from_secs(20));
    let folder =
        text.split_whitespace().find(|word| word.contains("saltmarsh-")).unwrap().trim_end_matches('.');
    assert!(!std::path::Path::new(folder).exists(), "{folder}");
    assert!(text.lines().all(|line| line.chars().count() <= 84), "it fits a terminal");
}

#[test]
fn every_way_to_edit_makes_one_change() {
    let host = host();
    let first = config(&host);
    // As typed in a shell: raised, doubled, one more with a remark.
    let edits = [
        "change",
        "departures",
        "rows+=2",
        "refresh*=2",
        "--add",
        "notice=Mind the gangway",
        "--remark",
        "for the summer",
    ];
    let output = gypsum(&host, &edits);
    assert_eq!(status(&output), 0, "{}", said(&host, &output));
    let after = config(&host);
    assert!(after.contains("rows 10 ") && after.contains("\nrefresh 60\n"), "{after}");
    assert!(after.ends_with("# for the summer\nnotice Mind the gangway\n"), "{after}");
    assert!(host.ask().unwrap().contains("Mind the gangway"));

    let output = gypsum(
        &host,
        &["change", "departures", "--replace-all", "Saltmarsh", "--by", "Saltmarsh-East", "-n"],
    );
    assert_eq!(status(&output), 0, "{}", said(&host, &output));
    assert!(said(&host, &output).contains("Saltmarsh-East"));

    // A prepared file, and one that comes through a pipe.
    let prepared = host.root().join("prepared.conf");
    fs::write(&prepared, first.replace("rows 8", "rows 3")).unwrap();
    let output = gypsum(&host, &["change", "departures", "--whole", prepared.to_str().unwrap()]);
    assert_eq!(
        (status(&output), config(&host)),
        (0, fs::read_to_string(&prepared).unwrap()),
        "{}",
        said(&host, &output)
    );
    let mut piped = command(&host, &["change", "departures", "--whole", "-"]);
    let mut child =
        piped.stdin(std::process::Stdio::piped()).stdout(std::process::Stdio::null()).spawn().unwrap();
    std::io::Write::write_all(&mut child.stdin.take().unwrap(), b"rows twelve\n").unwrap();
    assert_eq!(child.wait().unwrap().code(), Some(3), "a prepared file is checked, too");
    assert_eq!(config(&host), fs::read_to_string(&prepared).unwrap());
}

#[test]
fn what_is_put_aside_goes_live_later_and_together() {
    let host = host();
    let before = config(&host);
    for edit in ["rows=5", "clock=12h"] {
        let output = gypsum(&host, &["change", "departures", edit, "--hold"]);
        assert_eq!(status(&output), 0, "{}", said(&host, &output));
        assert!(said(&host, &output).contains("change departures --ready"), "{}", said(&host, &output));
        assert_eq!(config(&host), before, "nothing is live");
    }
    // What is wrong is not put aside, and what is refused meanwhile takes nothing away.
    assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=500", "--hold"])), 3);
    assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=50"])), 3);
    // Somebody else changes another line meanwhile.
    assert_eq!(status(&gypsum(&host, &["change", "departures", "notice=Fog"])), 0);
    let output = gypsum(&host, &["change", "departures", "--ready", "--json"]);
    assert_eq!(status(&output), 0, "{}", said(&host, &output));
    let report = json(&output);
    assert_eq!(report["activation"]["how"], "reload departures", "{report:#}");
    let live = config(&host);
    for line in ["rows 5 ", "clock 12h", "notice Fog"] {
        assert!(live.contains(line), "{line}: {live}");
    }
    assert_eq!(status(&gypsum(&host, &["change", "departures", "--ready"])), 2, "nothing waits any more");
}

#[test]
fn a_check_goes_on_for_its_own_time() {
    for (rows, own, wanted) in [("rows=5", "100ms", 0), ("rows=6", "3s", 4)] {
        let host = host();
        let (flag, live) = (host.root().join("flag"), rows.replace('=', " "));
        std::thread::scope(|scope| {
            scope.spawn(|| {
                let begun = Instant::now();
                while !config(&host).contains(&live) && begun.elapsed() < Duration::from_secs(5) {
                    std::thread::sleep(Duration::from_millis(5));
                }
                std::thread::sleep(Duration::from_millis(1_200));
                fs::write(&flag, "").unwrap();
            });
            let must = format!("file {} absent steady {own}", flag.display());
            let output = gypsum(&host, &["change", "departures", rows, "--must", &must]);
            assert_eq!(status(&output), wanted, "{own}: {}", said(&host, &output));
            let told = said(&host, &output).contains("(it was healthy at first)");
            assert_eq!(told, wanted == 4, "{own}: {}", said(&host, &output));
        });
    }
}

/// What held before proves nothing new, and that is said; what begins to hold is no such thing.
#[test]
fn what_must_hold_and_holds_already_is_said() {
    let host = host();
    let holds_already = |text: &str, edit: &str| {
        let must = format!("http http://127.0.0.1:{{port}}/board contains {text}");
        let output = gypsum(&host, &["change", "departures", edit, "-y", "--must", &must]);
        assert_eq!(status(&output), 0, "{}", said(&host, &output));
        let all = said(&host, &output).split_whitespace().collect::<Vec<_>>().join(" ");
        all.contains("holds already, so it proves nothing about this change")
    };
    assert!(holds_already("Saltmarsh", "rows=5"));
    assert!(!holds_already("Fog", "notice=Fog"));
    assert!(holds_already("Fog", "rows=6"));
}
