//! Lists inside one value, `["a", "b"]`: one element more or less, on one line or over several, with or
//! without a separator behind the last. The others keep their bytes.

use crate::text::{Span, Splice};

/// The elements of a bracketed list.
#[derive(Debug)]
pub struct Elements {
    /// Each element without the blanks around it.
    pub spans: Vec<Span>,
    /// Where its closing bracket is.
    close: u32,
    /// Where a separator is behind the last element.
    trailing: Option<u32>,
}

impl Elements {
    /// The elements of the list at `span`; none where the value is no list, or is not closed. `remark` is the
    /// mark that begins a comment in it.
    pub fn of(source: &[u8], span: Span, remark: &[u8]) -> Option<Self> {
        let closing = match source.get(span.start as usize)? {
            b'[' => b']',
            b'(' => b')',
            b'{' => b'}',
            _ => return None,
        };
        if span.len() < 2 || source[span.end as usize - 1] != closing {
            return None;
        }
        let close = span.end - 1;
        let mut elements = Self { spans: Vec::new(), close, trailing: None };
        let (mut at, mut depth) = (span.start as usize + 1, 0);
        let mut element: Option<Span> = None;
        while at < close as usize {
            let from = at;
            at = match source[at] {
                quote @ (b'"' | b'\'') => quoted_end(source, at, quote)?,
                _ if source[at..].starts_with(remark) => line_end(source, at),
                b',' if depth == 0 => {
                    elements.spans.extend(element.take());
                    elements.trailing = Some(at as u32);
                    at + 1
                }
                byte => {
                    depth += i32::from(matches!(byte, b'[' | b'(' | b'{'));
                    depth -= i32::from(matches!(byte, b']' | b')' | b'}'));
                    at + 1
                }
            };
            let bytes = &source[from..at];
            let counts = !bytes.starts_with(remark) && bytes != b"," && !bytes.trim_ascii().is_empty();
            if counts || depth > 0 {
                let start = element.map_or(from as u32, |element| element.start);
                element = Some(Span { start, end: at as u32 });
                elements.trailing = None;
            }
        }
        elements.spans.extend(element);
        Some(elements)
    }

    /// One element more, behind the others and laid out like them.
    pub fn added(&self, source: &[u8], text: &[u8]) -> Vec<Splice> {
        let Some(last) = self.spans.last() else {
            return vec![Splice { span: Span::at(self.close as usize), text: text.into() }];
        };
        let before = match self.spans.len() {
            1 => blanks_before(source, last.start),
            n => {
                let gap = Span { start: self.spans[n - 2].end, end: last.start };
                if gap.of(source).contains(&b'\n') { blanks_before(source, last.start) } else { b" " }
            }
        };
        let layout: &[u8] = if before.contains(&b'\n') { before } else { b" " };
        match self.trailing {
            Some(comma) => {
                let text = [layout, text, b","].concat();
                // Behind the comment that is in the line of the last one.
                let end = comma as usize + 1;
                let stop = line_end(source, end);
                let at = if layout.contains(&b'\n') && stop < self.close as usize { stop } else { end };
                vec![Splice { span: Span::at(at), text }]
            }
            None => vec![Splice { span: Span::at(last.end as usize), text: [b",", layout, text].concat() }],
        }
    }

    /// The list without element `n`, whose separator goes with it; of an element that has lines of its own
    /// the lines go, with the remark that is in them.
    pub fn removed(&self, source: &[u8], n: usize) -> Vec<Splice> {
        let own = self.spans[n];
        let gone = |start: u32, end: u32| Splice { span: Span { start, end }, text: Vec::new() };
        let before = n.checked_sub(1).map(|before| self.spans[before]);
        let next = self.spans.get(n + 1);
        let comma =
            |at: u32| source[at as usize..].iter().position(|byte| *byte == b',').map(|gap| at + gap as u32);
        if let Some(lines) = self.own_lines(source, n) {
            let mut splices = vec![gone(lines.start, lines.end)];
            if let (Some(before), None, None) = (before, next, self.trailing) {
                splices.extend(comma(before.end).map(|at| gone(at, at + 1)));
            }
            return splices;
        }
        vec![match (before, next) {
            (_, Some(next)) => gone(own.start, next.start),
            // A list of one in round brackets is a list by its separator only.
            (Some(before), None) if self.spans.len() == 2 && source[self.close as usize] == b')' => {
                let kept = comma(before.end).map_or(before.end, |at| at + 1);
                gone(kept, self.close)
            }
            (Some(before), None) => gone(before.end, own.end),
            (None, None) => gone(own.start, self.trailing.map_or(own.end, |comma| comma + 1)),
        }]
    }

    /// The lines of element `n`, where nothing else but its separator and a remark is in them.
    fn own_lines(&self, source: &[u8], n: usize) -> Option<Span> {
        let own = self.spans[n];
        let start = line_start(source, own.start);
        let end = (line_end(source, own.end as usize) + 1).min(self.close as usize) as u32;
        let end = if source.get(end as usize - 1) == Some(&b'\r') { end + 1 } else { end };
        let alone_before = Span { start, end: own.start }.of(source).trim_ascii().is_empty();
        let alone_after = self.spans.get(n + 1).map_or(self.close, |next| next.start) >= end;
        (alone_before && alone_after && start > 0 && source[end as usize - 1] == b'\n')
            .then_some(Span { start, end })
    }
}

fn line_start(source: &[u8], at: u32) -> u32 {
    memchr::memrchr(b'\n', &source[..at as usize]).map_or(0, |found| found as u32 + 1)
}

/// From the line break before `at`, or its own line's blanks, up to it.
fn blanks_before(source: &[u8], at: u32) -> &[u8] {
    let text = &source[..at as usize];
    let blanks = text.iter().rev().take_while(|byte| matches!(byte, b' ' | b'\t')).count();
    let mut start = text.len() - blanks;
    if text[..start].ends_with(b"\n") {
        start -= 1;
        if text[..start].ends_with(b"\r") {
            start -= 1;
        }
    }
    &text[start..]
}

fn quoted_end(source: &[u8], at: usize, quote: u8) -> Option<usize> {
    let mut end = at + 1;
    loop {
        match *source.get(end)? {
            b'\\' => end += 2,
            byte if byte == quote => return Some(end + 1),
            _ => end += 1,
        }
    }
}

/// The end of the line, its ending left out.
fn line_end(source: &[u8], at: usize) -> usize {
    let end = memchr::memchr(b'\n', &source[at..]).map_or(source.len(), |found| at + found);
    if end > at && source[end - 1] == b'\r' { end - 1 } else { end }
}
