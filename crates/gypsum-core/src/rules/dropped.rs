//! What was there before a change and is not after it, though nobody said that it should go.

use super::ConfigView;
use crate::finding::Finding;

/// Files that the daemon read so far and would not read any more, and includes that lead nowhere.
pub fn files(before: &ConfigView<'_>, after: &ConfigView<'_>, findings: &mut Vec<Finding>) {
    let dropped: Vec<&str> = before
        .files
        .iter()
        .enumerate()
        .filter(|(n, _)| before.layers.reads(*n))
        .filter(|(n, file)| !after.is_read(&file.path) && after.lost_the_way(before, *n))
        .map(|(_, file)| file.path.as_str())
        .collect();
    if !dropped.is_empty() {
        let more = if dropped.len() > 3 { format!(" and {} more", dropped.len() - 3) } else { String::new() };
        let shown = dropped.iter().take(3).copied().collect::<Vec<_>>().join(", ");
        let message = format!(
            "{} will no longer read {shown}{more}: all that {} is lost",
            after.profile.daemon,
            if dropped.len() == 1 { "it says" } else { "they say" }
        );
        findings.push(match after.inclusion_that_lost(before) {
            Some((n, leaf)) => {
                let start = after.files[n].doc.parts(leaf).map_or(0, |parts| parts.name.start);
                let finding = Finding::fault("drops-file", message);
                after
                    .at(finding, n, leaf, start as usize)
                    .help("check the path or pattern by which it was read")
            }
            // What was taken out was meant to go.
            None => Finding::warning("drops-file", message).help("if that is meant, go on"),
        });
    }
    leads_nowhere(
        after,
        |pattern| before.order.inclusions.iter().any(|old| old.pattern == pattern),
        findings,
    );
}

/// Files that are to be read, and that do not exist; `is_known` says which are no concern.
pub fn leads_nowhere(
    config_view: &ConfigView<'_>,
    is_known: impl Fn(&str) -> bool,
    findings: &mut Vec<Finding>,
) {
    for one in &config_view.order.inclusions {
        if !one.read.is_empty() || is_known(&one.pattern) {
            continue;
        }
        let message = match is_pattern(&one.pattern) {
            true => format!("no file fits {}", one.pattern),
            false => format!("{} does not exist", one.pattern),
        };
        let start = config_view.files[one.file].doc.parts(one.leaf).map_or(0, |parts| parts.name.start);
        let finding = Finding::warning("leads-nowhere", message);
        findings.push(
            config_view
                .at(finding, one.file, one.leaf, start as usize)
                .help("check the path; --companion FILE --to PATH places a file in the same change"),
        );
    }
}

/// Whether it may name several files, or none: that is no mistake by itself.
pub fn is_pattern(name: &str) -> bool {
    name.contains(['*', '?', '['])
}

impl ConfigView<'_> {
    fn is_read(&self, path: &str) -> bool {
        self.files.iter().position(|file| file.path == path).is_some_and(|n| self.layers.reads(n))
    }

    /// Whether what led to a file leads there no more. Where it is still there, the file itself has gone.
    fn lost_the_way(&self, before: &ConfigView<'_>, file: usize) -> bool {
        let led = before.order.inclusions.iter().filter(|one| one.read.contains(&file));
        let stands = |pattern: &str| self.order.inclusions.iter().any(|one| one.pattern == pattern);
        !before.order.roots.contains(&file) && led.into_iter().all(|one| !stands(&one.pattern))
    }

    /// The include statement that reads less than any did before.
    fn inclusion_that_lost(&self, before: &ConfigView<'_>) -> Option<(usize, u32)> {
        let new = |pattern: &str| !before.order.inclusions.iter().any(|old| old.pattern == pattern);
        self.order.inclusions.iter().find(|one| new(&one.pattern)).map(|one| (one.file, one.leaf))
    }
}
