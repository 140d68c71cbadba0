//! What is left behind does not fill a disk.

use crate::boards::{command, config, gypsum, host, said, status};
use gypsum_demo::Host;
use std::fs::{self, File};
use std::os::unix::fs::DirBuilderExt;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::{Duration, Instant, SystemTime};

fn folder(host: &Host) -> PathBuf {
    host.state().join("departures")
}

fn numbers(host: &Host) -> Vec<u32> {
    let names = fs::read_dir(folder(host)).unwrap().map(|entry| entry.unwrap().file_name());
    let of = |name: std::ffi::OsString| name.to_str()?.rsplit_once('-')?.1.parse().ok();
    let mut numbers: Vec<u32> = names.filter_map(of).collect();
    numbers.sort_unstable();
    numbers
}

/// Makes a change, and waits until the process that carried it has ended: it looks for old changes at its end.
fn change(host: &Host, words: &[&str]) -> i32 {
    let words = [&["change", "departures"], words].concat();
    let done = command(host, &words).env("CHANGE_OF", host.root()).status().unwrap();
    let mark = format!("CHANGE_OF={}\0", host.root().display());
    let of = |process: &fs::DirEntry| fs::read(process.path().join("environ")).unwrap_or_default();
    while fs::read_dir("/proc")
        .unwrap()
        .any(|process| of(&process.unwrap()).windows(mark.len()).any(|part| part == mark.as_bytes()))
    {
        std::thread::sleep(Duration::from_millis(20));
    }
    done.code().unwrap()
}

/// Waits until these changes are left: the removal goes on after the person has the verdict.
fn left(host: &Host, expected: &[u32], said: &str) {
    let begun = Instant::now();
    while numbers(host) != expected {
        assert!(
            begun.elapsed() < Duration::from_secs(20),
            "left: {:?}\nexpected: {expected:?}\n{said}",
            numbers(host)
        );
        std::thread::sleep(Duration::from_millis(20));
    }
}

/// The folder of change `number`, again as `copy`.
fn again(host: &Host, number: u32, copy: u32) -> PathBuf {
    let name = |number: u32| format!("20261123T060122Z-{number:04}");
    let from = fs::read_dir(folder(host)).unwrap().map(|entry| entry.unwrap().path());
    let from =
        from.into_iter().find(|path| path.to_str().unwrap().ends_with(&format!("-{number:04}"))).unwrap();
    let to = folder(host).join(name(copy));
    assert!(Command::new("cp").arg("-a").arg(from).arg(&to).status().unwrap().success());
    to
}

/// G19: the last fifty stay, and with them the last one that was healthy and every one that is not at its end.
#[test]
fn old_changes_are_removed_and_what_may_be_needed_is_not() {
    let host = host();
    assert_eq!(change(&host, &["rows=5", "--steady", "0"]), 0);
    // Restored: it is over, and nothing of it is good.
    assert_eq!(change(&host, &["quay=nowhere", "--health", "run '/bin/false'"]), 4);
    for number in 3..=70 {
        again(&host, 2, number);
    }
    // The plan is all that is left of it: it may have been live.
    let unknown = folder(&host).join("20261123T060122Z-0009");
    fs::write(unknown.join("journal"), "torn").unwrap();
    for record in ["plan", "change.json", "events.jsonl"] {
        fs::remove_file(unknown.join(record)).unwrap();
    }
    let output = gypsum(&host, &["change", "departures", "rows=6", "--steady", "0"]);
    assert_eq!(status(&output), 0, "{}", said(&host, &output));
    let kept: Vec<u32> = [9].into_iter().chain(22..=71).collect();
    left(&host, &kept, &said(&host, &output));
    // The last good one is far behind.
    for number in 72..=140 {
        again(&host, 22, number);
    }
    let output = gypsum(&host, &["change", "departures", "quay=nowhere", "--health", "run '/bin/false'"]);
    assert_eq!(status(&output), 4);
    let kept: Vec<u32> = [9, 71].into_iter().chain(92..=141).collect();
    left(&host, &kept, &said(&host, &output));
    let listed = gypsum(&host, &["changes", "departures", "--last", "200"]);
    let text = said(&host, &listed);
    assert!(
        text.contains("changes of departures before 9 were removed; gypsum settings shows how many"),
        "{text}"
    );
}

/// G19: very many changes are listed once, and every later change of the folder is seen all the same.
#[test]
fn a_folder_of_very_many_changes_is_listed_once() {
    let host = host();
    fs::DirBuilder::new().mode(0o700).recursive(true).create(folder(&host)).unwrap();
    let made = |number: u32| {
        fs::create_dir(folder(&host).join(format!("20261123T060122Z-{number:04}"))).unwrap();
    };
    (1..=3_000).for_each(made);
    let last = || {
        let output = gypsum(&host, &["changes", "departures", "--last", "1", "--json"]);
        let document: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
        document["changes"][0]["change"]["number"].as_u64().unwrap()
    };
    let kept = host.state().join("departures.last");
    assert_eq!(last(), 3_000);
    // A time stamp of the kernel is not fine enough to tell two changes within a moment.
    assert!(!kept.exists());
    std::thread::sleep(Duration::from_millis(2_100));
    assert_eq!([last(), last()], [3_000, 3_000]);
    let names = fs::read_to_string(&kept).unwrap();
    assert!(names.contains("-3000") && !names.contains("-0001"), "{}", names.len());
    made(3_001);
    assert_eq!(last(), 3_001);
    fs::remove_dir(folder(&host).join("20261123T060122Z-3001")).unwrap();
    assert_eq!(last(), 3_000);
    // What is beside them is only believed whole, and the folder itself is asked beyond it.
    std::thread::sleep(Duration::from_millis(2_100));
    assert_eq!(last(), 3_000);
    fs::write(&kept, fs::read_to_string(&kept).unwrap().replace("-3000", "-9999")).unwrap();
    assert_eq!(last(), 3_000);
    let output = gypsum(&host, &["changes", "departures", "--json"]);
    let document: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
    let numbers: Vec<u64> = document["changes"]
        .as_array()
        .unwrap()
        .iter()
        .map(|change| change["change"]["number"].as_u64().unwrap())
        .collect();
    assert_eq!(numbers, (1..=3_000).rev().collect::<Vec<_>>());
}

/// G19: a gibibyte of copies is the most.
#[test]
fn large_copies_are_removed_earlier() {
    let host = host();
    assert_eq!(change(&host, &["rows=5", "--steady", "0"]), 0);
    for number in 2..=12 {
        let copy = again(&host, 1, number);
        // With a hole: it has the size, and takes no room.
        File::create(copy.join("before/large")).unwrap().set_len(200 << 20).unwrap();
    }
    let output = gypsum(&host, &["change", "departures", "rows=6", "--steady", "0"]);
    assert_eq!(status(&output), 0);
    left(&host, &(8..=13).collect::<Vec<_>>(), &said(&host, &output));
}

/// G17: what a killed check left goes with the next one; what is in use, or is not ours, stays.
#[test]
fn what_killed_checks_left_is_removed() {
    let host = host();
    let temporary = tempfile::tempdir().unwrap();
    let made = |name: &str, age: u64| {
        let path = temporary.path().join(name);
        fs::create_dir(&path).unwrap();
        fs::write(path.join("proposal"), "rows 3\n").unwrap();
        let then = SystemTime::now() - Duration::from_secs(age);
        File::open(&path).unwrap().set_modified(then).unwrap();
        path
    };
    let (left, young, other) =
        (made("gypsum-check-a", 600), made("gypsum-check-b", 5), made("other-check", 600));
    let held = made("gypsum-check-c", 600);
    let lock = File::open(&held).unwrap();
    lock.try_lock().unwrap();
    let file = host.config().display().to_string();
    let words = [
        "change",
        "boards",
        "rows=5",
        "--file",
        &file,
        "--format",
        "keyword",
        "--checker",
        "/bin/true {file}",
        "-n",
    ];
    let output = command(&host, &words).env("TMPDIR", temporary.path()).output().unwrap();
    assert_eq!(status(&output), 0, "{}", said(&host, &output));
    let there = |path: &Path| path.exists();
    assert_eq!([&left, &young, &other, &held].map(|path| there(path)), [false, true, true, true]);
    assert!(!config(&host).contains("rows 5"));
}
