//! Shell settings by the shell's own grammar (POSIX, Shell Command Language), as far as it takes to know what a
//! simple assignment at the top is. What is inside conditions, loops, functions, arrays and here-documents
//! stays as it is, as do all other commands.

use super::account::{Scalar, Sort, Unreadable};
use super::builder::Builder;

pub fn read(source: &[u8], builder: &mut Builder) -> Result<(), Unreadable> {
    let from = super::mark_length(source);
    let mut lexer = Lexer { source, at: from, awaited: Vec::new() };
    let mut line = 1;
    let mut counted = 0;
    loop {
        let command = lexer.command()?;
        let Some(command) = command else {
            return Ok(());
        };
        line += memchr::memchr_iter(b'\n', &source[counted..command.start]).count() as u32;
        counted = command.start;
        note(builder, source, &command, line);
    }
}

/// A command with all that belongs to it.
struct Command {
    start: usize,
    end: usize,
    words: Vec<Word>,
    /// Whether it is one of a list, a pipe or something compound, where an assignment means something else.
    compound: bool,
}

struct Word {
    start: usize,
    end: usize,
}

/// Assignments by themselves are values; `export` before them changes nothing.
fn note(builder: &mut Builder, source: &[u8], command: &Command, line: u32) {
    let text = |word: &Word| &source[word.start..word.end];
    let mut words = command.words.as_slice();
    if words.first().is_some_and(|word| text(word) == b"export") && words.len() > 1 {
        words = &words[1..];
    }
    let split: Option<Vec<(&[u8], Scalar)>> = words.iter().map(|word| assignment(text(word))).collect();
    match split {
        Some(assignments) if !command.compound && !assignments.is_empty() => {
            for (name, value) in assignments {
                builder.value(Some(name.to_vec()), Some(value), line);
            }
        }
        _ => {
            let whole = source[command.start..command.end].trim_ascii();
            builder.value(None, Some(Scalar::of(Sort::Other, whole)), line);
        }
    }
}

/// `NAME=value` and `NAME+=value`; a value that a command computes is no value.
fn assignment(word: &[u8]) -> Option<(&[u8], Scalar)> {
    let length = word.iter().take_while(|byte| byte.is_ascii_alphanumeric() || **byte == b'_').count();
    let (name, rest) = word.split_at(length);
    let rest = rest.strip_prefix(b"+").unwrap_or(rest).strip_prefix(b"=")?;
    (length > 0 && !name[0].is_ascii_digit() && !rest.starts_with(b"(")).then_some(())?;
    let sort = if expands(rest) { Sort::Other } else { Sort::Text };
    Some((name, Scalar::of(sort, unquoted(rest)?)))
}

/// Whether the shell puts something else in the place of a name in a word.
fn expands(word: &[u8]) -> bool {
    let (mut single, mut double, mut escaped) = (false, false, false);
    for byte in word {
        match byte {
            _ if escaped => escaped = false,
            b'\\' if !single => escaped = true,
            b'\'' if !double => single = !single,
            b'"' if !single => double = !double,
            b'$' if !single => return true,
            _ => {}
        }
    }
    false
}

/// Quote removal (2.6.7); `None` where a command would compute part of it.
fn unquoted(word: &[u8]) -> Option<Vec<u8>> {
    let mut out = Vec::new();
    let (mut at, mut double) = (0, false);
    while let Some(byte) = word.get(at) {
        match byte {
            b'"' => double = !double,
            b'\'' if !double => {
                let close = at + 1 + memchr::memchr(b'\'', word.get(at + 1..)?)?;
                out.extend_from_slice(&word[at + 1..close]);
                at = close;
            }
            b'\\' => match word.get(at + 1) {
                Some(b'\n') => at += 1,
                Some(next) if !double || matches!(next, b'"' | b'\\' | b'$' | b'`') => {
                    out.push(*next);
                    at += 1;
                }
                _ => out.push(b'\\'),
            },
            b'`' => return None,
            b'$' if word.get(at + 1) == Some(&b'(') => return None,
            byte => out.push(*byte),
        }
        at += 1;
    }
    Some(out)
}

/// What a word opens, and the word that ends it.
const OPENERS: [(&[u8], &[u8]); 8] = [
    (b"if", b"fi"),
    (b"while", b"done"),
    (b"until", b"done"),
    (b"for", b"done"),
    (b"select", b"done"),
    (b"case", b"esac"),
    (b"{", b"}"),
    (b"[[", b"]]"),
];

/// Words behind which a command may begin.
const LEADERS: [&[u8]; 6] = [b"then", b"else", b"elif", b"do", b"!", b"time"];

struct Lexer<'a> {
    source: &'a [u8],
    at: usize,
    /// The ends of here-documents that begin behind this line, and whether tabs before them go.
    awaited: Vec<(Vec<u8>, bool)>,
}

/// A command that is not ended yet.
#[derive(Default)]
struct Begun {
    words: Vec<Word>,
    /// What ends all that was begun in it, the innermost last.
    closers: Vec<&'static [u8]>,
    compound: bool,
    /// Whether a word would begin a command here.
    may_begin: bool,
}

impl Begun {
    /// Whether what this word ends is the innermost that was begun.
    fn is_inside(&self, closer: &[u8]) -> bool {
        self.closers.last().is_some_and(|last| *last == closer)
    }
}

impl Lexer<'_> {
    fn error(&self, at: usize, why: &str) -> Unreadable {
        Unreadable::new(at, why)
    }

    /// The next command at the top, up to the end of its line or its mark.
    fn command(&mut self) -> Result<Option<Command>, Unreadable> {
        self.skip_space_and_lines()?;
        if self.at >= self.source.len() {
            return Ok(None);
        }
        let start = self.at;
        let mut begun = Begun { may_begin: true, ..Begun::default() };
        loop {
            self.blanks();
            let Some(byte) = self.source.get(self.at).copied() else {
                if begun.closers.is_empty() {
                    break;
                }
                return Err(self.error(start, "what begins here is never ended"));
            };
            let is_ended = match byte {
                b'#' => {
                    self.skip_line();
                    false
                }
                b'\n' | b';' | b'&' | b'|' => self.end_mark(byte, &mut begun)?,
                b'(' | b')' => {
                    self.bracket(byte, &mut begun)?;
                    false
                }
                b'<' | b'>' => {
                    begun.compound = true;
                    self.redirection()?;
                    begun.may_begin = false;
                    false
                }
                _ => {
                    self.word_of(&mut begun)?;
                    false
                }
            };
            if is_ended {
                break;
            }
        }
        // A function's body may begin in the next line.
        let ended = self.source[start..self.at].trim_ascii_end().ends_with(b"()");
        if ended {
            let _ = self.command()?;
        }
        let Begun { words, compound, .. } = begun;
        Ok(Some(Command { start, end: self.at.min(self.source.len()), words, compound: compound || ended }))
    }

    /// The end of a line, or a mark between commands; whether the command ends with it.
    fn end_mark(&mut self, byte: u8, begun: &mut Begun) -> Result<bool, Unreadable> {
        if byte == b'\n' {
            self.at += 1;
            self.here_documents()?;
            begun.may_begin = true;
            return Ok(begun.closers.is_empty());
        }
        let length = self.source[self.at..].iter().take_while(|next| **next == byte).count();
        self.at += length;
        begun.may_begin = true;
        if byte != b';' || length > 1 {
            begun.compound = true;
            return Ok(false);
        }
        Ok(begun.closers.is_empty())
    }

    fn bracket(&mut self, byte: u8, begun: &mut Begun) -> Result<(), Unreadable> {
        self.at += 1;
        begun.may_begin = true;
        if byte == b'(' {
            begun.compound = true;
            // `name()` begins a function, whose body follows.
            begun.closers.push(b")");
        } else if begun.is_inside(b")") {
            begun.closers.pop();
        } else if !begun.is_inside(b"esac") {
            return Err(self.error(self.at - 1, "this bracket closes nothing"));
        }
        Ok(())
    }

    /// A word, which may begin or end something.
    fn word_of(&mut self, begun: &mut Begun) -> Result<(), Unreadable> {
        let from = self.at;
        self.word()?;
        let text = &self.source[from..self.at];
        if begun.is_inside(text) && (begun.may_begin || text == b"]]") {
            begun.closers.pop();
            begun.may_begin = false;
            return Ok(());
        }
        match OPENERS.iter().find(|(open, _)| begun.may_begin && *open == text) {
            Some((_, close)) => {
                begun.closers.push(close);
                begun.compound = true;
                begun.may_begin = !matches!(text, b"for" | b"select" | b"case" | b"[[");
            }
            None if begun.may_begin && text == b"function" => {
                begun.compound = true;
                // Its name; its body may begin behind it.
                self.blanks();
                if self.source.get(self.at).is_some_and(|byte| !byte.is_ascii_whitespace()) {
                    self.word()?;
                }
            }
            None if LEADERS.contains(&text) || begun.is_inside(b"esac") => {}
            None => {
                begun.words.push(Word { start: from, end: self.at });
                begun.may_begin = false;
            }
        }
        // The words of a loop's list end with its line or its `do`.
        if text == b"in" && begun.is_inside(b"esac") {
            begun.may_begin = true;
        }
        Ok(())
    }

    fn skip_space_and_lines(&mut self) -> Result<(), Unreadable> {
        while let Some(byte) = self.source.get(self.at) {
            match byte {
                b' ' | b'\t' | b'\r' | b';' => self.at += 1,
                b'\n' => {
                    self.at += 1;
                    self.here_documents()?;
                }
                b'#' => self.skip_line(),
                b'\\' if self.source.get(self.at + 1) == Some(&b'\n') => self.at += 2,
                _ => return Ok(()),
            }
        }
        Ok(())
    }

    fn blanks(&mut self) {
        loop {
            match self.source.get(self.at) {
                Some(b' ' | b'\t' | b'\r') => self.at += 1,
                Some(b'\\') if self.source.get(self.at + 1) == Some(&b'\n') => self.at += 2,
                _ => return,
            }
        }
    }

    fn skip_line(&mut self) {
        let rest = &self.source[self.at..];
        self.at += memchr::memchr(b'\n', rest).unwrap_or(rest.len());
    }

    /// Passes one word with its quotes, substitutions and array.
    fn word(&mut self) -> Result<(), Unreadable> {
        let start = self.at;
        while let Some(byte) = self.source.get(self.at).copied() {
            match byte {
                b' ' | b'\t' | b'\r' | b'\n' | b';' | b'&' | b'|' | b'<' | b'>' | b')' => return Ok(()),
                b'(' if self.at > start && self.source[self.at - 1] == b'=' => self.group(b'(', b')')?,
                b'(' => return Ok(()),
                _ => self.piece()?,
            }
        }
        Ok(())
    }

    /// One character of a word, or all that a quote or a substitution keeps together.
    fn piece(&mut self) -> Result<(), Unreadable> {
        let start = self.at;
        let open = |lexer: &Self| lexer.error(start, "what is opened here is never closed");
        match self.source[self.at] {
            b'\\' => self.at = (self.at + 2).min(self.source.len()),
            b'\'' => {
                let rest = self.source.get(self.at + 1..).unwrap_or_default();
                self.at += 2 + memchr::memchr(b'\'', rest).ok_or_else(|| open(self))?;
            }
            b'"' => {
                self.at += 1;
                while self.source.get(self.at).ok_or_else(|| open(self))? != &b'"' {
                    if matches!(self.source[self.at], b'$' | b'`' | b'\\') {
                        self.piece()?
                    } else {
                        self.at += 1
                    }
                }
                self.at += 1;
            }
            b'`' => {
                self.at += 1;
                while self.source.get(self.at).ok_or_else(|| open(self))? != &b'`' {
                    self.at += if self.source[self.at] == b'\\' { 2 } else { 1 };
                }
                self.at += 1;
            }
            b'$' => match self.source.get(self.at + 1) {
                Some(b'(') => {
                    self.at += 1;
                    self.group(b'(', b')')?;
                }
                Some(b'{') => {
                    self.at += 1;
                    self.group(b'{', b'}')?;
                }
                _ => self.at += 1,
            },
            _ => self.at += 1,
        }
        Ok(())
    }

    /// Passes what is in brackets, with the quotes in it.
    fn group(&mut self, open: u8, close: u8) -> Result<(), Unreadable> {
        let start = self.at;
        let mut depth = 0;
        loop {
            let byte =
                *self.source.get(self.at).ok_or_else(|| self.error(start, "this bracket is never closed"))?;
            match byte {
                b'\'' | b'"' | b'`' | b'\\' | b'$' => self.piece()?,
                b'#' if self.source[self.at - 1].is_ascii_whitespace() && open == b'(' => self.skip_line(),
                _ => {
                    depth += i32::from(byte == open);
                    depth -= i32::from(byte == close);
                    self.at += 1;
                    if depth == 0 {
                        return Ok(());
                    }
                }
            }
        }
    }

    /// `<`, `>` and their kin with the word behind them; `<<` awaits a document behind the line.
    fn redirection(&mut self) -> Result<(), Unreadable> {
        let rest = &self.source[self.at..];
        let document = rest.starts_with(b"<<") && !rest.starts_with(b"<<<");
        let length = rest.iter().take_while(|byte| matches!(byte, b'<' | b'>' | b'&' | b'|')).count();
        self.at += length;
        let tabs = document && self.source.get(self.at) == Some(&b'-');
        self.at += usize::from(tabs);
        self.blanks();
        let from = self.at;
        self.word()?;
        if document {
            let end = unquoted(&self.source[from..self.at]);
            self.awaited.push((end.ok_or_else(|| self.error(from, "this ends no document"))?, tabs));
        }
        Ok(())
    }

    /// Passes the documents that the line before asked for.
    fn here_documents(&mut self) -> Result<(), Unreadable> {
        for (end, tabs) in std::mem::take(&mut self.awaited) {
            let start = self.at;
            loop {
                if self.at >= self.source.len() {
                    return Err(self.error(start.saturating_sub(1), "this document is never ended"));
                }
                let from = self.at;
                self.skip_line();
                let line = &self.source[from..self.at];
                let lead = if tabs { line.iter().take_while(|byte| **byte == b'\t').count() } else { 0 };
                self.at = (self.at + 1).min(self.source.len());
                if line[lead..] == end {
                    break;
                }
            }
        }
        Ok(())
    }
}
