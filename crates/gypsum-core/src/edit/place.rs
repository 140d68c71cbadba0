//! From edits to splices, over all files of a daemon at once.

use super::ask::Edit;
use super::find::{find_active, find_dormant};
use super::insert::spot_for;
use super::prove::{Fate, Fates, prove};
use super::style::{new_line, quoted, separator_for};
use crate::address::{Address, address_of};
use crate::doc::{Document, Dormant, LeafId, Nearness, Parts};
use crate::finding::Finding;
use crate::text::{Span, Splice, apply, line_span, place_of};
use serde::{Deserialize, Serialize};

/// One configuration file of the daemon.
#[derive(Clone, Debug)]
pub struct File {
    /// Its name, for findings.
    pub path: String,
    /// What it holds.
    pub doc: Document,
}

/// What the profile and the command line say about where edits go.
pub struct Guide<'a> {
    /// The file for settings that stand nowhere yet.
    pub home: usize,
    /// The only file to edit, where one was named.
    pub only: Option<usize>,
    /// The block for settings that stand nowhere yet.
    pub block: Option<&'a str>,
    /// The daemon's own spelling of a name.
    pub spelling: &'a dyn Fn(&str) -> Option<String>,
    /// Whether a text may be a value of a name; tells a sleeping setting from prose.
    pub plausible: &'a dyn Fn(&str, &str) -> bool,
}

/// One edit as it will be done, for the eye and the record.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Shown {
    /// The setting; can be pasted back.
    pub address: String,
    /// The file it is done in.
    pub file: String,
    /// The line there, from 1; for a new line, the one it will be.
    pub line: u32,
    /// The line before; none where a new one is added.
    pub before: Option<String>,
    /// The line after; none where it is removed.
    pub after: Option<String>,
}

/// One file with its splices.
#[derive(Clone, Debug)]
pub struct EditedFile {
    /// Which of the files.
    pub file: usize,
    /// The splices.
    pub splices: Vec<Splice>,
    /// The bytes that result.
    pub after: Vec<u8>,
}

/// All edits, placed and proven.
#[derive(Clone, Debug, Default)]
pub struct Proposal {
    /// The files that change.
    pub files: Vec<EditedFile>,
    /// The edits, in the order in which they were asked for; without those that change nothing.
    pub shown: Vec<Shown>,
}

/// Where the splices of one edit go, and what they should amount to.
struct Placed {
    file: usize,
    leaf: Option<LeafId>,
    fate: Fate,
    splices: Vec<Splice>,
    address: String,
}

/// Places every edit and proves the result, or says of every edit why it does not fit.
pub fn propose(files: &[File], edits: &[Edit], guide: &Guide<'_>) -> Result<Proposal, Vec<Finding>> {
    let mut placed: Vec<Placed> = Vec::new();
    let mut misfits = Vec::new();
    for edit in edits {
        match place(files, edit, guide) {
            Ok(Some(one)) => match placed.iter().find(|other| collides(other, &one)) {
                Some(_) => misfits.push(overlap(&one)),
                None => placed.push(one),
            },
            Ok(None) => {}
            Err(finding) => misfits.push(finding),
        }
    }
    if !misfits.is_empty() {
        return Err(misfits);
    }
    let mut proposal = Proposal::default();
    for (n, file) in files.iter().enumerate() {
        let here: Vec<&Placed> = placed.iter().filter(|one| one.file == n).collect();
        if !here.is_empty() {
            proposal.files.push(finish(n, file, &here).map_err(|finding| vec![finding])?);
        }
    }
    proposal.shown = placed.iter().map(|one| show(files, one)).collect();
    Ok(proposal)
}

fn collides(a: &Placed, b: &Placed) -> bool {
    let twice =
        matches!((&a.fate, &b.fate), (Fate::Born { .. }, Fate::Born { .. })) && a.address == b.address;
    a.file == b.file
        && (twice
            || (!matches!(b.fate, Fate::Born { .. })
                && a.leaf == b.leaf
                && a.leaf.is_some()
                && !matches!(a.fate, Fate::Born { .. })))
}

fn overlap(one: &Placed) -> Finding {
    Finding::misfit("twice", "two edits of this change are about the same line")
        .about(&one.address)
        .mend("ask for each setting once")
}

fn place(files: &[File], edit: &Edit, guide: &Guide<'_>) -> Result<Option<Placed>, Finding> {
    let address = edit.address();
    let here = |n: usize| guide.only.is_none_or(|only| only == n);
    let mut active = find_active(files, address);
    active.retain(|(n, _)| here(*n));
    if active.len() > 1 {
        return Err(ambiguous(files, address, &active));
    }
    let active = active.first().copied();
    let name_fits =
        |found: &(usize, Dormant)| here(found.0) && is_asleep(&files[found.0].doc, &found.1, guide);
    let asleep = || {
        let mut found: Vec<_> = find_dormant(files, address).into_iter().filter(name_fits).collect();
        found.sort_by_key(|(n, dormant)| (dormant.nearness, *n != guide.home));
        found.into_iter().next()
    };
    match (edit, active) {
        (Edit::Set { value, .. }, Some((n, leaf))) => set(files, n, leaf, value),
        (Edit::Set { value, .. }, None) => match asleep() {
            Some((n, dormant)) => wake(files, n, &dormant, Some(value)).map(Some),
            None => add(files, address, value, guide).map(Some),
        },
        (Edit::Enable(_), Some(_)) => Ok(None),
        (Edit::Enable(_), None) => match asleep() {
            Some((n, dormant)) => wake(files, n, &dormant, None).map(Some),
            None => Err(absent(files, address, guide, "stands nowhere commented out")),
        },
        (Edit::Disable(_) | Edit::Delete(_), Some((n, leaf))) => remove(files, n, leaf, edit).map(Some),
        (Edit::Disable(_) | Edit::Delete(_), None) => match asleep() {
            Some(_) if matches!(edit, Edit::Disable(_)) => Ok(None),
            _ => Err(absent(files, address, guide, "is not set")),
        },
    }
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
    let splices = value_splices(doc, &parts, value)
        .map_err(|finding| finding.about(&address).at(&files[file].path, doc, leaf))?;
    let fate = Fate::Given(value.into());
    Ok(Some(Placed { file, leaf: Some(leaf), fate, splices, address }))
}

/// The splices that give a statement this value. Of a value in several pieces the first becomes the new
/// one and the others go with their lines; comments between them stay.
fn value_splices(doc: &Document, parts: &Parts, value: &str) -> Result<Vec<Splice>, Finding> {
    let source = doc.source();
    let mut pieces = parts.value.iter();
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

fn wake(files: &[File], file: usize, dormant: &Dormant, value: Option<&String>) -> Result<Placed, Finding> {
    let doc = &files[file].doc;
    let mut splices = vec![Splice { span: dormant.mark, text: Vec::new() }];
    let name = doc.text(dormant.parts.name).into_owned();
    let mut becomes = doc.value(&dormant.parts);
    if let Some(value) = value {
        let more = value_splices(doc, &dormant.parts, value)
            .map_err(|finding| finding.at(&files[file].path, doc, dormant.leaf))?;
        splices.extend(more);
        becomes.clone_from(value);
    }
    let address = below(doc, dormant.leaf, &name);
    let fate = Fate::Woken { name: name.into(), value: becomes.into() };
    Ok(Placed { file, leaf: Some(dormant.leaf), fate, splices, address })
}

fn add(files: &[File], address: &Address, value: &str, guide: &Guide<'_>) -> Result<Placed, Finding> {
    let spot = spot_for(files, address, guide)?;
    let doc = &files[spot.file].doc;
    let name = (guide.spelling)(address.name()).unwrap_or_else(|| address.name().to_owned());
    let text = quoted(doc, value, None).map_err(|finding| finding.about(address))?;
    let (at, text) = new_line(doc, spot.after, spot.like, &name, &text);
    let shown = match spot.block {
        Some(block) => format!("{}..{name}", address_of(doc, doc.tree().block(block).open())),
        None => address.to_string(),
    };
    let fate = Fate::Born { name: name.into(), value: value.into() };
    let splices = vec![Splice { span: Span::at(at), text }];
    Ok(Placed { file: spot.file, leaf: spot.after, fate, splices, address: shown })
}

fn remove(files: &[File], file: usize, leaf: LeafId, edit: &Edit) -> Result<Placed, Finding> {
    let doc = &files[file].doc;
    let whole = doc.tree().span(leaf);
    let splices = match doc.parts(leaf) {
        Some(parts) if matches!(edit, Edit::Disable(_)) => {
            let line = line_span(doc.source(), parts.name.start as usize);
            if line.start < whole.start || (line.end > whole.end && whole.end < doc.source().len() as u32) {
                let finding = Finding::misfit(
                    "shares-its-line",
                    "other statements stand in the same line; a comment mark would take them along",
                );
                return Err(finding
                    .at(&files[file].path, doc, leaf)
                    .mend("give it a line of its own first, or --delete it"));
            }
            commented_out(doc, whole, statement_start(doc, &parts))
        }
        _ => vec![Splice { span: whole, text: Vec::new() }],
    };
    let address = address_of(doc, leaf).to_string();
    Ok(Placed { file, leaf: Some(leaf), fate: Fate::Gone, splices, address })
}

/// Where a statement begins: at its name, or at the word before it that belongs to it.
fn statement_start(doc: &Document, parts: &Parts) -> usize {
    let line = line_span(doc.source(), parts.name.start as usize);
    let lead = line.of(doc.source()).iter().take_while(|byte| matches!(byte, b' ' | b'\t')).count();
    line.start as usize + lead
}

/// A comment mark before the name, and before every line that continues it.
fn commented_out(doc: &Document, whole: Span, name: usize) -> Vec<Splice> {
    let mark = doc.dialect().own_mark().as_bytes();
    let body = &doc.source()[name..whole.end as usize];
    let more = memchr::memchr_iter(b'\n', body).map(|at| name + at + 1).filter(|at| *at < whole.end as usize);
    std::iter::once(name).chain(more).map(|at| Splice { span: Span::at(at), text: mark.into() }).collect()
}

fn below(doc: &Document, leaf: LeafId, name: &str) -> String {
    let block = doc.tree().block_of(leaf).map(|block| address_of(doc, doc.tree().block(block).open()));
    block.map_or_else(|| name.to_owned(), |block| format!("{block}..{name}"))
}

fn finish(n: usize, file: &File, here: &[&Placed]) -> Result<EditedFile, Finding> {
    let splices: Vec<Splice> = here.iter().flat_map(|one| one.splices.iter().cloned()).collect();
    let fates: Fates<'_> = here.iter().map(|one| (one.leaf, &one.fate)).collect();
    let after = apply(file.doc.source(), &splices)
        .ok_or_else(|| Finding::misfit("twice", "two edits of this change overlap").in_file(&file.path))?;
    let after = prove(file, &fates, after)?;
    Ok(EditedFile { file: n, splices, after })
}

fn show(files: &[File], one: &Placed) -> Shown {
    let file = &files[one.file];
    let source = file.doc.source();
    let first = one.splices.first().map_or(0, |splice| splice.span.start as usize);
    let line = line_span(source, first);
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).trim_end().to_owned();
    let (before, after) = match &one.fate {
        Fate::Born { .. } => {
            let new: Vec<u8> = one.splices.iter().flat_map(|splice| splice.text.clone()).collect();
            (None, Some(text(&new).trim_start_matches(['\r', '\n']).to_owned()))
        }
        Fate::Gone if one.splices.iter().all(|splice| splice.text.is_empty()) => {
            (Some(text(line.of(source))), None)
        }
        _ => {
            let moved = one
                .splices
                .iter()
                .filter(|splice| splice.span.start >= line.start && splice.span.end <= line.end);
            let within: Vec<Splice> = moved
                .map(|splice| Splice {
                    span: Span { start: splice.span.start - line.start, end: splice.span.end - line.start },
                    text: splice.text.clone(),
                })
                .collect();
            let after = apply(line.of(source), &within).unwrap_or_default();
            (Some(text(line.of(source))), Some(text(&after)))
        }
    };
    let at = place_of(source, first).line;
    let open_end = before.is_none() && first > 0 && source[first - 1] != b'\n';
    Shown {
        address: one.address.clone(),
        file: file.path.clone(),
        line: at + u32::from(open_end),
        before,
        after,
    }
}

fn ambiguous(files: &[File], address: &Address, found: &[(usize, LeafId)]) -> Finding {
    let several_files = found.iter().any(|(n, _)| *n != found[0].0);
    let places: Vec<String> = found
        .iter()
        .map(|(n, leaf)| {
            let doc = &files[*n].doc;
            let here = address_of(doc, *leaf);
            let within = if several_files { format!("--in {} ", files[*n].path) } else { String::new() };
            format!("{within}{here} (line {})", doc.place(*leaf).line)
        })
        .collect();
    let (n, leaf) = found[0];
    Finding::misfit("ambiguous", format!("{address} stands in {} places", found.len()))
        .at(&files[n].path, &files[n].doc, leaf)
        .about(address)
        .mend(format!("say which: {}", places.join("; ")))
}

fn absent(files: &[File], address: &Address, guide: &Guide<'_>, why: &str) -> Finding {
    let path = &files[guide.only.unwrap_or(guide.home)].path;
    Finding::misfit("not-there", format!("{address} {why}"))
        .in_file(path)
        .about(address)
        .mend("`gypsum show` lists the settings with their addresses")
}
