//! What an edit does not fit for, with the addresses that would.

use super::ask::Edit;
use super::context::{File, Guide};
use super::find::find_active;
use crate::address::{Address, AddressStep, address_of, address_of_block};
use crate::doc::{BlockId, Document, Family, LeafId};
use crate::finding::Finding;
use crate::layers::is_of_package;
use crate::text::{nearest, one_line};

/// An address means several places; `edit` is what was asked for, to be typed for one of them.
pub(super) fn ambiguous(
    files: &[File],
    address: &Address,
    found: &[(usize, LeafId)],
    guide: &Guide<'_>,
    edit: Option<&Edit>,
) -> Finding {
    let several_files = found.iter().any(|(n, _)| *n != found[0].0);
    // An edit of a package's own file would be refused.
    let own = |(n, _): &&(usize, LeafId)| !is_of_package(&files[*n].path);
    let ours = if found.iter().any(|one| own(&one)) {
        found.iter().filter(own).collect()
    } else {
        Vec::from_iter(found)
    };
    let places: Vec<String> = ours
        .into_iter()
        .map(|(n, leaf)| {
            let doc = &files[*n].doc;
            let here = address_of(doc, *leaf).to_string();
            let here = edit.map_or_else(|| format!("'{here}'"), |edit| edit.typed_at(&here));
            let within = if several_files { format!("--in {} ", files[*n].path) } else { String::new() };
            let in_effect = if (guide.in_effect)(*n, *leaf) { ", in effect" } else { ", not in effect" };
            let in_effect = if guide.knows_effect { in_effect } else { "" };
            format!("{within}{here}   (line {}{in_effect})", doc.line_of(*leaf))
        })
        .collect();
    let (n, leaf) = found[0];
    Finding::edit_error("ambiguous", format!("{address} is set in {} places", found.len()))
        .at(&files[n].path, &files[n].doc, leaf)
        .about(address)
        .help(choices(&places))
}

/// More choices than this are not listed.
const MOST: usize = 8;

/// Whole edits to choose from, a line each, ready to paste.
fn choices(edits: &[String]) -> String {
    let lines: String = edits.iter().take(MOST).map(|edit| format!("\n  {edit}")).collect();
    match edits.len().checked_sub(MOST) {
        None | Some(0) => format!("say which:{lines}"),
        Some(more) => format!("say which:{lines}\nand {more} more: `gypsum show` lists them"),
    }
}

pub(super) fn absent(files: &[File], address: &Address, guide: &Guide<'_>, why: &str) -> Finding {
    let path = &files[guide.only.unwrap_or(guide.home)].path;
    let help = element_by_text(address)
        .unwrap_or_else(|| "`gypsum show` lists the settings with their addresses".to_owned());
    Finding::edit_error("not-there", format!("{address} {why}")).in_file(path).about(address).help(help)
}

/// How an element of a list is named that was asked for by a number; `None` for anything else.
pub(super) fn element_by_text(address: &Address) -> Option<String> {
    let (list, _) = address.around().filter(|_| address.name().is_empty())?;
    Some(format!("an element of a list is named by its text: '{list}-=OLD' '{list}+=NEW'"))
}

/// A number behind a list that is there once: it may be meant for one of its elements, `quays..#1`, or for the list.
pub(super) fn element_or_whole(
    file: &File,
    address: &Address,
    block: BlockId,
    edit: &Edit,
) -> Option<Finding> {
    let (doc, tree) = (&file.doc, file.doc.tree());
    let nth = address.nth()?;
    let has_elements =
        || tree.blocks().any(|(id, of)| of.parent() == Some(block) && doc.title(id).is_empty());
    if doc.title(block).is_empty() || doc.twins_of_block(block) > 1 || !has_elements() {
        return None;
    }
    let whole = address.without_nth();
    let both = [whole.to_string(), format!("{whole}..#{nth}")].map(|address| edit.typed_at(&address));
    let message = format!("{address} may be the whole of {whole}, or its element {nth}");
    let finding = Finding::edit_error("ambiguous", message).about(address).help(choices(&both));
    Some(finding.at(&file.path, doc, tree.block(block).open()))
}

/// Something is to be set inside of a setting that is no block.
pub(super) fn no_block_yet(whole: &str, value: &str) -> Finding {
    let is = match value {
        "" => format!("{whole} has no value, and is no block"),
        value => format!("{whole} has the value {value}, and is no block"),
    };
    Finding::edit_error("no-such-block", is).help("write it as a block in an editor: gypsum edit")
}

/// A part of a value that is written in one piece.
pub(super) fn in_one_piece(whole: &str, value: &str) -> Finding {
    Finding::edit_error("one-piece", format!("{whole} is written in one piece: {}", one_line(value)))
        .help(format!("give it whole, with your change in it: {whole}='...'"))
}

/// A quantity was asked for where there is none.
pub(super) fn no_quantity(edit: &Edit, why: &str) -> Finding {
    Finding::edit_error("no-quantity", format!("{}: {why}", edit.address()))
        .about(edit.address())
        .help("give the whole new value: ADDRESS=VALUE")
}

/// Several of this name are commented out, and differ; each with its number.
pub(super) fn several_commented(
    files: &[File],
    address: &Address,
    found: &[(usize, LeafId, u32)],
) -> Finding {
    let line = |n: usize, leaf| files[n].doc.place(leaf).line;
    let edits: Vec<String> = found
        .iter()
        .map(|(n, leaf, nth)| format!("--enable '{}'   (line {})", address.with_nth(*nth), line(*n, *leaf)))
        .collect();
    let (n, leaf, _) = found[0];
    let message = format!("{address} is commented out in {} places, with different values", found.len());
    Finding::edit_error("ambiguous", message)
        .at(&files[n].path, &files[n].doc, leaf)
        .about(address)
        .help(format!("{}\nor give the value: '{address}=VALUE'", choices(&edits)))
}

/// A new name, where one is there that has the first `=` of what was typed in it.
pub(super) fn sign_in_name(files: &[File], address: &Address, value: &str) -> Option<Finding> {
    let (more, rest) = value.split_once('=')?;
    let (meant, (n, leaf)) = with_tail(files, address, &format!("={more}"))?;
    let message = format!("{} is a new name, and {}={more} is there", address.name(), address.name());
    let finding = Finding::edit_error("ambiguous", message).about(address);
    let help = format!("quotes keep a name together: '{meant}={rest}'");
    Some(finding.at(&files[n].path, &files[n].doc, leaf).help(help))
}

/// How the value is set of a name that ends with the sign of an operator, as selectors do (`auth.*`).
pub(super) fn set_with_sign(files: &[File], address: &Address, sign: char) -> Option<String> {
    let (meant, _) = with_tail(files, address, &sign.to_string())?;
    Some(format!("quotes keep a name together: '{meant}=VALUE'"))
}

/// The setting that is there by this name with `tail` behind it.
fn with_tail(files: &[File], address: &Address, tail: &str) -> Option<(Address, (usize, LeafId))> {
    let meant = beside(address, format!("{}{tail}", address.name()));
    let found = find_active(files, &meant).into_iter().next()?;
    Some((meant, found))
}

/// Another name in the same blocks.
fn beside(address: &Address, name: String) -> Address {
    let step = AddressStep { words: name, nth: None };
    Address::of(address.blocks().iter().cloned().chain([step]).collect())
}

/// That a name was given with its value behind a blank, as the line will be, where a name holds none.
pub(super) fn whole_line(doc: &Document, address: &Address) -> Option<Finding> {
    let (name, value) = address.name().split_once(' ')?;
    let has_blocks = match doc.family() {
        Family::Keyword => false,
        Family::Tags | Family::Braces => true,
        _ => return None,
    };
    let help = format!("a setting is NAME=VALUE: --add '{}={value}'", beside(address, name.to_owned()));
    let block = format!("; a block needs a setting of it in the same change: '{address}..NAME=VALUE'");
    let help = if has_blocks { help + &block } else { help };
    Some(Finding::edit_error("no-value", format!("{address} has no value")).about(address).help(help))
}

/// A setting that is not set yet, of which nothing says in which section it belongs.
pub(super) fn no_section(files: &[File], home: usize, address: &Address) -> Finding {
    let sections: Vec<String> = addresses(&files[home].doc).collect();
    let example = sections.first().map_or("SECTION", String::as_str);
    Finding::edit_error(
        "no-section",
        format!("{} is not set yet; say in which section it belongs", address.name()),
    )
    .in_file(&files[home].path)
    .about(address)
    .help(format!("for example {example}..{}=VALUE", address.name()))
}

/// The blocks that an address names, as it writes them.
pub(super) fn around(address: &Address) -> String {
    address.blocks().iter().map(ToString::to_string).collect::<Vec<_>>().join("..")
}

/// A block that is not there, and what is.
pub(super) fn no_block(files: &[File], home: usize, address: &Address) -> Finding {
    let wanted = around(address);
    let known: Vec<String> = files.iter().flat_map(|file| addresses(&file.doc)).collect();
    let mut near: Vec<&str> = nearest(&wanted, known.iter().map(String::as_str));
    if near.is_empty() {
        near = known.iter().map(String::as_str).take(5).collect();
        near.dedup();
    }
    let only_elsewhere = near.first() == Some(&wanted.as_str());
    let doc = &files[home].doc;
    let can_be_made = address.blocks().len() == 1 && doc.family().block_lines(&wanted, doc).is_some();
    let help = match near.as_slice() {
        _ if only_elsewhere => format!("other files have it; --add '{wanted}' makes it in this one"),
        [] if can_be_made => format!("--add '{wanted}' makes it, in the same change"),
        [] => "the files of this daemon have no blocks".into(),
        near if can_be_made => {
            format!("there is: {}; --add '{wanted}' makes a new one", near.join(", "))
        }
        near => format!("there is: {}", near.join(", ")),
    };
    Finding::edit_error("no-such-block", format!("there is no {wanted}"))
        .in_file(&files[home].path)
        .about(address)
        .help(help)
}

/// The addresses of all blocks.
fn addresses(doc: &Document) -> impl Iterator<Item = String> {
    doc.tree().blocks().map(|(block, _)| address_of_block(doc, block).to_string())
}
