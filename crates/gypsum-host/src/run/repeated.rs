//! Lines of a conversation that are said once for each word of a setting: the domains whose mail a server takes.

use super::values::Values;
use gypsum_core::probe::{Check, Probe};

/// Begins what stands for the words of settings.
const MARK: &str = "{each of ";
/// So many lines come of one at most: servers count what they refuse.
const MOST: usize = 6;

impl Values<'_> {
    /// The check in which a line with `{each of NAME NAME}` is said for each word of these settings.
    pub(super) fn repeated(&self, check: &Check) -> Check {
        let mut check = check.clone();
        if let Probe::Talk(talk) = &mut check.probe {
            talk.says = talk.says.iter().flat_map(|line| self.lines(line)).collect();
        }
        check
    }

    fn lines(&self, line: &str) -> Vec<String> {
        let parts = line.split_once(MARK).and_then(|(head, rest)| Some((head, rest.split_once('}')?)));
        let Some((head, (names, tail))) = parts else { return vec![line.to_owned()] };
        let mut words: Vec<String> = Vec::new();
        for word in names.split(' ').flat_map(|name| self.words(name)) {
            if !words.contains(&word) {
                words.push(word);
            }
        }
        words.iter().take(MOST).map(|word| format!("{head}{word}{tail}")).collect()
    }

    /// The words of a list, with what variables in it stand for; without those that name a table, or that are not known.
    fn words(&self, name: &str) -> Vec<String> {
        let value = self.value(name).unwrap_or_default();
        let words = value.split([' ', ',', '\t', '\n']).filter(|word| !word.is_empty());
        let known = words.filter_map(|word| match word.strip_prefix('$') {
            Some(variable) => self.value(variable.trim_matches(['{', '}', '(', ')'])),
            None => Some(word.to_owned()),
        });
        known.filter(|word| !word.contains(['$', ':', '/', '{', ' '])).collect()
    }
}
