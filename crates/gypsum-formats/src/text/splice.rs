//! Splices: the only way in which a file is ever edited. Every byte outside them stays.

use super::Span;

/// Replaces the bytes of `span` with `text`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Splice {
    /// What is replaced; empty for an insertion.
    pub span: Span,
    /// What takes its place.
    pub text: Vec<u8>,
}

/// The result of applying `splices` to `source`, or `None` where two of them overlap or one lies
/// outside. Insertions at one offset keep their order.
pub fn apply(source: &[u8], splices: &[Splice]) -> Option<Vec<u8>> {
    let sorted = in_order(splices);
    let grown: usize = splices.iter().map(|splice| splice.text.len()).sum();
    let mut out = Vec::with_capacity(source.len() + grown);
    let mut at = 0;
    for splice in sorted {
        let range = splice.span.range();
        if range.start < at || range.end > source.len() {
            return None;
        }
        out.extend_from_slice(&source[at..range.start]);
        out.extend_from_slice(&splice.text);
        at = range.end;
    }
    out.extend_from_slice(&source[at..]);
    Some(out)
}

/// The result of applying those of `splices` that lie inside `span` to the bytes in it alone; the bytes as they
/// are where two of them overlap.
pub fn apply_within(source: &[u8], span: Span, splices: &[Splice]) -> Vec<u8> {
    let inside =
        splices.iter().filter(|splice| splice.span.start >= span.start && splice.span.end <= span.end);
    let moved = inside.map(|splice| Splice {
        span: Span { start: splice.span.start - span.start, end: splice.span.end - span.start },
        text: splice.text.clone(),
    });
    apply(span.of(source), &moved.collect::<Vec<_>>()).unwrap_or_else(|| span.of(source).to_vec())
}

fn in_order(splices: &[Splice]) -> Vec<&Splice> {
    let mut sorted: Vec<&Splice> = splices.iter().collect();
    sorted.sort_by_key(|splice| (splice.span.start, splice.span.end));
    sorted
}

/// One splice seen from its lines: lines from `from` on (in the old file) are `by` lines lower.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct LineShift {
    /// First old line (from 1) that moves.
    pub from: u32,
    /// How far it and all after it move, against the old file.
    pub by: i64,
}

/// How `splices` move the lines of `source`, in order; used to compare line numbers that a
/// checker printed for the old file with those it printed for the new one.
pub fn shift_lines(source: &[u8], splices: &[Splice]) -> Vec<LineShift> {
    let newlines = |bytes: &[u8]| memchr::memchr_iter(b'\n', bytes).count() as i64;
    let (mut by, mut line, mut counted) = (0, 1, 0);
    in_order(splices)
        .into_iter()
        .map(|splice| {
            by += newlines(&splice.text) - newlines(splice.span.of(source));
            let end = splice.span.range().end;
            line += newlines(source.get(counted..end).unwrap_or_default());
            counted = counted.max(end);
            LineShift { from: line as u32, by }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn splice(start: usize, end: usize, text: &str) -> Splice {
        Splice { span: Span::new(start, end), text: text.into() }
    }

    #[test]
    fn overlaps_are_refused_and_insertions_keep_their_order() {
        assert_eq!(apply(b"abc", &[splice(0, 2, "x"), splice(1, 3, "y")]), None);
        assert_eq!(apply(b"abc", &[splice(2, 9, "x")]), None);
        let both = apply(b"abc", &[splice(1, 1, "1"), splice(1, 1, "2")]);
        assert_eq!(both.as_deref(), Some(&b"a12bc"[..]));
    }

    #[test]
    fn lines_below_a_splice_move() {
        let shifts = shift_lines(b"a\nb\nc\n", &[splice(2, 2, "n\nn\n")]);
        assert_eq!(shifts, [LineShift { from: 2, by: 2 }]);
    }

    proptest! {
        #[test]
        fn bytes_outside_the_splice_stay(source: Vec<u8>, text: Vec<u8>, a: usize, b: usize) {
            let (a, b) = (a % (source.len() + 1), b % (source.len() + 1));
            let (start, end) = (a.min(b), a.max(b));
            let out = apply(&source, &[Splice { span: Span::new(start, end), text: text.clone() }]);
            let out = out.unwrap();
            prop_assert_eq!(&out[..start], &source[..start]);
            prop_assert_eq!(&out[start..start + text.len()], &text[..]);
            prop_assert_eq!(&out[start + text.len()..], &source[end..]);
        }
    }
}
