//! The journal: one checksummed line a record. What is no whole record is told, and never guessed.

use super::{Plan, Stage};
use crate::record::{VERSION, checksum};
use serde::{Deserialize, Serialize};

/// One record.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Record {
    /// The version in which it is written; 0 before there were any.
    #[serde(default, rename = "v")]
    pub version: u32,
    /// What is durably true.
    pub stage: Stage,
    /// When, as milliseconds since 1970.
    pub at_ms: i64,
    /// The plan, in the first record.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub plan: Option<Plan>,
}

/// One line of the journal: a checksum, a blank, the record as JSON.
///
/// # Errors
///
/// If the record cannot be written as JSON.
pub fn encode(record: &Record) -> Result<Vec<u8>, serde_json::Error> {
    let text = serde_json::to_string(record)?;
    Ok(format!("{:016x} {text}\n", checksum(text.as_bytes())).into_bytes())
}

/// What a journal says.
#[derive(Clone, Debug, Default)]
pub struct Log {
    /// The plan, if a whole record has it.
    pub plan: Option<Plan>,
    /// The stage of the last whole record.
    pub last: Option<Stage>,
    /// The first line that is no whole record, from 1. A last line without an end counts, too: it was torn while it
    /// was written, or is damaged.
    pub damaged: Option<u32>,
    /// The version of a record that a newer Gypsum wrote.
    pub newer: Option<u32>,
}

/// Reads a journal; every whole record counts, whatever is between them.
pub fn decode(journal: &[u8]) -> Log {
    let mut log = Log::default();
    for (line, n) in journal.split_inclusive(|byte| *byte == b'\n').zip(1..) {
        match decode_line(line) {
            Line::Whole(record) => {
                log.last = Some(record.stage);
                log.plan = log.plan.or(record.plan);
            }
            Line::Newer(version) => log.newer = Some(version),
            Line::Damaged => log.damaged = log.damaged.or(Some(n)),
        }
    }
    log
}

enum Line {
    Whole(Box<Record>),
    Newer(u32),
    Damaged,
}

fn decode_line(line: &[u8]) -> Line {
    let Some(text) = checked(line) else {
        return Line::Damaged;
    };
    // The version first: the rest of a newer record may be of another shape.
    #[derive(Deserialize)]
    struct Version {
        #[serde(default)]
        v: u32,
    }
    match serde_json::from_slice(text) {
        Ok(Version { v }) if v > VERSION => Line::Newer(v),
        _ => serde_json::from_slice(text).map_or(Line::Damaged, |record| Line::Whole(Box::new(record))),
    }
}

/// The text of a line whose checksum is right.
fn checked(line: &[u8]) -> Option<&[u8]> {
    let line = line.strip_suffix(b"\n")?;
    let (sum, text) = line.split_at_checked(16)?;
    let text = text.strip_prefix(b" ")?;
    let sum = u64::from_str_radix(std::str::from_utf8(sum).ok()?, 16).ok()?;
    (sum == checksum(text)).then_some(text)
}

#[cfg(test)]
mod tests {
    use super::super::Verdict;
    use super::*;

    fn line(stage: Stage, version: u32) -> Vec<u8> {
        encode(&Record { version, stage, at_ms: 7, plan: None }).unwrap()
    }

    #[test]
    fn torn_and_damaged_lines_are_no_records() {
        let mut journal = line(Stage::Armed, VERSION);
        let first = journal.len();
        journal.extend(line(Stage::Closed(Verdict::Kept), VERSION));
        for cut in first + 1..journal.len() {
            let log = decode(&journal[..cut]);
            assert_eq!((log.last, log.damaged), (Some(Stage::Armed), Some(2)), "cut at {cut}");
        }
        let log = decode(&journal);
        assert_eq!((log.last, log.damaged), (Some(Stage::Closed(Verdict::Kept)), None));
        for at in 0..journal.len() {
            for bit in 0..8 {
                let mut damaged = journal.clone();
                damaged[at] ^= 1 << bit;
                let log = decode(&damaged);
                // The case of a digit of the checksum means nothing.
                let same = log.last == Some(Stage::Closed(Verdict::Kept)) && log.damaged.is_none();
                let letter = bit == 5 && journal[at].is_ascii_alphabetic();
                assert!(log.damaged.is_some() || same && letter, "byte {at}, bit {bit}");
            }
        }
    }

    #[test]
    fn a_record_behind_a_torn_one_counts() {
        let mut journal = line(Stage::Armed, VERSION);
        let torn = line(Stage::Replaced, VERSION);
        journal.extend(&torn[..torn.len() / 2]);
        journal.push(b'\n');
        journal.extend(line(Stage::Kept, VERSION));
        let log = decode(&journal);
        assert_eq!((log.last, log.damaged), (Some(Stage::Kept), Some(2)));
    }

    #[test]
    fn a_newer_record_is_told_from_a_damaged_one() {
        let newer = VERSION + 1;
        let mut text = format!(r#"{{"v":{newer},"phase":"sailing"}}"#);
        text = format!("{:016x} {text}\n", checksum(text.as_bytes()));
        let log = decode(text.as_bytes());
        assert_eq!((log.newer, log.damaged), (Some(newer), None));
    }
}
