//! Words as the daemons' formats have them: parted by blanks, kept together by quotes.

use super::account::{Account, Scalar};
use super::builder::Builder;
use crate::doc::Dialect;

/// What parts the words of a value, so that one word with a blank is told from two.
const JOINT: u8 = 0;

/// The value that `words` are.
pub fn value(words: &[Vec<u8>]) -> Option<Scalar> {
    (!words.is_empty()).then(|| Scalar::text(words.join(&JOINT)))
}

/// `text` as the value of a statement that holds nothing else.
pub fn alone(text: &str, dialect: &Dialect) -> Account {
    let mut builder = Builder::default();
    builder.value(None, value(&words_of(text.as_bytes(), dialect)), 0);
    builder.finish()
}

/// The words of a line, without the quotes around them.
pub fn words_of(text: &[u8], dialect: &Dialect) -> Vec<Vec<u8>> {
    let mut words = Vec::new();
    let mut at = 0;
    while at < text.len() {
        if text[at].is_ascii_whitespace() {
            at += 1;
            continue;
        }
        let (word, end) = word_at(text, at, dialect, &[]);
        words.push(word);
        at = end;
    }
    words
}

/// The word that begins at `at`, without quotes around it, and where it ends: at a blank, or at one of `ends`.
pub fn word_at(text: &[u8], at: usize, dialect: &Dialect, ends: &[u8]) -> (Vec<u8>, usize) {
    if dialect.is_quote(text[at])
        && let Some(close) = closing(text, at)
    {
        let next = text.get(close + 1).copied().unwrap_or(b' ');
        if next.is_ascii_whitespace() || ends.contains(&next) {
            return (text[at + 1..close].to_vec(), close + 1);
        }
    }
    let mut end = at;
    while end < text.len() {
        match text[end] {
            byte if byte.is_ascii_whitespace() || ends.contains(&byte) => break,
            b'\\' => end += 2,
            byte if dialect.is_quote(byte) && end > at && text[end - 1] == b'=' => {
                end = closing(text, end).map_or(end + 1, |close| close + 1);
            }
            b'$' if text.get(end + 1) == Some(&b'{') => {
                end = memchr::memchr(b'}', &text[end..]).map_or(text.len(), |close| end + close + 1);
            }
            _ => end += 1,
        }
    }
    let end = end.min(text.len()).max(at + 1);
    (text[at..end].to_vec(), end)
}

/// The quote that closes the one at `at`.
fn closing(text: &[u8], at: usize) -> Option<usize> {
    let mut end = at + 1;
    loop {
        match text.get(end)? {
            b'\\' => end += 2,
            byte if *byte == text[at] => return Some(end),
            _ => end += 1,
        }
    }
}
