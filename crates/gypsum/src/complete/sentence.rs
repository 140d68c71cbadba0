//! The words of a check, one after the other.

use super::{Candidate, Typed};
use gypsum_core::probe::next_words;

/// The sentence as far as it is typed, with each word that can follow.
pub fn checks(_: &Typed, current: &str) -> Vec<Candidate> {
    let begun = current.rfind(' ').map_or("", |at| &current[..=at]);
    let words = next_words(begun).into_iter();
    words.map(|(word, meaning)| Candidate::new(format!("{begun}{word}"), meaning)).collect()
}

/// The same; in front of it is a time.
pub fn watches(typed: &Typed, current: &str) -> Vec<Candidate> {
    let times = [("1h", "an hour"), ("1d", "a day"), ("3d", "three days"), ("1w", "a week")];
    let times = times.into_iter().map(|(time, meaning)| Candidate::new(time, meaning));
    times.chain(checks(typed, current)).collect()
}
