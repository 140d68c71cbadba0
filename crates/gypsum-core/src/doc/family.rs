//! The families of formats, and the way from one to its reader.

use super::{Dialect, Kind, Parts, Tree, keyword, sections};
use crate::text::Span;
use serde::{Deserialize, Serialize};

/// A family of formats; a daemon's dialect tells its members apart.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Family {
    /// `Name value …`, one a line; conditional groups that run to the next one.
    Keyword,
    /// `[name]` headers, `key = value` under them.
    Sections,
}

impl Family {
    /// All families, as their names are typed.
    pub const NAMES: [&'static str; 2] = ["keyword", "sections"];

    /// The family called `name`.
    pub fn named(name: &str) -> Option<Self> {
        match name {
            "keyword" => Some(Self::Keyword),
            "sections" => Some(Self::Sections),
            _ => None,
        }
    }

    /// The name as it is typed.
    pub fn name(self) -> &'static str {
        match self {
            Self::Keyword => "keyword",
            Self::Sections => "sections",
        }
    }

    /// The dialect to assume for a daemon without a profile.
    pub fn plain_dialect(self) -> Dialect {
        match self {
            Self::Keyword => Dialect { inline_comments: vec!["#".into()], ..Dialect::default() },
            Self::Sections => Dialect { comments: vec!["#".into(), ";".into()], ..Dialect::default() },
        }
    }

    pub(super) fn read(self, source: &[u8], dialect: &Dialect) -> Tree {
        match self {
            Self::Keyword => keyword::read(source, dialect),
            Self::Sections => sections::read(source, dialect),
        }
    }

    /// Splits the statement in `span`; `None` where it holds none after all.
    pub(super) fn split(self, source: &[u8], kind: Kind, span: Span, dialect: &Dialect) -> Option<Parts> {
        match self {
            Self::Keyword => keyword::split(source, span, dialect),
            Self::Sections => sections::split(source, kind, span, dialect),
        }
    }

    /// What `text`, taken out of a comment, would be if it were awake.
    pub(super) fn kind_of(self, text: &[u8], dialect: &Dialect) -> Kind {
        match self {
            Self::Keyword => keyword::kind_of(text, dialect),
            Self::Sections => sections::kind_of(text, dialect),
        }
    }

    /// What stands between a name and its value where the file shows no example.
    pub fn separator(self) -> &'static str {
        match self {
            Self::Keyword => " ",
            Self::Sections => " = ",
        }
    }
}
