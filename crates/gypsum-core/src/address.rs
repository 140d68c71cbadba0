//! Addresses: where a setting is, as steps from the outside in.
//!
//! `Match User porter..X11Forwarding`, `mysqld..max_connections`, `Port#2`, `"odd..name"`.

use crate::doc::{BlockId, Document, LeafId};
use crate::text::one_line;
use std::fmt;

/// One step: the words of a block or the name of a setting, and which of several it is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct AddressStep {
    /// The words, as in the file.
    pub words: String,
    /// Which of several, from 1, where it was said.
    pub nth: Option<u32>,
}

/// Where something is. Its text form can be pasted back.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Address {
    steps: Vec<AddressStep>,
}

/// Why a text is not an address.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NotAnAddress {
    /// A step without words.
    #[error("a step of the address is empty")]
    EmptyStep,
    /// A double quote that is not closed.
    #[error("a double quote is not closed")]
    OpenQuote,
    /// Text behind the closing quote of a step.
    #[error("after the closing quote only .. or #N may follow")]
    AfterQuote,
    /// `#0`, or a number too large.
    #[error("the number after # counts from 1")]
    BadNumber,
}

impl Address {
    /// Reads an address.
    pub fn parse(text: &str) -> Result<Self, NotAnAddress> {
        let mut steps = Vec::new();
        let mut rest = text;
        loop {
            let (step, after) = parse_step(rest)?;
            steps.push(step);
            match after {
                Some(after) => rest = after,
                None => return Ok(Self { steps }),
            }
        }
    }

    /// An address of these steps.
    pub fn of(steps: Vec<AddressStep>) -> Self {
        Self { steps }
    }

    /// The same without the number of its last step.
    pub fn without_nth(&self) -> Self {
        self.numbered(None)
    }

    /// The same with this number at its last step.
    pub fn with_nth(&self, nth: u32) -> Self {
        self.numbered(Some(nth))
    }

    fn numbered(&self, nth: Option<u32>) -> Self {
        let mut address = self.clone();
        if let Some(last) = address.steps.last_mut() {
            last.nth = nth;
        }
        address
    }

    /// The steps before the last: the blocks.
    pub fn blocks(&self) -> &[AddressStep] {
        self.steps.split_last().map_or(&[], |(_, blocks)| blocks)
    }

    /// The last step: the name.
    pub fn name(&self) -> &str {
        self.steps.last().map_or("", |step| &step.words)
    }

    /// The address of what is around the last step, and that step; none where there is one step only.
    pub fn around(&self) -> Option<(Self, &AddressStep)> {
        let (last, outer) = self.steps.split_last()?;
        (!outer.is_empty()).then(|| (Self { steps: outer.to_vec() }, last))
    }

    /// This address, and one step further in.
    pub fn then(mut self, words: impl Into<String>) -> Self {
        self.steps.push(AddressStep { words: words.into(), nth: None });
        self
    }

    /// Which of several of that name.
    pub fn nth(&self) -> Option<u32> {
        self.steps.last().and_then(|step| step.nth)
    }
}

/// Splits `ADDRESS=VALUE` at the first `=` outside quotes.
pub fn split_value(text: &str) -> Option<(&str, &str)> {
    let mut quoted = false;
    let at = text.char_indices().find(|(_, c)| {
        quoted ^= *c == '"';
        *c == '=' && !quoted
    });
    at.map(|(at, _)| (&text[..at], &text[at + 1..]))
}

fn parse_step(text: &str) -> Result<(AddressStep, Option<&str>), NotAnAddress> {
    if let Some(inner) = text.strip_prefix('"') {
        let close = closing_quote(inner).ok_or(NotAnAddress::OpenQuote)?;
        let (number, after) = match inner[close + 1..].split_once("..") {
            Some((number, after)) => (number, Some(after)),
            None => (&inner[close + 1..], None),
        };
        let nth = match number.strip_prefix('#') {
            Some(digits) => Some(parse_nth(digits)?),
            None if number.is_empty() => None,
            None => return Err(NotAnAddress::AfterQuote),
        };
        // Between quotes a name may be empty.
        return Ok((AddressStep { words: inner[..close].replace("\"\"", "\""), nth }, after));
    }
    let (step, after) = match text.split_once("..") {
        Some((step, after)) => (step, Some(after)),
        None => (text, None),
    };
    let (words, nth) = match step.rsplit_once('#') {
        Some((words, digits)) if !digits.is_empty() && digits.bytes().all(|b| b.is_ascii_digit()) => {
            (words, Some(parse_nth(digits)?))
        }
        _ => (step, None),
    };
    Ok((checked(AddressStep { words: one_line(words), nth })?, after))
}

/// Where the quote that closes a step is; two of them stand for one of its words.
fn closing_quote(inner: &str) -> Option<usize> {
    let mut from = 0;
    loop {
        let at = from + inner.get(from..)?.find('"')?;
        if !inner[at + 1..].starts_with('"') {
            return Some(at);
        }
        from = at + 2;
    }
}

fn parse_nth(digits: &str) -> Result<u32, NotAnAddress> {
    digits.parse().ok().filter(|nth| *nth > 0).ok_or(NotAnAddress::BadNumber)
}

fn checked(step: AddressStep) -> Result<AddressStep, NotAnAddress> {
    if step.words.is_empty() && step.nth.is_none() { Err(NotAnAddress::EmptyStep) } else { Ok(step) }
}

impl fmt::Display for AddressStep {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        let digits_follow = self
            .words
            .rsplit_once('#')
            .is_some_and(|(_, tail)| !tail.is_empty() && tail.bytes().all(|byte| byte.is_ascii_digit()));
        let words = &self.words;
        let dotted = words.contains("..") || words.starts_with('.') || words.ends_with('.');
        // What would be read as part of += and its like.
        let signed = words.ends_with(['+', '-', '*']);
        let empty = words.is_empty() && self.nth.is_none();
        if empty
            || dotted
            || signed
            || words.contains(['=', '"'])
            || digits_follow
            || one_line(words) != *words
        {
            write!(out, "\"{}\"", words.replace('"', "\"\""))?;
        } else {
            out.write_str(words)?;
        }
        self.nth.map_or(Ok(()), |nth| write!(out, "#{nth}"))
    }
}

impl fmt::Display for Address {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        // A shell takes a word that begins with # for a remark.
        if self.steps.first().is_some_and(|step| step.words.is_empty() && step.nth.is_some()) {
            out.write_str("\"\"")?;
        }
        for (n, step) in self.steps.iter().enumerate() {
            let dots = if n == 0 { "" } else { ".." };
            write!(out, "{dots}{step}")?;
        }
        Ok(())
    }
}

/// Whether `step` means `block`: by its name alone, or by all its words, and by its number.
pub fn means_block(doc: &Document, step: &AddressStep, block: BlockId) -> bool {
    let title = doc.title(block);
    let name = title.split(' ').next().unwrap_or_default();
    let dialect = doc.dialect();
    let words = &step.words;
    // The name of a group may differ by case; the words behind it are what they are.
    let whole = words.len() == title.len()
        && dialect.same(&words.as_bytes()[..name.len()], name.as_bytes())
        && words.as_bytes()[name.len()..] == title.as_bytes()[name.len()..];
    let by_name = dialect.same(words.as_bytes(), name.as_bytes());
    (whole || by_name) && step.nth.is_none_or(|nth| nth == doc.ordinal(block, whole))
}

/// The address of the statement in leaf `id`, with numbers where the names alone would not do.
pub fn address_of(doc: &Document, id: LeafId) -> Address {
    let mut steps: Vec<AddressStep> = doc.path(id).into_iter().map(|block| block_step(doc, block)).collect();
    let Some(parts) = doc.parts(id) else {
        return Address { steps };
    };
    if let Some(block) = doc.tree().opened_by(id) {
        steps.push(block_step(doc, block));
        return Address { steps };
    }
    let (before, all) = doc.twins(id, parts.name.of(doc.source()));
    let nth = (all > 1).then_some(before + 1);
    steps.push(AddressStep { words: doc.text(parts.name).into_owned(), nth });
    Address { steps }
}

/// The address of a block.
pub fn address_of_block(doc: &Document, block: BlockId) -> Address {
    let around = doc.path(doc.tree().block(block).open()).into_iter();
    Address { steps: around.chain([block]).map(|block| block_step(doc, block)).collect() }
}

/// The address that two dots make of a name with one, where the name begins with the title of a block: `hall..rows` of
/// `hall.rows`. Of several such blocks it is the first that `is_meant`.
pub fn with_two_dots(doc: &Document, name: &str, is_meant: impl Fn(BlockId) -> bool) -> Option<Address> {
    let (title, rest) = name.split_once('.').filter(|(title, rest)| !title.is_empty() && !rest.is_empty())?;
    let mut blocks = doc.tree().blocks().map(|(block, _)| block);
    let block = blocks.find(|block| doc.title(*block) == title && is_meant(*block))?;
    Some(address_of_block(doc, block).then(rest))
}

fn block_step(doc: &Document, block: BlockId) -> AddressStep {
    let title = doc.title(block);
    // An element of a list has no name but its number.
    let nth = (doc.twins_of_block(block) > 1 || title.is_empty()).then(|| doc.ordinal(block, true));
    AddressStep { words: title.to_owned(), nth }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn addresses_are_read() {
        let address = Address::parse("Match User  porter#2..\"a..b\"#3").unwrap();
        assert_eq!(address.blocks(), [AddressStep { words: "Match User porter".into(), nth: Some(2) }]);
        assert_eq!((address.name(), address.nth()), ("a..b", Some(3)));
        assert_eq!(split_value("\"a=b\"..c=d=e"), Some(("\"a=b\"..c", "d=e")));
        let bad = |text| Address::parse(text).unwrap_err();
        assert_eq!((bad("a.."), bad("")), (NotAnAddress::EmptyStep, NotAnAddress::EmptyStep));
        assert_eq!(bad("\"a"), NotAnAddress::OpenQuote);
        assert_eq!(bad("\"a\"b"), NotAnAddress::AfterQuote);
        assert_eq!(bad("a#0"), NotAnAddress::BadNumber);
    }

    proptest! {
        #[test]
        fn what_is_printed_can_be_pasted(words in "[a-z#=.\"]([a-z0-9#=. \"\u{85}]{0,8}[a-z0-9#=\"])?", nth in proptest::option::of(1u32..9)) {
            let address = Address::of(vec![AddressStep { words, nth }, AddressStep { words: "x".into(), nth: None }]);
            prop_assert_eq!(Address::parse(&address.to_string()), Ok(address));
        }
    }
}
