//! The proposal: the edits placed, proven, and checked by our own rules.

use super::Run;
use super::difference::{shown_lines, shown_link};
use super::front::{Front, NewFile, Wish};
use crate::disk::link_target;
use crate::files::resolved;
use crate::trouble::Trouble;
use gypsum_core::address::{Address, address_of};
use gypsum_core::change::Event;
use gypsum_core::check::{check, only_new};
use gypsum_core::doc::{Document, Family, Kind as Leaf};
use gypsum_core::edit::{Edit, File, Guide, propose};
use gypsum_core::finding::{Finding, Severity};
use gypsum_core::happening::Happening;
use gypsum_core::listing::changed;
use gypsum_core::profile::Profile;
use gypsum_core::secret::{can_be_secret, is_secret, mentions_secret};
use gypsum_core::text::shift_lines;
use gypsum_core::value::{Kind, misfit};
use std::fs;
use std::io::Read;
use std::path::Path;

impl Run<'_> {
    pub(super) fn propose(&mut self) -> Result<Event, Trouble> {
        let disk = self.disk();
        // What was typed unseen is not shown in a misfit either.
        self.secrets = self.front()?.job.hidden.clone();
        let front = self.front()?;
        let beside = matches!(front.job.wish, Wish::Edits(_)) && !front.job.beside.is_empty();
        let placed = match front.job.wish.clone() {
            Wish::Edits(edits) if edits.is_empty() && beside => {
                front.after = front.loading()?.files.clone();
                Ok(())
            }
            Wish::Edits(edits) => front.place(&edits)?,
            Wish::Whole(bytes) => {
                if memchr::memchr(0, &bytes).is_some() {
                    return Err(Trouble::refused("the prepared file holds a NUL byte; it is no text file"));
                }
                let target = front.target()?;
                front.whole(&[(target, Some(bytes))], disk)?
            }
            Wish::Files(files) => front.whole(&files, disk)?,
        };
        if let Err(misfits) = placed {
            self.judge(misfits)?;
            return Ok(Event::Refused);
        }
        let front = self.front()?;
        front.beside(disk)?;
        front.changed = match (&front.job.wish, &front.loading) {
            (Wish::Edits(_), _) | (_, None) => front.edits.iter().map(|edit| edit.address.clone()).collect(),
            // What a whole file changes is told by its settings; those that go count, too.
            (_, Some(loading)) => changed(&loading.files, &front.after, &front.job.profile),
        };
        let secrets = front.secrets();
        let (edits, nothing) = (front.edits.clone(), front.new_files.is_empty());
        let findings = front.own_check()?;
        self.secrets = secrets;
        if nothing {
            return Ok(Event::Unchanged);
        }
        self.emit(Happening::Proposed { edits });
        if self.judge(findings)? { Ok(Event::Refused) } else { Ok(Event::Done) }
    }
}

type Placed = Result<(), Vec<Finding>>;

impl Front {
    fn place(&mut self, edits: &[Edit]) -> Result<Placed, Trouble> {
        let only = self.job.only.as_deref().map(|path| self.loading()?.find(path)).transpose()?;
        let loading = self.loading()?;
        let profile = &self.job.profile;
        let guide = Guide {
            home: loading.home,
            only,
            block: profile.files.section.as_deref(),
            spelling: &|name| profile.spelling(name).map(str::to_owned),
            plausible: &|name, value| is_plausible(profile, name, value),
            remark: self.job.remark.as_deref(),
            quantity: &|name| profile.setting(name).is_some_and(|(_, setting)| setting.kind.is_quantity()),
            list: &|name| profile.setting(name).and_then(|(_, setting)| setting.list.clone()),
        };
        let proposal = match propose(&loading.files, edits, &guide) {
            Ok(proposal) => proposal,
            Err(misfits) => return Ok(Err(known_better(profile, misfits))),
        };
        let mut after = loading.files.clone();
        let mut new_files = Vec::new();
        for edited in proposal.files {
            let (file, place) = (&loading.files[edited.file], &loading.loaded[edited.file]);
            new_files.push(NewFile {
                real: place.real.clone(),
                before: (!place.absent).then(|| file.doc.source().to_vec()),
                dress: None,
                after: Some(edited.after.clone()),
                shifts: shift_lines(file.doc.source(), &edited.splices),
            });
            after[edited.file].doc = reread(&file.doc, edited.after)?;
        }
        self.edits = proposal.shown;
        self.after = after;
        self.new_files = new_files;
        Ok(Ok(()))
    }

    /// The file that a prepared one takes the place of.
    fn target(&self) -> Result<std::path::PathBuf, Trouble> {
        let loading = self.loading()?;
        let n = match &self.job.only {
            Some(path) => loading.find(path)?,
            None => loading.home,
        };
        Ok(loading.loaded[n].real.clone())
    }

    fn whole(
        &mut self,
        files: &[(std::path::PathBuf, Option<Vec<u8>>)],
        disk: &dyn crate::disk::Disk,
    ) -> Result<Placed, Trouble> {
        let loading = self.loading()?;
        let mut after = loading.files.clone();
        let (mut new_files, mut edits) = (Vec::new(), Vec::new());
        for (path, bytes) in files {
            let before = disk.read(path).map_err(|error| Trouble::file("read", path, &error))?;
            if before == *bytes {
                continue;
            }
            let link = |bytes: &Option<Vec<u8>>| bytes.as_deref().and_then(link_target).map(Path::to_owned);
            match (link(&before), link(bytes)) {
                (None, None) => edits.extend(shown_lines(path, before.as_deref(), bytes.as_deref())),
                (was, is) => {
                    edits.extend(was.map(|target| shown_link(path, &target, false)));
                    edits.extend(is.map(|target| shown_link(path, &target, true)));
                }
            }
            match (loading.loaded.iter().position(|file| file.real == *path), bytes) {
                (Some(n), Some(bytes)) => after[n].doc = reread(&loading.files[n].doc, bytes.clone())?,
                (Some(n), None) => after[n].doc = reread(&loading.files[n].doc, Vec::new())?,
                (None, _) => {}
            }
            let after = bytes.clone();
            new_files.push(NewFile { real: path.clone(), before, after, shifts: Vec::new(), dress: None });
        }
        self.after = after;
        self.new_files = new_files;
        self.edits = edits;
        Ok(Ok(()))
    }

    /// Our own check of the files as they will be; of what stood there before, only what is new counts.
    fn own_check(&self) -> Result<Vec<Finding>, Trouble> {
        let loading = self.loading()?;
        let profile = &self.job.profile;
        // What is edited inside a value is an edit of its setting, too.
        let outer = |address: &String| Some(Address::parse(address).ok()?.around()?.0.to_string());
        let addresses = self.changed.iter();
        let edited: Vec<String> =
            addresses.flat_map(|one| [Some(one.clone()), outer(one)]).flatten().collect();
        let before = check(&loading.files, profile, &[]);
        let mut findings = only_new(&before, check(&self.after, profile, &edited));
        for file in &self.new_files {
            let place = loading.loaded.iter().find(|loaded| loaded.real == file.real);
            findings.extend(place.filter(|loaded| loaded.hard_links > 1).map(|loaded| {
                Finding::warning(
                    "hard-link",
                    format!(
                        "{} has {} names; the others keep the old content",
                        loaded.name.display(),
                        loaded.hard_links
                    ),
                )
                .mend("find -samefile shows them")
            }));
            findings.extend(generated(&file.real));
            findings.extend(packaged(&file.real));
        }
        findings.extend(self.circles());
        findings.extend(self.edits.iter().filter_map(lost_variable));
        findings.extend(self.unread());
        let gone = self.missing_files(&loading.files);
        findings.extend(only_new(&gone, self.missing_files(&self.after)));
        Ok(findings)
    }

    /// Files that include themselves.
    fn circles(&self) -> Vec<Finding> {
        let circles = self.loading.iter().flat_map(|loading| &loading.circles);
        circles
            .map(|(by, file)| {
                Finding::warning("circle", format!("{by} includes {file}, which includes it in turn"))
                    .in_file(by)
                    .mend("take one of the two includes out; each file was read once")
            })
            .collect()
    }

    /// A new file that the daemon will not look at.
    fn unread(&self) -> Option<Finding> {
        let loading = self.loading.as_ref()?;
        let new = loading.loaded.iter().find(|file| file.absent && !loading.reads(&file.name))?;
        let message = format!("{} reads no file of this name", self.job.profile.daemon);
        let read = loading.patterns.join(", ");
        let finding = Finding::fault("not-read", message).in_file(&new.name.display().to_string());
        Some(finding.mend(format!("it reads {read}")))
    }

    /// Files that the configuration names and that will not be there.
    fn missing_files(&self, files: &[File]) -> Vec<Finding> {
        let profile = &self.job.profile;
        let paths: Vec<&String> = profile
            .setting
            .iter()
            .filter(|(_, setting)| setting.kind == Kind::Path && setting.exists)
            .map(|(name, _)| name)
            .collect();
        let mut findings = Vec::new();
        for file in files {
            let dialect = file.doc.dialect();
            let include =
                |name: &[u8]| dialect.includes.iter().any(|known| dialect.same(known.as_bytes(), name));
            let path = |name: &[u8]| paths.iter().any(|known| dialect.same(known.as_bytes(), name));
            if paths.is_empty() && file.doc.includes().is_empty() {
                continue;
            }
            for (leaf, kind, parts) in file.doc.statements() {
                let name = parts.name.of(file.doc.source());
                let include = include(name);
                if kind != Leaf::Setting || !include && !path(name) {
                    continue;
                }
                let name = file.doc.name(&parts);
                let may_miss = name.contains("Optional") || name.ends_with("if_exists");
                let value = file.doc.value(&parts);
                let path = Path::new(value.as_str());
                if may_miss || !path.is_absolute() || value.contains(['*', '?', '[']) {
                    continue;
                }
                let placed = self.new_files.iter().find(|new| new.real == path || new.real == resolved(path));
                if placed.map_or_else(|| path.exists(), |new| new.after.is_some()) {
                    continue;
                }
                // Some daemons pass over an include that leads nowhere.
                let severity = if include { Severity::Warning } else { Severity::Fault };
                let finding = Finding::new("missing-file", severity, format!("{value} does not exist"));
                findings.push(
                    finding
                        .at(&file.path, &file.doc, leaf)
                        .about(address_of(&file.doc, leaf))
                        .mend(format!("--companion FILE --to {value} places it in the same change")),
                );
            }
        }
        findings
    }

    fn secrets(&self) -> Vec<String> {
        let profile = &self.job.profile;
        // Names that are secrets by the profile, or by a word in them, which nearly no file mentions.
        let own = profile.setting.values().any(|setting| setting.secret);
        let before: Vec<&File> = self.loading.iter().flat_map(|loading| &loading.files).collect();
        let old = own || before.iter().any(|file| mentions_secret(file.doc.source()));
        let texts = self.edits.iter().flat_map(|edit| [&edit.before, &edit.after]).flatten();
        let whole = !matches!(self.job.wish, Wish::Edits(_));
        let new = old || whole || texts.into_iter().any(|text| mentions_secret(text.as_bytes()));
        let looked_at = before.into_iter().filter(|_| old).chain(self.after.iter().filter(|_| new));
        let known = looked_at.flat_map(|file| secrets_in(profile, file));
        known.chain(self.job.hidden.iter().cloned()).collect()
    }
}

/// Whether a text that stands commented out, with a blank behind its mark, may be a value of a setting and
/// no prose.
fn is_plausible(profile: &Profile, name: &str, value: &str) -> bool {
    match profile.setting(name) {
        Some((_, setting)) => misfit(setting, value).is_none() && setting.kind != Kind::Text,
        None if !profile.setting.is_empty() => false,
        // Nothing is known of the names; the marks that the format wants tell it from prose, or do not.
        None => match profile.files.format {
            Family::Braces | Family::Assignments | Family::Literals | Family::Json | Family::Toml => true,
            Family::Equals | Family::Sections | Family::Properties | Family::Yaml => !value.contains(' '),
            Family::Keyword | Family::Stanzas | Family::Tags => looks_like_a_value(value),
            _ => false,
        },
    }
}

/// One word that is a number, a switch or a path; prose goes on behind its first word.
fn looks_like_a_value(value: &str) -> bool {
    let switch = ["yes", "no", "on", "off", "true", "false"].contains(&value.to_lowercase().as_str());
    !value.contains(' ') && (switch || value.starts_with(|c: char| c.is_ascii_digit() || c == '/'))
}

/// A name that nobody knows is better answered with the names nearest to it than with its absence.
fn known_better(profile: &Profile, misfits: Vec<Finding>) -> Vec<Finding> {
    let better = |mut finding: Finding| {
        let address = finding.address.clone().and_then(|text| Address::parse(&text).ok());
        if let Some(address) = address
            .filter(|address| finding.rule == "not-there" && profile.spelling(address.name()).is_none())
        {
            let near = gypsum_core::text::nearest(address.name(), profile.known_names());
            if let Some(near) = near.first() {
                finding.mend = Some(format!("did you mean {near}?"));
            }
        }
        finding
    };
    misfits.into_iter().map(better).collect()
}

fn secrets_in<'a>(profile: &'a Profile, file: &'a File) -> impl Iterator<Item = String> + 'a {
    let doc = &file.doc;
    doc.statements()
        .filter(|(_, kind, parts)| *kind == Leaf::Setting && is_secret(profile, &doc.text(parts.name)))
        .map(|(_, _, parts)| doc.value(&parts))
        .filter(|value| can_be_secret(value))
}

fn reread(like: &Document, bytes: Vec<u8>) -> Result<Document, Trouble> {
    Document::read(bytes, like.family(), like.dialect().clone())
        .map_err(|error| Trouble::cannot(error.to_string()))
}

/// A variable of the old value that the new one does not have: a shell may have put in what it stands for, or
/// nothing.
fn lost_variable(edit: &gypsum_core::edit::Shown) -> Option<Finding> {
    let (before, after) = (edit.before.as_deref()?, edit.after.as_deref()?);
    let word = |rest: &str| {
        let length =
            rest.find(|c: char| !c.is_ascii_alphanumeric() && !matches!(c, '_' | '{')).unwrap_or(rest.len());
        rest[..length].to_owned()
    };
    let names =
        |text: &str| text.split('$').skip(1).map(word).filter(|name| !name.is_empty()).collect::<Vec<_>>();
    let kept = names(after);
    let lost = names(before).into_iter().find(|name| !kept.contains(name))?;
    let message = format!("${lost} stood in the old value and is gone from the new one");
    let finding = Finding::warning("lost-variable", message).in_file(&edit.file).about(&edit.address);
    Some(finding.mend("if your shell took it, put the edit in single quotes"))
}

/// A file in the part of the system that belongs to packages: an upgrade writes over it.
fn packaged(path: &Path) -> Option<Finding> {
    if !path.starts_with("/usr") || path.starts_with("/usr/local") {
        return None;
    }
    let finding =
        Finding::misfit("package-file", "the file belongs to a package, whose next upgrade writes over it");
    Some(
        finding
            .in_file(&path.display().to_string())
            .mend("put the setting into a file under /etc: --in FILE, with --new a new one"),
    )
}

/// A file that says of itself that something else writes it.
fn generated(path: &Path) -> Option<Finding> {
    let mut head = Vec::new();
    fs::File::open(path).ok()?.take(1000).read_to_end(&mut head).ok()?;
    let head = String::from_utf8_lossy(&head).to_lowercase();
    let says =
        ["do not edit", "don't edit", "automatically generated", "autogenerated", "will be overwritten"];
    let line = head.lines().position(|line| says.iter().any(|words| line.contains(words)))?;
    let mut finding = Finding::warning(
        "generated",
        "the file says that something else writes it; this edit may be overwritten",
    )
    .in_file(&path.display().to_string())
    .mend("make the change where the file comes from, too");
    finding.line = u32::try_from(line + 1).ok();
    Some(finding)
}
