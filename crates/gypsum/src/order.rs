//! In which order the words of a change were typed: a file holds for the edits behind it, a place for what is added
//! right before it.

use clap::ArgMatches;
use std::collections::HashMap;

/// The words whose order tells something.
const ORDERED: [&str; 14] = [
    "edits",
    "enable",
    "disable",
    "delete",
    "add",
    "piece",
    "replace_all",
    "secret",
    "prepared",
    "first",
    "last",
    "above",
    "below",
    "within",
];

/// The places of the words of `gypsum change` on its command line.
#[derive(Clone, Debug, Default)]
pub struct TypedOrder {
    places: HashMap<&'static str, Vec<usize>>,
}

impl TypedOrder {
    /// The order in which these words were typed; empty for another command.
    pub fn of(matches: &ArgMatches) -> Self {
        let Some(change) = matches.subcommand_matches("change") else {
            return Self::default();
        };
        let places = |word: &'static str| {
            let places = change.indices_of(word).map(Iterator::collect).unwrap_or_default();
            (word, places)
        };
        Self { places: ORDERED.into_iter().map(places).collect() }
    }

    /// The places of all values of one word, in order.
    pub fn all(&self, word: &str) -> &[usize] {
        self.places.get(word).map_or(&[], Vec::as_slice)
    }

    /// The place of the value number `n`, from 0, of one word.
    pub fn at(&self, word: &str, n: usize) -> usize {
        self.all(word).get(n).copied().unwrap_or(usize::MAX)
    }
}
