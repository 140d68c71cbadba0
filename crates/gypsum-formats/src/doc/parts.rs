//! One statement, split into its parts. Made on demand and thrown away.

use crate::text::Span;

/// The pieces of a value. Nearly always one; a value that goes on over several lines, with
/// comments between, has more, and they need not be contiguous.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Pieces {
    first: Option<Span>,
    rest: Vec<Span>,
    /// Whether the pieces are joined by nothing.
    glued: bool,
}

impl Pieces {
    /// A value in one piece.
    pub fn one(span: Span) -> Self {
        Self { first: Some(span), ..Self::default() }
    }

    /// A value whose pieces will be joined by nothing.
    pub fn glued() -> Self {
        Self { glued: true, ..Self::default() }
    }

    /// One more piece, after the others.
    pub fn push(&mut self, span: Span) {
        if self.first.is_none() {
            self.first = Some(span);
        } else {
            self.rest.push(span);
        }
    }

    /// The pieces in order.
    pub fn iter(&self) -> impl Iterator<Item = Span> + '_ {
        self.first.into_iter().chain(self.rest.iter().copied())
    }

    /// Whether there is no value (a bare name).
    pub fn is_none(&self) -> bool {
        self.first.is_none()
    }

    /// From the first byte of the first piece to the last of the last.
    pub fn hull(&self) -> Option<Span> {
        let first = self.first?;
        Some(Span { start: first.start, end: self.rest.last().unwrap_or(&first).end })
    }

    /// The pieces as they stand in the file, joined by one blank, or by nothing.
    pub fn raw(&self, source: &[u8]) -> Vec<u8> {
        let mut out = Vec::new();
        for (n, piece) in self.iter().enumerate() {
            if n > 0 && !self.glued {
                out.push(b' ');
            }
            out.extend_from_slice(piece.of(source));
        }
        out
    }
}

/// The parts of one statement. Everything between and around them is layout.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Parts {
    /// The name as it is; of a section header, the name of the section.
    pub name: Span,
    /// The value, quotes included; of an opening statement, the words after the name.
    pub value: Pieces,
    /// Where the statement's own text ends: after it come blanks, an inline comment, the line end.
    pub end: u32,
}

impl Parts {
    /// What is between name and value, with its alignment; none for a bare name, and where the
    /// value is first.
    pub fn separator(&self) -> Option<Span> {
        let first = self.value.iter().next()?;
        (first.start >= self.name.end).then_some(Span { start: self.name.end, end: first.start })
    }
}
