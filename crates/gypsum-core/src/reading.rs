//! Readings: values that are looked at before and after a change, and what follows from them.

use crate::finding::Finding;
use crate::probe::{BadWords, Probe, same_value, source};
use crate::profile::Argv;
use serde::{Deserialize, Deserializer, Serialize};

/// One value to look at.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Reading {
    /// What it is called.
    pub name: String,
    /// Where it is looked at.
    pub source: Probe,
    /// The setting that should move it; `*` where `{name}` in its command stands for each changed setting.
    pub of: Option<String>,
}

/// What a reading showed.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Seen {
    /// The reading.
    pub name: String,
    /// The setting that should move it.
    #[serde(default)]
    pub of: Option<String>,
    /// What was seen; none where nothing could be seen.
    pub value: Option<String>,
}

#[derive(Deserialize)]
/// A value that is looked at before and after a change: one of `process`, `run` and `http`.
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[cfg_attr(feature = "reference", schemars(rename = "Reading"))]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct RawReading {
    /// What it is called; what it looks at where nothing is said.
    name: Option<String>,
    /// A property of the main process.
    process: Option<String>,
    /// A command whose last line is the value.
    run: Option<Argv>,
    /// A URL whose answer is the value.
    http: Option<String>,
    /// The setting that should move it; `*` where `{name}` in the command stands for each changed setting.
    of: Option<String>,
}

/// Reads the readings of a profile.
pub fn readings<'de, D: Deserializer<'de>>(source: D) -> Result<Vec<Reading>, D::Error> {
    let written = Vec::<RawReading>::deserialize(source)?;
    written.into_iter().map(|one| reading(one).map_err(serde::de::Error::custom)).collect()
}

fn reading(written: RawReading) -> Result<Reading, BadWords> {
    let RawReading { name, process, run, http, of } = written;
    let title = match (&process, &run, &http) {
        (Some(word), None, None) | (None, None, Some(word)) => word.clone(),
        (None, Some(run), None) => of.clone().or_else(|| run.first().cloned()).unwrap_or_default(),
        _ => return Err(BadWords("a reading has exactly one of process, run, http".into())),
    };
    let source = source(process, run, http)?;
    Ok(Reading { name: name.unwrap_or(title), source, of })
}

/// The readings of a change: those of `known` that are of no setting or of a changed one, the general ones among them
/// once for each of the changed settings.
pub fn of_change(known: &[Reading], changed: &[String]) -> Vec<Reading> {
    let mut out: Vec<Reading> = Vec::new();
    for reading in known {
        match reading.of.as_deref() {
            Some("*") => {}
            // What this change does not move is not looked at.
            Some(of) if !changed.iter().any(|name| name == of) => continue,
            _ => {
                out.push(reading.clone());
                continue;
            }
        }
        for name in changed {
            let mut one = Reading { name: name.clone(), of: Some(name.clone()), ..reading.clone() };
            for text in one.source.texts() {
                *text = text.replace("{name}", name);
            }
            if !out.iter().any(|known| known.name == one.name) {
                out.push(one);
            }
        }
    }
    out
}

/// What there is to say of readings that did not move although a changed setting should have moved them; `changed`
/// are the settings that have another value now.
pub fn unmoved(before: &[Seen], after: &[Seen], changed: &[String]) -> Vec<Finding> {
    let stood_still = |seen: &&Seen| {
        let moves = seen.of.as_ref().is_some_and(|of| changed.contains(of));
        let old = before.iter().find(|old| old.name == seen.name).and_then(|old| old.value.as_deref());
        // A daemon that refuses to tell shows nothing, which is no value.
        let told = seen.value.as_deref().filter(|value| !value.trim().is_empty());
        moves && old.zip(told).is_some_and(|(old, new)| same_value(old, new))
    };
    let finding = |seen: &Seen| {
        let value = seen.value.as_deref().unwrap_or_default();
        let of = seen.of.as_deref().unwrap_or_default();
        let message = format!("{of} was changed, yet the running process still shows {}: {value}", seen.name);
        Finding::warning("unmoved", message)
            .help("a limit elsewhere may hold it down, or another place decides: gypsum show explains it")
    };
    after.iter().filter(stood_still).map(finding).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::probe::parse_source;

    #[test]
    fn what_should_move_and_does_not_is_told() {
        let general = Reading {
            name: "variable".into(),
            source: parse_source("run '/usr/bin/ask {name}'").unwrap(),
            of: Some("*".into()),
        };
        let changed = vec!["berths".to_owned(), "quays".to_owned()];
        let all = of_change(&[general], &changed);
        let names: Vec<&str> = all.iter().map(|one| one.name.as_str()).collect();
        assert_eq!(names, ["berths", "quays"]);
        assert!(matches!(&all[1].source, Probe::Command(command) if command.run[1] == "quays"));

        let seen = |value: &str| -> Vec<Seen> {
            let of = |name: &str| Seen {
                name: name.into(),
                of: Some(name.into()),
                value: Some(if name == "berths" { value.into() } else { "3".into() }),
            };
            vec![of("berths"), of("quays")]
        };
        let rules = |findings: Vec<Finding>| -> Vec<String> {
            findings.into_iter().map(|finding| finding.message).collect()
        };
        let told = rules(unmoved(&seen("8"), &seen("9"), &changed));
        assert_eq!(told.len(), 1, "{told:?}");
        assert!(told[0].starts_with("quays was changed"), "{told:?}");
        assert!(unmoved(&seen("8"), &seen("8"), &[]).is_empty());
        assert_eq!(unmoved(&seen("8"), &seen("8"), &changed).len(), 2);
        assert_eq!(unmoved(&seen(""), &seen(""), &changed).len(), 1, "what shows nothing tells nothing");
    }
}
