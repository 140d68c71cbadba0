//! Where the reader is, and the small things that are read everywhere: names, blanks, comments, quotes.

use super::Unreadable;

/// A place in a text.
pub struct Cursor<'a> {
    text: &'a str,
    at: usize,
    lines: (usize, u32),
}

impl<'a> Cursor<'a> {
    pub fn new(text: &'a str) -> Self {
        Self { text, at: 0, lines: (0, 1) }
    }

    pub fn at(&self) -> usize {
        self.at
    }

    /// The line that it is in, from 1.
    pub fn line(&mut self) -> u32 {
        let (from, line) = self.lines;
        let more = memchr::memchr_iter(b'\n', &self.text.as_bytes()[from..self.at]).count() as u32;
        self.lines = (self.at, line + more);
        line + more
    }

    pub fn rest(&self) -> &'a str {
        &self.text[self.at..]
    }

    pub fn peek(&self) -> Option<char> {
        self.rest().chars().next()
    }

    pub fn at_str(&self, text: &str) -> bool {
        self.rest().starts_with(text)
    }

    /// Whether `text` is next; then it is passed.
    pub fn takes(&mut self, text: &str) -> bool {
        let takes = self.at_str(text);
        self.at += if takes { text.len() } else { 0 };
        takes
    }

    pub fn wants(&mut self, text: &str) -> Result<(), Unreadable> {
        if self.takes(text) { Ok(()) } else { Err(self.error(format!("{text} is missing here"))) }
    }

    pub fn error(&self, why: impl Into<String>) -> Unreadable {
        Unreadable::new(self.at, why)
    }

    /// An error about the character that was read last.
    pub fn error_before(&self, why: &str) -> Unreadable {
        Unreadable::new(self.at.saturating_sub(1), why)
    }

    /// The next character, which must be one that XML allows.
    pub fn next_char(&mut self) -> Result<char, Unreadable> {
        match self.peek() {
            None => Err(self.error("the file ends too early")),
            Some(c) if !is_char(c) => Err(self.error(format!("the control character {c:?} is not allowed"))),
            Some(c) => {
                self.at += c.len_utf8();
                Ok(c)
            }
        }
    }

    /// Passes blanks; whether there were any.
    pub fn blanks(&mut self) -> bool {
        let rest = self.rest().trim_start_matches([' ', '\t', '\r', '\n']);
        let before = std::mem::replace(&mut self.at, self.text.len() - rest.len());
        self.at > before
    }

    pub fn wants_blanks(&mut self) -> Result<(), Unreadable> {
        if self.blanks() { Ok(()) } else { Err(self.error("a blank is missing here")) }
    }

    pub fn name(&mut self) -> Result<String, Unreadable> {
        match self.peek() {
            Some(c) if is_name_start(c) => self.name_token(),
            _ => Err(self.error("a name is missing here")),
        }
    }

    pub fn name_token(&mut self) -> Result<String, Unreadable> {
        let rest = self.rest();
        let length = rest.find(|c| !is_name_char(c)).unwrap_or(rest.len());
        if length == 0 {
            return Err(self.error("a name is missing here"));
        }
        self.at += length;
        Ok(rest[..length].to_owned())
    }

    pub fn equals(&mut self) -> Result<(), Unreadable> {
        self.blanks();
        self.wants("=")?;
        self.blanks();
        Ok(())
    }

    pub fn quote(&mut self) -> Result<char, Unreadable> {
        match self.peek() {
            Some(quote @ ('"' | '\'')) => {
                self.at += 1;
                Ok(quote)
            }
            _ => Err(self.error("a quote is missing here")),
        }
    }

    /// What is between two quotes, in which only some characters may be.
    pub fn literal(&mut self, allowed: impl Fn(char) -> bool) -> Result<&'a str, Unreadable> {
        let quote = self.quote()?;
        let start = self.at;
        loop {
            match self.next_char()? {
                c if c == quote => return Ok(&self.text[start..self.at - 1]),
                c if !allowed(c) => return Err(self.error_before(&format!("{c:?} is not allowed here"))),
                _ => {}
            }
        }
    }

    /// All up to `end`, which is passed.
    pub fn until(&mut self, end: &str) -> Result<&'a str, Unreadable> {
        let start = self.at;
        while !self.at_str(end) {
            self.next_char()?;
        }
        self.at += end.len();
        Ok(&self.text[start..self.at - end.len()])
    }

    /// `<!-- … -->`, without `--` in it.
    pub fn comment(&mut self) -> Result<(), Unreadable> {
        self.wants("<!--")?;
        self.until("--")?;
        if self.takes(">") { Ok(()) } else { Err(self.error("a comment may not hold --")) }
    }

    /// `<?target …?>`, whose target is not `xml`.
    pub fn instruction(&mut self) -> Result<(), Unreadable> {
        self.wants("<?")?;
        let at = self.at;
        let target = self.name()?;
        if target.eq_ignore_ascii_case("xml") {
            return Err(Unreadable::new(at, "the XML declaration may only be at the very beginning"));
        }
        if !self.at_str("?>") {
            self.wants_blanks()?;
        }
        self.until("?>").map(|_| ())
    }

    /// `<?xml version='1.0' encoding='…' standalone='…'?>`, as a document or an external entity has it.
    pub fn text_declaration(&mut self, document: bool) -> Result<(), Unreadable> {
        self.wants("<?xml")?;
        self.wants_blanks()?;
        let versioned = self.takes("version");
        if versioned {
            self.equals()?;
            let at = self.at;
            let version = self.literal(|_| true)?;
            let digits = version.strip_prefix("1.").unwrap_or_default();
            if digits.is_empty() || !digits.bytes().all(|byte| byte.is_ascii_digit()) {
                return Err(Unreadable::new(at, format!("{version:?} is no version of XML 1")));
            }
        } else if document {
            return Err(self.error("the version is missing"));
        }
        let mut blank = self.blanks();
        if (blank || !versioned) && self.takes("encoding") {
            self.equals()?;
            let at = self.at;
            let name = self.literal(|c| c.is_ascii_alphanumeric() || "._-".contains(c))?;
            if !name.starts_with(|c: char| c.is_ascii_alphabetic()) {
                return Err(Unreadable::new(at, "this is no name of an encoding"));
            }
            blank = self.blanks();
        }
        if document && blank && self.takes("standalone") {
            self.equals()?;
            let at = self.at;
            if !matches!(self.literal(|_| true)?, "yes" | "no") {
                return Err(Unreadable::new(at, "standalone is yes or no"));
            }
            self.blanks();
        }
        self.wants("?>")
    }
}

/// Production 2.
pub fn is_char(c: char) -> bool {
    matches!(c, '\t' | '\n' | '\r' | '\u{20}'..='\u{d7ff}' | '\u{e000}'..='\u{fffd}' | '\u{10000}'..)
}

/// Production 4.
pub fn is_name_start(c: char) -> bool {
    matches!(c, ':' | '_' | 'A'..='Z' | 'a'..='z' | '\u{c0}'..='\u{d6}' | '\u{d8}'..='\u{f6}' | '\u{f8}'..='\u{2ff}'
        | '\u{370}'..='\u{37d}' | '\u{37f}'..='\u{1fff}' | '\u{200c}'..='\u{200d}' | '\u{2070}'..='\u{218f}'
        | '\u{2c00}'..='\u{2fef}' | '\u{3001}'..='\u{d7ff}' | '\u{f900}'..='\u{fdcf}' | '\u{fdf0}'..='\u{fffd}'
        | '\u{10000}'..='\u{effff}')
}

/// Production 4a.
pub fn is_name_char(c: char) -> bool {
    is_name_start(c)
        || matches!(c, '-' | '.' | '0'..='9' | '\u{b7}' | '\u{300}'..='\u{36f}' | '\u{203f}'..='\u{2040}')
}
