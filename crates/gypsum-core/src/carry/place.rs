//! Where in the new version the administrator's lines go.

use super::scope::{Scope, Scoped, What};
use crate::text::{Span, Splice, ending_at};

/// What is done to the new version, in the order in which it is to be read.
#[derive(Debug, Default)]
pub struct Placing {
    splices: Vec<Splice>,
}

impl Placing {
    /// Replaces bytes.
    pub fn replace(&mut self, span: Span, text: Vec<u8>) {
        self.splices.push(Splice { span, text });
    }

    /// Inserts lines at `at`, where a line begins or is to begin.
    pub fn insert(&mut self, theirs: &Scoped<'_>, at: usize, lines: &[u8]) {
        let source = theirs.doc.source();
        let end = ending_at(source, at).bytes();
        let mut text = Vec::new();
        let continues = self.splices.iter().any(|one| one.span == Span::at(at));
        if at > 0 && source[at - 1] != b'\n' && !continues {
            text.extend_from_slice(end);
        }
        text.extend_from_slice(lines);
        if !text.ends_with(b"\n") {
            text.extend_from_slice(end);
        }
        self.splices.push(Splice { span: Span::at(at), text });
    }

    /// Whether something is done to these bytes.
    pub fn touches(&self, span: Span) -> bool {
        self.splices
            .iter()
            .any(|one| one.span.start >= span.start && one.span.end <= span.end && !one.span.is_empty())
    }

    /// All of it.
    pub fn splices(&self) -> &[Splice] {
        &self.splices
    }
}

/// Where a statement at the end of a scope goes: behind its last item; a setting before the groups that would take it in.
pub fn end_of(theirs: &Scoped<'_>, scope: &Scope, is_block: bool) -> usize {
    let doc = theirs.doc;
    let takes_in = |item: &super::scope::Item| match item.what {
        What::Block(block) => doc.tree().block(block).close().is_none(),
        What::Setting | What::Comment | What::Other => false,
    };
    if let (false, Some(n)) = (is_block, scope.items.iter().position(takes_in)) {
        // With the comment right above the group.
        let mut first = n;
        while first > 0 && !scope.items[first].blank_above && scope.items[first - 1].what == What::Comment {
            first -= 1;
        }
        return match scope.items[..first].last() {
            Some(last) => last.span.end as usize,
            None => scope.items[first].span.start as usize,
        };
    }
    match (scope.items.last(), scope.block) {
        (Some(last), _) => last.span.end as usize,
        (None, Some(block)) => doc.tree().span(doc.tree().block(block).open()).end as usize,
        (None, None) => doc.source().len(),
    }
}
