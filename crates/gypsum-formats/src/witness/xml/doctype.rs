//! The document type declaration: what it declares is checked for its form, and its entities are kept.

use super::Unreadable;
use super::cursor::{Cursor, is_name_char};
use super::entities::{Entities, Entity, character};

/// What follows `<!DOCTYPE`.
pub fn declaration(cursor: &mut Cursor<'_>) -> Result<Entities, Unreadable> {
    let mut entities = Entities::default();
    cursor.wants_blanks()?;
    cursor.name()?;
    if cursor.blanks() && external(cursor, true)? {
        entities.more = true;
        cursor.blanks();
    }
    if cursor.takes("[") {
        while !cursor.takes("]") {
            subset(cursor, &mut entities)?;
        }
        cursor.blanks();
    }
    cursor.wants(">")?;
    Ok(entities)
}

/// One declaration of the internal subset, or what is between two.
fn subset(cursor: &mut Cursor<'_>, entities: &mut Entities) -> Result<(), Unreadable> {
    if cursor.blanks() {
        return Ok(());
    }
    if cursor.at_str("<!--") {
        return cursor.comment();
    }
    if cursor.at_str("<?") {
        return cursor.instruction();
    }
    if cursor.takes("%") {
        cursor.name()?;
        entities.more = true;
        return cursor.wants(";");
    }
    if cursor.takes("<!ELEMENT") {
        element(cursor)?;
    } else if cursor.takes("<!ATTLIST") {
        attributes(cursor, entities)?;
    } else if cursor.takes("<!ENTITY") {
        entity(cursor, entities)?;
    } else if cursor.takes("<!NOTATION") {
        cursor.wants_blanks()?;
        cursor.name()?;
        cursor.wants_blanks()?;
        if !external(cursor, false)? {
            return Err(cursor.error("SYSTEM or PUBLIC is missing here"));
        }
    } else {
        return Err(cursor.error("this is no declaration"));
    }
    cursor.blanks();
    cursor.wants(">")
}

/// `SYSTEM '…'` or `PUBLIC '…' '…'`; a notation may leave out the second of these.
fn external(cursor: &mut Cursor<'_>, whole: bool) -> Result<bool, Unreadable> {
    if cursor.takes("SYSTEM") {
        cursor.wants_blanks()?;
        cursor.literal(|_| true)?;
        return Ok(true);
    }
    if !cursor.takes("PUBLIC") {
        return Ok(false);
    }
    cursor.wants_blanks()?;
    cursor.literal(|c| c.is_ascii_alphanumeric() || " \r\n-'()+,./:=?;!*#@$_%".contains(c))?;
    let blank = cursor.blanks();
    if whole || cursor.peek().is_some_and(|c| matches!(c, '"' | '\'')) {
        if !blank {
            return Err(cursor.error("a blank is missing here"));
        }
        cursor.literal(|_| true)?;
    }
    Ok(true)
}

fn element(cursor: &mut Cursor<'_>) -> Result<(), Unreadable> {
    cursor.wants_blanks()?;
    cursor.name()?;
    cursor.wants_blanks()?;
    if cursor.takes("EMPTY") || cursor.takes("ANY") {
        return Ok(());
    }
    if !cursor.at_str("(") {
        return Err(cursor.error("what the element may hold is missing here"));
    }
    let mut ahead = Cursor::new(cursor.rest());
    ahead.wants("(")?;
    ahead.blanks();
    if ahead.at_str("#PCDATA") { mixed(cursor) } else { group(cursor, 0) }
}

/// `(#PCDATA | name …)*`
fn mixed(cursor: &mut Cursor<'_>) -> Result<(), Unreadable> {
    cursor.wants("(")?;
    cursor.blanks();
    cursor.wants("#PCDATA")?;
    let mut names = false;
    loop {
        cursor.blanks();
        if cursor.takes(")") {
            break;
        }
        cursor.wants("|")?;
        cursor.blanks();
        cursor.name()?;
        names = true;
    }
    if names {
        return cursor.wants("*");
    }
    cursor.takes("*");
    Ok(())
}

/// `(a, (b | c)*, d?)`, which mixes no `,` and `|` on one level.
fn group(cursor: &mut Cursor<'_>, depth: u32) -> Result<(), Unreadable> {
    if depth > 200 {
        return Err(cursor.error("the brackets are too deep"));
    }
    cursor.wants("(")?;
    let mut mark = None;
    loop {
        cursor.blanks();
        if cursor.at_str("(") {
            group(cursor, depth + 1)?;
        } else {
            cursor.name()?;
            repeated(cursor);
        }
        cursor.blanks();
        if cursor.takes(")") {
            repeated(cursor);
            return Ok(());
        }
        match (cursor.peek(), mark) {
            (Some(c @ (',' | '|')), None) => mark = Some(c),
            (Some(c), Some(before)) if c == before => {}
            _ => return Err(cursor.error("a comma, a bar or a bracket is missing here")),
        }
        cursor.next_char()?;
    }
}

fn repeated(cursor: &mut Cursor<'_>) {
    let _ = cursor.takes("?") || cursor.takes("*") || cursor.takes("+");
}

fn attributes(cursor: &mut Cursor<'_>, entities: &mut Entities) -> Result<(), Unreadable> {
    cursor.wants_blanks()?;
    cursor.name()?;
    loop {
        let blank = cursor.blanks();
        if cursor.at_str(">") {
            return Ok(());
        }
        if !blank {
            return Err(cursor.error("a blank is missing here"));
        }
        cursor.name()?;
        cursor.wants_blanks()?;
        attribute_type(cursor)?;
        cursor.wants_blanks()?;
        if cursor.takes("#REQUIRED") || cursor.takes("#IMPLIED") {
            continue;
        }
        if cursor.takes("#FIXED") {
            cursor.wants_blanks()?;
        }
        let quote = cursor.quote()?;
        loop {
            match cursor.next_char()? {
                c if c == quote => break,
                '<' => return Err(cursor.error_before("a value may not hold <; write &lt;")),
                '&' => entities.reference(cursor, true).map(|_| ())?,
                _ => {}
            }
        }
    }
}

fn attribute_type(cursor: &mut Cursor<'_>) -> Result<(), Unreadable> {
    const WORDS: [&str; 8] = ["CDATA", "IDREFS", "IDREF", "ID", "ENTITY", "ENTITIES", "NMTOKENS", "NMTOKEN"];
    let notation = cursor.takes("NOTATION");
    if notation {
        cursor.wants_blanks()?;
    }
    if cursor.takes("(") {
        loop {
            cursor.blanks();
            if notation {
                cursor.name()?
            } else {
                cursor.name_token()?
            };
            cursor.blanks();
            if cursor.takes(")") {
                return Ok(());
            }
            cursor.wants("|")?;
        }
    }
    let word = cursor.rest();
    let length = word.find(|c| !is_name_char(c)).unwrap_or(word.len());
    if notation || !WORDS.contains(&&word[..length]) {
        return Err(cursor.error("this is no type of an attribute"));
    }
    cursor.takes(&word[..length]);
    Ok(())
}

fn entity(cursor: &mut Cursor<'_>, entities: &mut Entities) -> Result<(), Unreadable> {
    cursor.wants_blanks()?;
    let parameter = cursor.takes("%");
    if parameter {
        cursor.wants_blanks()?;
    }
    let name = cursor.name()?;
    cursor.wants_blanks()?;
    let entity = if cursor.at_str("\"") || cursor.at_str("'") {
        Entity::Internal(entity_value(cursor)?)
    } else if external(cursor, true)? {
        let blank = cursor.blanks();
        if !parameter && blank && cursor.takes("NDATA") {
            cursor.wants_blanks()?;
            cursor.name()?;
            Entity::Unparsed
        } else {
            Entity::External
        }
    } else {
        return Err(cursor.error("the value of the entity is missing here"));
    };
    if !parameter {
        // The first declaration counts (4.2).
        entities.declared.entry(name).or_insert(entity);
    }
    Ok(())
}

/// The text of an entity, with its characters by number replaced; in the internal subset it may not refer to a
/// parameter (2.8).
fn entity_value(cursor: &mut Cursor<'_>) -> Result<String, Unreadable> {
    let quote = cursor.quote()?;
    let mut text = String::new();
    loop {
        match cursor.next_char()? {
            c if c == quote => return Ok(text),
            '%' => return Err(cursor.error_before("a parameter may not be inside a declaration")),
            '&' if cursor.takes("#") => text.push(character(cursor)?),
            '&' => {
                let name = cursor.name()?;
                cursor.wants(";")?;
                text.push_str(&format!("&{name};"));
            }
            c => text.push(c),
        }
    }
}
