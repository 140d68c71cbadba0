//! Edits of a file in sections: each goes where its setting belongs.

use gypsum_core::address::Address;
use gypsum_core::doc::Family;
use gypsum_core::edit::{Edit, File, Where};
use gypsum_core::profile::Profile;

/// The edits with the sections that they belong in, where those are known and one only, and with sections that are
/// not there yet made first: a section is a line, and nobody wants to hear that it is missing.
pub(super) fn in_their_sections(
    edits: &[Edit],
    profile: &Profile,
    files: &[File],
    only: Option<usize>,
) -> Vec<Edit> {
    if profile.files.format != Family::Sections {
        return edits.to_vec();
    }
    let usual = profile.files.section.as_deref().unwrap_or_default();
    let mut out: Vec<Edit> = Vec::new();
    let stands = |section: &str| {
        let meant = files.iter().enumerate().filter(|(n, _)| only.is_none_or(|only| only == *n));
        meant.into_iter().any(|(_, file)| file.doc.has_block(section))
    };
    let is_section = |section: &str| {
        let outer = |known: &str| known.split_once("..").is_some_and(|(outer, _)| outer == section);
        profile.known_names().any(outer)
    };
    // Whoever asks for the section, by hand too, gets one.
    let is_added = |section: &Address, so_far: &[Edit]| {
        let adds = |edit: &Edit| matches!(edit, Edit::Add { address, value: None, .. } if address == section);
        edits.iter().chain(so_far).any(adds)
    };
    for edit in edits {
        let Edit::Set { address, value } = edit else {
            out.push(edit.clone());
            continue;
        };
        let homes: Vec<&str> = profile
            .known_names()
            .filter_map(|known| known.rsplit_once("..").filter(|(_, bare)| *bare == address.name()))
            .map(|(section, _)| section)
            .collect();
        let section = match (address.blocks(), homes.as_slice()) {
            ([section], homes) if homes.contains(&section.words.as_str()) => section.words.clone(),
            ([], [section]) => (*section).to_owned(),
            ([], homes) if homes.contains(&usual) => usual.to_owned(),
            // Only the daemon may know the name; the section is one of its own.
            ([section], []) if is_section(&section.words) => section.words.clone(),
            ([], []) if is_section(usual) => usual.to_owned(),
            _ => {
                out.push(edit.clone());
                continue;
            }
        };
        let asked: Option<Address> = Address::parse(&section).ok();
        let missing = asked.clone().filter(|asked| !stands(&section) && !is_added(asked, &out));
        out.extend(missing.map(|address| Edit::Add { address, value: None, spot: Where::Last }));
        let address = asked.map_or_else(|| address.clone(), |outer| outer.then(address.name()));
        out.push(Edit::Set { address, value: value.clone() });
    }
    out
}
