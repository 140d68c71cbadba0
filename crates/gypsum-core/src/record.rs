//! Records: documents of JSON that say of which version they are, and whether they are still as they were written.

use serde::Serialize;
use serde::de::DeserializeOwned;
use serde_json::{Map, Value};

/// The version in which records are written. One that is higher was written by a newer Gypsum.
pub const VERSION: u32 = 3;

/// The field with the version.
const RECORD: &str = "record";
/// The field with the checksum of all others.
const CHECK: &str = "check";

/// A record as it was found.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Recorded<T> {
    /// There is none.
    Absent,
    /// It is as it was written.
    Whole(T),
    /// It is not as it was written, for this reason.
    Damaged(String),
    /// A newer Gypsum wrote it, in this version.
    Newer(u32),
}

impl<T> Recorded<T> {
    /// What `of` makes of a whole record; any other stays what it is.
    pub fn map<U>(self, of: impl FnOnce(T) -> U) -> Recorded<U> {
        match self {
            Self::Absent => Recorded::Absent,
            Self::Whole(record) => Recorded::Whole(of(record)),
            Self::Damaged(why) => Recorded::Damaged(why),
            Self::Newer(version) => Recorded::Newer(version),
        }
    }

    /// The record if it is whole.
    pub fn whole(self) -> Option<T> {
        match self {
            Self::Whole(record) => Some(record),
            Self::Absent | Self::Damaged(_) | Self::Newer(_) => None,
        }
    }
}

/// `value` as a record: with its version and a checksum.
///
/// # Errors
///
/// If it cannot be written as JSON.
pub fn seal(value: &impl Serialize) -> Result<Value, serde_json::Error> {
    let mut value = serde_json::to_value(value)?;
    if let Some(fields) = value.as_object_mut() {
        fields.insert(RECORD.into(), VERSION.into());
        let sum = sum_of(fields);
        fields.insert(CHECK.into(), sum.into());
    }
    Ok(value)
}

/// What is recorded in `bytes`. A record without version and checksum is of the time before there were any.
pub fn unseal<T: DeserializeOwned>(bytes: &[u8]) -> Recorded<T> {
    let mut fields: Map<String, Value> = match serde_json::from_slice(bytes) {
        Ok(fields) => fields,
        Err(error) => return Recorded::Damaged(error.to_string()),
    };
    let check = fields.remove(CHECK);
    let version = fields.get(RECORD).map(|version| version.as_u64().and_then(|n| u32::try_from(n).ok()));
    if check.is_some() || version.is_some() {
        let sum = Value::from(sum_of(&fields));
        if check.as_ref() != Some(&sum) {
            return Recorded::Damaged("it is not as it was written: its checksum differs".into());
        }
    }
    match version {
        Some(None) => return Recorded::Damaged("its version is no number".into()),
        Some(Some(version)) if version > VERSION => return Recorded::Newer(version),
        Some(Some(_)) | None => {}
    }
    fields.remove(RECORD);
    match T::deserialize(Value::Object(fields)) {
        Ok(record) => Recorded::Whole(record),
        Err(error) => Recorded::Damaged(error.to_string()),
    }
}

fn sum_of(fields: &Map<String, Value>) -> String {
    let text = serde_json::to_string(fields).unwrap_or_default();
    format!("{:016x}", checksum(text.as_bytes()))
}

/// FNV-1a, 64 bits: each single damaged byte changes it. It guards against accidents, and not against people.
pub(crate) fn checksum(bytes: &[u8]) -> u64 {
    let step = |sum: u64, byte: &u8| (sum ^ u64::from(*byte)).wrapping_mul(0x0100_0000_01b3);
    bytes.iter().fold(0xcbf2_9ce4_8422_2325, step)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::BTreeMap;

    type Note = BTreeMap<String, String>;

    proptest! {
        /// Whatever one byte becomes, and wherever the record is cut: it is read as it was, or not at all.
        #[test]
        fn a_damaged_record_is_never_read_as_another(
            note in prop::collection::btree_map("[a-z]{1,6}", "[ -~]{0,12}", 0..4),
            at in any::<prop::sample::Index>(),
            byte in any::<u8>(),
        ) {
            let bytes = serde_json::to_vec_pretty(&seal(&note).unwrap()).unwrap();
            prop_assert_eq!(unseal::<Note>(&bytes), Recorded::Whole(note.clone()));
            let mut damaged = bytes.clone();
            damaged[at.index(bytes.len())] = byte;
            let is_true = match unseal::<Note>(&damaged) {
                Recorded::Whole(read) => read == note,
                Recorded::Damaged(_) => true,
                Recorded::Absent | Recorded::Newer(_) => false,
            };
            prop_assert!(is_true, "{}", String::from_utf8_lossy(&damaged));
            let cut = &bytes[..at.index(bytes.len())];
            prop_assert!(matches!(unseal::<Note>(cut), Recorded::Damaged(_)));
        }
    }

    #[test]
    fn older_records_are_read_and_newer_ones_are_told() {
        let old = br#"{"quay":"north"}"#;
        assert_eq!(unseal::<Note>(old), Recorded::Whole(Note::from([("quay".into(), "north".into())])));
        let mut fields = Map::from_iter([(RECORD.to_owned(), Value::from(VERSION + 1))]);
        let sum = sum_of(&fields);
        fields.insert(CHECK.into(), sum.into());
        let newer = serde_json::to_vec(&fields).unwrap();
        assert_eq!(unseal::<Note>(&newer), Recorded::Newer(VERSION + 1));
    }
}
