//! One edit at a time: found, and turned into splices.

use super::ask::{Amount, Edit, Where};
use super::block::{Body, is_block};
use super::comment_out::{longer, uncomment_block};
use super::context::{EditContext, File, Guide, ResolvedEdit};
use super::edit_error::{
    absent, ambiguous, element_by_text, no_quantity, set_with_sign, sign_in_name, whole_line,
};
use super::enable::{ToEnable, can_be_enabled};
use super::expected::Expected;
use super::find::{find_active, find_commented_out};
use super::insert::{insert_block, insert_setting};
use super::piece::put_in;
use super::quantity::changed;
use super::quoting::quoted;
use super::remove::remove;
use super::style::separator_for;
use crate::address::{Address, address_of};
use crate::doc::{CommentedOut, Document, Family, Kind, LeafId, Nearness, Parts};
use crate::finding::Finding;
use crate::text::{Span, Splice, ending_at};

impl EditContext<'_> {
    /// What one edit comes to; `body` are the settings of the block that it adds.
    pub fn place(&self, edit: &Edit, body: &Body<'_>) -> Result<Vec<ResolvedEdit>, Finding> {
        EditContext { edit: Some(edit), ..*self }.placed(edit, body)
    }

    fn placed(&self, edit: &Edit, body: &Body<'_>) -> Result<Vec<ResolvedEdit>, Finding> {
        let (files, guide) = (self.files, self.guide);
        match edit {
            Edit::Set { address, value } => match self.one(address)? {
                Some((n, leaf)) => Ok(set(files, n, leaf, value)?.into_iter().collect()),
                None if address.nth().is_some() && self.option(edit)?.is_none() => {
                    match self.nth_of_all(address, address.nth().unwrap_or(1))? {
                        Some(ToEnable::This(n, commented_out)) => {
                            Ok(vec![uncomment(files, n, &commented_out, Some(value))?])
                        }
                        _ => Err(self.not_so_many(address, value)),
                    }
                }
                None => match (self.commented(address), self.option(edit)?) {
                    (Some((n, commented_out)), _) => {
                        Ok(vec![uncomment(files, n, &commented_out, Some(value))?])
                    }
                    (None, Some(option)) => Ok(option),
                    (None, None) => {
                        if let Some(meant) = sign_in_name(files, address, value) {
                            return Err(meant);
                        }
                        Ok(vec![insert_setting(files, address, Some(value), &Where::Last, guide)?])
                    }
                },
            },
            Edit::Scale { address, by } => match self.list(edit)? {
                Some(list) => Ok(list),
                None => match (self.one(address)?, self.option(edit)?) {
                    (None, Some(option)) => Ok(option),
                    (found, _) => self.scale(edit, address, by, found),
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
                ToEnable::This(n, commented_out) => Ok(vec![uncomment(files, n, &commented_out, None)?]),
                ToEnable::Nothing => match uncomment_block(files, |n| self.is_meant(n), address) {
                    Some(block) => Ok(vec![block]),
                    None => Err(absent(files, address, guide, "is not commented out anywhere")),
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
                None if matches!(edit, Edit::Disable(_)) && self.commented(address).is_some() => {
                    Ok(Vec::new())
                }
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
        let commented = if deeper && !active.is_empty() { self.commented(address) } else { None };
        if commented.is_some_and(|(n, commented_out)| depth(n, commented_out.leaf) == address.blocks().len())
        {
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

    fn commented(&self, address: &Address) -> Option<(usize, CommentedOut)> {
        self.all_commented(address).into_iter().next()
    }

    /// All that is commented out and may be meant, the surest first.
    pub(super) fn all_commented(&self, address: &Address) -> Vec<(usize, CommentedOut)> {
        let fits = |found: &(usize, CommentedOut)| {
            self.is_meant(found.0) && is_commented_out(&self.files[found.0].doc, &found.1, self.guide)
        };
        let mut found: Vec<_> = find_commented_out(self.files, address).into_iter().filter(fits).collect();
        found.sort_by_key(|(n, commented_out)| (commented_out.nearness, *n != self.guide.home));
        found
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
        let finding =
            Finding::edit_error("not-there", format!("{address} is not set: {count}")).about(address);
        let finding = match found.first() {
            Some((n, leaf)) => finding.at(&self.files[*n].path, &self.files[*n].doc, *leaf),
            None => finding,
        };
        let help = element_by_text(address)
            .unwrap_or_else(|| format!("'{any}={value}' sets it; --add '{any}={value}' adds one more"));
        finding.help(help)
    }

    /// The quantity changed that was `found` at the address, or that is commented out there.
    fn scale(
        &self,
        edit: &Edit,
        address: &Address,
        by: &Amount,
        found: Option<(usize, LeafId)>,
    ) -> Result<Vec<ResolvedEdit>, Finding> {
        let adds = !matches!(by, Amount::Times(_));
        if let (Amount::Plus(element) | Amount::Minus(element), Some(_)) =
            (by, (self.guide.list)(address.name()))
            && found.is_none()
        {
            let finding =
                absent(self.files, address, self.guide, "is not set, so there is no list to change");
            return Err(finding.help(format!("'{address}={element}' sets it to this alone")));
        }
        if adds && !(self.guide.quantity)(address.name()) {
            return Err(no_quantity(
                edit,
                "nothing says that it is a quantity or a list, so += and -= do not fit",
            ));
        }
        let value = |doc: &Document, parts: &Parts| {
            changed(&doc.value(parts), by).map_err(|why| no_quantity(edit, &why.to_string()))
        };
        if let Some((n, leaf)) = found {
            let doc = &self.files[n].doc;
            let parts = doc.parts(leaf).ok_or_else(|| no_quantity(edit, "it cannot be read"))?;
            return Ok(set(self.files, n, leaf, &value(doc, &parts)?)?.into_iter().collect());
        }
        match self.commented(address) {
            Some((n, commented_out)) => {
                let value = value(&self.files[n].doc, &commented_out.parts)?;
                Ok(vec![uncomment(self.files, n, &commented_out, Some(&value))?])
            }
            None => {
                let why = "is not set, so there is nothing to change it from";
                let finding = absent(self.files, address, self.guide, why);
                Err(match set_with_sign(self.files, address, by.sign()) {
                    Some(help) => finding.help(help),
                    None => finding,
                })
            }
        }
    }

    fn replace_all(&self, edit: &Edit, old: &str, new: &str) -> Result<Vec<ResolvedEdit>, Finding> {
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
            return Err(Finding::edit_error("not-there", format!("{old:?} is not a whole value anywhere"))
                .about(edit.address())
                .help("`gypsum show` finds parts of values, too"));
        }
        Ok(placed)
    }

    fn add(
        &self,
        address: &Address,
        value: Option<&str>,
        spot: &Where,
        body: &Body<'_>,
    ) -> Result<Vec<ResolvedEdit>, Finding> {
        let home = &self.files[self.guide.only.unwrap_or(self.guide.home)].doc;
        if value.is_none() && is_block(home, address.name(), body) {
            return Ok(vec![insert_block(self.files, address, spot, body, self.guide)?]);
        }
        if let Some(finding) = whole_line(home, address).filter(|_| value.is_none()) {
            return Err(finding);
        }
        Ok(vec![insert_setting(self.files, address, value, spot, self.guide)?])
    }
}

/// Puts a remark above what `placed` is about.
pub(super) fn remark(doc: &Document, placed: &mut ResolvedEdit, remark: &str) -> Result<(), Finding> {
    if remark.chars().any(char::is_control) {
        return Err(Finding::edit_error("control-character", "a remark is one line")
            .help("leave the line break out of it"));
    }
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
    if matches!(placed.expected, Expected::Inserted { .. }) {
        let lead = first.text.iter().take_while(|byte| matches!(byte, b'\r' | b'\n')).count();
        let text = first.text.split_off(lead);
        first.text.extend(comment(&blanks(&text)));
        first.text.extend(text);
        return Ok(());
    }
    let line = doc.line_around(at);
    let text = comment(&blanks(line.of(doc.source())));
    placed.splices.insert(0, Splice { span: Span::at(line.start as usize), text });
    Ok(())
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

/// A comment counts as commented out where its name is right behind the mark, or where its value is
/// one that the setting may have.
fn is_commented_out(doc: &Document, commented_out: &CommentedOut, guide: &Guide<'_>) -> bool {
    commented_out.nearness == Nearness::Close
        || (guide.plausible)(&doc.text(commented_out.parts.name), &doc.value(&commented_out.parts))
}

fn set(files: &[File], file: usize, leaf: LeafId, value: &str) -> Result<Option<ResolvedEdit>, Finding> {
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
            Finding::edit_error("element", message).help(format!("'{list}-={name}' '{list}+={value}'")),
        ));
    }
    let splices = value_splices(doc, &parts, value).map_err(here)?;
    let expected = Expected::Set(value.into());
    Ok(Some(ResolvedEdit { file, leaf: Some(leaf), expected, splices, address, lines: None }))
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
        // A key of YAML has its colon, and nothing behind it.
        if doc.family() == Family::Yaml && parts.end > parts.name.end {
            let text = [b" ", quoted(doc, value, None)?.as_slice()].concat();
            return Ok(vec![Splice { span: Span::at(parts.end as usize), text }]);
        }
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
            // A comment is between: from the end of its line, so that the last line keeps the
            // ending that it has.
            let line = doc.line_around(piece.start as usize).start as usize;
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

fn uncomment(
    files: &[File],
    file: usize,
    commented_out: &CommentedOut,
    value: Option<&String>,
) -> Result<ResolvedEdit, Finding> {
    let doc = &files[file].doc;
    let mut splices = vec![Splice { span: commented_out.mark, text: Vec::new() }];
    let name = doc.text(commented_out.parts.name).into_owned();
    let mut becomes = doc.value(&commented_out.parts);
    let mut lines = None;
    if let Some(value) = value {
        let more = value_splices(doc, &commented_out.parts, value)
            .map_err(|finding| finding.at(&files[file].path, doc, commented_out.leaf))?;
        splices.extend(more);
        becomes.clone_from(value);
    } else if let Some((active, value)) = longer(doc, commented_out) {
        lines = Some(active.lines());
        splices = active.splices;
        becomes = value;
    }
    let address = below(doc, commented_out.leaf, &name);
    let expected = Expected::Uncommented { name: name.into(), value: becomes.into() };
    Ok(ResolvedEdit { file, leaf: Some(commented_out.leaf), expected, splices, address, lines })
}

fn below(doc: &Document, leaf: LeafId, name: &str) -> String {
    let block = doc.tree().block_of(leaf).map(|block| address_of(doc, doc.tree().block(block).open()));
    block.map_or_else(|| name.to_owned(), |block| format!("{block}..{name}"))
}
