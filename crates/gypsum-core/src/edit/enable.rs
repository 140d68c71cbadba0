//! What `--enable` means where several of a name are commented out, and whether what is commented out could be
//! enabled again.

use super::ask::Edit;
use super::context::{EditContext, File, Guide, ResolvedEdit};
use super::edit_error::several_commented;
use super::find::find_active;
use crate::address::Address;
use crate::doc::{BlockId, CommentedOut, Document, LeafId};
use crate::finding::Finding;
use crate::text::{Splice, apply};

/// What `--enable` finds.
pub(super) enum ToEnable {
    /// It is enabled.
    Already,
    /// This one, in this file.
    This(usize, CommentedOut),
    Nothing,
}

impl EditContext<'_> {
    /// The one that `--enable` means. A number counts all of this name in their block, whether they are commented
    /// out or not, as they were counted before one of them was commented out.
    pub(super) fn to_enable(&self, address: &Address) -> Result<ToEnable, Finding> {
        if let Some(nth) = address.nth()
            && let Some(found) = self.nth_of_all(address, nth)?
        {
            return Ok(found);
        }
        if self.one(address)?.is_some() {
            return Ok(ToEnable::Already);
        }
        if let Some(found) = self.recorded(address) {
            return Ok(found);
        }
        let all = self.all_commented(address);
        let Some((n, first)) = all.first() else {
            return Ok(ToEnable::Nothing);
        };
        let rank = |n: usize, commented_out: &CommentedOut| (commented_out.nearness, n != self.guide.home);
        let text = |n: usize, commented_out: &CommentedOut| {
            let doc = &self.files[n].doc;
            (doc.name(&commented_out.parts), doc.value(&commented_out.parts))
        };
        let equal: Vec<_> = all.iter().filter(|(m, other)| rank(*m, other) == rank(*n, first)).collect();
        if equal.iter().any(|(m, other)| text(*m, other) != text(*n, first)) {
            let number = |(n, commented_out): &&(usize, CommentedOut)| {
                let own = self.block_of(*n, commented_out.leaf);
                let before = all.iter().filter(|(m, other)| {
                    self.block_of(*m, other.leaf) == own && other.leaf < commented_out.leaf
                });
                (*n, commented_out.leaf, before.count() as u32 + 1)
            };
            let places: Vec<(usize, LeafId, u32)> = equal.iter().map(number).collect();
            return Err(several_commented(self.files, address, &places));
        }
        Ok(ToEnable::This(*n, first.clone()))
    }

    /// The file and the block of a statement; statements with the same ones are counted together.
    fn block_of(&self, n: usize, leaf: LeafId) -> (usize, Option<BlockId>) {
        (n, self.files[n].doc.tree().block_of(leaf))
    }

    /// The one line that the record says was commented out last.
    fn recorded(&self, address: &Address) -> Option<ToEnable> {
        let line = (self.guide.disabled)(&address.to_string())?;
        let first = line.lines().next()?.trim();
        let text = |n: usize, commented_out: &CommentedOut| {
            let doc = &self.files[n].doc;
            doc.text(doc.line_around(commented_out.mark.start as usize)).trim() == first
        };
        let mut fit = self
            .all_commented(&address.without_nth())
            .into_iter()
            .filter(|(n, commented_out)| text(*n, commented_out));
        match (fit.next(), fit.next()) {
            (Some((n, commented_out)), None) => Some(ToEnable::This(n, commented_out)),
            _ => None,
        }
    }

    /// The number that each of those that are commented out would have among those that are set.
    fn as_it_was(&self, address: &Address, nth: u32) -> Vec<(usize, CommentedOut)> {
        let any = address.without_nth();
        let mut set = find_active(self.files, &any);
        set.retain(|(n, _)| self.is_meant(*n));
        let number = |(n, commented_out): &(usize, CommentedOut)| {
            let own = self.block_of(*n, commented_out.leaf);
            set.iter()
                .filter(|(m, leaf)| self.block_of(*m, *leaf) == own && *leaf < commented_out.leaf)
                .count() as u32
                + 1
        };
        self.all_commented(&any).into_iter().filter(|one| number(one) == nth).collect()
    }

    /// The `nth` of all that share a name in their block; `None` where that one is enabled already.
    pub(super) fn nth_of_all(&self, address: &Address, nth: u32) -> Result<Option<ToEnable>, Finding> {
        let fit = self.as_it_was(address, nth);
        if let [(n, commented_out)] = fit.as_slice() {
            return Ok(Some(ToEnable::This(*n, commented_out.clone())));
        }
        if let Some(found) = self.recorded(address) {
            return Ok(Some(found));
        }
        let any = address.without_nth();
        let mut all: Vec<(usize, LeafId, Option<CommentedOut>)> =
            find_active(self.files, &any).into_iter().map(|(n, leaf)| (n, leaf, None)).collect();
        all.retain(|(n, ..)| self.is_meant(*n));
        if let (false, Some((n, first))) = (all.is_empty(), fit.first()) {
            // Several stand where it would be, and nothing tells which of them it was.
            let doc = &self.files[*n].doc;
            let lines = fit.iter().map(|(n, one)| self.files[*n].doc.line_of(one.leaf).to_string());
            let message =
                format!("{address} may be any of the lines {}", lines.collect::<Vec<_>>().join(", "));
            let finding = Finding::edit_error("ambiguous", message).about(address);
            return Err(finding.at(&self.files[*n].path, doc, first.leaf).help(format!(
                "give its value: --add '{any}=VALUE', or uncomment it in an editor: gypsum edit"
            )));
        }
        let commented = self.all_commented(&any).into_iter();
        all.extend(commented.map(|(n, commented_out)| (n, commented_out.leaf, Some(commented_out))));
        all.sort_by_key(|(n, leaf, _)| (*n, *leaf));
        let Some(first) = all.first().map(|(n, leaf, _)| self.block_of(*n, *leaf)) else {
            return Ok(None);
        };
        all.retain(|(n, leaf, _)| self.block_of(*n, *leaf) == first);
        let one = all.into_iter().nth(nth as usize - 1);
        Ok(one.and_then(|(n, _, commented_out)| {
            commented_out.map(|commented_out| ToEnable::This(n, commented_out))
        }))
    }
}

/// What is commented out must be what `--enable` with the same address brings back, byte for byte; else it
/// would have to be found by eye.
pub(super) fn can_be_enabled(
    file: &File,
    guide: &Guide<'_>,
    leaf: LeafId,
    address: &Address,
    placed: &ResolvedEdit,
) -> Result<(), Finding> {
    let doc = &file.doc;
    let source = doc.source();
    let comes_back = || {
        let after = apply(source, &placed.splices)?;
        let after = Document::read(after, doc.family(), doc.dialect().clone()).ok()?;
        let files = [File { path: file.path.clone(), doc: after }];
        let at = placed.splices.first().map_or(0, |splice| splice.span.start as usize);
        let line = files[0].doc.text(files[0].doc.line_around(at)).into_owned();
        let disabled = |_: &str| Some(line.clone());
        let guide = Guide { home: 0, only: None, disabled: &disabled, ..*guide };
        let edits = EditContext { files: &files, edits: &[], guide: &guide, edit: None };
        let back = edits.place(&Edit::Enable(address.clone()), &Vec::new()).ok()?;
        let splices: Vec<Splice> = back.into_iter().flat_map(|one| one.splices).collect();
        apply(files[0].doc.source(), &splices)
    };
    if comes_back().is_some_and(|back| back == source) {
        return Ok(());
    }
    let message = "commented out, this would look like the comments around it and could not be enabled again";
    let finding = Finding::edit_error("one-way", message).about(address).at(&file.path, doc, leaf);
    Err(finding.help("--delete it; `gypsum restore` brings it back"))
}
