//! JSON as a terminal may have it: what it would obey, or would show in another order, is written as an escape.

use super::marks::{is_unseen, visible_json};
use serde_json::ser::{Formatter, PrettyFormatter};
use std::io::{self, Write};

/// The usual layout, with strings that a terminal cannot obey. The meaning is the same (RFC 8259, section 7).
#[derive(Default)]
pub struct Visible<'a>(PrettyFormatter<'a>);

impl Formatter for Visible<'_> {
    fn write_string_fragment<W: ?Sized + Write>(&mut self, writer: &mut W, text: &str) -> io::Result<()> {
        let mut rest = text;
        while let Some((at, one)) = rest.char_indices().find(|(_, one)| is_unseen(*one)) {
            writer.write_all(&rest.as_bytes()[..at])?;
            writer.write_all(visible_json(one).as_bytes())?;
            rest = &rest[at + one.len_utf8()..];
        }
        writer.write_all(rest.as_bytes())
    }

    fn begin_array<W: ?Sized + Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.0.begin_array(writer)
    }

    fn end_array<W: ?Sized + Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.0.end_array(writer)
    }

    fn begin_array_value<W: ?Sized + Write>(&mut self, writer: &mut W, first: bool) -> io::Result<()> {
        self.0.begin_array_value(writer, first)
    }

    fn end_array_value<W: ?Sized + Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.0.end_array_value(writer)
    }

    fn begin_object<W: ?Sized + Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.0.begin_object(writer)
    }

    fn end_object<W: ?Sized + Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.0.end_object(writer)
    }

    fn begin_object_key<W: ?Sized + Write>(&mut self, writer: &mut W, first: bool) -> io::Result<()> {
        self.0.begin_object_key(writer, first)
    }

    fn begin_object_value<W: ?Sized + Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.0.begin_object_value(writer)
    }

    fn end_object_value<W: ?Sized + Write>(&mut self, writer: &mut W) -> io::Result<()> {
        self.0.end_object_value(writer)
    }
}
