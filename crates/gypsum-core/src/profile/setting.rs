//! What is known of one setting.

use super::Activation;
use crate::doc::Wins;
use crate::value::Kind;
use serde::Deserialize;
use std::collections::BTreeMap;

/// What must be true of a path that a setting names.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Sort {
    /// It is there.
    Any,
    /// It is a file that can be read.
    File,
    /// It is a folder.
    Folder,
    /// It is a program that can be run.
    Program,
    /// It may be missing, but the folder that it is to stand in is there, and can be written in.
    Parent,
    /// A folder that may be missing, and is made in one that is there.
    NewFolder,
    /// Something listens there: a Unix socket.
    Socket,
}

/// What an endpoint, a host or a port is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Role {
    /// The daemon listens there.
    Listen,
    /// The daemon connects to it.
    Connect,
}

/// What is known of one setting, or of one word of its value.
#[derive(Clone, Debug, Default, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct Setting {
    /// The kind of its value.
    pub kind: Kind,
    /// What may stand instead of a value of that kind; of a flag and a choice, all there is.
    pub choices: Vec<String>,
    /// Of a path: whether it must be there. The same as `path = "any"`.
    pub exists: bool,
    /// Of a path: what must be true of it.
    pub path: Option<Sort>,
    /// Of a path: where a relative one begins.
    pub base: Option<String>,
    /// Of a path: the account that opens it, or `{NAME}` for the one that a setting names; that as which the daemon
    /// runs where none is named.
    pub by: Option<String>,
    /// Of an endpoint or port: whether it is UDP.
    pub udp: bool,
    /// Of a path that is missing or of no use: whether the daemon goes on without it.
    pub optional: bool,
    /// Of a path: what is before it where it may be missing. Nothing is asked of such a one.
    pub excuse: Option<String>,
    /// Of an endpoint, address or port: what it is for.
    pub role: Option<Role>,
    /// What parts the words of its value, where that is a list: `" "`, `", "`.
    pub list: Option<String>,
    /// Which word of the value is meant, from 1; of an entry of `words`.
    pub nth: Option<usize>,
    /// The word behind this one is meant; of an entry of `words`.
    pub behind: Option<String>,
    /// What follows this in a word is meant (`file=`); of an entry of `words`.
    pub key: Option<String>,
    /// What may stand before the word and is no part of it.
    pub strip: Vec<String>,
    /// Which two words of the value, from 1, are the host and the port of another program.
    pub peer: Option<[usize; 2]>,
    /// What the words of its value are, where they are of several kinds.
    pub words: Vec<Setting>,
    /// Whether the elements of the block of this name are its values.
    pub elements: bool,
    /// The least number.
    pub min: Option<i64>,
    /// The greatest number.
    pub max: Option<i64>,
    /// The least value that is likely, written as in the file.
    pub least: Option<String>,
    /// The greatest value that is likely, written as in the file.
    pub most: Option<String>,
    /// A value that many hosts do well with, for messages.
    pub usual: Option<String>,
    /// How much one is, where no unit follows the number: 8192 where a bare 16 means 128 kB.
    pub bare: Option<i64>,
    /// The value that holds where it is not set.
    pub default: Option<String>,
    /// What it does.
    pub about: Option<String>,
    /// Whether it may stand several times, each adding to the others.
    pub repeats: bool,
    /// Whether an empty one takes back those read before, so that a new value in another file needs one.
    pub resets: bool,
    /// Whether a block that has one of its own takes over none from around it.
    pub replaced_inside: bool,
    /// Whether the first word of its value is part of what it is: `Subsystem sftp …`.
    pub keyed: bool,
    /// Which of several decides, where that differs from the daemon's own way.
    pub wins: Option<Wins>,
    /// The blocks that it belongs in, by their first word; anywhere where none is named. `""` is outside of all.
    pub within: Vec<String>,
    /// Whether its value must never be shown.
    pub secret: bool,
    /// What a change of it needs, where that differs from the daemon's `activation`.
    pub activation: Option<Activation>,
    /// For whom a change holds, where that is not everybody at once: "new sessions".
    pub holds_for: Option<String>,
    /// What else comes of a value: by the value, or the beginning of it before a `*`.
    pub side_effects: BTreeMap<String, String>,
    /// What a change of it does to the daemon's data; putting the file back does not undo that.
    pub data: Option<String>,
    /// The version of the daemon that first knew it.
    pub since: Option<String>,
    /// The version that no longer knows it.
    pub until: Option<String>,
}

/// A key, whether a setting has it, and the kinds that have it.
type KeyOfKinds = (&'static str, fn(&Setting) -> bool, &'static [Kind]);

/// The keys of a setting that some kinds alone have. A text may be any of them.
const OF_KINDS: [KeyOfKinds; 12] = [
    ("exists", |one| one.exists, PATHS),
    ("path", |one| one.path.is_some(), PATHS),
    ("base", |one| one.base.is_some(), PATHS),
    ("by", |one| one.by.is_some(), PATHS),
    ("excuse", |one| one.excuse.is_some(), PATHS),
    ("udp", |one| one.udp, &[Kind::Endpoint, Kind::Port, Kind::Host]),
    ("role", |one| one.role.is_some(), &[Kind::Endpoint, Kind::Address, Kind::Port, Kind::Host, Kind::Url]),
    ("min", |one| one.min.is_some(), NUMBERS),
    ("max", |one| one.max.is_some(), NUMBERS),
    ("least", |one| one.least.is_some(), NUMBERS),
    ("most", |one| one.most.is_some(), NUMBERS),
    ("bare", |one| one.bare.is_some(), NUMBERS),
];
/// A Unix socket is an endpoint, and a file.
const PATHS: &[Kind] = &[Kind::Path, Kind::Endpoint];
const NUMBERS: &[Kind] =
    &[Kind::Integer, Kind::Number, Kind::Size, Kind::Duration, Kind::Percent, Kind::Port, Kind::Mode];

impl Setting {
    /// The first key that a setting of its kind does not have, in it or in its words.
    pub fn stray_key(&self) -> Option<(&'static str, Kind)> {
        let own = OF_KINDS.iter().find(|(_, is_there, kinds)| {
            is_there(self) && self.kind != Kind::Text && !kinds.contains(&self.kind)
        });
        own.map(|(key, ..)| (*key, self.kind)).or_else(|| self.words.iter().find_map(Self::stray_key))
    }

    /// What must be true of the path that it names.
    pub fn sort(&self) -> Option<Sort> {
        self.path.or(self.exists.then_some(Sort::Any))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_kind_has_its_own_keys_and_no_others() {
        let stray = |text: &str| toml::from_str::<Setting>(text).unwrap().stray_key();
        assert_eq!(stray("kind = 'path'\npath = 'file'"), None);
        assert_eq!(stray("kind = 'integer'\nmin = 0\nmost = '5'"), None);
        assert_eq!(stray("path = 'file'\nmin = 1"), None, "a text may be anything");
        assert_eq!(stray("kind = 'path'\nmin = 1"), Some(("min", Kind::Path)));
        assert_eq!(stray("kind = 'flag'\nrole = 'listen'"), Some(("role", Kind::Flag)));
        let within = "words = [{ nth = 2, kind = 'user', udp = true }]";
        assert_eq!(stray(within), Some(("udp", Kind::User)));
    }
}
