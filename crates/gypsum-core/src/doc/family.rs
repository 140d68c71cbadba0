//! The families of formats, and the way from one to its reader.

use super::{
    Dialect, Kind, Parts, Tree, assignments, braces, equals, escapes, json, keyword, literals, nested,
    properties, records, scalars, sections, stanzas, tags, toml, xml, yaml,
};
use crate::text::Span;
use serde::{Deserialize, Serialize};
use std::borrow::Cow;

/// A family of formats; a daemon's dialect tells its members apart.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Family {
    /// `Name value …`, one a line; conditional groups that run to the next one.
    Keyword,
    /// `[name]` headers, `key = value` under them.
    Sections,
    /// `<Name args>` … `</Name>`, `Name args`.
    Tags,
    /// `name args;`, `name args { … }`.
    Braces,
    /// `name = value`, `name args {`, `}`: one a line, without a mark at the end.
    Nested,
    /// `key = value`, on in indented lines.
    Equals,
    /// Java properties.
    Properties,
    /// Shell assignments.
    Assignments,
    /// `NAME = literal` of a Python settings file.
    Literals,
    /// A header line, settings under it.
    Stanzas,
    /// One record a line.
    Records,
    /// JSON, with comments where the dialect has them.
    Json,
    /// YAML.
    Yaml,
    /// TOML.
    Toml,
    /// XML.
    Xml,
}

impl Family {
    /// All families.
    pub const ALL: [Self; 15] = [
        Self::Keyword,
        Self::Sections,
        Self::Tags,
        Self::Braces,
        Self::Nested,
        Self::Equals,
        Self::Properties,
        Self::Assignments,
        Self::Literals,
        Self::Stanzas,
        Self::Records,
        Self::Json,
        Self::Yaml,
        Self::Toml,
        Self::Xml,
    ];

    /// The family called `name`.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|family| family.name() == name)
    }

    /// The name as it is typed.
    pub fn name(self) -> &'static str {
        match self {
            Self::Keyword => "keyword",
            Self::Sections => "sections",
            Self::Tags => "tags",
            Self::Braces => "braces",
            Self::Nested => "nested",
            Self::Equals => "equals",
            Self::Properties => "properties",
            Self::Assignments => "assignments",
            Self::Literals => "literals",
            Self::Stanzas => "stanzas",
            Self::Records => "records",
            Self::Json => "json",
            Self::Yaml => "yaml",
            Self::Toml => "toml",
            Self::Xml => "xml",
        }
    }

    /// The dialect to assume for a daemon without a profile.
    pub fn plain_dialect(self) -> Dialect {
        let marks = |marks: &[&str]| marks.iter().map(|mark| (*mark).to_owned()).collect();
        let plain = Dialect::default();
        match self {
            Self::Keyword => Dialect {
                inline_comments: marks(&["#"]),
                quotes: "\"'".into(),
                includes: marks(&["include", "Include"]),
                ..plain
            },
            Self::Stanzas => Dialect {
                inline_comments: marks(&["#"]),
                quotes: "\"'".into(),
                includes: marks(&["include", "include-toplevel"]),
                ..plain
            },
            Self::Literals => Dialect { inline_comments: marks(&["#"]), quotes: "\"'".into(), ..plain },
            // Where nothing is known of the daemon, a line that ends in a backslash may go on in the next one.
            Self::Sections => Dialect { comments: marks(&["#", ";"]), continuation: true, ..plain },
            Self::Tags => Dialect {
                continuation: true,
                comments_continue: true,
                ignore_case: true,
                includes: marks(&["Include", "IncludeOptional"]),
                ..plain
            },
            Self::Braces => Dialect {
                comments: marks(&["#", "//", "/*"]),
                quotes: "\"'".into(),
                includes: marks(&["include"]),
                identified_by: [("server".to_owned(), "server_name".to_owned())].into(),
                ..plain
            },
            Self::Nested => Dialect {
                inline_comments: marks(&["#"]),
                equals: true,
                includes: marks(&["include", "!include", "!include_try"]),
                ..plain
            },
            Self::Equals => Dialect {
                inline_comments: marks(&["#"]),
                quotes: "'\"".into(),
                indent_continues: true,
                includes: marks(&["include", "include_if_exists"]),
                ..plain
            },
            Self::Properties => Dialect { comments: marks(&["#", "!"]), quotes: String::new(), ..plain },
            Self::Assignments => Dialect { quotes: "\"'".into(), ..plain },
            Self::Records => Dialect { inline_comments: marks(&["#"]), quotes: String::new(), ..plain },
            // The standard has no comments; a daemon that takes them says so in its profile.
            Self::Json => Dialect { comments: Vec::new(), ..plain },
            Self::Yaml | Self::Toml => {
                Dialect { inline_comments: marks(&["#"]), quotes: "\"'".into(), ..plain }
            }
            Self::Xml => Dialect { comments: marks(&["<!--"]), quotes: "\"'".into(), ..plain },
        }
    }

    pub(super) fn read(self, source: &[u8], dialect: &Dialect) -> Tree {
        match self {
            Self::Keyword => keyword::read(source, dialect),
            Self::Sections => sections::read(source, dialect),
            Self::Tags => tags::read(source, dialect),
            Self::Braces => braces::read(source, dialect),
            Self::Nested => nested::read(source, dialect),
            Self::Equals => equals::read(source, dialect),
            Self::Properties => properties::read(source, dialect),
            Self::Assignments => assignments::read(source, dialect),
            Self::Literals => literals::read(source, dialect),
            Self::Stanzas => stanzas::read(source, dialect),
            Self::Records => records::read(source, dialect),
            Self::Json => json::read(source, dialect),
            Self::Yaml => yaml::read(source, dialect),
            Self::Toml => toml::read(source, dialect),
            Self::Xml => xml::read(source, dialect),
        }
    }

    /// Splits the statement in `span`; `None` where it holds none after all.
    pub(super) fn split(self, source: &[u8], kind: Kind, span: Span, dialect: &Dialect) -> Option<Parts> {
        match self {
            Self::Keyword => keyword::split(source, span, dialect),
            Self::Sections => sections::split(source, kind, span, dialect),
            Self::Tags => tags::split(source, kind, span, dialect),
            Self::Braces => braces::split(source, span, dialect),
            Self::Nested => nested::split(source, kind, span, dialect),
            Self::Equals => equals::split(source, span, dialect),
            Self::Properties => properties::split(source, span),
            Self::Assignments => assignments::split(source, span),
            Self::Literals => literals::split(source, span),
            Self::Stanzas => stanzas::split(source, span, dialect),
            Self::Records => records::split(source, span, dialect),
            Self::Json => json::split(source, kind, span),
            Self::Yaml => yaml::split(source, kind, span),
            Self::Toml => toml::split(source, kind, span),
            Self::Xml => xml::split(source, kind, span),
        }
    }

    /// What `text`, taken out of a comment, would be if it were awake.
    pub(super) fn kind_of(self, text: &[u8], dialect: &Dialect) -> Kind {
        match self {
            Self::Keyword => keyword::kind_of(text, dialect),
            Self::Sections => sections::kind_of(text, dialect),
            Self::Tags => tags::kind_of(text, dialect),
            Self::Braces => braces::kind_of(text, dialect),
            Self::Nested => nested::kind_of(text, dialect),
            Self::Equals => equals::kind_of(text, dialect),
            Self::Properties => properties::kind_of(text, dialect),
            Self::Assignments => assignments::kind_of(text, dialect),
            Self::Literals => literals::kind_of(text, dialect),
            Self::Stanzas => stanzas::kind_of(text, dialect),
            Self::Records => records::kind_of(text, dialect),
            Self::Json => json::kind_of(text),
            Self::Yaml => yaml::kind_of(text),
            Self::Toml => toml::kind_of(text),
            // A comment between two marks holds no setting that one mark would wake.
            Self::Xml => Kind::Opaque,
        }
    }

    /// What stands between a name and its value where the file shows no example.
    pub fn separator(self, dialect: &Dialect) -> &str {
        match self {
            Self::Sections | Self::Equals if dialect.tight => "=",
            Self::Sections | Self::Equals | Self::Literals | Self::Toml => " = ",
            Self::Nested if dialect.equals => " = ",
            Self::Properties | Self::Assignments | Self::Xml => "=",
            Self::Json | Self::Yaml => ": ",
            Self::Stanzas if dialect.groups.is_empty() => ": ",
            Self::Records if !dialect.column.is_empty() => &dialect.column,
            Self::Keyword | Self::Tags | Self::Braces | Self::Nested | Self::Stanzas | Self::Records => " ",
        }
    }

    /// The mark that ends a statement.
    pub fn terminator(self) -> &'static str {
        if self == Self::Braces { ";" } else { "" }
    }

    /// Whether a block is closed by a mark of its own.
    pub fn closes_blocks(self) -> bool {
        matches!(self, Self::Tags | Self::Braces | Self::Nested | Self::Json | Self::Xml)
    }

    /// Whether it is one of the standards, whose values have sorts and whose texts have escapes.
    pub fn is_standard(self) -> bool {
        matches!(self, Self::Json | Self::Yaml | Self::Toml | Self::Xml)
    }

    /// What ends a remark that has a line of its own.
    pub fn remark_end(self) -> &'static str {
        if self == Self::Xml { " -->" } else { "" }
    }

    /// Whether `value` must be quoted to stay one value.
    pub fn needs_quotes(self, value: &str) -> bool {
        let plain = |c: char| c.is_alphanumeric() || "_-./:,@%+=^".contains(c);
        match self {
            Self::Assignments => !value.chars().all(plain),
            Self::Braces => value.contains([';', '{', '}']),
            _ => false,
        }
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
            let special = match self {
                Self::Assignments => quote == b'"' && matches!(byte, b'"' | b'\\'),
                Self::Literals => byte == quote || byte == b'\\',
                _ => false,
            };
            if special {
                out.push(b'\\');
            }
            out.push(byte);
        }
        out.push(quote);
        out
    }

    /// What a raw value means: quotes around the whole of it taken off.
    pub fn meaning<'a>(self, raw: &'a [u8], dialect: &Dialect) -> Cow<'a, [u8]> {
        if self.is_standard() {
            return scalars::meaning(self, raw);
        }
        if self == Self::Properties {
            return properties::meaning(raw);
        }
        let outside = |raw| {
            if dialect.escaped_outside { escapes::taken_off(raw, b'"', dialect) } else { Cow::Borrowed(raw) }
        };
        let [first, inner @ .., last] = raw else {
            return outside(raw);
        };
        if first != last || !dialect.is_quote(*first) || ends_early(inner, *first, dialect) {
            return outside(raw);
        }
        if dialect.doubled || !dialect.escaped.is_empty() {
            return escapes::taken_off(inner, *first, dialect);
        }
        let escapes = match self {
            Self::Assignments => *first == b'"',
            Self::Literals => true,
            _ => false,
        };
        if !escapes || !inner.contains(&b'\\') {
            return Cow::Borrowed(inner);
        }
        let mut out = Vec::with_capacity(inner.len());
        let mut rest = inner.iter().copied().peekable();
        while let Some(byte) = rest.next() {
            match rest.peek() {
                Some(next @ (b'"' | b'\\' | b'`' | b'$' | b'\'')) if byte == b'\\' => {
                    out.push(*next);
                    rest.next();
                }
                _ => out.push(byte),
            }
        }
        Cow::Owned(out)
    }
}

/// Whether the quote that began before `inner` is closed in the middle of it.
fn ends_early(inner: &[u8], quote: u8, dialect: &Dialect) -> bool {
    if dialect.doubled {
        let quotes = inner.split(|byte| *byte == quote);
        // Each quote in it has a twin behind it.
        let pieces: Vec<&[u8]> = quotes.collect();
        return pieces.len().is_multiple_of(2)
            || pieces.iter().skip(1).step_by(2).any(|between| !between.is_empty());
    }
    let mut escaped = false;
    for byte in inner {
        if *byte == quote && !escaped {
            return true;
        }
        escaped = *byte == b'\\' && !escaped;
    }
    escaped
}
