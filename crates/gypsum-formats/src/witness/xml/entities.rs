//! References: the five that every document has, characters by number, and what a document type declares.

use super::cursor::{Cursor, is_char};
use super::{Reader, Unreadable};
use std::collections::HashMap;

/// What an entity stands for.
#[derive(Clone, Debug)]
pub enum Entity {
    /// Text, in which references to characters are replaced already.
    Internal(String),
    /// Another file, which is not read.
    External,
    /// Data that is no XML.
    Unparsed,
}

/// The entities of a document.
#[derive(Clone, Debug, Default)]
pub struct Entities {
    pub declared: HashMap<String, Entity>,
    /// Whether more may be declared where it is not read: in another file, or behind a parameter.
    pub more: bool,
    /// Those that are being read, since none may hold itself.
    within: Vec<String>,
}

impl Entities {
    /// What the reference behind an ampersand means; one that the document declares stays as it is written.
    pub fn reference(&mut self, cursor: &mut Cursor<'_>, in_attribute: bool) -> Result<String, Unreadable> {
        if cursor.takes("#") {
            return character(cursor).map(String::from);
        }
        let at = cursor.at();
        let name = cursor.name()?;
        cursor.wants(";")?;
        let known = match name.as_str() {
            "lt" => "<",
            "gt" => ">",
            "amp" => "&",
            "apos" => "'",
            "quot" => "\"",
            _ => "",
        };
        if !known.is_empty() {
            return Ok(known.to_owned());
        }
        self.check(&name, in_attribute).map_err(|why| Unreadable::new(at, why))?;
        Ok(format!("&{name};"))
    }

    /// Whether a declared entity may be referred to here, with all that it holds.
    fn check(&mut self, name: &str, in_attribute: bool) -> Result<(), String> {
        let entity = match self.declared.get(name) {
            None if self.more => return Ok(()),
            None => return Err(format!("the entity {name} is not declared")),
            Some(entity) => entity.clone(),
        };
        match entity {
            Entity::Unparsed => Err(format!("the entity {name} is no XML")),
            Entity::External if in_attribute => {
                Err(format!("a value may not refer to another file ({name})"))
            }
            Entity::External => Ok(()),
            Entity::Internal(_) if self.within.iter().any(|outer| outer == name) => {
                Err(format!("the entity {name} holds itself"))
            }
            Entity::Internal(text) => {
                self.within.push(name.to_owned());
                let read = self.read(&text, in_attribute);
                self.within.pop();
                read.map_err(|error| format!("in the entity {name}: {}", error.why))
            }
        }
    }

    /// Reads the text of an entity as what is there in its place.
    fn read(&mut self, text: &str, in_attribute: bool) -> Result<(), Unreadable> {
        let mut cursor = Cursor::new(text);
        if in_attribute {
            while cursor.peek().is_some() {
                match cursor.next_char()? {
                    '<' => return Err(cursor.error_before("a value may not hold <")),
                    '&' => self.reference(&mut cursor, true).map(|_| ())?,
                    _ => {}
                }
            }
            return Ok(());
        }
        // Content is what may stand between two tags.
        let whole = format!("<e>{text}</e>");
        let mut reader = Reader { cursor: Cursor::new(&whole), entities: std::mem::take(self) };
        let read = reader.elements(&mut None);
        let rest = reader.cursor.rest().len();
        *self = reader.entities;
        read?;
        if rest > 0 { Err(Unreadable::new(0, "it closes an element that it does not begin")) } else { Ok(()) }
    }
}

/// The character that is named by number behind `&#`.
pub fn character(cursor: &mut Cursor<'_>) -> Result<char, Unreadable> {
    let at = cursor.at();
    let base = if cursor.takes("x") { 16 } else { 10 };
    let rest = cursor.rest();
    let length = rest.find(|c: char| !c.is_digit(base)).unwrap_or(rest.len());
    cursor.takes(&rest[..length]);
    cursor.wants(";")?;
    let number = u32::from_str_radix(&rest[..length], base).ok();
    let character = number.and_then(char::from_u32).filter(|c| is_char(*c));
    character.ok_or_else(|| Unreadable::new(at, "this is the number of no character"))
}
