//! Where a setting goes that is set nowhere yet.

use super::ask::Where;
use super::block::{Body, new_block};
use super::context::File;
use super::context::{Guide, ResolvedEdit};
use super::edit_error::{absent, ambiguous, around, no_block, no_section};
use super::expected::{Expected, Within};
use super::find::{Found, blocks_around, find_active};
use super::quoting::quoted;
use super::style::{deeper, inner_indent, new_line, top_indent};
use crate::address::{Address, address_of};
use crate::doc::{BlockId, Document, Family, Kind, LeafId, Parts, scalars};
use crate::finding::Finding;
use crate::text::{Span, Splice, ending_at};

/// The place of a new line.
pub struct InsertPoint {
    pub file: usize,
    pub block: Option<BlockId>,
    /// The leaf behind which it goes; the start of the file where there is none.
    pub after: Option<LeafId>,
    /// The setting that it should look like.
    pub like: Option<LeafId>,
}

/// Where `address` goes: into the block that it names, else into the one that `guide` names for
/// it, else before the first conditional group.
fn spot_for(files: &[File], address: &Address, guide: &Guide<'_>) -> Result<InsertPoint, Finding> {
    let home = guide.only.unwrap_or(guide.home);
    if !address.blocks().is_empty() {
        return spot_within(files, address, guide)?.ok_or_else(|| no_block(files, home, address));
    }
    let implied = (guide.block)(address.name());
    if let Some(spot) = implied.is_none().then(|| beside_includes(files, address.name(), guide)).flatten() {
        return Ok(spot);
    }
    let implied = implied.and_then(|block| Address::parse(&format!("{block}..{}", address.name())).ok());
    let inner = implied.as_ref().map_or(Ok(None), |implied| spot_within(files, implied, guide))?;
    match (inner, files[home].doc.family()) {
        (Some(spot), _) => Ok(spot),
        (None, Family::Sections | Family::Stanzas) if holds_top_settings(&files[home].doc) => {
            Ok(at_top(files, home))
        }
        (None, Family::Sections | Family::Stanzas) => Err(match &implied {
            Some(implied) => no_block(files, home, implied),
            None => no_section(files, home, address),
        }),
        // A file that is included in that block has none of its own.
        (None, _) => Ok(at_top(files, home)),
    }
}

/// An include goes beside the last one outside of all blocks: of the home file, else of the first file that has one.
fn beside_includes(files: &[File], name: &str, guide: &Guide<'_>) -> Option<InsertPoint> {
    let home = guide.only.unwrap_or(guide.home);
    if !files[home].doc.dialect().is_include(name.as_bytes()) {
        return None;
    }
    let order = std::iter::once(home).chain((0..files.len()).filter(|n| *n != home && guide.only.is_none()));
    order.into_iter().find_map(|file| {
        let doc = &files[file].doc;
        let own = |(leaf, kind, parts): &(LeafId, Kind, Parts)| {
            *kind == Kind::Setting
                && doc.tree().block_of(*leaf).is_none()
                && doc.dialect().is_include(parts.name.of(doc.source()))
        };
        let last = doc.statements().filter(own).map(|(leaf, ..)| leaf).last()?;
        Some(InsertPoint { file, block: None, after: Some(last), like: Some(last) })
    })
}

/// Whether settings are above the first section of a file, or it has no sections at all.
fn holds_top_settings(doc: &Document) -> bool {
    let tree = doc.tree();
    let first = tree.blocks().next().map_or(tree.len(), |(_, block)| block.open());
    (0..first).any(|leaf| tree.kind(leaf) == Kind::Setting)
}

/// Its place in the block that `address` names; none where there is no such block.
fn spot_within(files: &[File], address: &Address, guide: &Guide<'_>) -> Result<Option<InsertPoint>, Finding> {
    let home = guide.only.unwrap_or(guide.home);
    let order = std::iter::once(home).chain((0..files.len()).filter(|n| *n != home && guide.only.is_none()));
    let found = blocks_around(files, order, address);
    let first = found.first().map(|(n, _)| *n);
    let Some((n, block)) = found.iter().rfind(|(n, _)| Some(*n) == first).copied() else {
        return Ok(None);
    };
    // A section that is there twice is one to its daemon, and what is added to its last part decides; two
    // blocks are two.
    let one = matches!(files[n].doc.family(), Family::Sections | Family::Stanzas);
    if found.len() > 1 && !one {
        let blocks: Vec<Found> =
            found.iter().map(|(n, block)| (*n, files[*n].doc.tree().block(*block).open())).collect();
        let message = format!("there are {} blocks called {}", blocks.len(), around(address));
        return Err(Finding { message, ..ambiguous(files, address, &blocks, guide, None) });
    }
    Ok(Some(in_block(&files[n].doc, n, block)))
}

fn in_block(doc: &Document, file: usize, block: BlockId) -> InsertPoint {
    let range = doc.tree().block(block);
    let inside = (range.open() + 1)..range.end();
    let own =
        |leaf: &LeafId| doc.tree().kind(*leaf) == Kind::Setting && doc.tree().block_of(*leaf) == Some(block);
    let last = inside.clone().rev().find(own);
    // A list of YAML ends with its indent, and its order counts.
    let is_element = |leaf: &LeafId| {
        doc.family() == Family::Yaml && doc.tree().span(*leaf).of(doc.source()).trim_ascii().starts_with(b"-")
    };
    let element = inside.clone().find(|leaf| is_statement(doc, *leaf)).filter(is_element);
    let end = element.and_then(|_| inside.clone().rev().find(|leaf| is_statement(doc, *leaf)));
    let after = end.or(last).unwrap_or(range.open());
    InsertPoint { file, block: Some(block), after: Some(after), like: last.or(element) }
}

/// Whether a leaf is a setting, or opens a block.
fn is_statement(doc: &Document, leaf: LeafId) -> bool {
    matches!(doc.tree().kind(leaf), Kind::Setting | Kind::Open)
}

/// A setting in the place that was asked for; without a value, a bare name.
pub fn insert_setting(
    files: &[File],
    address: &Address,
    value: Option<&str>,
    spot: &Where,
    guide: &Guide<'_>,
) -> Result<ResolvedEdit, Finding> {
    if let Some(computed) = computed(files, address, guide) {
        return Err(computed);
    }
    let mut found = match block_beside(files, address, spot, guide) {
        Some(spot) => spot,
        None => spot_for(files, address, guide)?,
    };
    let doc = &files[found.file].doc;
    found.after = match spot {
        Where::NextToSiblings => last_kin(doc, &found, address.name()).or(found.after),
        _ => after_leaf(files, &found, spot, guide)?,
    };
    if let Some(text) = found.like.filter(|leaf| doc.family() == Family::Xml && is_text(doc, *leaf)) {
        let finding = Finding::edit_error(
            "holds-text",
            "the element contains text, so no setting can be added beside it",
        );
        return Err(finding.at(&files[found.file].path, doc, text).help("edit it as a whole: gypsum edit"));
    }
    let name = (guide.spelling)(address.name()).unwrap_or_else(|| address.name().to_owned());
    if let Some(leaf) = value.and_then(|_| written_otherwise(doc, found.block, &name)) {
        let there = address_of(doc, leaf);
        let finding = Finding::edit_error("repeated", format!("{name} is there already, written as {there}"));
        return Err(finding
            .about(address)
            .at(&files[found.file].path, doc, leaf)
            .help("edit it by that address"));
    }
    // The file that an include names is quoted as in another one of the block.
    let beside = last_kin(doc, &found, &name).filter(|_| doc.dialect().is_include(name.as_bytes()));
    let beside = beside.and_then(|leaf| doc.parts(leaf)).map(|parts| parts.value.raw(doc.source()));
    let raw = value.map(|value| quoted(doc, value, beside.as_deref())).transpose();
    let raw = raw.map_err(|finding| finding.about(address))?;
    let (at, mut text) = new_line(doc, found.after, found.like, &name, raw.as_deref());
    let value = value.unwrap_or_default();
    let mut things = vec![(Kind::Setting, name.clone().into(), value.into())];
    // What adds up in files read before is taken back first.
    let elsewhere = || find_active(files, address).iter().any(|(n, _)| *n != found.file);
    if (guide.resets)(&address.to_string()) && elsewhere() {
        let (_, reset) = new_line(doc, found.after, found.like, &name, Some(b""));
        text = [reset, text].concat();
        things.insert(0, (Kind::Setting, name.clone().into(), Vec::new()));
    }
    let expected = Expected::Inserted { things, within: Within::Block(found.block) };
    let address = match found.block {
        Some(block) => format!("{}..{name}", address_of(doc, doc.tree().block(block).open())),
        None => address.to_string(),
    };
    let splices = vec![Splice { span: Span::at(at), text }];
    Ok(ResolvedEdit { file: found.file, leaf: found.after, expected, splices, address, lines: None })
}

/// A key of the same block that means `name` and is written with escapes: a second one would repeat it.
fn written_otherwise(doc: &Document, block: Option<BlockId>, name: &str) -> Option<LeafId> {
    let family = doc.family();
    if !matches!(family, Family::Json | Family::Yaml | Family::Toml) {
        return None;
    }
    let source = doc.source();
    let tree = doc.tree();
    let means = |leaf: &LeafId| {
        let Some(parts) = doc.parts(*leaf) else { return false };
        let (start, end) = (parts.name.start as usize, parts.name.end as usize);
        let inner = parts.name.of(source);
        let is_escaped = inner.contains(&b'\\') || inner.windows(2).any(|two| two == b"''");
        let raw = start.checked_sub(1).and_then(|open| source.get(open..=end));
        is_escaped && raw.is_some_and(|raw| scalars::meaning(family, raw) == name.as_bytes())
    };
    // Only what is in that block is taken apart: a file may have millions of others.
    let mut inside = tree.leaves().filter(|(leaf, kind, _)| {
        matches!(kind, Kind::Setting | Kind::Open) && tree.block_of(*leaf) == block
    });
    inside.find(|(leaf, ..)| means(leaf)).map(|(leaf, ..)| leaf)
}

/// An assignment of this name whose value is computed: a second one beside it would not decide, or would take
/// away what it is for.
fn computed(files: &[File], address: &Address, guide: &Guide<'_>) -> Option<Finding> {
    let meant = |n: &usize| guide.only.is_none_or(|only| only == *n);
    (0..files.len()).filter(meant).find_map(|n| {
        let doc = &files[n].doc;
        let assigns = |text: &[u8]| assigns_somewhere(doc.family(), text, address.name().as_bytes());
        let leaf = matches!(doc.family(), Family::Assignments | Family::Literals).then(|| {
            doc.tree()
                .leaves()
                .find(|(_, kind, span)| *kind == Kind::Opaque && assigns(span.of(doc.source())))
        });
        let (leaf, ..) = leaf??;
        let finding =
            Finding::edit_error("computed", format!("the value of {} is computed there", address.name()));
        Some(finding.at(&files[n].path, doc, leaf).about(address).help("edit the line itself: gypsum edit"))
    })
}

/// Whether lines of a program give a value to this name: at the beginning of a statement, or in the shell behind other
/// assignments and as what `read`, `unset` and `for` are about.
fn assigns_somewhere(family: Family, text: &[u8], name: &[u8]) -> bool {
    let is_shell = family == Family::Assignments;
    let is_of_name = |byte: &u8| byte.is_ascii_alphanumeric() || *byte == b'_';
    memchr::memmem::find_iter(text, name).any(|at| {
        let (before, behind) = (&text[..at], &text[at + name.len()..]);
        if before.last().is_some_and(is_of_name) || behind.first().is_some_and(is_of_name) {
            return false;
        }
        let blanks = before.len() - before.trim_ascii_end().len();
        let begins = match before.trim_ascii_end().last() {
            None => true,
            Some(last) if is_shell => blanks > 0 || b";&|({".contains(last),
            Some(last) => b":;".contains(last) || before[before.len() - blanks..].contains(&b'\n'),
        };
        let word = before.trim_ascii_end().rsplit(|byte| !is_of_name(byte)).next().unwrap_or_default();
        let is_given = is_shell && matches!(word, b"read" | b"unset" | b"for");
        let rest = if is_shell { behind } else { behind.trim_ascii_start() };
        let rest = rest.strip_prefix(b"+").unwrap_or(rest);
        begins && (is_given || rest.starts_with(b"=") && !rest.starts_with(b"=="))
    })
}

/// Whether a leaf is the text of an element that has attributes, too.
fn is_text(doc: &Document, leaf: LeafId) -> bool {
    let span = doc.tree().span(leaf);
    !span.of(doc.source()).trim_ascii_start().starts_with(b"<")
        && doc.source()[..span.start as usize].last() == Some(&b'>')
}

/// The last setting of this name in the block.
fn last_kin(doc: &Document, spot: &InsertPoint, name: &str) -> Option<LeafId> {
    let tree = doc.tree();
    let own = |(leaf, kind, parts): &(LeafId, Kind, Parts)| {
        *kind == Kind::Setting
            && tree.block_of(*leaf) == spot.block
            && doc.dialect().same(parts.name.of(doc.source()), name.as_bytes())
    };
    doc.statements().filter(own).map(|(leaf, ..)| leaf).last()
}

/// The leaf behind which something goes that is to be first, last, above or below.
fn after_leaf(
    files: &[File],
    spot: &InsertPoint,
    place: &Where,
    guide: &Guide<'_>,
) -> Result<Option<LeafId>, Finding> {
    let doc = &files[spot.file].doc;
    let tree = doc.tree();
    let open = spot.block.map(|block| tree.block(block).open());
    let statement = |leaf: &LeafId| is_statement(doc, *leaf);
    Ok(match place {
        Where::NextToSiblings | Where::Last => spot.after,
        // The comments at the head of a file are about the file.
        Where::First => {
            open.or_else(|| (0..tree.len()).find(statement).map_or(spot.after, |first| first.checked_sub(1)))
        }
        Where::Above(address) => beside(files, spot, address, guide)?.checked_sub(1),
        Where::Below(address) => {
            let leaf = beside(files, spot, address, guide)?;
            Some(tree.opened_by(leaf).map_or(leaf, |block| tree.block(block).end() - 1))
        }
    })
}

/// Who names no block, and says beside which setting, means the block of that.
fn block_beside(files: &[File], address: &Address, place: &Where, guide: &Guide<'_>) -> Option<InsertPoint> {
    let (Where::Above(other) | Where::Below(other)) = place else {
        return None;
    };
    let meant = |(n, _): &Found| guide.only.is_none_or(|only| only == *n);
    let found: Vec<Found> = find_active(files, other).into_iter().filter(meant).collect();
    match (address.blocks(), found.as_slice()) {
        ([], [(file, leaf)]) => {
            let block = files[*file].doc.tree().block_of(*leaf);
            Some(InsertPoint { file: *file, block, after: Some(*leaf), like: Some(*leaf) })
        }
        _ => None,
    }
}

/// The statement, in the block of `spot`, that `address` means.
fn beside(
    files: &[File],
    spot: &InsertPoint,
    address: &Address,
    guide: &Guide<'_>,
) -> Result<LeafId, Finding> {
    let doc = &files[spot.file].doc;
    let found: Vec<Found> =
        find_active(files, address).into_iter().filter(|(n, _)| *n == spot.file).collect();
    let leaf = match found.as_slice() {
        [(_, leaf)] => Some(*leaf),
        [] => {
            doc.tree().blocks().find(|(id, _)| names_block(doc, *id, address)).map(|(_, block)| block.open())
        }
        several => return Err(ambiguous(files, address, several, guide, None)),
    };
    let leaf =
        leaf.ok_or_else(|| absent(files, address, guide, "is not set, so nothing can be added beside it"))?;
    if doc.tree().block_of(leaf) == spot.block {
        return Ok(leaf);
    }
    Err(Finding::edit_error("elsewhere", format!("{address} is not in the same block"))
        .at(&files[spot.file].path, doc, leaf)
        .help("name one that does, or leave the place out"))
}

fn names_block(doc: &Document, block: BlockId, address: &Address) -> bool {
    let own = address_of(doc, doc.tree().block(block).open()).to_string();
    own == address.to_string() || own.ends_with(&format!("..{address}"))
}

/// Where a prepared piece goes, and how far it is indented.
pub fn piece_spot(
    files: &[File],
    under: Option<&Address>,
    spot: &Where,
    guide: &Guide<'_>,
) -> Result<(InsertPoint, Vec<u8>), Finding> {
    let file = guide.only.unwrap_or(guide.home);
    let top =
        InsertPoint { file, block: None, after: files[file].doc.tree().len().checked_sub(1), like: None };
    let parent = match under {
        Some(block) => spot_for(files, &block.clone().then("piece"), guide)?,
        None if files[file].doc.root_end().is_some() => at_top(files, file),
        None => top,
    };
    let doc = &files[parent.file].doc;
    let close = parent.block.and_then(|block| doc.tree().block(block).close());
    let after = match spot {
        Where::NextToSiblings | Where::Last => close.map_or(parent.after, |close| close.checked_sub(1)),
        _ => after_leaf(files, &parent, spot, guide)?,
    };
    let open = parent.block.map(|block| doc.tree().block(block).open());
    let indent = open.map_or_else(Vec::new, |open| inner_indent(doc, open));
    Ok((InsertPoint { after, ..parent }, indent))
}

/// A new block with its body.
pub fn insert_block(
    files: &[File],
    address: &Address,
    spot: &Where,
    body: &Body<'_>,
    guide: &Guide<'_>,
) -> Result<ResolvedEdit, Finding> {
    let file = guide.only.unwrap_or(guide.home);
    let parent = match address.blocks() {
        [] if files[file].doc.root_end().is_some() => at_top(files, file),
        [] => {
            InsertPoint { file, block: None, after: files[file].doc.tree().len().checked_sub(1), like: None }
        }
        _ => spot_for(files, address, guide)?,
    };
    let doc = &files[parent.file].doc;
    let close = parent.block.and_then(|block| doc.tree().block(block).close());
    let after = match spot {
        Where::NextToSiblings | Where::Last => close.map_or(parent.after, |close| close.checked_sub(1)),
        _ => after_leaf(files, &parent, spot, guide)?,
    };
    let at = after.map_or(0, |leaf| doc.tree().span(leaf).end as usize);
    let source = doc.source();
    if at > 0 && source[at - 1] != b'\n' && at < source.len() {
        let finding =
            Finding::edit_error("shares-its-line", "the block around it is closed in the same line");
        return Err(finding
            .at_offset(&files[parent.file].path, doc, at)
            .help("give its closing mark a line of its own first"));
    }
    let open = parent.block.map(|block| doc.tree().block(block).open());
    let indent = match (open, parent.like) {
        (Some(open), _) => inner_indent(doc, open),
        (None, like) if doc.family() == Family::Json => top_indent(doc, like),
        _ => Vec::new(),
    };
    let eol = ending_at(source, at).bytes();
    let (block, things) = new_block(doc, address.name(), body, &indent, &deeper(doc), eol)?;
    let open_end = at > 0 && source[at - 1] != b'\n';
    let mut text = if open_end { eol.to_vec() } else { Vec::new() };
    // A group that begins at the end of a file is apart from what is above it.
    let apart = parent.block.is_none() && at == source.len() && at > 0 && !source.ends_with(b"\n\n");
    if apart {
        text.extend_from_slice(eol);
    }
    text.extend(block);
    let splices = vec![Splice { span: Span::at(at), text }];
    Ok(ResolvedEdit {
        file: parent.file,
        leaf: after,
        expected: Expected::Inserted { things, within: Within::Block(parent.block) },
        splices,
        address: address.to_string(),
        lines: None,
    })
}

fn at_top(files: &[File], file: usize) -> InsertPoint {
    let doc = &files[file].doc;
    let tree = doc.tree();
    // The one element around everything is where everything goes.
    if doc.family() == Family::Xml && tree.blocks().next().is_some() {
        return in_block(doc, file, 0);
    }
    if let Some(edge) = doc.root_end() {
        let own = |leaf: &LeafId| tree.kind(*leaf) == Kind::Setting && tree.block_of(*leaf).is_none();
        let like = (0..edge).rev().find(own);
        return InsertPoint { file, block: None, after: edge.checked_sub(1), like };
    }
    // Behind a group that runs to the next one nothing is at the top any more; a block of YAML ends with its indent.
    let by_indent = doc.family() == Family::Yaml;
    let closed = doc.family().closes_blocks() || by_indent;
    let end = tree.blocks().next().filter(|_| !closed).map_or(tree.len(), |(_, block)| block.open());
    let own = |leaf: &LeafId| tree.kind(*leaf) == Kind::Setting && tree.block_of(*leaf).is_none();
    let last = (0..end).rev().find(own);
    let after = last.or_else(|| {
        if by_indent {
            return (0..end).rev().find(|leaf| is_statement(doc, *leaf));
        }
        // Nothing to stand beside: above the comment that introduces the first group.
        let mut at = end;
        if end < tree.len() {
            while at > 0 && tree.kind(at - 1) == Kind::Comment {
                at -= 1;
            }
        }
        at.checked_sub(1)
    });
    InsertPoint { file, block: None, after, like: last }
}
