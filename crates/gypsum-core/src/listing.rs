//! The settings of a daemon, listed with their addresses.

use crate::address::{Address, AddressStep, address_of};
use crate::doc::{BlockId, Document, Kind as Leaf, LeafId, Nearness, Parts, all_commented_out};
use crate::edit::File;
use crate::layers::EffectiveConfig;
use crate::profile::Profile;
use crate::secret::shown_value;
use crate::value::Kind;
use serde::Serialize;
use std::collections::{HashMap, HashSet};
use std::convert::Infallible;
use std::hash::{DefaultHasher, Hash, Hasher};

/// One line of the list.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Listed {
    /// Where it is; can be pasted back.
    pub address: String,
    /// Its value; empty for a bare name.
    pub value: String,
    /// The file.
    pub file: String,
    /// The line in it, from 1.
    pub line: u32,
    /// Whether it is commented out.
    pub commented_out: bool,
    /// Whether another line of the same setting decides instead.
    pub shadowed: bool,
    /// The place that decides instead.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by: Option<By>,
    /// The places that it decides instead of.
    #[serde(skip)]
    pub overrules: Vec<By>,
    /// What it does, where the profile knows.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub about: Option<String>,
    /// The comment right above it in the file.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub comment: Option<String>,
}

/// A place in a file.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct By {
    /// The file.
    pub file: String,
    /// The line in it, from 1.
    pub line: u32,
}

/// All settings in reading order; of the commented-out ones, those whose name the profile knows.
pub fn list(files: &[File], layers: &EffectiveConfig, profile: &Profile) -> Vec<Listed> {
    let mut out: Vec<Listed> = Vec::new();
    let all: Result<(), Infallible> = each(files, layers, profile, |row| {
        out.push(row);
        Ok(())
    });
    all.map_or_else(|never| match never {}, |()| out)
}

/// The same, one by one: a large file has more of them than fit.
///
/// # Errors
///
/// The first one of `see`, with which it ends.
pub fn each<E>(
    files: &[File],
    layers: &EffectiveConfig,
    profile: &Profile,
    mut see: impl FnMut(Listed) -> Result<(), E>,
) -> Result<(), E> {
    let overruled = overruled(files, layers, profile);
    let place_of = |(file, leaf): (usize, LeafId)| By {
        file: files[file].path.clone(),
        line: files[file].doc.line_of(leaf),
    };
    let mut overrules: HashMap<(usize, LeafId), Vec<(usize, LeafId)>> = HashMap::new();
    for (loser, winner) in &overruled {
        overrules.entry(*winner).or_default().push(*loser);
    }
    for losers in overrules.values_mut() {
        losers.sort_unstable();
    }
    for (n, file) in files.iter().enumerate() {
        let hidden = commented_out_in(&file.doc);
        let mut commented_out = commented_out_rows(file, profile).into_iter().peekable();
        let mut seen = |leaf, row: Listed| {
            let by = overruled.get(&(n, leaf)).filter(|_| !row.commented_out).map(|winner| place_of(*winner));
            let losers = overrules.get(&(n, leaf)).filter(|_| !row.commented_out);
            let overrules = losers.into_iter().flatten().map(|loser| place_of(*loser)).collect();
            let comment = comment_above(&file.doc, leaf, &hidden);
            see(Listed { comment, shadowed: by.is_some(), by, overrules, ..row })
        };
        active_rows(file, profile, |leaf, row| {
            while let Some((leaf, row)) = commented_out.next_if(|(commented_out, _)| *commented_out < leaf) {
                seen(leaf, row)?;
            }
            seen(leaf, row)
        })?;
        commented_out.try_for_each(|(leaf, row)| seen(leaf, row))?;
    }
    Ok(())
}

/// The statements that another one overrules, each with that one.
fn overruled(
    files: &[File],
    layers: &EffectiveConfig,
    profile: &Profile,
) -> HashMap<(usize, LeafId), (usize, LeafId)> {
    let mut out = HashMap::new();
    let turns = layers.turns();
    let winners = layers.deciding(files, profile);
    for (turn, winner) in turns.iter().zip(&winners) {
        if let Some(winner) = winner.map(|n| &turns[n as usize]) {
            out.insert((turn.file, turn.leaf), (winner.file, winner.leaf));
        }
    }
    // What is read twice is in effect if it is so once.
    for (turn, winner) in turns.iter().zip(&winners) {
        if winner.is_none() {
            out.remove(&(turn.file, turn.leaf));
        }
    }
    out
}

/// The addresses of the settings that are new in `after` or have another value than in `before`, and behind
/// them of those that are gone or had another.
pub fn changed(before: &[File], after: &[File], profile: &Profile) -> Vec<String> {
    let active = |files: &[File]| -> Vec<(String, String, String)> {
        let mut rows = Vec::new();
        for file in files {
            let all: Result<(), Infallible> = active_rows(file, profile, |_, row| {
                rows.push((row.file, row.address, row.value));
                Ok(())
            });
            all.unwrap_or_else(|never| match never {});
        }
        rows
    };
    let (old, new) = (active(before), active(after));
    let only_in = |these: &[(String, String, String)], those: &[(String, String, String)]| {
        let known: HashSet<_> = those.iter().collect();
        let mut only: Vec<String> =
            these.iter().filter(|row| !known.contains(row)).map(|(_, address, _)| address.clone()).collect();
        only.dedup();
        only
    };
    [only_in(&new, &old), only_in(&old, &new)].concat()
}

fn active_rows<E>(
    file: &File,
    profile: &Profile,
    mut see: impl FnMut(LeafId, Listed) -> Result<(), E>,
) -> Result<(), E> {
    let doc = &file.doc;
    let settings = || {
        let steps = doc.tree().walk().filter(|step| step.kind == Leaf::Setting);
        steps.filter_map(|step| Some((step.leaf, step.block, doc.parts(step.leaf)?)))
    };
    let key = |block: Option<BlockId>, parts: &Parts| {
        let mut hasher = DefaultHasher::new();
        (block, doc.dialect().folded(parts.name.of(doc.source()))).hash(&mut hasher);
        hasher.finish()
    };
    let mut keys: Vec<u64> = settings().map(|(_, block, parts)| key(block, &parts)).collect();
    keys.sort_unstable();
    // Of each name that several share, how many were seen.
    let several = keys.chunk_by(|a, b| a == b).filter(|same| same.len() > 1);
    let mut shared: HashMap<u64, u32> = several.map(|same| (same[0], 0)).collect();
    drop(keys);
    let mut around: Option<(Option<BlockId>, Vec<AddressStep>)> = None;
    let mut lines = LineCounter::new(doc);
    for (leaf, block, parts) in settings() {
        let outer = match &around {
            Some((known, steps)) if *known == block => steps,
            _ => &around.insert((block, block_steps(doc, block))).1,
        };
        let mut steps = outer.clone();
        let nth = shared.get_mut(&key(block, &parts)).map(|seen| {
            *seen += 1;
            *seen
        });
        let name = doc.text(parts.name).into_owned();
        steps.push(AddressStep { words: name.clone(), nth });
        let row = row(file, profile, &name, doc.value(&parts), Address::of(steps));
        see(leaf, Listed { line: lines.at(parts.name.start), ..row })?;
    }
    Ok(())
}

fn commented_out_rows(file: &File, profile: &Profile) -> Vec<(LeafId, Listed)> {
    let doc = &file.doc;
    all_commented_out(doc)
        .filter(|commented_out| commented_out.kind == Leaf::Setting && commented_out.under.is_none())
        .filter_map(|commented_out| {
            let name = doc.text(commented_out.parts.name).into_owned();
            let value = doc.value(&commented_out.parts);
            // Without a profile a name right behind the mark is one.
            let bare = value.is_empty() || profile.known_names().next().is_some();
            let close = !bare && commented_out.nearness == Nearness::Close;
            let known = close || profile.spelling(&name).is_some();
            let setting = profile.setting(&name).map(|(_, setting)| setting);
            let fits = setting.is_none_or(|setting| {
                crate::value::edit_error_of_any(setting, &profile.values, &value).is_none()
            });
            // Behind a blank it may be prose: only a value that is none tells.
            let told = setting.is_some_and(|setting| setting.kind != Kind::Text);
            let fits = fits && (commented_out.nearness == Nearness::Close || told);
            if !known || !fits {
                return None;
            }
            let mut steps = block_steps(doc, doc.tree().block_of(commented_out.leaf));
            steps.push(AddressStep { words: name.clone(), nth: None });
            let row = row(file, profile, &name, value, Address::of(steps));
            let line = doc.line_at(commented_out.parts.name.start as usize);
            Some((commented_out.leaf, Listed { commented_out: true, line, ..row }))
        })
        .collect()
}

/// A description is no longer than this.
const MOST_LINES: u32 = 8;

/// The comments that are settings commented out: they describe nothing.
fn commented_out_in(doc: &Document) -> HashSet<LeafId> {
    let settings =
        all_commented_out(doc).filter(|one| one.nearness == Nearness::Close && !one.parts.value.is_none());
    settings.map(|one| one.leaf).collect()
}

/// The comment that is right above a statement, without its marks.
fn comment_above(doc: &Document, leaf: LeafId, commented_out: &HashSet<LeafId>) -> Option<String> {
    let tree = doc.tree();
    let above = (leaf.saturating_sub(MOST_LINES)..leaf).rev();
    let mut lines: Vec<String> = above
        .take_while(|above| tree.kind(*above) == Leaf::Comment && !commented_out.contains(above))
        .map(|above| {
            let text = doc.text(tree.span(above));
            let bare = text.trim().trim_start_matches(['#', ';', '/', '*', '!', '<', '-', ' ']);
            bare.trim_end_matches(['*', '/', '-', '>', ' ']).to_owned()
        })
        .collect();
    lines.reverse();
    let comment = lines.join(" ").trim().to_owned();
    (!comment.is_empty()).then_some(comment)
}

fn row(file: &File, profile: &Profile, name: &str, value: String, address: Address) -> Listed {
    let value = shown_value(profile, name, value);
    let about = profile.setting(name).and_then(|(_, setting)| setting.about.clone());
    Listed {
        address: address.to_string(),
        value,
        file: file.path.clone(),
        line: 0,
        commented_out: false,
        shadowed: false,
        by: None,
        overrules: Vec::new(),
        about,
        comment: None,
    }
}

fn block_steps(doc: &Document, block: Option<BlockId>) -> Vec<AddressStep> {
    let Some(block) = block else {
        return Vec::new();
    };
    let address = address_of(doc, doc.tree().block(block).open());
    let mut steps = address.blocks().to_vec();
    steps.push(AddressStep { words: address.name().to_owned(), nth: address.nth() });
    steps
}

/// Counts lines forward, so that a whole list costs one pass.
struct LineCounter<'a> {
    source: &'a [u8],
    at: usize,
    line: u32,
}

impl<'a> LineCounter<'a> {
    fn new(doc: &'a Document) -> Self {
        Self { source: doc.source(), at: 0, line: 1 }
    }

    fn at(&mut self, offset: u32) -> u32 {
        let offset = offset as usize;
        self.line += memchr::memchr_iter(b'\n', &self.source[self.at..offset]).count() as u32;
        self.at = offset;
        self.line
    }
}
