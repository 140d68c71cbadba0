//! Settings that are commented out.
//!
//! A comment is prose until somebody asks for a name. Then a comment line counts as commented-out if
//! what is left without its mark is a statement with that name; how the name is behind the
//! mark tells an example (`#Port 22`) from prose (`# Port is the …`) and from the body of a
//! block that is commented out as a whole (`#<tab>X11Forwarding no` under `#Match …`).

use super::scan::is_blank;
use super::{Document, Kind, LeafId, Parts};
use crate::text::Span;

/// How sure it is that a comment is a setting that is commented out, best first.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Nearness {
    /// The name is right behind the mark.
    Close,
    /// One blank is between.
    Apart,
}

/// A statement that is commented out.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CommentedOut {
    /// The comment leaf that holds it.
    pub leaf: LeafId,
    /// The mark, with the one blank behind it if there is one: what goes when it is uncommented.
    pub mark: Span,
    /// What it would be if it were awake.
    pub kind: Kind,
    /// Its parts, in the bytes of the document.
    pub parts: Parts,
    /// How sure that is.
    pub nearness: Nearness,
    /// The leaf of the commented-out opening statement above it, where it is part of a block that is
    /// commented out as a whole.
    pub under: Option<LeafId>,
}

/// The commented-out statements of a document, in order. Prose may be among them: the caller knows the
/// names that count.
pub fn all_commented_out(doc: &Document) -> impl Iterator<Item = CommentedOut> + '_ {
    let mut under: Option<LeafId> = None;
    doc.tree().leaves().filter_map(move |(id, kind, span)| {
        if kind != Kind::Comment {
            under = None;
            return None;
        }
        let Some((mark, gap)) = mark_of(doc, span) else {
            under = None;
            return None;
        };
        let inner = Span { start: mark.end, end: span.end };
        let text = inner.of(doc.source());
        let body = under.filter(|_| gap > 0);
        if text.iter().all(|byte| is_blank(*byte)) || (gap > 1 && body.is_none()) {
            return None;
        }
        let kind = doc.family().kind_of(text, doc.dialect());
        let parts = match kind {
            Kind::Setting | Kind::Open => doc.family().split(doc.source(), kind, inner, doc.dialect())?,
            kind => {
                if kind == Kind::Close {
                    under = None;
                }
                return None;
            }
        };
        if kind == Kind::Open {
            under = (gap == 0).then_some(id);
        } else if gap == 0 {
            under = None;
        }
        let nearness = if gap == 0 { Nearness::Close } else { Nearness::Apart };
        Some(CommentedOut {
            leaf: id,
            mark,
            kind,
            parts,
            nearness,
            under: body.filter(|_| kind != Kind::Open),
        })
    })
}

/// The comment mark of a line with the blanks behind it, and how many those are.
fn mark_of(doc: &Document, span: Span) -> Option<(Span, usize)> {
    let bytes = span.of(doc.source());
    let lead = bytes.iter().take_while(|byte| is_blank(**byte)).count();
    let mark = doc.dialect().comment_mark(&bytes[lead..]).filter(|mark| *mark != "/*")?.len();
    let gap = bytes[lead + mark..].iter().take_while(|byte| matches!(byte, b' ' | b'\t')).count();
    let wide = gap + usize::from(bytes.get(lead + mark) == Some(&b'\t'));
    let start = span.start as usize + lead;
    // One blank belongs to the mark; more of them, or a tab, is the indentation of a body.
    let end = start + mark + if wide == 1 { 1 } else { 0 };
    Some((Span::new(start, end), wide))
}
