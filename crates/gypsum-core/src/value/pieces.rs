//! A value taken apart into what each of its words is.

use crate::profile::Setting;
use std::ops::Range;

/// One word of a value, with what is known of it.
#[derive(Clone, Debug)]
pub struct Piece<'a> {
    /// What it is.
    pub what: &'a Setting,
    /// The word, without quotes.
    pub text: String,
    /// Where it is in the value.
    pub at: usize,
}

/// The words of `value` that something is known of: the whole of it, the elements of a list, or the words that
/// the setting describes one by one.
pub fn pieces<'a>(setting: &'a Setting, value: &str) -> Vec<Piece<'a>> {
    if setting.words.is_empty() {
        return stripped(elements(setting, value));
    }
    let words = words_of(value);
    let text = |range: &Range<usize>| bare(&value[range.clone()]);
    let mut out = Vec::new();
    for what in &setting.words {
        let mut push = |text: String, at: usize| {
            let inner =
                stripped(elements(what, &text)).into_iter().map(|piece| Piece { at: at + piece.at, ..piece });
            out.extend(inner);
        };
        if let Some(nth) = what.nth.and_then(|nth| words.get(nth.saturating_sub(1))) {
            push(text(nth), nth.start);
        }
        if let Some(behind) = &what.behind {
            let at = words.iter().position(|word| text(word) == *behind);
            if let Some(word) = at.and_then(|at| words.get(at + 1)) {
                push(text(word), word.start);
            }
        }
        if let Some(key) = &what.key {
            for word in &words {
                if let Some(rest) = text(word).strip_prefix(key.as_str()) {
                    push(bare(rest), word.start);
                }
            }
        }
    }
    out
}

/// Without what may stand before a word, and without those that are excused by that.
fn stripped(pieces: Vec<Piece<'_>>) -> Vec<Piece<'_>> {
    let excused =
        |piece: &Piece<'_>| piece.what.excuse.as_ref().is_some_and(|excuse| piece.text.starts_with(excuse));
    pieces
        .into_iter()
        .filter(|piece| !excused(piece))
        .map(|mut piece| {
            while let Some(rest) =
                piece.what.strip.iter().find_map(|strip| piece.text.strip_prefix(strip.as_str()))
            {
                piece.at += piece.text.len() - rest.len();
                piece.text = rest.to_owned();
            }
            piece
        })
        .collect()
}

/// The elements of a list, or the one value.
fn elements<'a>(what: &'a Setting, value: &str) -> Vec<Piece<'a>> {
    let Some(between) = &what.list else {
        return vec![Piece { what, text: bare(value), at: 0 }];
    };
    let part = between.trim();
    let parts = |c: char| c.is_whitespace() || (!part.is_empty() && part.contains(c));
    let mut out = Vec::new();
    let mut start = 0;
    for (at, c) in value.char_indices().chain([(value.len(), ' ')]) {
        if parts(c) {
            if at > start {
                out.push(Piece { what, text: bare(&value[start..at]), at: start });
            }
            start = at + c.len_utf8();
        }
    }
    out
}

/// Where the words of a value are; quotes hold one together.
pub fn words_of(value: &str) -> Vec<Range<usize>> {
    let mut out = Vec::new();
    let mut start = None;
    let mut quote = None;
    for (at, c) in value.char_indices() {
        match (quote, c) {
            (Some(open), c) if c == open => quote = None,
            (Some(_), _) => {}
            (None, '"' | '\'') => {
                quote = Some(c);
                start.get_or_insert(at);
            }
            (None, c) if c.is_whitespace() => out.extend(start.take().map(|start| start..at)),
            (None, _) => {
                start.get_or_insert(at);
            }
        }
    }
    out.extend(start.map(|start| start..value.len()));
    out
}

/// A word without the quotes around it.
fn bare(word: &str) -> String {
    let word = word.trim();
    for quote in ['"', '\''] {
        if let Some(inner) = word.strip_prefix(quote).and_then(|word| word.strip_suffix(quote)) {
            return inner.to_owned();
        }
    }
    word.to_owned()
}
