//! `nested`: one statement a line, without a mark at its end, and blocks: `name … {`, `name = value`, `}`.

use super::format::{BlockLines, Format, texts};
use super::keyword::Keyword;
use super::scan::{nested, trim};
use super::{Dialect, Document, Kind, Parts, Tree};
use crate::text::Span;

/// The format.
pub(super) struct Nested;

impl Format for Nested {
    fn plain_dialect(&self) -> Dialect {
        Dialect {
            inline_comments: texts(&["#"]),
            equals: true,
            includes: texts(&["include", "!include", "!include_try"]),
            ..Dialect::default()
        }
    }

    fn read(&self, source: &[u8], dialect: &Dialect) -> Tree {
        nested(source, dialect, |text, dialect| Nested.kind_of(text, dialect))
    }

    fn split(&self, source: &[u8], kind: Kind, span: Span, dialect: &Dialect) -> Option<Parts> {
        if kind != Kind::Open {
            return Keyword.split(source, Kind::Setting, span, dialect);
        }
        let text = trim(source, span);
        let brace = memchr::memrchr(b'{', text.of(source)).map_or(text.end, |at| text.start + at as u32);
        let parts = Keyword.split(
            source,
            Kind::Setting,
            trim(source, Span { start: text.start, end: brace }),
            dialect,
        )?;
        Some(Parts { end: brace + 1, ..parts })
    }

    /// The kind of a line that begins with `text`.
    fn kind_of(&self, text: &[u8], dialect: &Dialect) -> Kind {
        if dialect.comment_mark(text).is_some() {
            return Kind::Comment;
        }
        let line = memchr::memchr(b'\n', text).map_or(text, |end| &text[..end]);
        let line = without_remark(line, dialect).trim_ascii_end();
        match (line.first(), line.last()) {
            (Some(b'}'), _) if line.len() == 1 => Kind::Close,
            (Some(b'{' | b'}'), _) => Kind::Broken,
            (_, Some(b'{')) => Kind::Open,
            // A whole block in one line is not ours to take apart.
            (_, Some(b'}')) if line.contains(&b'{') && !line.contains(&b'=') => Kind::Opaque,
            _ => Kind::Setting,
        }
    }

    fn separator<'a>(&self, dialect: &'a Dialect) -> &'a str {
        if dialect.equals { " = " } else { " " }
    }

    fn closes_blocks(&self) -> bool {
        true
    }

    fn block_lines(&self, words: &str, _: &Document) -> Option<BlockLines> {
        Some((format!("{words} {{"), Some("}".into())))
    }
}

/// The line without a comment behind its statement.
fn without_remark<'a>(line: &'a [u8], dialect: &Dialect) -> &'a [u8] {
    let marks = dialect.inline_comments.iter();
    let ends = marks.filter_map(|mark| memchr::memmem::find(line, format!(" {mark}").as_bytes()));
    ends.min().map_or(line, |end| &line[..end])
}
