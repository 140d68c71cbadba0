//! Every address that is printed is taken back: by `show`, by a change to the same value, which changes
//! nothing, and by commenting out and enabling again, which brings the same bytes.

use gypsum_core::address::{Address, address_of};
use gypsum_core::doc::{Document, Kind, LeafId};
use gypsum_core::edit::{Edit, File, Guide, find_active, propose};
use std::collections::BTreeMap;

/// What came of the addresses of some files.
#[derive(Default)]
pub struct Tally {
    pub addresses: usize,
    /// Commented out and enabled again, with the same bytes.
    pub brought_back: usize,
    /// Refused, by rule.
    pub refused: BTreeMap<String, usize>,
    pub wrong: Vec<String>,
}

/// Gives back every address of one of several files.
pub fn give_back(files: &[File], only: usize, guide: &Guide<'_>, tally: &mut Tally) {
    let doc = &files[only].doc;
    let guide = Guide { home: only, only: Some(only), ..*guide };
    let settings: Vec<LeafId> =
        doc.statements().filter(|(_, kind, _)| *kind == Kind::Setting).map(|(leaf, ..)| leaf).collect();
    for leaf in settings {
        tally.addresses += 1;
        let printed = address_of(doc, leaf).to_string();
        let mut wrong = |what: &str| tally.wrong.push(format!("{}: {printed}: {what}", files[only].path));
        let Ok(address) = Address::parse(&printed) else {
            wrong("it cannot be typed");
            continue;
        };
        let found: Vec<_> = find_active(files, &address).into_iter().filter(|(n, _)| *n == only).collect();
        if found != [(only, leaf)] {
            wrong(&format!("it means {} places", found.len()));
            continue;
        }
        let Some(parts) = doc.parts(leaf) else {
            wrong("it has no parts");
            continue;
        };
        let value = doc.value(&parts);
        if !parts.value.is_none() && String::from_utf8(parts.value.raw(doc.source())).is_ok() {
            match changed(files, only, &Edit::Set { address: address.clone(), value: value.clone() }, &guide)
            {
                Ok(None) => {}
                Ok(Some(_)) => wrong("set to the value that it has, it changes"),
                Err(rule) => wrong(&format!("set to the value that it has: {rule}")),
            }
        }
        let disabled = match changed(files, only, &Edit::Disable(address.clone()), &guide) {
            Ok(Some(after)) => after,
            Ok(None) => {
                wrong("commenting it out changes nothing");
                continue;
            }
            Err(rule) => {
                *tally.refused.entry(rule).or_default() += 1;
                continue;
            }
        };
        let mut after = files.to_vec();
        after[only].doc = Document::read(disabled, doc.family(), doc.dialect().clone()).unwrap();
        // As a change's record has it.
        let line = doc.line_of(leaf) as usize - 1;
        let text = String::from_utf8_lossy(after[only].doc.source()).lines().nth(line).map(str::to_owned);
        let record = |_: &str| text.clone();
        let guide = Guide { disabled: &record, ..guide };
        match changed(&after, only, &Edit::Enable(address), &guide) {
            Ok(Some(back)) if back == doc.source() => tally.brought_back += 1,
            Ok(_) => wrong("enabled again it is not as it was"),
            Err(rule) => wrong(&format!("enabled again: {rule}")),
        }
    }
}

/// The file after an edit; `None` where nothing changes.
fn changed(files: &[File], only: usize, edit: &Edit, guide: &Guide<'_>) -> Result<Option<Vec<u8>>, String> {
    match propose(files, std::slice::from_ref(edit), guide) {
        Ok(proposal) => {
            Ok(proposal.files.into_iter().find(|file| file.file == only).map(|file| file.after().to_vec()))
        }
        Err(findings) => Err(findings[0].rule.clone()),
    }
}

impl Tally {
    /// Prints the counts, and demands that nothing is wrong.
    pub fn finish(mut self, what: &str) {
        println!(
            "{what}: {} addresses, {} commented out and brought back, refused {:?}, wrong {}",
            self.addresses,
            self.brought_back,
            self.refused,
            self.wrong.len()
        );
        self.wrong.truncate(40);
        assert!(self.wrong.is_empty(), "{what}:\n{}", self.wrong.join("\n"));
    }
}
