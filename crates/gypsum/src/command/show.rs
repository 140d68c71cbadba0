//! `gypsum show`.

use super::{Context, explain};
use crate::args::Target;
use crate::out::{BOLD, DIM, WARNING};
use crate::target::{NoTarget, profile_of};
use crate::view::{columns, cut, in_columns, styled, widths, wrapped};
use gypsum_core::address::Address;
use gypsum_core::check::{broken_ones, unlisted_ones};
use gypsum_core::edit::{File, find_active, find_commented_out};
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::finding::Finding;
use gypsum_core::layers::EffectiveConfig;
use gypsum_core::listing::{Listed, each};
use gypsum_core::profile::{ListedName, NameAnswer, Profile, Setting};
use gypsum_core::text::one_line;
use gypsum_host::error::Error;
use gypsum_host::files;
use gypsum_host::shipped;
use gypsum_host::state::OpenChange;
use gypsum_host::survey::{known_name, listed};
use serde::Serialize;
use serde::ser::{SerializeSeq, Serializer};
use std::collections::{HashMap, HashSet};
use std::convert::Infallible;

pub fn run(context: &Context, target: &Target, words: &[String], all: bool) -> Result<ExitStatus, NoTarget> {
    let profile = profile_of(context, target)?;
    let open_change = context.open_change(&profile.daemon)?;
    let loading = files::load(&profile, None)?;
    let layers = loading.layers(&profile);
    let typed = words;
    let words: Vec<String> = words.iter().map(|word| word.to_lowercase()).collect();
    let shown = Shown { context, profile: &profile, loading: &loading, layers: &layers, words: &words, all };
    if let ([name], false) = (typed, all)
        && shown.explains(name)
    {
        return Ok(ExitStatus::Success);
    }
    if context.out.json {
        shown.document(open_change)?;
        return Ok(ExitStatus::Success);
    }
    let is_empty = shown.settings();
    let is_unread = shown.unread();
    // Who asks for some settings asks for no drafts, and for nothing else that waits.
    if words.is_empty() {
        for one in shipped::findings(&loading, &profile.daemon, &shipped::Records::read()) {
            let help = one.help.map_or_else(String::new, |help| format!(" ({help})"));
            wrapped(&format!("{}{help}", one.message), context.out.width)
                .iter()
                .for_each(|line| context.out.print(line));
        }
        drafts(context, &profile.daemon)?;
    }
    if is_empty {
        let what = if words.is_empty() {
            "no settings".to_owned()
        } else {
            format!("no setting with {}", words.join(" and "))
        };
        let readable = if is_unread { " that can be read" } else { "" };
        context.out.print(&format!("{}: {what}{readable}.", profile.daemon));
        if let [name] = typed {
            said_of(&profile, name).iter().for_each(|line| context.out.print(line));
        }
    }
    Ok(ExitStatus::Success)
}

/// What is asked for, of which daemon.
struct Shown<'a> {
    context: &'a Context,
    profile: &'a Profile,
    loading: &'a files::Loading,
    layers: &'a EffectiveConfig,
    /// What a setting must have in its name or value, in small letters.
    words: &'a [String],
    all: bool,
}

impl Shown<'_> {
    /// Explains the setting of this name, if it is one.
    fn explains(&self, name: &str) -> bool {
        let files = &self.loading.files;
        let is_set = Address::parse(name).is_ok_and(|address| {
            !find_active(files, &address).is_empty() || !find_commented_out(files, &address).is_empty()
        });
        let known = is_set || self.profile.spelling(name).is_some() || name.contains("..");
        // A word that some settings have is looked for; a name that none has may be one that only the daemon knows.
        let meant = known || !any(files, self.layers, self.profile, self.words);
        meant && explain::run(self.context, self.profile, self.loading, name)
    }

    /// Says which lines cannot be read, and so are not in the list; whether there are any.
    fn unread(&self) -> bool {
        let (daemon, mut any) = (&self.profile.daemon, false);
        for loaded in &self.loading.files {
            let broken = broken_ones(loaded);
            // What cannot be read is told of by `check`, too.
            let (broken, is_standard, more) = match broken.is_empty() {
                true => (unlisted_ones(loaded), false, "edit"),
                false => (broken, loaded.doc.family().is_standard(), "check"),
            };
            let Some(Finding { file, line, message, .. }) = broken.first() else { continue };
            any = true;
            let file = file.as_deref().unwrap_or_default();
            let place = line.map_or_else(|| file.to_owned(), |line| format!("{file}, line {line}"));
            let unlisted = match broken.len() - 1 {
                // One error makes the whole of such a file unreadable.
                _ if is_standard => "Nothing of this file is in this list".to_owned(),
                0 => "It is not in this list".to_owned(),
                1 => "It is not in this list, nor is one more line".to_owned(),
                more => format!("It is not in this list, nor are {more} more lines"),
            };
            let text = format!("{place}: {message}. {unlisted}: gypsum {more} {daemon}");
            let lines = wrapped(&text, self.context.out.width);
            lines.iter().for_each(|line| self.context.out.print(&styled(WARNING, line)));
        }
        any
    }

    /// Prints all of it as JSON.
    fn document(&self, open_change: Option<OpenChange>) -> Result<(), NoTarget> {
        let daemon = &self.profile.daemon;
        let drafts = gypsum_host::drafts::all(&self.context.state, daemon)?;
        let drafts = drafts.iter().map(|draft| super::drafts::document(daemon, draft)).collect();
        self.context.out.stream(&Document {
            command: self.context.command,
            daemon,
            drafts,
            open_change,
            schema: gypsum_core::report::SCHEMA,
            status: ExitStatus::Success.code(),
            findings: self.loading.files.iter().flat_map(unread_ones).collect(),
            settings: Settings {
                files: &self.loading.files,
                layers: self.layers,
                profile: self.profile,
                words: self.words,
            },
        });
        Ok(())
    }

    /// Prints the settings; whether there are none.
    fn settings(&self) -> bool {
        let (profile, everything, all) = (self.profile, self.words.is_empty(), self.all);
        let mut list = List::new(self.context, self.context.out.is_screen && everything && !all);
        let mut commented_out = 0;
        let mut unset: Vec<(&String, &Setting)> = match all && everything {
            true => profile.setting.iter().collect(),
            false => Vec::new(),
        };
        let mut set: HashSet<String> = HashSet::new();
        let listed: Result<(), Infallible> = each(&self.loading.files, self.layers, profile, |row| {
            if !self.words.iter().all(|word| holds(&row, word)) {
                return Ok(());
            }
            if all && everything {
                unset.retain(|(name, _)| !is_called(profile, &row, name));
                set.extend((!row.commented_out).then(|| bare_name(&row).to_lowercase()));
            }
            commented_out += usize::from(row.commented_out);
            if all || !everything || !row.commented_out {
                list.take(&row);
            }
            Ok(())
        });
        listed.unwrap_or_else(|never| match never {});
        list.print();
        let out = &self.context.out;
        if all && everything {
            known_and_unset(self.context, profile, &unset, set);
        } else if commented_out > 0 && everything {
            out.print(&styled(DIM, &format!("{commented_out} more are commented out: --all lists them")));
        }
        list.is_empty()
    }
}

/// What the installed daemon says of a name that is set nowhere and that its profile does not have.
fn said_of(profile: &Profile, name: &str) -> Option<String> {
    let daemon = &profile.daemon;
    Some(match known_name(profile, name)? {
        NameAnswer::Known => return None,
        NameAnswer::Unknown(Some(said)) | NameAnswer::Removed(said) => {
            format!("The installed {daemon} does not know it: {said}")
        }
        NameAnswer::Unknown(None) => format!("The installed {daemon} does not know it."),
    })
}

/// So many rows have columns as wide as the widest of them; those behind them in the same file are printed as they
/// come, since a large file has more of them than fit into memory.
const ALIGNED: usize = 10_000;

/// On a screen so many rows of a long dull list are shown.
const SHOWN: usize = 4;
/// A list is long from so many rows on that are shown no more.
const LONG: usize = 6;

/// One row of the list.
struct Row {
    cells: Vec<String>,
    /// Whether it is not in effect.
    is_quiet: bool,
    /// Whether it is one of many that nobody described: a table of names, the records of a zone.
    is_dull: bool,
}

impl AsRef<[String]> for Row {
    fn as_ref(&self) -> &[String] {
        &self.cells
    }
}

impl Row {
    /// The block that it is in: its address without the last step.
    fn block(&self) -> &str {
        let address = self.cells.get(1).map_or("", String::as_str);
        address.rsplit_once("..").map_or("", |(block, _)| block)
    }
}

/// The rows of the list, under the name of their file.
struct List<'a> {
    context: &'a Context,
    /// Whether long dull lists are folded.
    folds: bool,
    file: String,
    rows: Vec<Row>,
    widths: Option<Vec<usize>>,
}

impl<'a> List<'a> {
    fn new(context: &'a Context, folds: bool) -> Self {
        Self { context, folds, file: String::new(), rows: Vec::new(), widths: None }
    }

    fn is_empty(&self) -> bool {
        self.file.is_empty()
    }

    fn take(&mut self, row: &Listed) {
        if self.file != row.file {
            self.print();
            self.widths = None;
            self.file.clone_from(&row.file);
            self.context.out.print(&styled(BOLD, &row.file));
        }
        let out = self.context.out;
        self.rows.push(Row {
            cells: cells(row, out.is_screen.then(|| out.width.saturating_sub(32).max(16))),
            is_quiet: row.commented_out || row.shadowed,
            is_dull: row.about.is_none() && !row.shadowed && row.overrules.is_empty(),
        });
        if self.rows.len() >= ALIGNED {
            self.print();
        }
    }

    fn print(&mut self) {
        let rows = std::mem::take(&mut self.rows);
        let widths = self.widths.get_or_insert_with(|| widths(&rows, &[5, 34, 200]));
        let mut lines = Vec::new();
        // Rows of one block, one after the other, of which all are dull or none is.
        for part in rows.chunk_by(|a, b| a.is_dull == b.is_dull && a.block() == b.block()) {
            let is_long = self.folds && part[0].is_dull && part.len() >= SHOWN + LONG;
            let shown = if is_long { SHOWN } else { part.len() };
            for row in &part[..shown] {
                let line = in_columns(&row.cells, widths);
                lines.push(if row.is_quiet { styled(DIM, &line) } else { line });
            }
            if is_long {
                let left = part.len() - shown;
                lines.push(styled(DIM, &format!("       {left} more like these: --all lists them")));
            }
        }
        // One write for all of them.
        if !lines.is_empty() {
            self.context.out.print(&lines.join("\n"));
        }
    }
}

/// The list as others read it.
#[derive(Serialize)]
struct Document<'a> {
    command: &'a str,
    daemon: &'a str,
    drafts: Vec<serde_json::Value>,
    open_change: Option<OpenChange>,
    schema: u32,
    status: u8,
    /// The lines that cannot be read, and so are not among the settings.
    findings: Vec<Finding>,
    settings: Settings<'a>,
}

/// The settings with all of some words, written as they are found.
struct Settings<'a> {
    files: &'a [File],
    layers: &'a EffectiveConfig,
    profile: &'a Profile,
    words: &'a [String],
}

impl Serialize for Settings<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut out = serializer.serialize_seq(None)?;
        each(self.files, self.layers, self.profile, |row| {
            match self.words.iter().all(|word| holds(&row, word)) {
                true => out.serialize_element(&row),
                false => Ok(()),
            }
        })?;
        out.end()
    }
}

/// Whether any setting has all of these words.
fn any(files: &[File], layers: &EffectiveConfig, profile: &Profile, words: &[String]) -> bool {
    each(files, layers, profile, |row| match words.iter().all(|word| holds(&row, word)) {
        true => Err(()),
        false => Ok(()),
    })
    .is_err()
}

/// The name that a row sets, without its block and its number.
fn bare_name(row: &Listed) -> &str {
    let last = row.address.rsplit("..").next().unwrap_or_default();
    last.split('#').next().unwrap_or_default()
}

/// Whether a row sets what the profile calls `name`.
fn is_called(profile: &Profile, row: &Listed, name: &str) -> bool {
    let bare = name.rsplit("..").next().unwrap_or(name);
    profile.dialect.same(bare_name(row).as_bytes(), bare.as_bytes())
}

/// The settings that are known and set nowhere, with their defaults: those of the profile, and those that only the
/// installed daemon lists. Its own defaults come first. `set` has the names of those that are set, in lower case.
fn known_and_unset(
    context: &Context,
    profile: &Profile,
    unset: &[(&String, &Setting)],
    set: HashSet<String>,
) {
    let listed = listed(profile).map_or_else(Vec::new, |(_, names)| names);
    let same = |one: &str, other: &str| profile.dialect.same(one.as_bytes(), other.as_bytes());
    let of_daemon: HashMap<String, &ListedName> =
        listed.iter().map(|one| (one.name.to_lowercase(), one)).collect();
    let rows: Vec<Vec<String>> = unset
        .iter()
        .map(|(name, setting)| {
            let own = of_daemon.get(&name.to_lowercase()).and_then(|one| one.default.clone());
            let default = own.or_else(|| setting.default.clone()).unwrap_or_else(|| "-".into());
            vec![format!("  {name}"), default, setting.about.clone().unwrap_or_default()]
        })
        .collect();
    let described = |one: &&ListedName| {
        let is_set = set.contains(&one.name.to_lowercase());
        let is_row = unset.iter().any(|(name, _)| same(name.rsplit("..").next().unwrap_or(name), &one.name));
        is_set || is_row
    };
    let others = listed.iter().filter(|one| !described(one)).map(|one| {
        let name =
            if one.block.is_empty() { one.name.clone() } else { format!("{}..{}", one.block, one.name) };
        let what = one.about.clone().or_else(|| one.kind.clone()).unwrap_or_default();
        vec![format!("  {name}"), one.default.clone().unwrap_or_else(|| "-".into()), what]
    });
    let others: Vec<Vec<String>> = others.collect();
    table(context, "known, and set nowhere: name, default, what it does", &rows);
    let daemon = &profile.daemon;
    table(
        context,
        &format!("known to the installed {daemon} only: name, default, what its list says"),
        &others,
    );
}

fn table(context: &Context, title: &str, rows: &[Vec<String>]) {
    if rows.is_empty() {
        return;
    }
    context.out.print(&styled(BOLD, title));
    for line in columns(rows, &[34, 24, 200]) {
        let line = if context.out.is_screen { cut(&line, context.out.width) } else { line };
        context.out.print(&styled(DIM, &line));
    }
}

/// The drafts, which are not live.
fn drafts(context: &Context, daemon: &str) -> Result<(), Error> {
    for (n, draft) in gypsum_host::drafts::all(&context.state, daemon)?.into_iter().enumerate() {
        if n == 0 {
            context.out.print("");
        }
        super::drafts::lines(daemon, &draft, context.out.width)
            .iter()
            .for_each(|line| context.out.print(line));
    }
    for damage in gypsum_host::drafts::damaged(&context.state, daemon)? {
        let folder = damage.file.with_file_name("proposal");
        context.out.print(&format!("{} that cannot be read: {}", styled(BOLD, "draft"), damage.words()));
        context.out.print(&format!("    its text is in {}", folder.display()));
    }
    Ok(())
}

/// The cells of one row; the value has `room` if it may be cut.
fn cells(row: &Listed, room: Option<usize>) -> Vec<String> {
    // A value that is laid out on several lines is one row.
    let whole = match row.value.contains('\n') {
        true => one_line(&row.value),
        false => row.value.clone(),
    };
    let mut value = room.map_or_else(|| whole.clone(), |room| cut(&whole, room));
    if let [first, more @ ..] = row.overrules.as_slice() {
        let place = if first.file == row.file { String::new() } else { format!("{}, ", first.file) };
        let more = if more.is_empty() { String::new() } else { format!(" and {} more", more.len()) };
        value.push_str(&format!("  (overrules {place}line {}{more})", first.line));
    }
    if row.commented_out {
        value.push_str("  (commented out)");
    } else if row.shadowed {
        match &row.by {
            Some(by) if by.file == row.file => value.push_str(&format!("  (line {} decides)", by.line)),
            Some(by) => value.push_str(&format!("  ({}, line {} decides)", by.file, by.line)),
            None => {}
        }
    }
    vec![format!("{:>5}", row.line), row.address.clone(), value]
}

fn holds(row: &Listed, word: &str) -> bool {
    let texts = [Some(&row.address), Some(&row.value), row.about.as_ref(), row.comment.as_ref()];
    texts.into_iter().flatten().any(|text| text.to_lowercase().contains(word))
}

/// What is in a file and not in the list of its settings.
fn unread_ones(file: &File) -> Vec<Finding> {
    broken_ones(file).into_iter().chain(unlisted_ones(file)).collect()
}
