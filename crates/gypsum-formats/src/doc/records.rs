//! `records`: one record a line. Its first column is its name, the rest its value; the columns are
//! parted by blanks, or by the one character that the dialect names.

use super::format::{Format, texts};
use super::scan::{Lines, backslash, further_lines, indented, is_blank, line_end, trim, value_span};
use super::{Dialect, Kind, Parts, Pieces, Tree};
use crate::text::Span;

/// The format.
pub(super) struct Records;

impl Format for Records {
    fn plain_dialect(&self) -> Dialect {
        Dialect { inline_comments: texts(&["#"]), quotes: String::new(), ..Dialect::default() }
    }

    fn read(&self, source: &[u8], dialect: &Dialect) -> Tree {
        let plain = backslash(dialect);
        let extend = |source: &[u8], start, end, kind| match kind {
            Kind::Setting if dialect.indent_continues => indented(source, end, dialect),
            kind => plain(source, start, end, kind),
        };
        Lines { kind_of: |text: &[u8], _| Records.kind_of(text, dialect), extend, nested: false }.read(source)
    }

    fn split(&self, source: &[u8], _: Kind, span: Span, dialect: &Dialect) -> Option<Parts> {
        let whole = trim(source, span);
        let first_end = match dialect.indent_continues {
            true => line_end(source, whole.start as usize).min(span.end as usize) as u32,
            false => span.end,
        };
        let text = trim(source, Span { start: whole.start, end: first_end });
        let bytes = text.of(source);
        let column = dialect.column.as_bytes().first().copied();
        let parts_at = |byte: u8| column.map_or(is_blank(byte), |column| byte == column);
        let length = bytes.iter().position(|byte| parts_at(*byte)).unwrap_or(bytes.len()) as u32;
        let name = Span { start: text.start, end: text.start + length };
        if length as usize == bytes.len() {
            let name = value_span(source, text.start, text.end, dialect);
            return (!name.is_empty()).then(|| Parts { name, value: Pieces::default(), end: name.end });
        }
        let from = name.end + u32::from(column.is_some());
        let first = value_span(source, from, text.end, dialect);
        let mut value = Pieces::one(first);
        let more = further_lines(source, first_end as usize, span.end, dialect, &mut value);
        Some(Parts { name, end: more.unwrap_or(first.end), value })
    }

    /// The kind of a line that begins with `text`.
    fn kind_of(&self, text: &[u8], dialect: &Dialect) -> Kind {
        if dialect.comment_mark(text).is_some() { Kind::Comment } else { Kind::Setting }
    }

    fn separator<'a>(&self, dialect: &'a Dialect) -> &'a str {
        if dialect.column.is_empty() { " " } else { &dialect.column }
    }
}

#[cfg(test)]
mod tests {
    use crate::doc::{Dialect, Document, Family, Kind};

    /// A row of postfix's master.cf goes on in lines that begin with a blank (master(5)).
    #[test]
    fn a_row_goes_on_in_indented_lines() {
        let text = "drop unix - n n - 4 pipe\n  flags=R user=mail\n # a remark\n  argv=/bin/drop ${recipient}\nboards inet n\n";
        let dialect = Dialect { indent_continues: true, ..Dialect::default() };
        let doc = Document::read(text.into(), Family::Records, dialect).unwrap();
        let rows = doc.statements().filter(|(_, kind, _)| *kind == Kind::Setting);
        let rows: Vec<(String, String)> =
            rows.map(|(.., parts)| (doc.name(&parts), doc.value(&parts))).collect();
        let wanted = [
            ("drop", "unix - n n - 4 pipe flags=R user=mail argv=/bin/drop ${recipient}"),
            ("boards", "inet n"),
        ];
        assert_eq!(rows, wanted.map(|(name, value)| (name.to_owned(), value.to_owned())));
    }
}
