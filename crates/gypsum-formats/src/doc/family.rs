//! The families of formats, and the way from one to its reader.

use super::format::{BlockLines, Format};
use super::{
    Dialect, Document, Kind, Parts, Tree, assignments, braces, equals, escapes, json, keyword, literals,
    nested, properties, records, scalars, sections, stanzas, tags, toml, xml, yaml,
};
use crate::text::Span;
use serde::{Deserialize, Serialize};
use std::borrow::Cow;

/// The list of all formats: a new one is a line here, and a file of its own.
macro_rules! families {
    ($($(#[$about:meta])+ $family:ident = $name:literal: $format:path,)+) => {
        /// A family of formats; a daemon's dialect tells its members apart.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
        #[cfg_attr(feature = "reference", derive(schemars::JsonSchema))]
        pub enum Family {
            $($(#[$about])+ #[serde(rename = $name)] $family,)+
        }

        impl Family {
            /// All families.
            pub const ALL: [Self; [$($name),+].len()] = [$(Self::$family),+];

            /// The name as it is typed.
            pub fn name(self) -> &'static str {
                match self {
                    $(Self::$family => $name,)+
                }
            }

            fn format(self) -> &'static dyn Format {
                match self {
                    $(Self::$family => &$format,)+
                }
            }
        }
    };
}

families! {
    /// `Name value …`, one a line; conditional groups that run to the next one.
    Keyword = "keyword": keyword::Keyword,
    /// `[name]` headers, `key = value` under them.
    Sections = "sections": sections::Sections,
    /// `<Name args>` … `</Name>`, `Name args`.
    Tags = "tags": tags::Tags,
    /// `name args;`, `name args { … }`.
    Braces = "braces": braces::Braces,
    /// `name = value`, `name args {`, `}`: one a line, without a mark at the end.
    Nested = "nested": nested::Nested,
    /// `key = value`, on in indented lines.
    Equals = "equals": equals::Equals,
    /// Java properties.
    Properties = "properties": properties::Properties,
    /// Shell assignments.
    Assignments = "assignments": assignments::Assignments,
    /// `NAME = literal` of a Python settings file.
    Literals = "literals": literals::Literals,
    /// A header line, settings under it.
    Stanzas = "stanzas": stanzas::Stanzas,
    /// One record a line.
    Records = "records": records::Records,
    /// JSON, with comments where the dialect has them.
    Json = "json": json::Json,
    /// YAML.
    Yaml = "yaml": yaml::Yaml,
    /// TOML.
    Toml = "toml": toml::Toml,
    /// XML.
    Xml = "xml": xml::Xml,
}

impl Family {
    /// The family called `name`.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|family| family.name() == name)
    }

    /// The family whose files have names that end like this, behind the last dot.
    pub fn of_ending(ending: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|family| family.format().endings().contains(&ending))
    }

    /// The dialect to assume for a daemon without a profile.
    pub fn plain_dialect(self) -> Dialect {
        self.format().plain_dialect()
    }

    pub(super) fn read(self, source: &[u8], dialect: &Dialect) -> Tree {
        self.format().read(source, dialect)
    }

    /// Splits the statement in `span`; `None` where it holds none after all.
    pub(super) fn split(self, source: &[u8], kind: Kind, span: Span, dialect: &Dialect) -> Option<Parts> {
        self.format().split(source, kind, span, dialect)
    }

    /// What `text`, taken out of a comment, would be if it were awake.
    pub(super) fn kind_of(self, text: &[u8], dialect: &Dialect) -> Kind {
        self.format().kind_of(text, dialect)
    }

    /// What is between a name and its value where the file shows no example.
    pub fn separator(self, dialect: &Dialect) -> &str {
        self.format().separator(dialect)
    }

    /// The mark that ends a statement.
    pub fn terminator(self) -> &'static str {
        self.format().terminator()
    }

    /// Whether a block is closed by a mark of its own.
    pub fn closes_blocks(self) -> bool {
        self.format().closes_blocks()
    }

    /// The lines around a new block of these words in `doc`; `None` if the format has no blocks.
    pub fn block_lines(self, words: &str, doc: &Document) -> Option<BlockLines> {
        self.format().block_lines(words, doc)
    }

    /// Whether it is one of the standards, whose values have sorts and whose texts have escapes.
    pub fn is_standard(self) -> bool {
        self.format().is_standard()
    }

    /// What ends a remark that has a line of its own.
    pub fn remark_end(self) -> &'static str {
        self.format().remark_end()
    }

    /// Whether `value` must be quoted to stay one value.
    pub fn needs_quotes(self, value: &str) -> bool {
        self.format().needs_quotes(value)
    }

    /// Whether what is commented out behind a name may be a value, where nothing is known of the names.
    pub fn may_be_value(self, value: &str) -> bool {
        self.format().may_be_value(value)
    }

    /// `value` between two `quote`s, with what the format wants before a quote in it.
    pub fn quote(self, value: &str, quote: u8, dialect: &Dialect) -> Vec<u8> {
        if self.is_standard() {
            return scalars::quoted(self, value, quote);
        }
        if dialect.doubled || !dialect.escaped.is_empty() {
            return escapes::quoted(value, quote, dialect);
        }
        let mut out = vec![quote];
        for byte in value.bytes() {
            if self.format().wants_backslash(byte, quote) {
                out.push(b'\\');
            }
            out.push(byte);
        }
        out.push(quote);
        out
    }

    /// What a raw value means: quotes around the whole of it taken off.
    pub fn meaning<'a>(self, raw: &'a [u8], dialect: &Dialect) -> Cow<'a, [u8]> {
        self.format().meaning(raw, dialect)
    }
}
