//! Where a setting goes that stands nowhere yet.

use super::File;
use super::find::ends_with;
use super::place::Guide;
use crate::address::Address;
use crate::doc::{BlockId, Document, Family, Kind, LeafId};
use crate::finding::Finding;
use crate::text::nearest;

/// The place of a new line.
pub struct Spot {
    pub file: usize,
    pub block: Option<BlockId>,
    /// The leaf behind which it goes; the start of the file where there is none.
    pub after: Option<LeafId>,
    /// The setting that it should look like.
    pub like: Option<LeafId>,
}

/// Where `address` goes: into the block that it names, else into the one that `guide` names for
/// it, else before the first conditional group.
pub fn spot_for(files: &[File], address: &Address, guide: &Guide<'_>) -> Result<Spot, Finding> {
    let home = guide.only.unwrap_or(guide.home);
    let steps = address.blocks();
    let implied = guide.block.filter(|_| steps.is_empty());
    let implied = implied.and_then(|block| Address::parse(&format!("{block}..{}", address.name())).ok());
    let address = implied.as_ref().unwrap_or(address);
    if address.blocks().is_empty() {
        return match files[home].doc.family() {
            Family::Sections | Family::Stanzas => Err(no_section(files, home, address)),
            _ => Ok(at_top(files, home)),
        };
    }
    let order = std::iter::once(home).chain((0..files.len()).filter(|n| *n != home && guide.only.is_none()));
    for n in order {
        let doc = &files[n].doc;
        let fits = |block: BlockId| {
            let mut path = doc.path(doc.tree().block(block).open());
            path.push(block);
            ends_with(doc, &path, address)
        };
        // The last one of several: what is added there decides where the last one wins.
        if let Some((block, _)) = doc.tree().blocks().filter(|(id, _)| fits(*id)).last() {
            return Ok(in_block(doc, n, block));
        }
    }
    Err(no_block(files, home, address))
}

fn in_block(doc: &Document, file: usize, block: BlockId) -> Spot {
    let range = doc.tree().block(block);
    let inside = (range.open() + 1)..range.end();
    let own =
        |leaf: &LeafId| doc.tree().kind(*leaf) == Kind::Setting && doc.tree().block_of(*leaf) == Some(block);
    let last = inside.rev().find(own);
    Spot { file, block: Some(block), after: Some(last.unwrap_or(range.open())), like: last }
}

fn at_top(files: &[File], file: usize) -> Spot {
    let doc = &files[file].doc;
    let tree = doc.tree();
    // Behind a group that runs to the next one nothing is at the top any more.
    let closed = doc.family().closes_blocks();
    let end = tree.blocks().next().filter(|_| !closed).map_or(tree.len(), |(_, block)| block.open());
    let own = |leaf: &LeafId| tree.kind(*leaf) == Kind::Setting && tree.block_of(*leaf).is_none();
    let last = (0..end).rev().find(own);
    let after = last.or_else(|| {
        // Nothing to stand beside: above the comment that introduces the first group.
        let mut at = end;
        if end < tree.len() {
            while at > 0 && tree.kind(at - 1) == Kind::Comment {
                at -= 1;
            }
        }
        at.checked_sub(1)
    });
    Spot { file, block: None, after, like: last }
}

fn no_section(files: &[File], home: usize, address: &Address) -> Finding {
    let sections = titles(&files[home].doc);
    let example = sections.first().map_or("SECTION", String::as_str);
    Finding::misfit(
        "no-section",
        format!("{} stands nowhere yet; say in which section it belongs", address.name()),
    )
    .in_file(&files[home].path)
    .about(address)
    .mend(format!("for example {example}..{}=VALUE", address.name()))
}

fn no_block(files: &[File], home: usize, address: &Address) -> Finding {
    let wanted = address.blocks().iter().map(ToString::to_string).collect::<Vec<_>>().join("..");
    let known: Vec<String> = files.iter().flat_map(|file| titles(&file.doc)).collect();
    let mut near: Vec<&str> = nearest(&wanted, known.iter().map(String::as_str));
    if near.is_empty() {
        near = known.iter().map(String::as_str).take(5).collect();
        near.dedup();
    }
    let mend = match near.as_slice() {
        [] => "the files of this daemon have no blocks".into(),
        near => format!("there is: {}", near.join(", ")),
    };
    Finding::misfit("no-such-block", format!("there is no {wanted}"))
        .in_file(&files[home].path)
        .about(address)
        .mend(mend)
}

fn titles(doc: &Document) -> Vec<String> {
    doc.tree().blocks().map(|(id, _)| doc.title(id)).collect()
}
