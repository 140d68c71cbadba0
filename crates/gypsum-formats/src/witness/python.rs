//! Python settings by a strict grammar: a statement at the top that gives a name a literal (strings, numbers,
//! True, False, None, brackets of them, sums and products of numbers) is a value. All else stays as it is.

use super::account::{Account, Scalar, Sort, Unreadable};
use super::builder::Builder;

pub fn read(source: &[u8], builder: &mut Builder) -> Result<(), Unreadable> {
    let from = super::mark_length(source);
    let mut reader = Reader { source, at: from };
    let mut line = 1;
    let mut counted = 0;
    loop {
        reader.skip_blank_lines();
        line += memchr::memchr_iter(b'\n', &source[counted..reader.at]).count() as u32;
        counted = reader.at;
        if reader.at >= source.len() {
            return Ok(());
        }
        let start = reader.at;
        let end = reader.statement_end();
        reader.at = start;
        if !reader.assignment(builder, end, line) {
            let text = source[start..end].trim_ascii();
            builder.value(None, Some(Scalar::of(Sort::Other, text)), line);
        }
        reader.at = end;
    }
}

/// `text` as the one value of an assignment; `None` where it is no literal.
pub fn value_alone(text: &str) -> Option<Account> {
    // `2026-11-24` and `10/8` would be computed, and are dates and networks.
    let bytes = text.as_bytes();
    let digit = |at: usize| bytes.get(at).is_some_and(u8::is_ascii_digit);
    let computed = |at: usize| at > 0 && matches!(bytes[at], b'-' | b'/') && digit(at - 1) && digit(at + 1);
    if !text.starts_with(['"', '\'', '[', '(', '{']) && (0..bytes.len()).any(computed) {
        return None;
    }
    let mut builder = Builder::default();
    let mut reader = Reader { source: text.as_bytes(), at: 0 };
    reader.space(false);
    reader.tuple(&mut builder, None, 1)?;
    reader.space(false);
    if reader.at < text.len() {
        return None;
    }
    Some(builder.finish())
}

/// Whether `text` is a literal by itself, and nothing else.
pub fn is_literal(text: &str) -> bool {
    value_alone(text).is_some()
}

struct Reader<'a> {
    source: &'a [u8],
    at: usize,
}

impl Reader<'_> {
    fn peek(&self) -> u8 {
        self.source.get(self.at).copied().unwrap_or(0)
    }

    fn rest(&self) -> &[u8] {
        &self.source[self.at.min(self.source.len())..]
    }

    fn skip_blank_lines(&mut self) {
        loop {
            let lead = self.rest().iter().take_while(|byte| byte.is_ascii_whitespace()).count();
            self.at += lead;
            if self.at >= self.source.len() {
                return;
            }
            if self.peek() != b'#' {
                // What is indented belongs to something.
                let blanks =
                    self.source[..self.at].iter().rev().take_while(|byte| matches!(byte, b' ' | b'\t'));
                self.at -= blanks.count();
                return;
            }
            self.skip_line();
        }
    }

    fn skip_line(&mut self) {
        self.at += memchr::memchr(b'\n', self.rest()).unwrap_or(self.rest().len());
    }

    /// Behind the logical line that begins here.
    fn statement_end(&mut self) -> usize {
        let mut depth = 0i32;
        while self.at < self.source.len() {
            match self.peek() {
                b'\n' if depth <= 0 => return self.at + 1,
                b'\\' => self.at += 2,
                b'#' => self.skip_line(),
                b'"' | b'\'' => {
                    if self.string_body(true).is_none() {
                        self.at += 1;
                    }
                }
                byte => {
                    depth += i32::from(matches!(byte, b'(' | b'[' | b'{'));
                    depth -= i32::from(matches!(byte, b')' | b']' | b'}'));
                    self.at += 1;
                }
            }
        }
        self.source.len()
    }

    /// `NAME = literal` and nothing behind it but a comment.
    fn assignment(&mut self, builder: &mut Builder, end: usize, line: u32) -> bool {
        let whole = Reader { source: &self.source[..end], at: self.at };
        let mut reader = whole;
        let word = |byte: &&u8| byte.is_ascii_alphanumeric() || **byte == b'_' || **byte >= 0x80;
        let length = reader.rest().iter().take_while(word).count();
        let name = reader.rest()[..length].to_vec();
        if length == 0 || name[0].is_ascii_digit() {
            return false;
        }
        reader.at += length;
        reader.space(false);
        if reader.peek() != b'=' || reader.source.get(reader.at + 1) == Some(&b'=') {
            return false;
        }
        reader.at += 1;
        reader.space(false);
        let mut inner = Builder::default();
        if reader.tuple(&mut inner, Some(name), line).is_none() {
            return false;
        }
        reader.space(false);
        if reader.peek() == b'#' {
            reader.skip_line();
        }
        if !reader.rest().trim_ascii().is_empty() {
            return false;
        }
        builder.append(inner);
        true
    }

    /// Blanks, and between brackets line ends and comments.
    fn space(&mut self, in_brackets: bool) {
        loop {
            match self.peek() {
                b' ' | b'\t' | 0x0c | b'\r' => self.at += 1,
                b'\n' if in_brackets => self.at += 1,
                b'#' if in_brackets => self.skip_line(),
                b'\\' if self.rest().starts_with(b"\\\n") || self.rest().starts_with(b"\\\r\n") => {
                    self.at += memchr::memchr(b'\n', self.rest()).map_or(1, |end| end + 1);
                }
                _ => return,
            }
        }
    }

    /// One value, or several with commas between them and no brackets around.
    fn tuple(&mut self, builder: &mut Builder, name: Option<Vec<u8>>, line: u32) -> Option<()> {
        let mut inner = Builder::default();
        self.value(&mut inner, None, line, false, 0)?;
        let mut several = false;
        loop {
            self.space(false);
            if self.peek() != b',' {
                break;
            }
            self.at += 1;
            several = true;
            self.space(false);
            if self.at >= self.source.len() || matches!(self.peek(), b'#' | b'\n') {
                break;
            }
            self.value(&mut inner, None, line, false, 0)?;
        }
        if several {
            builder.open(name, Some(Scalar::of(Sort::Other, "(")), line);
            builder.append(inner);
            builder.close();
        } else {
            inner.rename_first(name);
            builder.append(inner);
        }
        Some(())
    }

    /// One value. `depth` counts brackets, so that a file cannot exhaust the stack.
    fn value(
        &mut self,
        builder: &mut Builder,
        name: Option<Vec<u8>>,
        line: u32,
        in_brackets: bool,
        depth: u32,
    ) -> Option<()> {
        if depth > 200 {
            return None;
        }
        match self.peek() {
            b'[' => self.list(builder, name, line, b']', depth),
            b'(' => self.list(builder, name, line, b')', depth),
            b'{' => self.list(builder, name, line, b'}', depth),
            _ => {
                let scalar = self.scalar(in_brackets)?;
                builder.value(name, Some(scalar), line);
                Some(())
            }
        }
    }

    fn list(
        &mut self,
        builder: &mut Builder,
        name: Option<Vec<u8>>,
        line: u32,
        close: u8,
        depth: u32,
    ) -> Option<()> {
        let open = self.peek();
        self.at += 1;
        let mut inner = Builder::default();
        let (mut count, mut comma, mut pairs) = (0, false, None);
        loop {
            self.space(true);
            if self.peek() == close {
                self.at += 1;
                break;
            }
            if count > 0 && !comma {
                return None;
            }
            self.value(&mut inner, None, line, true, depth + 1)?;
            self.space(true);
            let pair = close == b'}' && self.peek() == b':';
            if *pairs.get_or_insert(pair) != pair {
                return None;
            }
            if pair {
                self.at += 1;
                self.space(true);
                self.value(&mut inner, None, line, true, depth + 1)?;
                self.space(true);
            }
            count += 1;
            comma = self.peek() == b',';
            self.at += usize::from(comma);
        }
        // Brackets around one value without a comma are only brackets.
        if open == b'(' && count == 1 && !comma {
            inner.rename_first(name);
        } else {
            let mark = if pairs == Some(true) { vec![open, b':'] } else { vec![open] };
            builder.open(name, Some(Scalar::of(Sort::Other, mark)), line);
            builder.append(inner);
            builder.close();
            return Some(());
        }
        builder.append(inner);
        Some(())
    }

    /// A text, a word, or sums and products of numbers.
    fn scalar(&mut self, in_brackets: bool) -> Option<Scalar> {
        for (word, sort) in [("True", Sort::Flag), ("False", Sort::Flag), ("None", Sort::Null)] {
            let next = self.source.get(self.at + word.len()).copied().unwrap_or(b' ');
            if self.rest().starts_with(word.as_bytes()) && !(next.is_ascii_alphanumeric() || next == b'_') {
                self.at += word.len();
                return Some(Scalar::of(sort, word));
            }
        }
        if let Some(text) = self.strings(in_brackets) {
            return text;
        }
        let mut text = Vec::new();
        loop {
            while matches!(self.peek(), b'+' | b'-') {
                text.push(self.peek());
                self.at += 1;
                self.space(in_brackets);
            }
            let length = number_length(self.rest())?;
            text.extend_from_slice(&self.rest()[..length]);
            self.at += length;
            let behind = self.at;
            self.space(in_brackets);
            match self.peek() {
                b'+' | b'-' => {}
                b'*' | b'/' => {
                    let twice = self.source.get(self.at + 1) == Some(&self.peek());
                    text.extend(std::iter::repeat_n(self.peek(), 1 + usize::from(twice)));
                    self.at += 1 + usize::from(twice);
                    self.space(in_brackets);
                }
                _ => {
                    self.at = behind;
                    return Some(Scalar::of(Sort::Number, text));
                }
            }
        }
    }

    /// Strings that are beside each other are one; the outer `None` says that there is none here.
    fn strings(&mut self, in_brackets: bool) -> Option<Option<Scalar>> {
        let mut all: Option<(bool, Vec<u8>)> = None;
        loop {
            let behind = self.at;
            if all.is_some() {
                self.space(in_brackets);
            }
            let length = self.rest().iter().take_while(|byte| byte.is_ascii_alphabetic()).count();
            let prefix = self.rest()[..length].to_ascii_lowercase();
            let quoted = matches!(self.source.get(self.at + length), Some(b'"' | b'\''));
            if length > 2 || !quoted {
                self.at = behind;
                return all.map(|(bytes, text)| {
                    Some(Scalar::of(if bytes { Sort::Other } else { Sort::Text }, text))
                });
            }
            let (raw, bytes) = match prefix.as_slice() {
                b"" | b"u" => (false, false),
                b"r" => (true, false),
                b"b" => (false, true),
                b"rb" | b"br" => (true, true),
                _ => return Some(None),
            };
            self.at += length;
            let Some(text) = self.string_body(raw) else {
                return Some(None);
            };
            match &mut all {
                None => all = Some((bytes, text)),
                Some((before, _)) if *before != bytes => return Some(None),
                Some((_, before)) => before.extend(text),
            }
        }
    }

    /// What is between the quotes here, which are passed.
    fn string_body(&mut self, raw: bool) -> Option<Vec<u8>> {
        let quote = self.peek();
        let triple = self.rest().starts_with(&[quote; 3]);
        let close: &[u8] = if triple { &[quote; 3] } else { &[quote] };
        let mut at = self.at + close.len();
        let mut text = Vec::new();
        loop {
            let rest = self.source.get(at..)?;
            let byte = *rest.first()?;
            if rest.starts_with(close) {
                self.at = at + close.len();
                return Some(text);
            }
            if byte == b'\n' && !triple {
                return None;
            }
            if byte == b'\\' {
                let length = if raw { Some(2) } else { escape(rest, &mut text) };
                let length = length?;
                if raw {
                    text.extend_from_slice(rest.get(..2)?);
                }
                at += length;
                continue;
            }
            text.push(byte);
            at += 1;
        }
    }
}

/// The escape at the start of `text`, and how long it is (Python reference, 2.4.1.1).
fn escape(text: &[u8], out: &mut Vec<u8>) -> Option<usize> {
    let number = |from: usize, most: usize, base: u32| {
        let digits =
            text.get(from..)?.iter().take(most).take_while(|byte| char::from(**byte).is_digit(base)).count();
        let digits = text.get(from..from + digits).filter(|digits| !digits.is_empty())?;
        let value = u32::from_str_radix(std::str::from_utf8(digits).ok()?, base).ok()?;
        Some((char::from_u32(value)?, from + digits.len()))
    };
    let simple = match text.get(1)? {
        b'\n' => return Some(2),
        b'a' => 0x07,
        b'b' => 0x08,
        b'f' => 0x0c,
        b'n' => b'\n',
        b'r' => b'\r',
        b't' => b'\t',
        b'v' => 0x0b,
        byte @ (b'\\' | b'\'' | b'"') => *byte,
        byte @ (b'x' | b'u' | b'U' | b'0'..=b'7') => {
            let (wanted, (c, end)) = match byte {
                b'x' => (4, number(2, 2, 16)?),
                b'u' => (6, number(2, 4, 16)?),
                b'U' => (10, number(2, 8, 16)?),
                _ => (0, number(1, 3, 8)?),
            };
            if wanted > 0 && end != wanted {
                return None;
            }
            out.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes());
            return Some(end);
        }
        b'N' => return None,
        byte => {
            out.extend_from_slice(&[b'\\', *byte]);
            return Some(2);
        }
    };
    out.push(simple);
    Some(2)
}

/// The length of the number at the start of `text`: `10`, `0x1f`, `1_000`, `1.5e3`, `2j`.
fn number_length(text: &[u8]) -> Option<usize> {
    let digits = |from: usize, base: u32| {
        let rest = text.get(from..).unwrap_or_default();
        let mut length = 0;
        loop {
            let more = rest[length..].iter().take_while(|byte| char::from(**byte).is_digit(base)).count();
            if more == 0 {
                // An underscore is between two digits.
                return from + length.saturating_sub(usize::from(length > 0));
            }
            length += more;
            if rest.get(length) != Some(&b'_') {
                return from + length;
            }
            length += 1;
        }
    };
    let first = *text.first()?;
    let mut end = match text.get(1).map(u8::to_ascii_lowercase) {
        Some(mark @ (b'x' | b'o' | b'b')) if first == b'0' => {
            let base = if mark == b'x' {
                16
            } else if mark == b'o' {
                8
            } else {
                2
            };
            let end = digits(2, base);
            return (end > 2 && ends_number(text, end)).then_some(end);
        }
        _ => digits(0, 10),
    };
    let whole = end;
    let mut float = false;
    if text.get(end) == Some(&b'.') {
        let part = digits(end + 1, 10);
        if whole == 0 && part == end + 1 {
            return None;
        }
        (end, float) = (part, true);
    }
    if end == 0 {
        return None;
    }
    if matches!(text.get(end), Some(b'e' | b'E')) {
        let sign = usize::from(matches!(text.get(end + 1), Some(b'+' | b'-')));
        let exponent = digits(end + 1 + sign, 10);
        if exponent == end + 1 + sign {
            return None;
        }
        (end, float) = (exponent, true);
    }
    let complex = matches!(text.get(end), Some(b'j' | b'J'));
    end += usize::from(complex);
    // A whole number has no zero before it, unless it is nothing but zeros.
    let padded = first == b'0' && text[..whole].iter().any(|byte| matches!(byte, b'1'..=b'9'));
    (ends_number(text, end) && (float || complex || !padded)).then_some(end)
}

fn ends_number(text: &[u8], end: usize) -> bool {
    text.get(end)
        .is_none_or(|byte| !(byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b'.') || *byte >= 0x80))
}
