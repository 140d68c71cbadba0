//! XML 1.0 (fifth edition) by the letter: a small strict reader that knows the rules of well-formedness, those
//! of the document type declaration among them, and says what elements, attributes and texts there are.

mod cursor;
mod doctype;
mod entities;

use super::account::{Scalar, Sort, Unreadable};
use super::builder::Builder;
use cursor::Cursor;
use entities::Entities;
use std::borrow::Cow;

pub fn read(source: &[u8], builder: &mut Builder) -> Result<(), Unreadable> {
    let (text, encoding) = decoded(source)?;
    let read = Reader::new(&text).document(Some(builder));
    read.map_err(|error| Unreadable::new(encoding.offset(&text, error.at), error.why))
}

/// Whether it is well-formed, and where not.
pub fn well_formed(source: &[u8]) -> Result<(), Unreadable> {
    let (text, encoding) = decoded(source)?;
    let read = Reader::new(&text).document(None);
    read.map_err(|error| Unreadable::new(encoding.offset(&text, error.at), error.why))
}

/// How the bytes of a file became text, to find the way back.
struct Encoding {
    from: usize,
    one_byte: bool,
}

impl Encoding {
    fn offset(&self, text: &str, at: usize) -> usize {
        if self.one_byte { text[..at].chars().count() } else { self.from + at }
    }
}

/// The text of a file in UTF-8, or in ISO 8859-1 or US-ASCII where its declaration says so.
fn decoded(source: &[u8]) -> Result<(Cow<'_, str>, Encoding), Unreadable> {
    if [&b"\xff\xfe"[..], b"\xfe\xff", b"<\0", b"\0<"].iter().any(|mark| source.starts_with(mark)) {
        return Err(Unreadable::new(0, "the file is in UTF-16; only UTF-8 and ISO 8859-1 are read"));
    }
    let from = super::mark_length(source);
    let declared = declared_encoding(&source[from..]).unwrap_or_default().to_ascii_lowercase();
    match declared.as_str() {
        "iso-8859-1" | "latin1" | "iso_8859-1" if from == 0 => {
            let text = source.iter().map(|byte| char::from(*byte)).collect();
            Ok((Cow::Owned(text), Encoding { from, one_byte: true }))
        }
        "" | "utf-8" | "us-ascii" | "ascii" => {
            let text = std::str::from_utf8(&source[from..])
                .map_err(|error| Unreadable::new(from + error.valid_up_to(), "this is not UTF-8"))?;
            Ok((Cow::Borrowed(text), Encoding { from, one_byte: false }))
        }
        other => Err(Unreadable::new(0, format!("files in the encoding {other} are not read"))),
    }
}

/// The encoding in the declaration at the head of a file.
pub fn declared_encoding(source: &[u8]) -> Option<&str> {
    let head = source.strip_prefix(b"<?xml")?;
    let head = &head[..memchr::memmem::find(head, b"?>")?];
    let rest = &head[memchr::memmem::find(head, b"encoding")? + 8..];
    let rest = rest.trim_ascii_start().strip_prefix(b"=")?.trim_ascii_start();
    let (quote, rest) = rest.split_first()?;
    let name = &rest[..memchr::memchr(*quote, rest)?];
    matches!(quote, b'"' | b'\'').then(|| std::str::from_utf8(name).ok())?
}

struct Reader<'a> {
    cursor: Cursor<'a>,
    entities: Entities,
}

/// An element while its content is read.
struct Element {
    name: String,
    attributes: Vec<(String, String)>,
    line: u32,
    text: String,
    /// Whether it refers to something that the document declares, which may hold elements.
    refers: bool,
    holds_elements: bool,
    opened: bool,
}

impl<'a> Reader<'a> {
    fn new(text: &'a str) -> Self {
        Self { cursor: Cursor::new(text), entities: Entities::default() }
    }

    /// `document ::= prolog element Misc*`
    fn document(&mut self, mut builder: Option<&mut Builder>) -> Result<(), Unreadable> {
        self.declaration()?;
        self.miscellaneous()?;
        if self.cursor.takes("<!DOCTYPE") {
            self.entities = doctype::declaration(&mut self.cursor)?;
            self.miscellaneous()?;
        }
        if !self.cursor.at_str("<") {
            return Err(self.cursor.error("the document element is missing"));
        }
        self.elements(&mut builder)?;
        self.miscellaneous()?;
        match self.cursor.peek() {
            None => Ok(()),
            Some('<') => Err(self.cursor.error("a document has one element; this is a second one")),
            Some(_) => Err(self.cursor.error("nothing may follow the document element but comments")),
        }
    }

    fn declaration(&mut self) -> Result<(), Unreadable> {
        if !self.cursor.at_str("<?xml") || !self.cursor.rest()[5..].starts_with([' ', '\t', '\r', '\n']) {
            return Ok(());
        }
        self.cursor.text_declaration(true)
    }

    /// Comments, processing instructions and blanks.
    fn miscellaneous(&mut self) -> Result<(), Unreadable> {
        loop {
            self.cursor.blanks();
            if self.cursor.at_str("<!--") {
                self.cursor.comment()?;
            } else if self.cursor.at_str("<?") {
                self.cursor.instruction()?;
            } else {
                return Ok(());
            }
        }
    }

    /// The element that begins here, and all in it.
    fn elements(&mut self, builder: &mut Option<&mut Builder>) -> Result<(), Unreadable> {
        let mut open: Vec<Element> = Vec::new();
        loop {
            if self.cursor.takes("</") {
                let name = self.cursor.name()?;
                self.cursor.blanks();
                self.cursor.wants(">")?;
                match open.pop() {
                    Some(element) if element.name == name => ended(element, builder),
                    Some(element) => {
                        return Err(self.cursor.error(format!("<{}> is closed by </{name}>", element.name)));
                    }
                    None => return Err(self.cursor.error("this closes nothing")),
                }
            } else if self.cursor.at_str("<!--") {
                self.cursor.comment()?;
            } else if self.cursor.takes("<![CDATA[") {
                let text = self.cursor.until("]]>")?;
                if let Some(element) = open.last_mut() {
                    element.text.push_str(text);
                }
            } else if self.cursor.at_str("<?") {
                self.cursor.instruction()?;
            } else if self.cursor.at_str("<") {
                if let Some(parent) = open.last_mut() {
                    parent.holds_elements = true;
                    begun(parent, builder);
                }
                let (element, empty) = self.start()?;
                if empty { ended(element, builder) } else { open.push(element) }
            } else {
                let text = self.text()?;
                if let Some(element) = open.last_mut() {
                    element.text.push_str(&text.0);
                    element.refers |= text.1;
                }
            }
            if open.is_empty() {
                return Ok(());
            }
        }
    }

    /// `<name attributes>` or `<name attributes/>`
    fn start(&mut self) -> Result<(Element, bool), Unreadable> {
        let line = self.cursor.line();
        self.cursor.wants("<")?;
        let name = self.cursor.name()?;
        let mut attributes: Vec<(String, String)> = Vec::new();
        loop {
            let blank = self.cursor.blanks();
            let empty = self.cursor.takes("/>");
            if empty || self.cursor.takes(">") {
                let element = Element {
                    name,
                    attributes,
                    line,
                    text: String::new(),
                    refers: false,
                    holds_elements: false,
                    opened: false,
                };
                return Ok((element, empty));
            }
            if !blank {
                return Err(self.cursor.error("a blank or the end of the tag is missing here"));
            }
            let at = self.cursor.at();
            let attribute = self.cursor.name()?;
            self.cursor.equals()?;
            let value = self.attribute_value()?;
            if attributes.iter().any(|(name, _)| *name == attribute) {
                return Err(Unreadable::new(at, format!("the attribute {attribute} is there twice")));
            }
            attributes.push((attribute, value));
        }
    }

    fn attribute_value(&mut self) -> Result<String, Unreadable> {
        let quote = self.cursor.quote()?;
        let mut value = String::new();
        loop {
            match self.cursor.next_char()? {
                c if c == quote => return Ok(value),
                '<' => return Err(self.cursor.error_before("a value may not hold <; write &lt;")),
                '&' => value.push_str(&self.entities.reference(&mut self.cursor, true)?),
                c => value.push(c),
            }
        }
    }

    /// Text up to the next mark, and whether it refers to something that the document declares.
    fn text(&mut self) -> Result<(String, bool), Unreadable> {
        let (mut text, mut refers) = (String::new(), false);
        loop {
            match self.cursor.peek() {
                None => return Err(self.cursor.error("the file ends inside an element")),
                Some('<') => return Ok((text, refers)),
                Some(']') if self.cursor.at_str("]]>") => {
                    return Err(self.cursor.error("]]> may not be in text; write ]]&gt;"));
                }
                Some('&') => {
                    self.cursor.next_char()?;
                    let means = self.entities.reference(&mut self.cursor, false)?;
                    refers |= means.len() > 1 && means.starts_with('&');
                    text.push_str(&means);
                }
                Some(_) => text.push(self.cursor.next_char()?),
            }
        }
    }
}

fn begun(element: &mut Element, builder: &mut Option<&mut Builder>) {
    if std::mem::replace(&mut element.opened, true) {
        return;
    }
    if let Some(builder) = builder {
        builder.open(Some(element.name.as_bytes().to_vec()), None, element.line);
        for (name, value) in &element.attributes {
            builder.value(Some(name.as_bytes().to_vec()), Some(Scalar::text(value.as_bytes())), element.line);
        }
    }
}

/// An element that holds text alone is a value; one with attributes, too, has its text in it, called as it is.
fn ended(mut element: Element, builder: &mut Option<&mut Builder>) {
    let text = element.text.trim_matches([' ', '\t', '\r', '\n']).to_owned();
    let name = Some(element.name.as_bytes().to_vec());
    let plain = element.attributes.is_empty() && !element.holds_elements;
    if plain && let Some(builder) = builder {
        let sort = if element.refers { Sort::Other } else { Sort::Text };
        let value = (!text.is_empty()).then(|| Scalar::of(sort, text));
        return builder.value(name, value, element.line);
    }
    begun(&mut element, builder);
    if let Some(builder) = builder {
        if !text.is_empty() {
            builder.value(name, Some(Scalar::text(text)), element.line);
        }
        builder.close();
    }
}
