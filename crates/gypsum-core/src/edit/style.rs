//! New text in the file's own style: indentation, separator, alignment, quotes, line ending.

use super::typed::typed;
use crate::doc::escapes::{fits_between, protected};
use crate::doc::{Document, Family, Kind, LeafId, Parts, scalars};
use crate::finding::Finding;
use crate::text::{Span, ending_at, line_span};
use crate::witness::is_python_literal;

/// `value` as it is to stand in the file, `like` the raw value that stood there before.
pub fn quoted(doc: &Document, value: &str, like: Option<&[u8]>) -> Result<Vec<u8>, Finding> {
    if let Some(bad) = value.chars().find(|c| c.is_control() && *c != '\t') {
        return Err(Finding::misfit(
            "control-character",
            format!("the value holds the control character {:?}, which would end the line", bad),
        )
        .mend("leave the line break or control character out of the value"));
    }
    if doc.family().is_standard() {
        return typed(doc, value, like);
    }
    match doc.family() {
        Family::Literals => Ok(literal(value, like)),
        Family::Assignments => Ok(shell_word(doc, value, like)),
        Family::Properties => Ok(property(value)),
        _ => by_dialect(doc, value, like),
    }
}

/// The quote that stands around the whole of a value.
fn standing_quote(doc: &Document, like: Option<&[u8]>) -> Option<u8> {
    match like? {
        [first, .., last] if first == last && doc.dialect().is_quote(*first) => Some(*first),
        _ => None,
    }
}

/// A value of Python: a text stays one, and what is no literal becomes one.
fn literal(value: &str, like: Option<&[u8]>) -> Vec<u8> {
    let quoted = matches!(value.as_bytes(), [q @ (b'"' | b'\''), .., end] if q == end);
    let standing = match like {
        Some([first @ (b'"' | b'\''), .., last]) if first == last => Some(*first),
        _ => None,
    };
    let collection = value.starts_with(['[', '(', '{']);
    let as_it_is = is_python_literal(value) && (standing.is_none() || quoted || collection);
    if as_it_is { value.into() } else { python_text(value, standing.unwrap_or(b'"')) }
}

fn python_text(value: &str, quote: u8) -> Vec<u8> {
    let mut out = vec![quote];
    for byte in value.bytes() {
        if byte == quote || byte == b'\\' {
            out.push(b'\\');
        }
        out.push(byte);
    }
    out.push(quote);
    out
}

/// A value of the shell: one word, in which `$` is expanded only where it was.
fn shell_word(doc: &Document, value: &str, like: Option<&[u8]>) -> Vec<u8> {
    let standing = standing_quote(doc, like);
    let own_quotes = value.starts_with(['"', '\'']);
    let needs = doc.family().needs_quotes(value) || value.is_empty() && standing.is_some();
    let home = value.starts_with('~') && like.is_some_and(|like| like.starts_with(b"~"));
    if home && value.chars().all(|c| c.is_alphanumeric() || "~/._-".contains(c)) {
        return value.into();
    }
    // What is expanded stays so; else a `$` or a backquote is a letter like any other.
    let expands = like.is_some_and(|like| !like.starts_with(b"'") && like.contains(&b'$'));
    let literal = value.contains(['$', '`']) && !expands;
    let quote = match standing {
        _ if literal && !value.contains('\'') && !own_quotes => Some(b'\''),
        _ if literal && !own_quotes => return escaped_word(value),
        Some(b'\'') if value.contains('\'') => Some(b'"'),
        Some(quote) if !own_quotes => Some(quote),
        _ if needs && !own_quotes => Some(b'"'),
        _ => None,
    };
    quote.map_or_else(|| value.into(), |quote| doc.family().quote(value, quote, doc.dialect()))
}

/// A value in double quotes in which nothing is expanded.
fn escaped_word(value: &str) -> Vec<u8> {
    let mut out = vec![b'"'];
    for byte in value.bytes() {
        if matches!(byte, b'"' | b'\\' | b'`' | b'$') {
            out.push(b'\\');
        }
        out.push(byte);
    }
    out.push(b'"');
    out
}

/// A value as java.util.Properties reads it: backslashes are doubled, and blanks in front are marked.
fn property(value: &str) -> Vec<u8> {
    let lead = value.len() - value.trim_start_matches([' ', '\t']).len();
    let mut out = Vec::new();
    for (at, byte) in value.bytes().enumerate() {
        if byte == b'\\' || at < lead {
            out.push(b'\\');
        }
        out.push(if at < lead && byte == b'\t' { b't' } else { byte });
    }
    out
}

/// A value in the quotes that it needs, or has.
fn by_dialect(doc: &Document, value: &str, like: Option<&[u8]>) -> Result<Vec<u8>, Finding> {
    let (dialect, family) = (doc.dialect(), doc.family());
    let standing = standing_quote(doc, like);
    let single = has_one_word(doc);
    let begins = value.bytes().next().is_some_and(|byte| dialect.is_quote(byte));
    let encloses = value.len() > 1 && value.bytes().next() == value.bytes().last();
    let own_quotes = begins && (encloses || !single);
    if !single
        && !own_quotes
        && let Some(quote) = open_quote(doc, value)
    {
        let message = format!("the quote {quote} in the value is opened and never closed");
        return Err(
            Finding::misfit("open-quote", message).mend("close it, or put other quotes around the value")
        );
    }
    let joins = dialect.continuation && value.ends_with('\\');
    if joins && !dialect.escaped.contains('\\') {
        let message = "a backslash at the end of a value joins the next line to it";
        return Err(Finding::misfit("needs-quotes", message).mend("leave it out of the value"));
    }
    let special = single && !is_expression(value) && value.contains(|c: char| dialect.special.contains(c));
    let needs = family.needs_quotes(value)
        || value.trim() != value
        || value.is_empty() && standing.is_some()
        || special
        || joins
        || single && begins
        || holds_comment(doc, value);
    if !single && dialect.comments_anywhere && !own_quotes && value.contains(char::is_whitespace) {
        return words_quoted(doc, value);
    }
    // Between double quotes some still put a variable in the place of `${…}`.
    let expands = dialect.special.contains('$') && value.contains("${");
    let fits = |quote: &u8| fits_between(value, *quote, dialect) && !(expands && *quote == b'"');
    let quote = match standing.filter(fits) {
        Some(quote) if !own_quotes => Some(quote),
        _ if needs && !own_quotes => {
            Some(dialect.quotes.bytes().find(fits).ok_or_else(|| cut_short(doc, value))?)
        }
        _ => None,
    };
    Ok(match quote {
        Some(quote) => family.quote(value, quote, dialect),
        None if dialect.escaped_outside && !own_quotes => protected(value, None, dialect),
        None => value.into(),
    })
}

/// The words of a value, each in quotes that would be cut short without.
fn words_quoted(doc: &Document, value: &str) -> Result<Vec<u8>, Finding> {
    let dialect = doc.dialect();
    let mut out = Vec::new();
    for piece in value.split_inclusive(char::is_whitespace) {
        let word = piece.trim_end();
        if holds_comment(doc, word) && !word.contains(|c: char| dialect.quotes.contains(c)) {
            let quote = dialect.quotes.bytes().find(|quote| fits_between(word, *quote, dialect));
            let quote = quote.ok_or_else(|| cut_short(doc, value))?;
            out.extend(doc.family().quote(word, quote, dialect));
            out.extend_from_slice(&piece.as_bytes()[word.len()..]);
        } else {
            out.extend_from_slice(piece.as_bytes());
        }
    }
    Ok(out)
}

/// Whether a value is one text, and no list of words of which each may have quotes.
fn has_one_word(doc: &Document) -> bool {
    match doc.family() {
        Family::Sections | Family::Equals | Family::Nested => true,
        Family::Stanzas => doc.dialect().groups.is_empty(),
        _ => false,
    }
}

/// Whether a value is a sum of constants, such as `E_ALL & ~E_NOTICE`, and means more than its text.
fn is_expression(value: &str) -> bool {
    value.starts_with(|c: char| c.is_ascii_uppercase() || c.is_ascii_digit() || c == '~')
        && value.contains(|c: char| c.is_ascii_alphanumeric())
        && value.contains(['&', '|', '^', '~'])
        && value.chars().all(|c| c.is_ascii_uppercase() || c.is_ascii_digit() || "_ &|^~()".contains(c))
}

/// The quote that begins a word of a value and is closed nowhere behind it.
fn open_quote(doc: &Document, value: &str) -> Option<char> {
    let mut before = ' ';
    let mut open = None;
    let mut escaped = false;
    for c in value.chars() {
        let quote = u8::try_from(c).is_ok_and(|byte| doc.dialect().is_quote(byte));
        match open {
            _ if escaped => {}
            None if quote && before.is_whitespace() => open = Some(c),
            Some(mark) if mark == c => open = None,
            _ => {}
        }
        escaped = c == '\\' && !escaped;
        before = c;
    }
    open
}

fn cut_short(doc: &Document, value: &str) -> Finding {
    let marks = &doc.dialect().inline_comments;
    let mark = marks.iter().find(|mark| value.contains(mark.as_str())).filter(|_| holds_comment(doc, value));
    let quotes = doc.dialect().quotes.is_empty();
    let message = match mark {
        Some(mark) => {
            format!("{mark} begins a comment here, so the daemon would read only what is before it")
        }
        None if value.trim() != value => "blanks at the ends of a value are lost in this format".to_owned(),
        None => format!("{value:?} would be read as something else in this format"),
    };
    let help = match (quotes, mark) {
        (true, Some(mark)) => format!("this format has no quotes; choose a value without {mark}"),
        (true, None) => "this format has no quotes; choose a value without it".to_owned(),
        (false, _) => "choose a value with one sort of quotes in it at the most".to_owned(),
    };
    Finding::misfit("needs-quotes", message).mend(help)
}

fn holds_comment(doc: &Document, value: &str) -> bool {
    let bytes = value.as_bytes();
    (0..bytes.len()).any(|at| {
        let before = at.checked_sub(1).map(|before| bytes[before]);
        doc.dialect().begins_inline_comment(&bytes[at..], before)
    })
}

/// A whole new line `name value`, or a bare name, placed behind leaf `after` (or at the start of the file), with
/// the offset at which it goes in. It looks like the setting `like`; without one, like what stands in a
/// block usually does.
pub fn new_line(
    doc: &Document,
    after: Option<LeafId>,
    like: Option<LeafId>,
    name: &str,
    value: Option<&[u8]>,
) -> (usize, Vec<u8>) {
    let source = doc.source();
    let at = after.map_or(0, |leaf| doc.tree().span(leaf).end as usize);
    let open_end =
        at > 0 && source[at - 1] != b'\n' && after.is_some_and(|leaf| doc.tree().kind(leaf) != Kind::Blank);
    let separator = match like.and_then(|leaf| usual(doc, leaf)) {
        _ if value.is_none() => Vec::new(),
        Some(parts) => separator_like(doc, &parts, name),
        None => doc.family().separator(doc.dialect()).into(),
    };
    let terminator = doc.family().terminator().as_bytes();
    let statement = match doc.family() {
        Family::Xml => element(doc, like.or(after), name, value.unwrap_or_default()),
        _ => [&written_name(doc, name, value), &separator, value.unwrap_or_default(), terminator].concat(),
    };
    if let (Family::Xml, Some(like)) = (doc.family(), like.or(after))
        && is_attribute(doc, like)
    {
        return (doc.tree().span(like).end as usize, [b" ", statement.as_slice()].concat());
    }
    if open_end && at < source.len() {
        // Several statements share a line: one more joins them.
        return (at, [b" ", statement.as_slice()].concat());
    }
    let eol = ending_at(source, at).bytes();
    let indent = match (like.and_then(|leaf| doc.parts(leaf).map(|parts| (leaf, parts))), after) {
        (Some((leaf, parts)), _) => indent(doc, leaf, &parts),
        (None, Some(after)) if doc.tree().kind(after) == Kind::Open => inner_indent(doc, after),
        _ => Vec::new(),
    };
    let text = if open_end {
        [eol, &indent, &statement].concat()
    } else {
        [&indent, statement.as_slice(), eol].concat()
    };
    (at, text)
}

/// A name as the format writes it; an element of a list has its mark, and no value.
pub fn written_name(doc: &Document, name: &str, value: Option<&[u8]>) -> Vec<u8> {
    let (family, dialect) = (doc.family(), doc.dialect());
    match (family, value) {
        (Family::Json, Some(_)) => family.quote(name, b'"', dialect),
        (Family::Yaml, None) => [b"- ", name.as_bytes()].concat(),
        (Family::Yaml, Some(_)) if !scalars::is_plain(name) => family.quote(name, b'"', dialect),
        _ => name.into(),
    }
}

/// A new element of XML, or an attribute where it stands beside one.
fn element(doc: &Document, beside: Option<LeafId>, name: &str, value: &[u8]) -> Vec<u8> {
    let name = name.as_bytes();
    match beside {
        Some(leaf) if is_attribute(doc, leaf) => [name, b"=\"", value, b"\""].concat(),
        _ if value.is_empty() => [b"<", name, b"/>"].concat(),
        _ => [b"<", name, b">", value, b"</", name, b">"].concat(),
    }
}

/// Whether a leaf of XML stands inside a tag: an attribute, or the beginning of the tag.
fn is_attribute(doc: &Document, leaf: LeafId) -> bool {
    let source = doc.source();
    let text = doc.tree().span(leaf).of(source).trim_ascii();
    match doc.tree().kind(leaf) {
        Kind::Setting => {
            !text.starts_with(b"<") && source[..doc.tree().span(leaf).start as usize].last() != Some(&b'>')
        }
        Kind::Open => !text.ends_with(b">"),
        _ => false,
    }
}

/// How far the first line in a block is indented that `open` opens.
pub fn inner_indent(doc: &Document, open: LeafId) -> Vec<u8> {
    let own = doc.parts(open).map(|parts| indent(doc, open, &parts)).unwrap_or_default();
    [own, deeper(doc)].concat()
}

/// How far what stands inside the mark around the whole file is indented.
pub fn top_indent(doc: &Document, like: Option<LeafId>) -> Vec<u8> {
    let first =
        doc.statements().find(|(leaf, ..)| doc.tree().block_of(*leaf).is_none()).map(|(leaf, ..)| leaf);
    let like = like.or(first).and_then(|leaf| doc.parts(leaf).map(|parts| indent(doc, leaf, &parts)));
    like.unwrap_or_else(|| deeper(doc))
}

/// How much deeper than its own line the body of a block is indented, as blocks of this file show it.
pub fn deeper(doc: &Document) -> Vec<u8> {
    let of = |leaf: LeafId| doc.parts(leaf).map(|parts| indent(doc, leaf, &parts));
    let shown = doc.tree().blocks().find_map(|(id, block)| {
        let inside = (block.open() + 1)..block.end();
        let own =
            |leaf: &LeafId| doc.tree().kind(*leaf) == Kind::Setting && doc.tree().block_of(*leaf) == Some(id);
        let first = inside.into_iter().find(own)?;
        of(first)?.strip_prefix(of(block.open())?.as_slice()).map(<[u8]>::to_vec)
    });
    let flat = matches!(doc.family(), Family::Sections | Family::Toml);
    let usual: &[u8] = if doc.family().is_standard() { b"  " } else { b"    " };
    shown.unwrap_or_else(|| if flat { Vec::new() } else { usual.to_vec() })
}

fn indent(doc: &Document, leaf: LeafId, parts: &Parts) -> Vec<u8> {
    if doc.family() == Family::Yaml {
        return yaml_indent(doc, leaf, parts);
    }
    let line = line_span(doc.source(), parts.name.start as usize).start.max(doc.tree().span(leaf).start);
    let before = Span { start: line, end: parts.name.start };
    before.of(doc.source()).iter().copied().take_while(|byte| matches!(byte, b' ' | b'\t')).collect()
}

/// The first key of an element stands behind its dash, and the others below it.
fn yaml_indent(doc: &Document, leaf: LeafId, parts: &Parts) -> Vec<u8> {
    let source = doc.source();
    let start = doc.tree().span(leaf).start as usize;
    let line = line_span(source, parts.name.start as usize).start as usize;
    let text = &source[line.min(start)..parts.name.start as usize];
    let lead = text.iter().take_while(|byte| **byte == b' ').count();
    let own_dash = line >= start && text.get(lead) == Some(&b'-');
    vec![
        b' ';
        if own_dash { lead } else { text.iter().take_while(|byte| matches!(byte, b' ' | b'-')).count() }
    ]
}

/// Of the settings around `leaf` in its block, the nearest that is separated as most of them are.
fn usual(doc: &Document, leaf: LeafId) -> Option<Parts> {
    let block = doc.tree().block_of(leaf);
    let around = (0..=leaf)
        .rev()
        .filter(|id| doc.tree().kind(*id) == Kind::Setting && doc.tree().block_of(*id) == block);
    let near: Vec<Parts> = around.take(12).filter_map(|id| doc.parts(id)).collect();
    let shape = |parts: &Parts| {
        let text = parts.separator().map(|span| span.of(doc.source())).unwrap_or_default();
        (text.contains(&b'\t'), text.contains(&b'='), text.starts_with(b"  "))
    };
    let votes = |parts: &&Parts| near.iter().filter(|other| shape(other) == shape(parts)).count();
    // The first of equals is the nearest.
    near.iter().rev().max_by_key(votes).cloned()
}

/// The neighbour's separator; where it is padded to a column, padded so for `name`.
fn separator_like(doc: &Document, parts: &Parts, name: &str) -> Vec<u8> {
    let plain = doc.family().separator(doc.dialect()).as_bytes();
    let Some(standing) = parts.separator().map(|span| span.of(doc.source())) else {
        return plain.into();
    };
    let pad = standing.iter().take_while(|byte| **byte == b' ').count();
    if standing.is_empty() || !standing.iter().all(|byte| matches!(byte, b' ' | b'\t' | b'=' | b':')) {
        return plain.into();
    }
    if doc.family() == Family::Nested && doc.dialect().equals && !standing.contains(&b'=') {
        return plain.into();
    }
    if pad < 2 {
        return standing.into();
    }
    let column = parts.name.len() + pad;
    let mut out = vec![b' '; column.saturating_sub(name.len()).max(1)];
    out.extend_from_slice(&standing[pad..]);
    out
}

/// What goes between a bare name and the value that it is given.
pub fn separator_for(doc: &Document) -> &[u8] {
    doc.family().separator(doc.dialect()).as_bytes()
}
