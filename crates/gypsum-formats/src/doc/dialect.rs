//! What tells two daemons of one family apart.

use serde::Deserialize;
use std::collections::BTreeMap;

/// Which of several statements of one setting decides.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum Wins {
    /// The first one; later ones are ignored.
    First,
    /// The last one.
    #[default]
    Last,
}

/// The variations of a family, given by the daemon's profile.
#[derive(Clone, Debug, Deserialize)]
#[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
#[serde(default, deny_unknown_fields, rename_all = "kebab-case")]
pub struct Dialect {
    /// Marks that make a comment of a line that begins with one.
    pub comments: Vec<String>,
    /// Marks that begin a comment behind a value, after a blank.
    pub inline_comments: Vec<String>,
    /// Whether these marks begin a comment without a blank before them, too.
    pub comments_anywhere: bool,
    /// Characters that quote a value.
    pub quotes: String,
    /// Characters that mean something else outside of quotes: a value that holds one is quoted.
    pub special: String,
    /// Characters that a backslash is before, between double quotes, to be themselves; `n`, `r`, `t`, `b` and
    /// `s` name a line end, a carriage return, a tab, a backspace and a blank.
    pub escaped: String,
    /// Whether it is so outside of quotes, too.
    pub escaped_outside: bool,
    /// Whether a quote between quotes is written twice.
    pub doubled: bool,
    /// Whether names differ by case only (`port`, `Port`).
    pub ignore_case: bool,
    /// Whether `-` and `_` are the same in a name.
    pub dash_is_underscore: bool,
    /// `keyword` only: whether `Name=value` is read like `Name value`.
    pub equals: bool,
    /// Whether there is no blank around the `=` of new settings where the file shows no example.
    pub tight: bool,
    /// Whether a backslash at the end of a line continues it.
    pub continuation: bool,
    /// Whether a backslash continues a comment, too, and hides the line below it.
    pub comments_continue: bool,
    /// Whether comments may be between the lines of a value that a backslash continues.
    pub comments_inside: bool,
    /// `keyword`: names that begin a conditional group, which runs to the next one. `stanzas`: the words
    /// that are headers; where there are none, headers end in a colon.
    pub groups: Vec<String>,
    /// `equals` and `records`: whether an indented line continues the value above it.
    pub indent_continues: bool,
    /// `records` only: the character that parts columns; blanks where none is named.
    pub column: String,
    /// `braces` only: whether a block is itself a statement, so that a `;` is behind the brace that closes it.
    pub block_is_statement: bool,
    /// Blocks that nothing in their own line tells apart, each with the setting whose value does.
    pub identified_by: BTreeMap<String, String>,
    /// Names of statements whose value is a file, or a pattern of files, that is read at their place.
    pub includes: Vec<String>,
    /// Names of statements whose value is a folder, each with the pattern of the files in it that are read.
    pub include_folders: BTreeMap<String, String>,
    /// Titles of blocks that are one and the same to the daemon.
    pub same_blocks: Vec<Vec<String>>,
    /// Which of several statements decides.
    pub wins: Wins,
}

impl Default for Dialect {
    fn default() -> Self {
        Self {
            comments: vec!["#".into()],
            inline_comments: Vec::new(),
            comments_anywhere: false,
            quotes: "\"".into(),
            special: String::new(),
            escaped: String::new(),
            escaped_outside: false,
            doubled: false,
            ignore_case: false,
            dash_is_underscore: false,
            equals: false,
            tight: false,
            continuation: false,
            comments_continue: false,
            comments_inside: false,
            groups: Vec::new(),
            indent_continues: false,
            column: String::new(),
            block_is_statement: false,
            identified_by: BTreeMap::new(),
            includes: Vec::new(),
            include_folders: BTreeMap::new(),
            same_blocks: Vec::new(),
            wins: Wins::default(),
        }
    }
}

impl Dialect {
    /// Whether two names are the same to this daemon.
    pub fn same(&self, a: &[u8], b: &[u8]) -> bool {
        a.len() == b.len() && a.iter().zip(b).all(|(a, b)| self.fold(*a) == self.fold(*b))
    }

    /// A name in the one spelling that all its spellings share.
    pub fn folded(&self, name: &[u8]) -> Vec<u8> {
        name.iter().map(|byte| self.fold(*byte)).collect()
    }

    fn fold(&self, byte: u8) -> u8 {
        match byte {
            b'-' if self.dash_is_underscore => b'_',
            _ if self.ignore_case => byte.to_ascii_lowercase(),
            _ => byte,
        }
    }

    /// The mark with which `text` begins a comment.
    pub fn comment_mark(&self, text: &[u8]) -> Option<&str> {
        self.comments.iter().map(String::as_str).find(|mark| text.starts_with(mark.as_bytes()))
    }

    /// The mark with which this dialect comments a line out.
    pub fn own_mark(&self) -> &str {
        self.comments.first().map_or("#", String::as_str)
    }

    /// Whether an inline comment begins with `text`, which is behind `before`.
    pub fn begins_inline_comment(&self, text: &[u8], before: Option<u8>) -> bool {
        let apart = self.comments_anywhere || before.is_none_or(|byte| byte.is_ascii_whitespace());
        apart && self.inline_comments.iter().any(|mark| text.starts_with(mark.as_bytes()))
    }

    /// Whether a statement of this name has a file, or several, read at its place.
    pub fn is_include(&self, name: &[u8]) -> bool {
        self.includes.iter().chain(self.include_folders.keys()).any(|known| self.same(known.as_bytes(), name))
    }

    /// Whether `byte` quotes a value.
    pub fn is_quote(&self, byte: u8) -> bool {
        self.quotes.as_bytes().contains(&byte)
    }
}
