//! A value as it is to stand in the file: in the quotes that it has or needs, with what protects its marks.

use super::typed::typed;
use crate::doc::escapes::{fits_between, protected};
use crate::doc::{Document, Family};
use crate::finding::Finding;
use crate::witness::is_python_literal;

/// `value` as it is to stand in the file, `like` the raw value that stood there before.
pub fn quoted(doc: &Document, value: &str, like: Option<&[u8]>) -> Result<Vec<u8>, Finding> {
    if let Some(bad) = value.chars().find(|c| c.is_control() && *c != '\t') {
        return Err(Finding::edit_error(
            "control-character",
            format!("the value contains the control character {:?}, which would end the line", bad),
        )
        .help("leave the line break or control character out of the value"));
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

/// The quote that is around the whole of a value.
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
            Finding::edit_error("open-quote", message).help("close it, or put other quotes around the value")
        );
    }
    let joins = dialect.continuation && value.ends_with('\\');
    if joins && !dialect.escaped.contains('\\') {
        let message = "a backslash at the end of a value joins the next line to it";
        return Err(Finding::edit_error("needs-quotes", message).help("leave it out of the value"));
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
    Finding::edit_error("needs-quotes", message).help(help)
}

fn holds_comment(doc: &Document, value: &str) -> bool {
    let bytes = value.as_bytes();
    (0..bytes.len()).any(|at| {
        let before = at.checked_sub(1).map(|before| bytes[before]);
        doc.dialect().begins_inline_comment(&bytes[at..], before)
    })
}
