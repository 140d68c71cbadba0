//! What is tried on any bytes, for every family: they tile, nothing panics, a value set to what it is changes
//! nothing, and an edit either reads back as asked or is refused.

use gypsum_core::address::{Address, address_of};
use gypsum_core::doc::{Document, Family, Kind, all_commented_out};
use gypsum_core::edit::{Edit, File, Guide, propose};

/// The target of one family.
#[macro_export]
macro_rules! family {
    ($family:ident) => {
        libfuzzer_sys::fuzz_target!(|bytes: &[u8]| $crate::tried(bytes, gypsum_core::doc::Family::$family));
    };
}

/// Tries `bytes` as a file of `family`.
pub fn tried(bytes: &[u8], family: Family) {
    let Ok(doc) = Document::read(bytes.to_vec(), family, family.plain_dialect()) else {
        return;
    };
    let joined: Vec<u8> = doc.tree().leaves().flat_map(|(.., span)| span.of(bytes).to_vec()).collect();
    assert_eq!(joined, bytes, "the leaves are the source");
    let commented_out = all_commented_out(&doc).count();
    assert!(commented_out <= doc.tree().len() as usize);
    let settings: Vec<_> = doc
        .statements()
        .filter(|(_, kind, parts)| *kind == Kind::Setting && !parts.value.is_none())
        .map(|(leaf, _, parts)| (address_of(&doc, leaf).to_string(), doc.value(&parts)))
        // What is not UTF-8 cannot be typed as it stands.
        .filter(|(address, value)| !address.contains('\u{fffd}') && !value.contains('\u{fffd}'))
        .take(3)
        .collect();
    let count = doc.statements().count();
    let files = [File { path: "f".into(), doc }];
    let guide = Guide { plausible: &|_, _| true, quantity: &|_| true, ..Guide::default() };
    let done = |edit: Edit| propose(&files, &[edit], &guide);
    for (text, value) in settings {
        let Ok(address) = Address::parse(&text) else {
            continue;
        };
        if let Ok(same) = done(Edit::Set { address: address.clone(), value }) {
            assert!(same.files.is_empty(), "{text} set to what it is");
        }
        for edit in [
            Edit::Set { address: address.clone(), value: "a b\"c".into() },
            Edit::Delete(address.clone()),
            Edit::Disable(address.clone()),
            Edit::Set { address: address.clone().then("x"), value: "1".into() },
        ] {
            let shrinks = matches!(edit, Edit::Delete(_) | Edit::Disable(_));
            let Ok(proposal) = done(edit) else { continue };
            for file in proposal.files {
                let Ok(new) = Document::read(file.after, family, family.plain_dialect()) else { continue };
                let now = new.statements().count();
                assert!(!shrinks || now < count, "{text} is gone");
            }
        }
    }
}
