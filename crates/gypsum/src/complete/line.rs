//! The line that is typed, as the shells hand it over.

/// What was typed up to the cursor.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Line {
    /// The whole words, the program's name first, without quotes.
    pub words: Vec<String>,
    /// The word that the cursor is at the end of, without quotes.
    pub current: String,
    /// Whether a quote is open in it.
    pub in_quotes: bool,
    /// So many characters at its beginning the shell takes as words of their own and does not replace.
    pub kept: usize,
    /// Whether the shell draws a list.
    pub lists: bool,
}

/// How bash says that it draws a list.
const LISTS: &str = "63";

impl Line {
    /// What a shell handed over. Of bash: why it asks, the characters at which it ends words, and the line up to the
    /// cursor. Of the others: the word at the cursor, and the words before it.
    pub fn of(shell: &str, words: &[String]) -> Option<Self> {
        match (shell, words) {
            ("bash", [why, breaks, line]) => Some(Self { lists: why == LISTS, ..Self::split(line, breaks) }),
            ("zsh" | "fish", [current, words @ ..]) => {
                let quote = current.starts_with(['\'', '"']);
                let current = if quote { &current[1..] } else { current };
                Some(Self { words: words.to_vec(), current: current.to_owned(), ..Self::default() })
            }
            _ => None,
        }
    }

    /// Splits a line as bash does; the last word may be unfinished.
    fn split(line: &str, breaks: &str) -> Self {
        let mut words = Vec::new();
        let (mut word, mut is_word, mut kept) = (String::new(), false, 0);
        let mut quote = None;
        let mut chars = line.chars();
        while let Some(c) = chars.next() {
            match (quote, c) {
                (Some(open), c) if c == open => quote = None,
                (None, '\'' | '"') => {
                    (quote, is_word) = (Some(c), true);
                }
                (None | Some('"'), '\\') => {
                    word.extend(chars.next());
                    is_word = true;
                }
                (None, c) if c.is_whitespace() => {
                    if is_word {
                        words.push(std::mem::take(&mut word));
                    }
                    (is_word, kept) = (false, 0);
                }
                (_, c) => {
                    word.push(c);
                    is_word = true;
                    if quote.is_none() && breaks.contains(c) {
                        kept = word.chars().count();
                    }
                }
            }
        }
        // What is in front of the program's name, such as a variable, is not of it.
        let is_program = |word: &String| word.rsplit('/').next() == Some("gypsum");
        let from = words.iter().position(is_program).unwrap_or(0);
        Self { words: words.split_off(from), current: word, in_quotes: quote.is_some(), kept, lists: false }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_is_split_as_the_shell_does() {
        let split = |line: &str| {
            let line = Line::split(line, " \t\n\"'><=;|&(:");
            (line.words.join("|"), line.current, line.in_quotes, line.kept)
        };
        let case =
            |words: &str, current: &str, quoted, kept| (words.to_owned(), current.to_owned(), quoted, kept);
        assert_eq!(split("gypsum ch"), case("gypsum", "ch", false, 0));
        assert_eq!(split("LANG=C gypsum change "), case("gypsum|change", "", false, 0));
        assert_eq!(split("gypsum change sshd Port=2"), case("gypsum|change|sshd", "Port=2", false, 5));
        assert_eq!(split("gypsum show nginx 'a b=c"), case("gypsum|show|nginx", "a b=c", true, 0));
        assert_eq!(split("gypsum show x a\\ b=c"), case("gypsum|show|x", "a b=c", false, 4));
        assert_eq!(split("gypsum show x 'a b' \"c"), case("gypsum|show|x|a b", "c", true, 0));
    }
}
