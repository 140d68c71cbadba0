//! What edits are placed in and by, and what each of them comes to.

use super::ask::Edit;
use super::expected::Expected;
use crate::doc::{Document, LeafId};
use crate::finding::Finding;
use crate::text::Splice;

/// One configuration file of the daemon.
#[derive(Clone, Debug)]
pub struct File {
    /// Its name, for findings.
    pub path: String,
    /// What it holds.
    pub doc: Document,
}

/// What the profile and the command line say about where edits go.
#[derive(Clone, Copy)]
pub struct Guide<'a> {
    /// The file for settings that are nowhere yet.
    pub home: usize,
    /// The only file to edit, where one was named.
    pub only: Option<usize>,
    /// The block for a setting of this name that is set nowhere yet; at the top where none is named, or there is no such.
    pub block: &'a dyn Fn(&str) -> Option<String>,
    /// A remark to stand above what is new or changed, in the file's own comment style.
    pub remark: Option<&'a str>,
    /// The daemon's own spelling of a name.
    pub spelling: &'a dyn Fn(&str) -> Option<String>,
    /// Whether a text may be a value of a name; tells a sleeping setting from prose.
    pub plausible: &'a dyn Fn(&str, &str) -> bool,
    /// Whether the values of a name are quantities, which can be raised and lowered.
    pub quantity: &'a dyn Fn(&str) -> bool,
    /// Whether a statement is in effect, where that is known.
    pub in_effect: &'a dyn Fn(usize, LeafId) -> bool,
    /// Whether it is known which statements are in effect.
    pub knows_effect: bool,
    /// The line as which the setting at this address was commented out last, where that is recorded.
    pub disabled: &'a dyn Fn(&str) -> Option<String>,
    /// Whether the setting at this address adds up until an empty one resets it.
    pub resets: &'a dyn Fn(&str) -> bool,
    /// What parts the words of a name's values, where they are lists.
    pub list: &'a dyn Fn(&str) -> Option<String>,
    /// Whether it is known what the values of a name are. Where it is not, a value shows whether it is a list.
    pub described: &'a dyn Fn(&str) -> bool,
}

impl Default for Guide<'_> {
    /// Nothing is known: the first file, no names.
    fn default() -> Self {
        Self {
            home: 0,
            only: None,
            block: &|_| None,
            remark: None,
            spelling: &|_| None,
            plausible: &|_, _| false,
            quantity: &|_| false,
            in_effect: &|_, _| true,
            knows_effect: false,
            disabled: &|_| None,
            resets: &|_| false,
            list: &|_| None,
            described: &|_| false,
        }
    }
}

/// Where the splices of one edit go, and what they should amount to.
pub struct ResolvedEdit {
    pub file: usize,
    pub leaf: Option<LeafId>,
    pub expected: Expected,
    pub splices: Vec<Splice>,
    pub address: String,
    /// What stood there and what is to stand there, where that is more than a line.
    pub lines: Option<(String, String)>,
}

/// What an edit comes to; none where it is no such edit.
pub type Resolution = Result<Option<Vec<ResolvedEdit>>, Finding>;

/// Everything that edits are placed in and by.
pub struct EditContext<'a> {
    pub files: &'a [File],
    pub edits: &'a [Edit],
    pub guide: &'a Guide<'a>,
    /// The edit that is being placed, for what is said of it.
    pub edit: Option<&'a Edit>,
}
