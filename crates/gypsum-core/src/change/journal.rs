//! The journal: one checksummed line a record. A torn last line is no record.

use super::machine::Verdict;
use super::plan::Plan;
use serde::{Deserialize, Serialize};

/// What is durably true, as the journal says it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Stage {
    /// The backup exists and the plan is written.
    Saved,
    /// The new files stand beside the old ones.
    Staged,
    /// The plan is durable.
    Armed,
    /// The files are live.
    Replaced,
    /// The daemon was told.
    Activated,
    /// It stays.
    Kept,
    /// The old files are being put back.
    Restoring,
    /// They are live again.
    PutBack,
    /// The daemon was told again.
    Revived,
    /// All is as before.
    Restored,
    /// It was given up before anything was live.
    Withdrawn,
    /// It has ended.
    Closed(Verdict),
}

impl Stage {
    /// Whether this record must be on the disk before the next order is begun.
    pub fn is_synced(self) -> bool {
        matches!(self, Self::Armed | Self::Kept | Self::Restoring | Self::Closed(_))
    }
}

/// One record.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Record {
    /// What is durably true.
    pub stage: Stage,
    /// When, as milliseconds since 1970.
    pub at_ms: i64,
    /// The plan, in the first record.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub plan: Option<Plan>,
}

/// One line of the journal: a checksum, a blank, the record as JSON.
pub fn encode(record: &Record) -> Result<Vec<u8>, serde_json::Error> {
    let text = serde_json::to_string(record)?;
    Ok(format!("{:016x} {text}\n", checksum(text.as_bytes())).into_bytes())
}

/// The whole records of a journal, up to the first line that is torn or damaged.
pub fn decode(journal: &[u8]) -> Vec<Record> {
    let whole = memchr::memrchr(b'\n', journal).map_or(0, |at| at + 1);
    let lines = journal[..whole].split(|byte| *byte == b'\n');
    lines.map_while(decode_line).collect()
}

fn decode_line(line: &[u8]) -> Option<Record> {
    let (sum, text) = (line.get(..16)?, line.get(17..)?);
    let sum = u64::from_str_radix(std::str::from_utf8(sum).ok()?, 16).ok()?;
    (sum == checksum(text)).then(|| serde_json::from_slice(text).ok())?
}

/// FNV-1a, 64 bits: it tells torn lines from whole ones, and guards against nothing worse.
fn checksum(bytes: &[u8]) -> u64 {
    let step = |sum: u64, byte: &u8| (sum ^ u64::from(*byte)).wrapping_mul(0x0100_0000_01b3);
    bytes.iter().fold(0xcbf2_9ce4_8422_2325, step)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn torn_and_damaged_lines_are_no_records() {
        let record = |stage| Record { stage, at_ms: 7, plan: None };
        let mut journal = encode(&record(Stage::Armed)).unwrap();
        let first = journal.len();
        journal.extend(encode(&record(Stage::Closed(Verdict::Kept))).unwrap());
        for cut in first..journal.len() {
            assert_eq!(decode(&journal[..cut]).len(), 1, "cut at {cut}");
        }
        assert_eq!(decode(&journal)[1].stage, Stage::Closed(Verdict::Kept));
        journal[first + 30] ^= 1;
        assert_eq!(decode(&journal).len(), 1);
    }
}
