//! What differs between two versions of a file, by settings.

use crate::address::address_of;
use crate::doc::{Document, Kind};
use crate::profile::Profile;
use crate::secret::shown_value;
use serde::Serialize;
use std::collections::BTreeMap;

/// A setting in which two versions of a file differ. Secrets are hidden.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Difference {
    /// Its address, without the number that tells several of one name apart.
    pub address: String,
    /// Its name alone.
    pub name: String,
    /// The line in this version, from 1; `None` if it is not in it.
    pub line: Option<u32>,
    /// Its value in the other version; `None` if it is not in it.
    pub other: Option<String>,
    /// Its value in this version; `None` if it is not in it.
    pub this: Option<String>,
    /// What it does, where the profile knows.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub about: Option<String>,
}

/// One statement of a version.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Statement {
    value: String,
    line: u32,
}

/// All statements of one name in one block, of both versions.
#[derive(Default)]
struct Both {
    address: String,
    name: String,
    other: Vec<Statement>,
    this: Vec<Statement>,
}

/// The settings in which `this` differs from `other`, in the order of `this`; those that are not in it come last. The
/// order of several settings of one name is no difference.
pub fn differences(profile: &Profile, other: &Document, this: &Document) -> Vec<Difference> {
    let mut all: BTreeMap<String, Both> = BTreeMap::new();
    take(other, &mut all, |both, statement| both.other.push(statement));
    take(this, &mut all, |both, statement| both.this.push(statement));
    let mut found: Vec<(bool, u32, Difference)> = Vec::new();
    for mut both in all.into_values() {
        without_common(&mut both);
        let (other, this) = (std::mem::take(&mut both.other), std::mem::take(&mut both.this));
        for n in 0..other.len().max(this.len()) {
            let shown =
                |one: Option<&Statement>| one.map(|one| shown_value(profile, &both.name, one.value.clone()));
            let line = this.get(n).map(|one| one.line);
            let place = line.or(other.get(n).map(|one| one.line)).unwrap_or_default();
            let difference = Difference {
                address: both.address.clone(),
                name: both.name.clone(),
                line,
                other: shown(other.get(n)),
                this: shown(this.get(n)),
                about: profile.setting(&both.name).and_then(|(_, setting)| setting.about.clone()),
            };
            found.push((line.is_none(), place, difference));
        }
    }
    found.sort_by_key(|(gone, place, _)| (*gone, *place));
    found.into_iter().map(|(.., difference)| difference).collect()
}

fn take(doc: &Document, all: &mut BTreeMap<String, Both>, put: impl Fn(&mut Both, Statement)) {
    let settings = doc.tree().leaves().filter(|(_, kind, _)| *kind == Kind::Setting);
    for (leaf, parts) in settings.filter_map(|(leaf, ..)| Some((leaf, doc.parts(leaf)?))) {
        let address = address_of(doc, leaf).without_nth().to_string();
        let name = doc.name(&parts);
        let key = if doc.dialect().ignore_case { address.to_lowercase() } else { address.clone() };
        let both = all.entry(key).or_insert_with(|| Both { address, name, ..Both::default() });
        put(both, Statement { value: doc.value(&parts), line: doc.line_of(leaf) });
    }
}

/// Takes out what both versions have, each as often as both have it.
fn without_common(both: &mut Both) {
    let (mut left, mut this) = (Vec::new(), std::mem::take(&mut both.this));
    for one in both.other.drain(..) {
        match this.iter().position(|other| other.value == one.value) {
            Some(n) => drop(this.remove(n)),
            None => left.push(one),
        }
    }
    both.other = left;
    both.this = this;
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::doc::Family;
    use crate::profile::Files;

    type Found = (String, Option<u32>, Option<String>, Option<String>);

    fn found(other: &str, this: &str) -> Vec<Found> {
        let profile = Profile::bare("boards", "boards".into(), Files::one("/b".into(), Family::Braces));
        let read =
            |text: &str| Document::read(text.into(), Family::Braces, Family::Braces.plain_dialect()).unwrap();
        let all = differences(&profile, &read(other), &read(this));
        all.into_iter().map(|one| (one.address, one.line, one.other, one.this)).collect()
    }

    fn text(text: &str) -> Option<String> {
        Some(text.to_owned())
    }

    #[test]
    fn settings_are_changed_new_or_gone() {
        let other = "rows 8;\nquay {\n  lamp 1;\n  lamp 2;\n}\nold 1;\n";
        let this = "# a remark\nrows 9;\nquay {\n  lamp 2;\n  lamp 3;\n  lamp 4;\n}\n";
        let wanted = [
            ("rows".to_owned(), Some(2), text("8"), text("9")),
            ("quay..lamp".to_owned(), Some(5), text("1"), text("3")),
            ("quay..lamp".to_owned(), Some(6), None, text("4")),
            ("old".to_owned(), None, text("1"), None),
        ];
        assert_eq!(found(other, this), wanted);
        assert!(found(this, &format!("{this}\n# another\n")).is_empty());
        assert!(found("a 1;\na 2;\n", "a 2;\na 1;\n").is_empty());
    }

    #[test]
    fn a_secret_differs_and_stays_hidden() {
        let all = found("password one;\n", "password two;\n");
        assert_eq!(all.len(), 1);
        assert!(!format!("{all:?}").contains("two"), "{all:?}");
    }
}
