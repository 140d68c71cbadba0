//! The form of a file as a person names it: a family, or JSON with comments, which is a dialect of one.

use crate::doc::{Dialect, Document, Family};
use crate::profile::{Files, Profile};

/// What JSON with comments is called.
const COMMENTED_JSON: &str = "jsonc";
/// Marks that begin a comment somewhere.
const MARKS: [&str; 4] = ["#", ";", "//", "!"];

/// So much of a file is looked at for its style, in bytes.
pub const STYLE_BYTES: usize = 256 << 10;

/// A family, and the dialect of it that a file is written in.
#[derive(Clone, Debug)]
pub struct FileFormat {
    /// The family.
    pub family: Family,
    /// The dialect.
    pub dialect: Dialect,
}

impl FileFormat {
    /// What a daemon without a profile is taken to read.
    pub fn plain(family: Family) -> Self {
        Self { family, dialect: family.plain_dialect() }
    }

    /// JSON with the comments of C and C++.
    pub fn commented_json() -> Self {
        let plain = Self::plain(Family::Json);
        let comments = vec!["//".to_owned(), "/*".to_owned()];
        Self { dialect: Dialect { comments, ..plain.dialect }, ..plain }
    }

    /// The form of this name: that of a family, or `jsonc`.
    pub fn named(name: &str) -> Option<Self> {
        match name {
            COMMENTED_JSON => Some(Self::commented_json()),
            name => Family::named(name).map(Self::plain),
        }
    }

    /// All names that there are.
    pub fn names() -> impl Iterator<Item = &'static str> {
        Family::ALL.into_iter().map(Family::name).chain([COMMENTED_JSON])
    }

    /// What it is called.
    pub fn name(&self) -> &'static str {
        let is_commented = self.family == Family::Json && !self.dialect.comments.is_empty();
        if is_commented { COMMENTED_JSON } else { self.family.name() }
    }

    /// The same with what lines of such a file show: what begins a comment, and whether `=` has blanks around it.
    pub fn as_seen(mut self, bytes: &[u8]) -> Self {
        if self.family.is_standard() {
            return self;
        }
        let text = String::from_utf8_lossy(&bytes[..bytes.len().min(STYLE_BYTES)]);
        let begins = |mark: &str| text.lines().any(|line| is_begun_by(line, mark));
        let seen: Vec<String> =
            MARKS.iter().filter(|mark| begins(mark)).map(|mark| (*mark).to_owned()).collect();
        // What begins a comment in this file comes first: a line is commented out with it.
        let known: Vec<String> =
            self.dialect.comments.iter().filter(|mark| !seen.contains(mark)).cloned().collect();
        self.dialect.comments = seen.into_iter().chain(known).collect();
        let (mut tight, mut wide) = (0, 0);
        for line in text.lines() {
            match assigned(commented_out(line).unwrap_or(line)) {
                Some(name) if name.ends_with(' ') => wide += 1,
                Some(_) => tight += 1,
                None => {}
            }
        }
        self.dialect.tight |= tight > wide;
        self
    }

    /// Whether every line can be read so.
    pub fn reads(&self, bytes: &[u8]) -> bool {
        Document::read(bytes.into(), self.family, self.dialect.clone())
            .is_ok_and(|doc| doc.tree().broken().next().is_none())
    }

    /// The profile of a daemon of which only this file is known.
    pub fn bare_profile(self, daemon: &str, title: String, path: &str) -> Profile {
        let profile = Profile::bare(daemon, title, Files::one(path.to_owned(), self.family));
        Profile { dialect: self.dialect, ..profile }
    }
}

/// Whether a line is a comment with this mark. `//quay/share` is a place, and `!include` a word, in some formats.
fn is_begun_by(line: &str, mark: &str) -> bool {
    let needs_blank = matches!(mark, "//" | "!");
    let behind = line.trim_start().strip_prefix(mark).map(|rest| rest.trim_start_matches(mark));
    behind.is_some_and(|behind| !needs_blank || behind.is_empty() || behind.starts_with(char::is_whitespace))
}

/// What is behind the mark of a comment; none where the line is none.
pub(super) fn commented_out(line: &str) -> Option<&str> {
    let mark = MARKS.into_iter().find(|mark| is_begun_by(line, mark))?;
    Some(line.trim_start()[mark.len()..].trim_start_matches(mark).trim_start())
}

/// What is before the first `=` of a line that assigns to a name, with the blanks between.
pub(super) fn assigned(line: &str) -> Option<&str> {
    let (name, _) = line.trim_start().split_once('=')?;
    let bare = name.trim_end();
    let is_name = |c: char| c.is_alphanumeric() || "_.-/*:".contains(c);
    (!bare.is_empty() && bare.chars().all(is_name)).then_some(name)
}
