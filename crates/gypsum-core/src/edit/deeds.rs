//! One edit at a time: found, and turned into splices.

use super::ask::{Amount, Edit, Where};
use super::block::{Body, is_block};
use super::find::{find_active, find_dormant};
use super::insert::{born_at, born_block};
use super::misfit::{absent, ambiguous, no_quantity, several_asleep};
use super::piece::put_in;
use super::place::{File, Guide, Placed};
use super::prove::Fate;
use super::quantity::changed;
use super::sleep::{longer, wake_block};
use super::style::{quoted, separator_for};
use crate::address::{Address, address_of};
use crate::doc::{Document, Dormant, Family, Kind, LeafId, Nearness, Parts};
use crate::finding::Finding;
use crate::text::{Span, Splice, apply, ending_at, line_span};

/// What an edit comes to; none where it is no such edit.
pub type Placement = Result<Option<Vec<Placed>>, Finding>;

/// Everything that edits are placed in and by.
pub struct Deeds<'a> {
    pub files: &'a [File],
    pub edits: &'a [Edit],
    pub guide: &'a Guide<'a>,
    /// The edit that is being placed, for what is said of it.
    pub edit: Option<&'a Edit>,
}

impl Deeds<'_> {
    /// What one edit comes to; `body` are the settings of the block that it adds.
    pub fn place(&self, edit: &Edit, body: &Body<'_>) -> Result<Vec<Placed>, Finding> {
        Deeds { edit: Some(edit), ..*self }.placed(edit, body)
    }

    fn placed(&self, edit: &Edit, body: &Body<'_>) -> Result<Vec<Placed>, Finding> {
        let (files, guide) = (self.files, self.guide);
        match edit {
            Edit::Set { address, value } => match self.one(address)? {
                Some((n, leaf)) => Ok(set(files, n, leaf, value)?.into_iter().collect()),
                None if address.nth().is_some() && self.option(edit)?.is_none() => {
                    match self.nth_of_all(address, address.nth().unwrap_or(1))? {
                        Some(ToEnable::This(n, dormant)) => Ok(vec![wake(files, n, &dormant, Some(value))?]),
                        _ => Err(self.not_so_many(address, value)),
                    }
                }
                None => match (self.asleep(address), self.option(edit)?) {
                    (Some((n, dormant)), _) => Ok(vec![wake(files, n, &dormant, Some(value))?]),
                    (None, Some(option)) => Ok(option),
                    (None, None) => Ok(vec![born_at(files, address, Some(value), &Where::Last, guide)?]),
                },
            },
            Edit::Scale { address, by } => match self.list(edit)? {
                Some(list) => Ok(list),
                None => match (self.one(address)?, self.option(edit)?) {
                    (None, Some(option)) => Ok(option),
                    _ => self.scale(edit, address, by),
                },
            },
            Edit::Add { address, value, spot } => match self.option(edit)? {
                Some(option) => Ok(option),
                None => self.add(address, value.as_deref(), spot, body),
            },
            Edit::Piece { text, under, spot } => Ok(vec![put_in(files, text, under.as_ref(), spot, guide)?]),
            Edit::ReplaceAll { old, new } => self.replace_all(edit, old, new),
            Edit::Enable(address) => match self.to_enable(address)? {
                ToEnable::Already => Ok(Vec::new()),
                ToEnable::This(n, dormant) => Ok(vec![wake(files, n, &dormant, None)?]),
                ToEnable::Nothing => match wake_block(files, |n| self.is_meant(n), address) {
                    Some(block) => Ok(vec![block]),
                    None => Err(absent(files, address, guide, "stands nowhere commented out")),
                },
            },
            Edit::Disable(address) | Edit::Delete(address) => match self.one(address)? {
                Some((n, leaf)) => {
                    let placed = remove(files, n, leaf, edit)?;
                    if matches!(edit, Edit::Disable(_)) {
                        can_be_enabled(&files[n], guide, leaf, address, &placed)?;
                    }
                    Ok(vec![placed])
                }
                None if matches!(edit, Edit::Disable(_)) && self.asleep(address).is_some() => Ok(Vec::new()),
                None => match (self.option(edit)?, self.block(edit, address)?) {
                    (Some(placed), _) | (None, Some(placed)) => Ok(placed),
                    (None, None) => Err(absent(files, address, guide, "is not set")),
                },
            },
        }
    }

    /// The one active setting that an address means, if there is any.
    pub(super) fn one(&self, address: &Address) -> Result<Option<(usize, LeafId)>, Finding> {
        let mut active = find_active(self.files, address);
        active.retain(|(n, _)| self.is_meant(*n));
        // What sleeps exactly there is meant rather than what is awake further in.
        let depth = |n: usize, leaf| self.files[n].doc.path(leaf).len();
        let deeper = active.iter().all(|(n, leaf)| depth(*n, *leaf) > address.blocks().len());
        let asleep = if deeper && !active.is_empty() { self.asleep(address) } else { None };
        if asleep.is_some_and(|(n, dormant)| depth(n, dormant.leaf) == address.blocks().len()) {
            return Ok(None);
        }
        if active.len() > 1 {
            return Err(ambiguous(self.files, address, &active, self.guide, self.edit));
        }
        Ok(active.first().copied())
    }

    pub(super) fn is_meant(&self, file: usize) -> bool {
        self.guide.only.is_none_or(|only| only == file)
    }

    fn asleep(&self, address: &Address) -> Option<(usize, Dormant)> {
        self.all_asleep(address).into_iter().next()
    }

    /// All that is commented out and may be meant, the surest first.
    fn all_asleep(&self, address: &Address) -> Vec<(usize, Dormant)> {
        let fits = |found: &(usize, Dormant)| {
            self.is_meant(found.0) && is_asleep(&self.files[found.0].doc, &found.1, self.guide)
        };
        let mut found: Vec<_> = find_dormant(self.files, address).into_iter().filter(fits).collect();
        found.sort_by_key(|(n, dormant)| (dormant.nearness, *n != self.guide.home));
        found
    }

    /// The one that `--enable` means. A number counts all of this name in their block, whether they are commented
    /// out or not, as they were counted before one of them was commented out.
    fn to_enable(&self, address: &Address) -> Result<ToEnable, Finding> {
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
        let all = self.all_asleep(address);
        let Some((n, first)) = all.first() else {
            return Ok(ToEnable::Nothing);
        };
        let rank = |n: usize, dormant: &Dormant| (dormant.nearness, n != self.guide.home);
        let text = |n: usize, dormant: &Dormant| {
            let doc = &self.files[n].doc;
            (doc.name(&dormant.parts), doc.value(&dormant.parts))
        };
        let equal: Vec<_> = all.iter().filter(|(m, other)| rank(*m, other) == rank(*n, first)).collect();
        if equal.iter().any(|(m, other)| text(*m, other) != text(*n, first)) {
            let block = |n: usize, leaf: LeafId| (n, self.files[n].doc.tree().block_of(leaf));
            let number = |(n, dormant): &&(usize, Dormant)| {
                let own = block(*n, dormant.leaf);
                let before =
                    all.iter().filter(|(m, other)| block(*m, other.leaf) == own && other.leaf < dormant.leaf);
                (*n, dormant.leaf, before.count() as u32 + 1)
            };
            let places: Vec<(usize, LeafId, u32)> = equal.iter().map(number).collect();
            return Err(several_asleep(self.files, address, &places));
        }
        Ok(ToEnable::This(*n, first.clone()))
    }

    /// A number was given that is too high.
    fn not_so_many(&self, address: &Address, value: &str) -> Finding {
        let any = address.without_nth();
        let found = find_active(self.files, &any);
        let count = match found.len() {
            0 => "there is none".to_owned(),
            1 => "there is only one".to_owned(),
            many => format!("there are only {many}"),
        };
        let finding = Finding::misfit("not-there", format!("{address} is not set: {count}")).about(address);
        let finding = match found.first() {
            Some((n, leaf)) => finding.at(&self.files[*n].path, &self.files[*n].doc, *leaf),
            None => finding,
        };
        finding.mend(format!("'{any}={value}' sets it; --add '{any}={value}' adds one more"))
    }

    /// The one line that the record says was commented out last.
    fn recorded(&self, address: &Address) -> Option<ToEnable> {
        let line = (self.guide.disabled)(&address.to_string())?;
        let first = line.lines().next()?.trim();
        let text = |n: usize, dormant: &Dormant| {
            let doc = &self.files[n].doc;
            doc.text(line_span(doc.source(), dormant.mark.start as usize)).trim() == first
        };
        let mut fit =
            self.all_asleep(&address.without_nth()).into_iter().filter(|(n, dormant)| text(*n, dormant));
        match (fit.next(), fit.next()) {
            (Some((n, dormant)), None) => Some(ToEnable::This(n, dormant)),
            _ => None,
        }
    }

    /// The number that each of those that are commented out would have among those that are set.
    fn as_it_was(&self, address: &Address, nth: u32) -> Vec<(usize, Dormant)> {
        let any = address.without_nth();
        let mut set = find_active(self.files, &any);
        set.retain(|(n, _)| self.is_meant(*n));
        let block = |n: usize, leaf: LeafId| (n, self.files[n].doc.tree().block_of(leaf));
        let number = |(n, dormant): &(usize, Dormant)| {
            let own = block(*n, dormant.leaf);
            set.iter().filter(|(m, leaf)| block(*m, *leaf) == own && *leaf < dormant.leaf).count() as u32 + 1
        };
        self.all_asleep(&any).into_iter().filter(|one| number(one) == nth).collect()
    }

    /// The `nth` of all that share a name in their block; `None` where that one is enabled already.
    fn nth_of_all(&self, address: &Address, nth: u32) -> Result<Option<ToEnable>, Finding> {
        let fit = self.as_it_was(address, nth);
        if let [(n, dormant)] = fit.as_slice() {
            return Ok(Some(ToEnable::This(*n, dormant.clone())));
        }
        if let Some(found) = self.recorded(address) {
            return Ok(Some(found));
        }
        let any = address.without_nth();
        let mut all: Vec<(usize, LeafId, Option<Dormant>)> =
            find_active(self.files, &any).into_iter().map(|(n, leaf)| (n, leaf, None)).collect();
        all.retain(|(n, ..)| self.is_meant(*n));
        if let (false, Some((n, first))) = (all.is_empty(), fit.first()) {
            // Several stand where it would be, and nothing tells which of them it was.
            let doc = &self.files[*n].doc;
            let lines = fit.iter().map(|(n, one)| self.files[*n].doc.line_of(one.leaf).to_string());
            let message =
                format!("{address} may be any of the lines {}", lines.collect::<Vec<_>>().join(", "));
            let finding = Finding::misfit("ambiguous", message).about(address);
            return Err(finding.at(&self.files[*n].path, doc, first.leaf).mend(format!(
                "give its value: --add '{any}=VALUE', or uncomment it in an editor: gypsum edit"
            )));
        }
        let asleep = self.all_asleep(&any).into_iter();
        all.extend(asleep.map(|(n, dormant)| (n, dormant.leaf, Some(dormant))));
        all.sort_by_key(|(n, leaf, _)| (*n, *leaf));
        let block = |n: usize, leaf: LeafId| (n, self.files[n].doc.tree().block_of(leaf));
        let Some(first) = all.first().map(|(n, leaf, _)| block(*n, *leaf)) else {
            return Ok(None);
        };
        all.retain(|(n, leaf, _)| block(*n, *leaf) == first);
        let one = all.into_iter().nth(nth as usize - 1);
        Ok(one.and_then(|(n, _, dormant)| dormant.map(|dormant| ToEnable::This(n, dormant))))
    }

    fn scale(&self, edit: &Edit, address: &Address, by: &Amount) -> Result<Vec<Placed>, Finding> {
        let adds = !matches!(by, Amount::Times(_));
        if adds && !(self.guide.quantity)(address.name()) {
            return Err(no_quantity(
                edit,
                "nothing says that it is a quantity or a list, so += and -= do not fit",
            ));
        }
        let value = |doc: &Document, parts: &Parts| {
            changed(&doc.value(parts), by).map_err(|why| no_quantity(edit, &why))
        };
        if let Some((n, leaf)) = self.one(address)? {
            let doc = &self.files[n].doc;
            let parts = doc.parts(leaf).ok_or_else(|| no_quantity(edit, "it cannot be read"))?;
            return Ok(set(self.files, n, leaf, &value(doc, &parts)?)?.into_iter().collect());
        }
        match self.asleep(address) {
            Some((n, dormant)) => {
                let value = value(&self.files[n].doc, &dormant.parts)?;
                Ok(vec![wake(self.files, n, &dormant, Some(&value))?])
            }
            None => Err(absent(
                self.files,
                address,
                self.guide,
                "is not set, so there is nothing to change it from",
            )),
        }
    }

    fn replace_all(&self, edit: &Edit, old: &str, new: &str) -> Result<Vec<Placed>, Finding> {
        let mut placed = Vec::new();
        for (n, file) in self.files.iter().enumerate().filter(|(n, _)| self.is_meant(*n)) {
            for (leaf, kind, parts) in file.doc.statements() {
                let value = file.doc.value(&parts);
                let whole = value == old;
                if kind != Kind::Setting || !(whole || value.split([' ', '\t', ',']).any(|word| word == old))
                {
                    continue;
                }
                let replaced = if whole { new.to_owned() } else { words_replaced(&value, old, new) };
                placed.extend(set(self.files, n, leaf, &replaced)?);
            }
        }
        if placed.is_empty() && old != new {
            return Err(Finding::misfit("not-there", format!("{old:?} stands nowhere as a whole value"))
                .about(edit.address())
                .mend("`gypsum show` finds parts of values, too"));
        }
        Ok(placed)
    }

    fn add(
        &self,
        address: &Address,
        value: Option<&str>,
        spot: &Where,
        body: &Body<'_>,
    ) -> Result<Vec<Placed>, Finding> {
        let home = &self.files[self.guide.only.unwrap_or(self.guide.home)].doc;
        if value.is_none() && is_block(home, address.name(), body) {
            return Ok(vec![born_block(self.files, address, spot, body, self.guide)?]);
        }
        Ok(vec![born_at(self.files, address, value, spot, self.guide)?])
    }

    /// Puts a remark above what `placed` is about.
    pub fn remark(&self, placed: &mut Placed, remark: &str) -> Result<(), Finding> {
        if remark.chars().any(char::is_control) {
            return Err(Finding::misfit("control-character", "a remark is one line")
                .mend("leave the line break out of it"));
        }
        let doc = &self.files[placed.file].doc;
        let Some(first) = placed.splices.first_mut() else {
            return Ok(());
        };
        let at = first.span.start as usize;
        let eol = ending_at(doc.source(), at).bytes();
        let comment = |indent: &[u8]| {
            [
                indent,
                doc.comment_mark().as_bytes(),
                b" ",
                remark.as_bytes(),
                doc.family().remark_end().as_bytes(),
                eol,
            ]
            .concat()
        };
        let blanks = |bytes: &[u8]| {
            bytes.iter().copied().take_while(|byte| matches!(byte, b' ' | b'\t')).collect::<Vec<u8>>()
        };
        if matches!(placed.fate, Fate::Born(_)) {
            let lead = first.text.iter().take_while(|byte| matches!(byte, b'\r' | b'\n')).count();
            let text = first.text.split_off(lead);
            first.text.extend(comment(&blanks(&text)));
            first.text.extend(text);
            return Ok(());
        }
        let line = line_span(doc.source(), at);
        let text = comment(&blanks(line.of(doc.source())));
        placed.splices.insert(0, Splice { span: Span::at(line.start as usize), text });
        Ok(())
    }
}

/// What `--enable` finds.
enum ToEnable {
    /// It is enabled.
    Already,
    /// This one, in this file.
    This(usize, Dormant),
    Nothing,
}

/// What is commented out must be what `--enable` with the same address brings back, byte for byte; else it
/// would have to be found by eye.
fn can_be_enabled(
    file: &File,
    guide: &Guide<'_>,
    leaf: LeafId,
    address: &Address,
    placed: &Placed,
) -> Result<(), Finding> {
    let doc = &file.doc;
    let source = doc.source();
    let comes_back = || {
        let after = apply(source, &placed.splices)?;
        let after = Document::read(after, doc.family(), doc.dialect().clone()).ok()?;
        let files = [File { path: file.path.clone(), doc: after }];
        let at = placed.splices.first().map_or(0, |splice| splice.span.start as usize);
        let line = files[0].doc.text(line_span(files[0].doc.source(), at)).into_owned();
        let disabled = |_: &str| Some(line.clone());
        let guide = Guide { home: 0, only: None, disabled: &disabled, ..*guide };
        let edits = Deeds { files: &files, edits: &[], guide: &guide, edit: None };
        let back = edits.place(&Edit::Enable(address.clone()), &Vec::new()).ok()?;
        let splices: Vec<Splice> = back.into_iter().flat_map(|one| one.splices).collect();
        apply(files[0].doc.source(), &splices)
    };
    if comes_back().is_some_and(|back| back == source) {
        return Ok(());
    }
    let message =
        "commented out, this could not be told from the comments around it when it is enabled again";
    let finding = Finding::misfit("one-way", message).about(address).at(&file.path, doc, leaf);
    Err(finding.mend("--delete it; `gypsum restore` brings it back"))
}

/// `value` with every word that is `old` replaced; blanks and commas part words and stay.
fn words_replaced(value: &str, old: &str, new: &str) -> String {
    let parts = value.split_inclusive([' ', '\t', ',']);
    let replaced = |part: &str| {
        let word = part.trim_end_matches([' ', '\t', ',']);
        if word == old { format!("{new}{}", &part[word.len()..]) } else { part.to_owned() }
    };
    parts.map(replaced).collect()
}

/// A comment counts as asleep where its name stands right behind the mark, or where its value is
/// one that the setting may have.
fn is_asleep(doc: &Document, dormant: &Dormant, guide: &Guide<'_>) -> bool {
    dormant.nearness == Nearness::Close
        || (guide.plausible)(&doc.text(dormant.parts.name), &doc.value(&dormant.parts))
}

fn set(files: &[File], file: usize, leaf: LeafId, value: &str) -> Result<Option<Placed>, Finding> {
    let doc = &files[file].doc;
    let Some(parts) = doc.parts(leaf) else {
        return Ok(None);
    };
    let address = address_of(doc, leaf).to_string();
    if !parts.value.is_none() && doc.value(&parts) == value {
        return Ok(None);
    }
    let here = |finding: Finding| finding.about(&address).at(&files[file].path, doc, leaf);
    if parts.value.is_none() && is_element(doc, leaf) {
        let name = doc.name(&parts);
        let list = address.rsplit_once("..").map_or("LIST", |(list, _)| list);
        let message = format!("{name} is an element of a list, so it has no value of its own");
        return Err(here(
            Finding::misfit("element", message).mend(format!("'{list}-={name}' '{list}+={value}'")),
        ));
    }
    let splices = value_splices(doc, &parts, value).map_err(here)?;
    let fate = Fate::Given(value.into());
    Ok(Some(Placed { file, leaf: Some(leaf), fate, splices, address, lines: None }))
}

/// Whether a statement is an element of a list, which has no name.
fn is_element(doc: &Document, leaf: LeafId) -> bool {
    let text = doc.tree().span(leaf).of(doc.source()).trim_ascii();
    match doc.family() {
        Family::Json => true,
        Family::Yaml => text.starts_with(b"-") && text.get(1).is_none_or(u8::is_ascii_whitespace),
        _ => false,
    }
}

/// The splices that give a statement this value. Of a value in several pieces the first becomes the new
/// one and the others go with their lines; comments between them stay.
pub(super) fn value_splices(doc: &Document, parts: &Parts, value: &str) -> Result<Vec<Splice>, Finding> {
    let source = doc.source();
    let mut pieces = parts.value.iter();
    if let Some(splice) = empty_element(doc, parts, value)? {
        return Ok(vec![splice]);
    }
    let Some(first) = pieces.next() else {
        let text = [separator_for(doc), &quoted(doc, value, None)?].concat();
        return Ok(vec![Splice { span: Span::at(parts.name.end as usize), text }]);
    };
    if first.is_empty() {
        let spaced = first.start > 0 && source.get(parts.name.end as usize) == Some(&b' ');
        let blank: &[u8] = if spaced && source[first.start as usize - 1] != b' ' { b" " } else { b"" };
        return Ok(vec![Splice { span: first, text: [blank, &quoted(doc, value, None)?].concat() }]);
    }
    let mut splices = vec![Splice { span: first, text: quoted(doc, value, Some(first.of(source)))? }];
    let mut end = first.end as usize;
    for piece in pieces {
        let between = &source[end..piece.start as usize];
        let start = if between.iter().all(|byte| byte.is_ascii_whitespace() || *byte == b'\\') {
            end
        } else {
            // A comment stands between: from the end of its line, so that the last line keeps the
            // ending that it has.
            let line = line_span(source, piece.start as usize).start as usize;
            let text = source[..line].strip_suffix(b"\n").unwrap_or(&source[..line]);
            text.strip_suffix(b"\r").unwrap_or(text).len()
        };
        splices.push(Splice { span: Span::new(start, piece.end as usize), text: Vec::new() });
        end = piece.end as usize;
    }
    Ok(splices)
}

/// `<name/>` with a text in it; `None` for anything else.
fn empty_element(doc: &Document, parts: &Parts, value: &str) -> Result<Option<Splice>, Finding> {
    if doc.family() != Family::Xml || !parts.value.is_none() {
        return Ok(None);
    }
    let end = parts.end as usize;
    let Some(open) = doc.source()[..end].strip_suffix(b"/>") else {
        return Ok(None);
    };
    let start = open.trim_ascii_end().len();
    let name = parts.name.of(doc.source());
    let text = [b">", quoted(doc, value, None)?.as_slice(), b"</", name, b">"].concat();
    Ok(Some(Splice { span: Span::new(start, end), text }))
}

fn wake(files: &[File], file: usize, dormant: &Dormant, value: Option<&String>) -> Result<Placed, Finding> {
    let doc = &files[file].doc;
    let mut splices = vec![Splice { span: dormant.mark, text: Vec::new() }];
    let name = doc.text(dormant.parts.name).into_owned();
    let mut becomes = doc.value(&dormant.parts);
    let mut lines = None;
    if let Some(value) = value {
        let more = value_splices(doc, &dormant.parts, value)
            .map_err(|finding| finding.at(&files[file].path, doc, dormant.leaf))?;
        splices.extend(more);
        becomes.clone_from(value);
    } else if let Some((awake, value)) = longer(doc, dormant) {
        lines = Some(awake.lines());
        splices = awake.splices;
        becomes = value;
    }
    let address = below(doc, dormant.leaf, &name);
    let fate = Fate::Woken { name: name.into(), value: becomes.into() };
    Ok(Placed { file, leaf: Some(dormant.leaf), fate, splices, address, lines })
}

fn remove(files: &[File], file: usize, leaf: LeafId, edit: &Edit) -> Result<Placed, Finding> {
    let doc = &files[file].doc;
    let whole = doc.tree().span(leaf);
    let here = |finding: Finding| finding.at(&files[file].path, doc, leaf);
    let disables = matches!(edit, Edit::Disable(_));
    if disables && !has_comments(doc) {
        return Err(here(no_comments(doc)));
    }
    if let Some(finding) = last_in_block(doc, leaf) {
        return Err(here(finding));
    }
    let splices = match doc.parts(leaf) {
        Some(parts) if disables => {
            let line = line_span(doc.source(), parts.name.start as usize);
            if line.start < whole.start || (line.end > whole.end && whole.end < doc.source().len() as u32) {
                let finding = Finding::misfit(
                    "shares-its-line",
                    "other statements stand in the same line; a comment mark would take them along",
                );
                return Err(here(finding.mend("give it a line of its own first, or --delete it")));
            }
            commented_out(doc, whole, statement_start(doc, &parts))
        }
        _ => vec![Splice { span: taken_out(doc, leaf), text: Vec::new() }],
    };
    let address = address_of(doc, leaf).to_string();
    Ok(Placed { file, leaf: Some(leaf), fate: Fate::Gone, splices, address, lines: None })
}

/// What is wrong with taking a statement away that is all that its block holds, in formats in which a block that
/// holds nothing means something else.
fn last_in_block(doc: &Document, leaf: LeafId) -> Option<Finding> {
    let tree = doc.tree();
    let block = tree.block_of(leaf).filter(|_| matches!(doc.family(), Family::Yaml | Family::Xml))?;
    let range = tree.block(block);
    let mut others = (range.open() + 1..range.end()).filter(|other| *other != leaf);
    if others.any(|other| matches!(tree.kind(other), Kind::Setting | Kind::Open)) {
        return None;
    }
    let outer = address_of(doc, range.open());
    let message = format!("this is all that {outer} holds, which would be something else without it");
    Some(
        Finding::misfit("last-in-block", message)
            .mend(format!("--delete '{outer}' takes away the whole block")),
    )
}

/// What goes when a statement is deleted: the first key of an element of YAML leaves its dash to the next one.
fn taken_out(doc: &Document, leaf: LeafId) -> Span {
    let (tree, source) = (doc.tree(), doc.source());
    let whole = tree.span(leaf);
    let behind_dash = whole.start > 0 && source[whole.start as usize - 1] != b'\n';
    if doc.family() != Family::Yaml || !behind_dash {
        return whole;
    }
    let next = (leaf + 1 < tree.len()).then(|| tree.span(leaf + 1));
    match next.map(|span| (span, tree.kind(leaf + 1))) {
        Some((span, Kind::Setting | Kind::Open)) if tree.block_of(leaf + 1) == tree.block_of(leaf) => {
            let lead = span.of(source).iter().take_while(|byte| **byte == b' ').count();
            Span { start: whole.start, end: span.start + lead as u32 }
        }
        // The dash stays in a line of its own, above the comments.
        _ => Span { start: whole.start, end: whole.start + whole.of(source).trim_ascii_end().len() as u32 },
    }
}

/// Whether lines can be commented out. JSON has comments only where its daemon takes them, which a file
/// shows by having some.
pub fn has_comments(doc: &Document) -> bool {
    match doc.family() {
        Family::Json => doc.tree().leaves().any(|(leaf, kind, span)| {
            let behind = doc.parts(leaf).map_or(span.start, |parts| parts.end);
            let text = Span { start: behind, end: span.end }.of(doc.source());
            kind == Kind::Comment || text.windows(2).any(|two| matches!(two, b"//" | b"/*"))
        }),
        // Two marks, which do not nest.
        Family::Xml => false,
        _ => true,
    }
}

pub fn no_comments(doc: &Document) -> Finding {
    let message = format!("this {} file has no comments to put it in", doc.family().name());
    Finding::misfit("no-comments", message).mend("--delete it; `gypsum restore` brings it back")
}

/// Where a statement begins: at its name, or at the word before it that belongs to it.
fn statement_start(doc: &Document, parts: &Parts) -> usize {
    let line = line_span(doc.source(), parts.name.start as usize);
    let lead = line.of(doc.source()).iter().take_while(|byte| matches!(byte, b' ' | b'\t')).count();
    line.start as usize + lead
}

/// A comment mark before the name, and before every line that continues it.
fn commented_out(doc: &Document, whole: Span, name: usize) -> Vec<Splice> {
    let mark = doc.comment_mark().as_bytes();
    let body = &doc.source()[name..whole.end as usize];
    let more = memchr::memchr_iter(b'\n', body).map(|at| name + at + 1).filter(|at| *at < whole.end as usize);
    std::iter::once(name).chain(more).map(|at| Splice { span: Span::at(at), text: mark.into() }).collect()
}

fn below(doc: &Document, leaf: LeafId, name: &str) -> String {
    let block = doc.tree().block_of(leaf).map(|block| address_of(doc, doc.tree().block(block).open()));
    block.map_or_else(|| name.to_owned(), |block| format!("{block}..{name}"))
}
