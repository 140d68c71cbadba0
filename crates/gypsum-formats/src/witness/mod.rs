//! The second witness: another reader's account of a file, which shares no code with the one that made the
//! tree. An edit counts only where both accounts change by exactly what was asked for.
//!
//! The standards are read by other crates than those that the tree is on, XML and the formats without a
//! crate by a small strict grammar of their own. Formats of one setting a line have no witness here: there
//! the daemon's own account or checker is asked.

mod account;
mod braces;
mod builder;
mod compare;
mod digest;
mod json;
mod nested;
mod python;
mod shell;
mod stanzas;
mod toml;
mod words;
mod xml;
mod yaml;

pub use account::{Account, Entry, Named, Scalar, Sort, Unreadable};
pub use builder::Builder;
pub use compare::{Changed, Disagreement, Selected, compare, rest_is_same};
use digest::Digesting;
pub use digest::{Digest, Selector};
pub use python::is_literal as is_python_literal;
use std::ops::Range;

use crate::doc::{Dialect, Document, Family};

/// A family's second reader.
#[derive(Clone, Copy, Debug)]
pub struct Witness {
    family: Family,
}

impl Witness {
    /// The witness for `family`; `None` where there is none.
    pub fn of(family: Family) -> Option<Self> {
        use Family as F;
        let has = matches!(
            family,
            F::Json
                | F::Yaml
                | F::Toml
                | F::Xml
                | F::Literals
                | F::Assignments
                | F::Braces
                | F::Nested
                | F::Stanzas
        );
        has.then_some(Self { family })
    }

    /// What `source` says.
    ///
    /// # Errors
    ///
    /// Where the witness cannot read it, with the place.
    pub fn read(self, source: &[u8], dialect: &Dialect) -> Result<Account, Unreadable> {
        let mut builder = Builder::default();
        self.take_down(source, dialect, &mut builder)?;
        Ok(builder.finish())
    }

    /// What `source` says, in short: what `selector` asks for, what all else comes to, and of that the entries with
    /// these numbers.
    ///
    /// # Errors
    ///
    /// Where the witness cannot read it, with the place.
    pub fn digest(
        self,
        source: &[u8],
        dialect: &Dialect,
        selector: Selector,
        window: Range<usize>,
    ) -> Result<Digest, Unreadable> {
        let mut builder = Builder::digesting(Digesting::new(selector, self.ignores_hollow(), window));
        self.take_down(source, dialect, &mut builder)?;
        builder.finish_digest().ok_or_else(|| Unreadable::new(0, "nothing was taken down"))
    }

    fn take_down(self, source: &[u8], dialect: &Dialect, builder: &mut Builder) -> Result<(), Unreadable> {
        match self.family {
            Family::Json => json::read(source, !dialect.comments.is_empty(), builder),
            Family::Yaml => yaml::read(source, builder),
            Family::Toml => toml::read(source, builder),
            Family::Xml => xml::read(source, builder),
            Family::Literals => python::read(source, builder),
            Family::Assignments => shell::read(source, builder),
            Family::Braces => braces::read(source, dialect, builder),
            Family::Nested => nested::read(source, dialect, builder),
            Family::Stanzas => stanzas::read(source, dialect, builder),
            Family::Keyword
            | Family::Sections
            | Family::Tags
            | Family::Equals
            | Family::Properties
            | Family::Records => Ok(()),
        }
    }

    /// What `text` is as a value by itself; `None` where it is none by itself.
    pub fn value_alone(self, text: &str, dialect: &Dialect) -> Option<Account> {
        match self.family {
            Family::Json => json::value_alone(text, !dialect.comments.is_empty()),
            Family::Yaml => yaml::value_alone(text),
            Family::Toml => toml::value_alone(text),
            Family::Literals => python::value_alone(text),
            Family::Braces | Family::Stanzas => Some(words::alone(text, dialect)),
            Family::Nested => Some(nested::value_alone(text, dialect)),
            _ => None,
        }
    }

    /// Whether a block in which nothing has a value is the same as none: a header of TOML says nothing by itself.
    pub fn ignores_hollow(self) -> bool {
        self.family == Family::Toml
    }

    /// Whether a name counts once in a block, by the standard (RFC 8259, 4; YAML 1.2.2, 3.2.1.1; TOML 1.0.0).
    pub fn has_unique_names(self) -> bool {
        matches!(self.family, Family::Json | Family::Yaml | Family::Toml)
    }

    /// Whether a value may hold names in whose place something else is read.
    pub fn expands(self) -> bool {
        self.family == Family::Assignments
    }

    /// Whether a value is a text, a number and so on, and keeps its sort.
    pub fn has_sorts(self) -> bool {
        matches!(self.family, Family::Json | Family::Yaml | Family::Toml | Family::Literals)
    }
}

/// Where `source` is not what its standard wants.
///
/// # Errors
///
/// The first place that breaks the standard's rules.
pub fn well_formed(family: Family, source: &[u8], dialect: &Dialect) -> Result<(), Unreadable> {
    match family {
        Family::Json => json::well_formed(source, !dialect.comments.is_empty()),
        Family::Xml => xml::well_formed(source),
        Family::Yaml | Family::Toml => Witness { family }.read(source, dialect).map(drop),
        _ => Ok(()),
    }
}

/// Why a document is not what its standard wants, behind a colon; empty where nothing is wrong, or there is no standard.
pub fn why_malformed(doc: &Document) -> String {
    let why = well_formed(doc.family(), doc.source(), doc.dialect()).err();
    why.map_or_else(String::new, |why| format!(": {}", why.why))
}

/// Length of the byte-order mark of UTF-8 at the start of `source`.
fn mark_length(source: &[u8]) -> usize {
    if source.starts_with(b"\xef\xbb\xbf") { 3 } else { 0 }
}
