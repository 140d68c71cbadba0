//! The form of a file as a person names it: a family, or JSON with comments, which is a dialect of one.

use crate::doc::{Dialect, Document, Family, Kind};

/// What JSON with comments is called.
const COMMENTED_JSON: &str = "jsonc";

/// A family, and the dialect of it that a file is written in.
#[derive(Clone, Debug)]
pub struct Form {
    /// The family.
    pub family: Family,
    /// The dialect.
    pub dialect: Dialect,
}

impl Form {
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

    /// Whether every line can be read so.
    pub fn reads(&self, bytes: &[u8]) -> bool {
        Document::read(bytes.into(), self.family, self.dialect.clone())
            .is_ok_and(|doc| doc.tree().leaves().all(|(_, kind, _)| kind != Kind::Broken))
    }
}
