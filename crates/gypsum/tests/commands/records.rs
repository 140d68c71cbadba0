//! Records that are damaged, as the program tells of them.

use crate::boards::{command, config, gypsum, host, json, said, status};
use std::fs;
use std::path::{Path, PathBuf};

fn change_folder(state: &Path, number: &str) -> PathBuf {
    let entries = fs::read_dir(state.join("departures")).unwrap().flatten();
    entries.map(|entry| entry.path()).find(|path| path.to_string_lossy().ends_with(number)).unwrap()
}

fn damage(file: &Path) {
    let mut bytes = fs::read(file).unwrap();
    let middle = bytes.len() / 2;
    bytes[middle] ^= 1;
    fs::write(file, bytes).unwrap();
}

/// A1: whichever record of a kept change is damaged, it is listed as kept, the damage is named, and the next change
/// is not made on top of a guess.
#[test]
fn a_damaged_record_is_named_and_the_change_stays_kept() {
    for record in ["journal", "plan", "change.json"] {
        let host = host();
        assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=5"])), 0);
        let folder = change_folder(&host.state(), "0001");
        damage(&folder.join(record));
        let listed = gypsum(&host, &["changes", "departures"]);
        let text = said(&host, &listed);
        assert!(text.contains("kept") && text.contains("rows 5"), "{record}: {text}");
        let flat = text.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(flat.contains(&format!("{record} is damaged")), "{text}");
        let document = json(&gypsum(&host, &["changes", "departures", "--json"]));
        assert_eq!(document["changes"][0]["verdict"], "kept", "{document}");
        assert!(document["changes"][0]["damaged"][0].as_str().unwrap().contains(record), "{document}");
        let recovered = gypsum(&host, &["recover", "departures"]);
        assert!(said(&host, &recovered).contains("has no change to recover"), "{record}");
        assert!(config(&host).contains("rows 5"), "{record}: a recovery takes nothing back");
        assert_eq!(status(&gypsum(&host, &["restore", "departures"])), 0, "{record}");
        assert!(config(&host).contains("rows 8"), "{record}: it can still be taken back");
    }
}

/// A1: where no record tells, new changes are refused with status 6, until a person has set the records aside.
#[test]
fn what_no_record_tells_refuses_new_changes() {
    let host = host();
    assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=5"])), 0);
    let folder = change_folder(&host.state(), "0001");
    for record in ["plan", "change.json"] {
        damage(&folder.join(record));
    }
    fs::write(folder.join("events.jsonl"), "").unwrap();
    // The first record, which has the plan, and the last one.
    let journal = fs::read_to_string(folder.join("journal")).unwrap();
    let lines: Vec<&str> = journal.lines().collect();
    fs::write(folder.join("journal"), lines[1..3].join("\n")).unwrap();
    let before = config(&host);
    for words in [&["change", "departures", "rows=6"][..], &["recover", "departures"]] {
        let output = gypsum(&host, words);
        assert_eq!(status(&output), 6, "{}", said(&host, &output));
        assert!(said(&host, &output).contains("--set-aside"), "{}", said(&host, &output));
    }
    assert_eq!(config(&host), before);
    assert!(said(&host, &gypsum(&host, &["changes", "departures"])).contains("unknown"));
    assert_eq!(status(&gypsum(&host, &["recover", "departures", "--set-aside"])), 0);
    assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=6"])), 0);
    let number = json(&gypsum(&host, &["changes", "departures", "--json"]));
    assert_eq!(number["changes"][0]["change"]["number"], 2, "a number is never used twice: {number}");
    assert_eq!(
        status(&gypsum(&host, &["recover", "departures", "--set-aside"])),
        2,
        "there is none any more"
    );
}

/// A1: a record of a newer version is not read as one of this one.
#[test]
fn a_newer_record_is_refused_with_what_to_do() {
    let host = host();
    assert_eq!(status(&gypsum(&host, &["change", "departures", "rows=5"])), 0);
    let journal = change_folder(&host.state(), "0001").join("journal");
    // FNV-1a of the text, as the format has it.
    let text = r#"{"v":99,"phase":"sailing"}"#;
    let sum = text
        .bytes()
        .fold(0xcbf2_9ce4_8422_2325_u64, |sum, byte| (sum ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3));
    fs::write(&journal, format!("{sum:016x} {text}\n")).unwrap();
    let output = command(&host, &["change", "departures", "rows=6"]).output().unwrap();
    assert_eq!(status(&output), 6);
    assert!(said(&host, &output).contains("newer Gypsum"), "{}", said(&host, &output));
}
