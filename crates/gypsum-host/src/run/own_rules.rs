//! Our own check of a proposal: its layers, the survey of this host, and the rules.

use super::front::Front;
use super::job::Wish;
use crate::disk::{Disk, link_target};
use crate::error::Error;
use crate::evidence::Progress;
use crate::files::{Loaded, Loading, Overlay, load_over};
use crate::service;
use crate::state::State;
use crate::survey::Host;
use gypsum_core::address::address_of;
use gypsum_core::change::Verdict;
use gypsum_core::check::CheckingChange;
use gypsum_core::doc::Kind;
use gypsum_core::edit::File;
use gypsum_core::finding::{Finding, Severity};
use gypsum_core::layers::is_of_package;
use gypsum_core::profile::{Activation, Profile};
use gypsum_core::rules::{Leaf, fresh};
use gypsum_core::survey::Survey;
use gypsum_core::text::Bytes;
use std::borrow::Cow;
use std::collections::HashSet;
use std::fs;
use std::io::Read;
use std::os::unix::fs::MetadataExt;
use std::path::Path;
use std::time::{Duration, SystemTime};

/// What our own check came to.
pub(super) struct Own {
    findings: Vec<Finding>,
    /// The new statements.
    fresh: HashSet<Leaf>,
    /// The files as they will be.
    after: Loading,
}

/// The addresses of new settings: also of those in a block that is new as a whole.
fn new_settings(files: &[File], fresh: &HashSet<Leaf>) -> Vec<String> {
    let statements = fresh.iter().filter_map(|(file, leaf)| Some((&files.get(*file)?.doc, *leaf)));
    let settings = statements.filter(|(doc, leaf)| doc.tree().kind(*leaf) == Kind::Setting);
    // Of a set, whose order tells nothing.
    let mut addresses: Vec<String> = settings.map(|(doc, leaf)| address_of(doc, leaf).to_string()).collect();
    addresses.sort();
    addresses
}

impl Front {
    /// What our rules say of the files as they will be.
    pub(super) fn own_check(&self, disk: &dyn Disk) -> Result<Own, Error> {
        let overlay = self.overlay(disk);
        let after = self.loading_after(disk, &overlay)?;
        let before = self.loading()?;
        // What must hold afterwards is asked for, too.
        let mut profile = Cow::Borrowed(&self.job.profile);
        if !self.job.musts.is_empty() {
            profile.to_mut().health.extend(self.job.musts.iter().cloned());
        }
        let profile: &Profile = &profile;
        let layers = (before.layers(profile), after.layers(profile));
        let mut survey = Survey::default();
        // What is new is the same whatever the host answers.
        let nothing_known = Survey::default();
        let sides = (
            before.subject(&layers.0, profile, &nothing_known),
            after.subject(&layers.1, profile, &nothing_known),
        );
        let fresh = fresh(&sides.0, &sides.1);
        let host = Host::new(profile, &self.early, &overlay, &self.job.who);
        let back = matches!(self.job.wish, Wish::Files(_));
        let mut checking = CheckingChange::of(sides.0, sides.1, &fresh);
        let findings = host.answer(&mut survey, |survey| {
            if back { checking.round_of_return(survey) } else { checking.round(survey) }
        });
        Ok(Own { findings, fresh, after })
    }

    /// All that there is to say of the files as they will be, the worst first; waits for the service that was looked
    /// for meanwhile.
    pub(super) fn checked(
        &mut self,
        own: Own,
        state: &State,
        disk: &dyn Disk,
    ) -> Result<Vec<Finding>, Error> {
        let Own { mut findings, fresh, after } = own;
        self.changed.extend(new_settings(&after.files, &fresh));
        self.fresh = fresh;
        self.after = after.files.clone();
        self.after_loading = Some(after);
        self.settle()?;
        findings.extend(self.of_files(self.loading()?, state, disk));
        gypsum_core::check::worst_first(&mut findings);
        Ok(findings)
    }

    /// Keeps the service that was found, and takes its lock.
    fn settle(&mut self) -> Result<(), Error> {
        (self.service, self.found) = self.early.service()?;
        if let Some(name) = service::lock_name(&self.service).filter(|_| !self.job.dry_run) {
            self.locks.take_more(&[name], &self.holder)?;
        }
        Ok(())
    }

    /// What will be in files that are not what they were.
    pub(super) fn overlay(&self, disk: &dyn Disk) -> Overlay {
        let mut overlay = Overlay::new();
        for file in &self.new_files {
            // A link reads as what it leads to.
            let bytes = match file.after().and_then(link_target) {
                Some(target) => {
                    let target = file.real.parent().unwrap_or(&file.real).join(target);
                    disk.read(&target).ok().flatten().map(Bytes::from)
                }
                None => file.after.clone(),
            };
            overlay.insert(file.real.clone(), bytes);
        }
        overlay
    }

    /// The files of the daemon as they will be.
    fn loading_after(&self, disk: &dyn Disk, overlay: &Overlay) -> Result<Loading, Error> {
        let loading = self.loading()?;
        let dialect = &self.job.profile.dialect;
        let known = self.new_files.iter().all(|file| {
            file.after.is_some()
                && loading.loaded.iter().any(|loaded| loaded.real == file.real && !loaded.absent)
        });
        // Where nothing is included, the same files are read in the same order.
        if known && dialect.includes.is_empty() && dialect.include_folders.is_empty() {
            return Ok(Loading { files: self.after.clone(), ..loading.clone() });
        }
        load_over(disk, &self.job.profile, self.job.new_file(), overlay, &self.after)
    }

    /// What there is to say of the files themselves, whatever they hold.
    fn of_files(&self, loading: &Loading, state: &State, disk: &dyn Disk) -> Vec<Finding> {
        let mut findings = Vec::new();
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
                .help("find -samefile shows them")
            }));
            findings.extend(generated(&file.real));
            findings.extend(packaged(&file.real));
        }
        findings.extend(self.never_loaded(loading, state, disk));
        findings.extend(self.private_copy());
        findings.extend(self.open_to_all(loading));
        findings.extend(self.circles());
        findings.extend(self.edits.iter().filter_map(lost_variable));
        findings.extend(self.unread());
        findings.extend(self.read_instead());
        findings
    }

    /// Files that somebody changed since the running service took them up: that would go live with this change.
    fn never_loaded(&self, loading: &Loading, state: &State, disk: &dyn Disk) -> Option<Finding> {
        let since = self.found.since_ms.filter(|_| self.found.state.is_up())?;
        let since = SystemTime::UNIX_EPOCH + Duration::from_millis(u64::try_from(since).ok()?);
        let changed = |file: &&Loaded| {
            let written = fs::metadata(&file.real).and_then(|meta| meta.modified()).ok();
            written.is_some_and(|written| written > since + Duration::from_secs(1))
        };
        let name = service::name_of(&self.service);
        let mut waiting = None;
        for file in loading.loaded.iter().filter(|file| !file.absent).filter(changed) {
            let path = file.name.display().to_string();
            match self.written_by(file, state, disk) {
                // It was activated, or put back: the service has it.
                Some((_, true)) => {}
                Some((change, false)) => {
                    let message = format!(
                        "change {change} of this file was not activated; it goes live with this change"
                    );
                    waiting = Some(Finding::new("never-loaded", Severity::Hint, message).in_file(&path));
                }
                None => {
                    let message = format!(
                        "this file was edited since {name} last read it; that edit goes live with this change"
                    );
                    let finding = Finding::warning("never-loaded", message).in_file(&path);
                    return Some(
                        finding.help("look at that edit; if this change is restored, it stays in the file"),
                    );
                }
            }
        }
        waiting
    }

    /// The change of Gypsum's that left a file as it is now, and whether the service was told of it since.
    fn written_by(&self, file: &Loaded, state: &State, disk: &dyn Disk) -> Option<(u32, bool)> {
        let now = disk.content(&file.real).ok()?;
        let mut told = false;
        for entry in state.entries(&self.job.profile.daemon).into_iter().rev() {
            let evidence = entry.evidence(disk).ok()?;
            let (Progress::Ended(verdict), Some(plan)) = (evidence.progress, evidence.plan) else {
                continue;
            };
            told |= plan.touch_service && plan.activation != Activation::None;
            let left =
                plan.files.iter().find(|planned| planned.path == file.real).map(|planned| match verdict {
                    Verdict::Kept => &planned.after,
                    _ => &planned.before,
                });
            match left {
                Some(left) if *left == now => return Some((entry.number, told)),
                // Somebody wrote on it since.
                Some(_) => return None,
                None => {}
            }
        }
        None
    }

    /// A unit's whole file that was copied to /etc, while the package's own has moved on.
    fn private_copy(&self) -> Option<Finding> {
        let unit = self.service.unit.first().filter(|_| self.job.profile.files.local)?;
        let (own, shipped) =
            (format!("/etc/systemd/system/{unit}"), format!("/usr/lib/systemd/system/{unit}"));
        let written =
            |path: &str| fs::symlink_metadata(path).ok().filter(fs::Metadata::is_file)?.modified().ok();
        let moved_on = written(&shipped)? > written(&own)?;
        let message = format!(
            "this is a whole copy of {shipped}, which {}",
            if moved_on { "has moved on since" } else { "it hides" }
        );
        let finding =
            Finding::new("private-copy", if moved_on { Severity::Warning } else { Severity::Hint }, message);
        Some(finding.in_file(&own).help("keep only what differs, in a drop-in; systemd-delta shows it"))
    }

    /// Files with a mode that the daemon does not accept.
    fn open_to_all(&self, loading: &Loading) -> Option<Finding> {
        let no_mode = u32::from_str_radix(self.job.profile.files.no_mode.as_deref()?, 8).ok()?;
        let open = |file: &&Loaded| fs::metadata(&file.real).is_ok_and(|meta| meta.mode() & no_mode != 0);
        let file = loading.loaded.iter().find(open)?;
        let message = format!("{} passes over files that others may write", self.job.profile.daemon);
        let path = file.name.display().to_string();
        Some(Finding::fault("bad-mode", message).in_file(&path).help(format!("chmod o-w {path}")))
    }

    /// Files that include themselves.
    fn circles(&self) -> Vec<Finding> {
        let circles = self.loading.iter().flat_map(|loading| &loading.circles);
        circles
            .map(|(by, file)| {
                Finding::warning("circle", format!("{by} includes {file}, which includes it in turn"))
                    .in_file(by)
                    .help("take one of the two includes out; each file was read once")
            })
            .collect()
    }

    /// Files that are not read since a user's own are, or that are read instead of the usual ones from now on.
    fn read_instead(&self) -> Option<Finding> {
        let files = &self.job.profile.files;
        let (daemon, other) = (&self.job.profile.daemon, files.instead.as_deref()?);
        let new = !Path::new(&files.home).exists();
        let finding = if !self.job.profile.layout.iter().any(|layout| layout.home == other && layout.instead)
        {
            // Of the user's own, the new one hides all that was read so far.
            let message =
                format!("{daemon} reads this file instead of {other}: what that one says holds no more");
            Some(Finding::warning("read-instead", message).help("put what is to stay into this file, too"))
                .filter(|_| new)
        } else {
            let message = format!("this has no effect for the user of {other}, which {daemon} reads instead");
            Some(Finding::fault("no-effect", message).help(format!("change that one: --in {other}")))
                .filter(|_| Path::new(other).exists())
        };
        finding.map(|finding| finding.in_file(&files.home))
    }

    /// A new file that the daemon will not look at.
    fn unread(&self) -> Option<Finding> {
        let loading = self.loading.as_ref()?;
        let new = loading.loaded.iter().find(|file| file.absent && !loading.reads(&file.name))?;
        let message = format!("{} reads no file of this name", self.job.profile.daemon);
        let read = loading.patterns.join(", ");
        let finding = Finding::fault("not-read", message).in_file(&new.name.display().to_string());
        Some(finding.help(format!("it reads {read}")))
    }
}

/// Variables of the old value, none of which the new one has: a shell may have put in what they stand for, or
/// nothing.
fn lost_variable(edit: &gypsum_core::edit::Shown) -> Option<Finding> {
    let (before, after) = (edit.before.as_deref()?, edit.after.as_deref()?);
    let lost = variables(before).into_iter().next().filter(|_| variables(after).is_empty())?;
    let message = format!("${lost} was in the old value and is not in the new one");
    let finding = Finding::warning("lost-variable", message).in_file(&edit.file).about(&edit.address);
    Some(finding.help("if your shell took it, put the edit in single quotes"))
}

/// The names of the variables in a text. The marks of a hashed password are none: `$y$j9T$…` (crypt(5)).
fn variables(text: &str) -> Vec<&str> {
    let is_hash = |word: &&str| {
        let start = word.find('$').map_or("", |at| &word[at + 1..]);
        start.split_once('$').is_some_and(|(id, rest)| {
            let short = !id.is_empty() && id.len() <= 12;
            short && id.chars().all(|c| c.is_ascii_alphanumeric() || c == '-') && rest.contains('$')
        })
    };
    let words = text.split_whitespace().filter(|word| !is_hash(word));
    let names = words.flat_map(|word| word.split('$').skip(1)).map(|rest| {
        let rest = rest.strip_prefix('{').unwrap_or(rest);
        &rest[..rest.find(|c: char| !c.is_ascii_alphanumeric() && c != '_').unwrap_or(rest.len())]
    });
    names.filter(|name| name.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_')).collect()
}

/// A file in the part of the system that belongs to packages: an upgrade writes over it.
fn packaged(path: &Path) -> Option<Finding> {
    if !is_of_package(&path.display().to_string()) {
        return None;
    }
    let finding = Finding::edit_error(
        "package-file",
        "the file belongs to a package, whose next upgrade writes over it",
    );
    Some(
        finding
            .in_file(&path.display().to_string())
            .help("put the setting into a file under /etc: --in FILE, with --new a new one"),
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
    .help("make the change where the file comes from, too");
    finding.line = u32::try_from(line + 1).ok();
    Some(finding)
}

#[cfg(test)]
mod tests {
    use super::variables;

    /// C15: a hashed password has no variables.
    #[test]
    fn the_marks_of_a_hash_are_no_variables() {
        let cases: [(&str, &[&str]); 7] = [
            ("PATH $HOME/bin:${LIB_DIR}/x", &["HOME", "LIB_DIR"]),
            ("secret $6$rounds=9$salt$0ABCdef/.", &[]),
            ("secret $y$j9T$q1w2e3$0ABC", &[]),
            ("\"porter\" \"$2y$10$AbCdEf\"", &[]),
            ("requirepass=$argon2id$v=19$m=65536$abc", &[]),
            ("price 5$ and $7", &[]),
            ("\"$remote_addr$uri$args\"", &["remote_addr", "uri", "args"]),
        ];
        for (text, names) in cases {
            assert_eq!(variables(text), names, "{text}");
        }
    }
}
