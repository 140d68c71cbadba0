//! `gypsum diff`: what of a daemon's files differs from what was shipped, from another file, or from how a change left
//! them.

use super::explain::{changes, touched};
use super::{Context, running, whole};
use crate::args::{DiffArgs, Target};
use crate::out::{BOLD, DIM};
use crate::target::{NoTarget, profile_of};
use crate::view::{coloured, columns, difference, styled, value_text, wrapped};
use gypsum_core::change::Verdict;
use gypsum_core::differences::{Difference, differences};
use gypsum_core::doc::Document;
use gypsum_core::edit::File;
use gypsum_core::exit_status::ExitStatus;
use gypsum_core::profile::Profile;
use gypsum_core::report::Report;
use gypsum_host::disk::RealDisk;
use gypsum_host::error::Error;
use gypsum_host::files::{Loaded, Loading, load};
use gypsum_host::shipped::{Kept, Record, Records, Shipped};
use gypsum_host::state::Entry;
use serde_json::{Value, json};
use std::collections::BTreeMap;

/// What one file is compared with.
enum Against {
    /// With this text; `like` says what it is (`as in FILE`), and `then` how its values are called.
    Text { bytes: Vec<u8>, like: String, then: &'static str },
    /// With nothing: the file is as it was shipped.
    Unedited(Record),
    /// It was edited, and what was shipped is not on this host.
    Edited(Record),
    /// No package has it.
    Unrecorded,
}

/// One file of the daemon, compared.
struct Compared<'a> {
    file: &'a str,
    live: &'a [u8],
    against: Against,
    differences: Vec<Difference>,
}

pub fn run(context: &Context, asked: &DiffArgs) -> Result<ExitStatus, NoTarget> {
    let target = Target { profile: asked.profile.clone(), ..Target::named(&asked.daemon) };
    let profile = profile_of(context, &target)?;
    if asked.running {
        return running::run(context, &profile);
    }
    let loading = load(&profile, None)?;
    let chosen = chosen(&loading, asked)?;
    let against = against(context, &profile, asked, &chosen)?;
    let by_line = asked.lines && !context.out.json;
    let mut all = Vec::new();
    for ((_, file), against) in chosen.into_iter().zip(against) {
        let differences = match &against {
            // The lines need no settings; a program gets both.
            Against::Text { bytes, .. } if bytes != file.doc.source() && !by_line => {
                differences(&profile, &read(bytes, &file.doc)?, &file.doc)
            }
            Against::Text { .. } | Against::Unedited(_) | Against::Edited(_) | Against::Unrecorded => {
                Vec::new()
            }
        };
        all.push(Compared { file: &file.path, live: file.doc.source(), against, differences });
    }
    let status = match all.iter().any(Compared::differs) {
        true => ExitStatus::Refused,
        false => ExitStatus::Success,
    };
    if context.out.json {
        let files: Vec<Value> = all.iter().map(|one| one.document()).collect();
        context.answer(status, json!({ "daemon": profile.daemon, "files": files }));
        return Ok(status);
    }
    let (differ, others): (Vec<&Compared<'_>>, Vec<&Compared<'_>>) =
        all.iter().partition(|one| one.differs());
    let changes: Vec<(Entry, Report)> = match differ.is_empty() || asked.lines {
        true => Vec::new(),
        false => changes(context, &profile).collect(),
    };
    let mut parts: Vec<Vec<String>> =
        differ.iter().map(|one| one.lines(context, &profile, asked.lines, &changes)).collect();
    parts.push(rest(&others, context.out.width));
    parts.retain(|part| !part.is_empty());
    parts.join(&String::new()).iter().for_each(|line| context.out.print(line));
    Ok(status)
}

/// The files that are compared: those that exist, or the one that was named.
fn chosen<'a>(loading: &'a Loading, asked: &DiffArgs) -> Result<Vec<(&'a Loaded, &'a File)>, Error> {
    let one = |n: usize| (&loading.loaded[n], &loading.files[n]);
    if let Some(within) = &asked.within {
        return Ok(vec![one(loading.find(within)?)]);
    }
    if asked.file.is_some() {
        return Ok(vec![one(loading.home)]);
    }
    Ok((0..loading.files.len()).map(one).filter(|(loaded, _)| !loaded.absent).collect())
}

/// What each of the files is compared with.
fn against(
    context: &Context,
    profile: &Profile,
    asked: &DiffArgs,
    chosen: &[(&Loaded, &File)],
) -> Result<Vec<Against>, Error> {
    if let Some(other) = &asked.file {
        let like = format!("as in {}", other.display());
        let one = |_| Ok(Against::Text { bytes: whole(other)?, like: like.clone(), then: "there" });
        return chosen.iter().map(one).collect();
    }
    let entries = context.state.entries(&RealDisk, &profile.daemon)?;
    if let Some(change) = &asked.change {
        let entry = context.state.find(&RealDisk, &profile.daemon, change)?;
        return chosen
            .iter()
            .map(|(loaded, file)| as_change_left_it(&entry, &entries, loaded, file))
            .collect();
    }
    let unknown = |error| Error::because(error).help("it is not known what was shipped");
    let records = Records::read().map_err(unknown)?;
    let kept = Kept::of(&context.state);
    let one = |(loaded, file): &(&Loaded, &File)| {
        let backups = entries.iter().map(|entry| entry.copy_of("before", &loaded.real));
        match records.find(&loaded.real, file.doc.source(), backups, &kept) {
            Shipped::Unrecorded => Against::Unrecorded,
            Shipped::Unedited(record) => Against::Unedited(record),
            Shipped::Edited(record) => Against::Edited(record),
            Shipped::Text { record, bytes, from } => {
                let like = format!("{}, by the text in {}", as_shipped(&record), from.display());
                Against::Text { bytes, like, then: "shipped" }
            }
        }
    };
    Ok(chosen.iter().map(one).collect())
}

/// The text that a change left in a file: its own; where it did not write the file, the backup of the first one after it
/// that did. Where none did, nothing differs.
fn as_change_left_it(
    entry: &Entry,
    entries: &[Entry],
    loaded: &Loaded,
    file: &File,
) -> Result<Against, Error> {
    let report = entry.report(&RealDisk);
    let is_kept = report.and_then(|report| report.verdict).is_some_and(|verdict| verdict == Verdict::Kept);
    let own = entry.copy_of(if is_kept { "after" } else { "before" }, &loaded.real);
    let later = entries.iter().filter(|other| other.number > entry.number);
    let mut copies = std::iter::once(own).chain(later.map(|other| other.copy_of("before", &loaded.real)));
    let bytes = match copies.find(|copy| copy.exists()) {
        Some(copy) => whole(&copy)?,
        None => file.doc.source().to_vec(),
    };
    Ok(Against::Text { bytes, like: format!("as change {} left it", entry.number), then: "was" })
}

fn read(bytes: &[u8], like: &Document) -> Result<Document, Error> {
    Document::read(bytes.to_vec(), like.family(), like.dialect().clone())
        .map_err(|error| Error::cannot(error.to_string()))
}

/// `as PACKAGE VERSION shipped it`.
fn as_shipped(record: &Record) -> String {
    format!("as {} shipped it", record.title())
}

impl Compared<'_> {
    /// Whether it differs, as far as that is known.
    fn differs(&self) -> bool {
        match &self.against {
            Against::Text { bytes, .. } => bytes != self.live,
            Against::Edited(_) => true,
            Against::Unedited(_) | Against::Unrecorded => false,
        }
    }

    fn document(&self) -> Value {
        let (state, against) = match &self.against {
            Against::Text { like, .. } if self.differs() => ("differs", Some(like.clone())),
            Against::Text { like, .. } => ("same", Some(like.clone())),
            Against::Unedited(record) => ("unedited", Some(as_shipped(record))),
            Against::Edited(record) => ("edited", Some(as_shipped(record))),
            Against::Unrecorded => ("unrecorded", None),
        };
        json!({ "file": self.file, "state": state, "against": against, "differences": self.differences })
    }

    fn lines(
        &self,
        context: &Context,
        profile: &Profile,
        by_line: bool,
        changes: &[(Entry, Report)],
    ) -> Vec<String> {
        let width = context.out.width;
        let mut out = vec![styled(BOLD, self.file)];
        let mut say = |text: &str| {
            out.extend(wrapped(text, width - 2).into_iter().map(|line| format!("  {line}")));
        };
        let (bytes, like, then) = match &self.against {
            Against::Text { bytes, like, then } => (bytes, like, *then),
            Against::Edited(record) => {
                say(&format!("was edited: it is not {}, by the digest of {}", as_shipped(record), record.by));
                say("the shipped text is not on this host; to compare with it:");
                let how = how_to_get(record, self.file, &profile.daemon);
                out.extend(how.into_iter().map(|line| format!("    {line}")));
                return out;
            }
            // Of these there is no more to say than their names.
            Against::Unedited(_) | Against::Unrecorded => return out,
        };
        if by_line {
            say(&format!("the lines that are not {like}"));
            let lines = difference(Some(profile), self.file, bytes, self.live, &[]);
            out.extend(lines.iter().map(|line| coloured(line)));
            return out;
        }
        match self.differences.len() {
            0 => say(&format!("no setting differs; comments or layout are not {like}: --lines shows them")),
            1 => say(&format!("1 setting is not {like}")),
            count => say(&format!("{count} settings are not {like}")),
        }
        out.extend(self.table(profile, then, changes));
        out
    }

    fn table(&self, profile: &Profile, then: &str, changes: &[(Entry, Report)]) -> Vec<String> {
        let mut rows = Vec::new();
        for one in &self.differences {
            let line = one.line.map_or_else(String::new, |line| line.to_string());
            let both =
                format!("{}  ({then}: {})", value_text(one.this.as_ref()), value_text(one.other.as_ref()));
            rows.push(vec![format!("{line:>5}"), one.address.clone(), both]);
            let last = changes.iter().find_map(|(entry, report)| touched(profile, &one.name, entry, report));
            let who = last.map(|(change, what)| format!("change {change}: {what}"));
            let notes = one.about.iter().chain(who.iter());
            rows.extend(notes.map(|note| vec![String::new(), String::new(), note.clone()]));
        }
        let lines = columns(&rows, &[5, 34, 200]).into_iter();
        let dim =
            |(line, row): (String, &Vec<String>)| if row[1].is_empty() { styled(DIM, &line) } else { line };
        lines.zip(&rows).map(dim).collect()
    }
}

/// What there is to say of files that do not differ, or are not compared: their names, under what is true of them.
fn rest(others: &[&Compared<'_>], width: usize) -> Vec<String> {
    let mut groups: BTreeMap<String, Vec<&str>> = BTreeMap::new();
    for one in others {
        let what = match &one.against {
            Against::Text { like, .. } => like.clone(),
            Against::Unedited(record) | Against::Edited(record) => as_shipped(record),
            Against::Unrecorded => "not compared: no package has a record of it".to_owned(),
        };
        groups.entry(what).or_default().push(one.file);
    }
    let mut out = Vec::new();
    for (what, files) in groups {
        out.push(styled(BOLD, &what));
        out.extend(wrapped(&files.join(", "), width - 2).into_iter().map(|line| format!("  {line}")));
    }
    out
}

/// The commands that fetch the shipped text, and the one that compares it.
fn how_to_get(record: &Record, file: &str, daemon: &str) -> Vec<String> {
    let Some(package) = &record.package else { return Vec::new() };
    let version = record.version.as_ref().map_or(String::new(), |version| format!("={version}"));
    vec![
        format!("apt-get download {package}{version}"),
        format!("dpkg-deb --fsys-tarfile {package}_*.deb | tar -xO .{file} > shipped"),
        format!("gypsum diff {daemon} --in {file} --file shipped"),
    ]
}
