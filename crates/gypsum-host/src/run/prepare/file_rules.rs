//! What there is to say of the files of a change themselves, whatever they hold.

use super::check::Checked;
use super::owned_elsewhere::owned_elsewhere;
use super::proposal::Proposal;
use crate::disk::Disk;
use crate::files::{Loaded, Loading};
use crate::shipped::{Records, findings};
use crate::state::State;
use gypsum_core::edit::LineDiff;
use gypsum_core::finding::{Finding, Severity};
use std::fs;
use std::os::unix::fs::MetadataExt;
use std::path::Path;

impl Proposal {
    /// What there is to say of the files themselves, whatever they hold and whoever reads them.
    pub(super) fn run_file_rules(&self) -> Vec<Finding> {
        let loading = &self.before;
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
            findings.extend(owned_elsewhere(&file.real));
        }
        findings.extend(self.open_to_all(loading));
        findings.extend(self.circles());
        findings.extend(self.edits.iter().filter_map(lost_variable));
        findings.extend(self.unread());
        findings.extend(self.read_instead());
        if !self.request.merges {
            findings.extend(self.left_by_packages());
        }
        findings
    }

    /// New versions that wait, and the like: this change is about something else, so they do not stand in its way.
    fn left_by_packages(&self) -> Vec<Finding> {
        let all = findings(&self.before, &self.request.profile.daemon, &Records::read());
        let milder = |severity: Severity| match severity {
            Severity::Fault => Severity::Warning,
            Severity::Warning | Severity::Hint => Severity::Hint,
        };
        all.into_iter().map(|one| Finding { severity: milder(one.severity), ..one }).collect()
    }

    /// Files with a mode that the daemon does not accept.
    fn open_to_all(&self, loading: &Loading) -> Option<Finding> {
        let no_mode = u32::from_str_radix(self.request.profile.files.no_mode.as_deref()?, 8).ok()?;
        let open = |file: &&Loaded| fs::metadata(&file.real).is_ok_and(|meta| meta.mode() & no_mode != 0);
        let file = loading.loaded.iter().find(open)?;
        let message = format!("{} passes over files that others may write", self.request.profile.daemon);
        let path = file.name.display().to_string();
        Some(Finding::fault("bad-mode", message).in_file(&path).help(format!("chmod o-w {path}")))
    }

    /// Files that include themselves.
    fn circles(&self) -> Vec<Finding> {
        let circles = &self.before.circles;
        circles
            .iter()
            .map(|(by, file)| {
                Finding::warning("circle", format!("{by} includes {file}, which includes it in turn"))
                    .in_file(by)
                    .help("take one of the two includes out; each file was read once")
            })
            .collect()
    }

    /// Files that are not read since a user's own are, or that are read instead of the usual ones from now on.
    fn read_instead(&self) -> Option<Finding> {
        let files = &self.request.profile.files;
        let (daemon, other) = (&self.request.profile.daemon, files.instead.as_deref()?);
        let new = !Path::new(&files.home).exists();
        let finding =
            if !self.request.profile.layout.iter().any(|layout| layout.home == other && layout.instead) {
                // Of the user's own, the new one hides all that was read so far.
                let message =
                    format!("{daemon} reads this file instead of {other}: what that one says holds no more");
                Some(
                    Finding::warning("read-instead", message).help("put what is to stay into this file, too"),
                )
                .filter(|_| new)
            } else {
                let message =
                    format!("this has no effect for the user of {other}, which {daemon} reads instead");
                Some(Finding::fault("no-effect", message).help(format!("change that one: --in {other}")))
                    .filter(|_| Path::new(other).exists())
            };
        finding.map(|finding| finding.in_file(&files.home))
    }

    /// A new file that the daemon will not look at.
    fn unread(&self) -> Option<Finding> {
        let loading = &self.before;
        let new = loading.loaded.iter().find(|file| file.absent && !loading.reads(&file.name))?;
        let message = format!("{} reads no file of this name", self.request.profile.daemon);
        let read = loading.patterns.join(", ");
        let finding = Finding::fault("not-read", message).in_file(&new.name.display().to_string());
        Some(finding.help(format!("it reads {read}")))
    }
}

impl Checked {
    /// What there is to say of the files beside the service that reads them.
    pub(super) fn run_service_rules(&self, state: &State, disk: &dyn Disk) -> Vec<Finding> {
        let mut findings: Vec<Finding> = self.unread_changes(state, disk).into_iter().collect();
        findings.extend(self.private_copy());
        // What was written can be taken back, whoever reads it.
        if !self.proposal.request.is_restore() {
            findings.extend(self.read_by_process());
            findings.extend(self.other_installations());
        }
        findings
    }

    /// A unit's whole file that was copied to /etc, while the package's own has moved on.
    fn private_copy(&self) -> Option<Finding> {
        let unit = self.service.unit.first().filter(|_| self.proposal.request.profile.files.local)?;
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
}

/// Variables of the old value, none of which the new one has: a shell may have put in what they stand for, or
/// nothing.
fn lost_variable(edit: &LineDiff) -> Option<Finding> {
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
