//! New lines go beside what they are beside in mine.

use super::fate::{Deciding, Spot, Three};
use super::place::end_of;
use super::scope::What;
use crate::text::Span;

impl<'a> Deciding<'a> {
    /// Inserts what has no place in theirs beside what it is beside in mine.
    pub(super) fn lines(&mut self, three: &Three<'a>, spots: &[Spot]) {
        let items = &three.mine.items;
        let mut run: Vec<usize> = Vec::new();
        let mut last: Option<(usize, Span)> = None;
        for (n, spot) in spots.iter().enumerate() {
            match spot {
                Spot::None => {}
                Spot::New(_) => run.push(n),
                Spot::There(span) => {
                    // A comment right above something stays above it.
                    let mut above = n;
                    while above > 0
                        && !items[above].blank_above
                        && run.last() == Some(&(above - 1))
                        && items[above - 1].what == What::Comment
                    {
                        above -= 1;
                        run.pop();
                    }
                    if let Some(first) = run.first() {
                        let follows = last.filter(|(at, _)| at + 1 == *first);
                        let is_followed = run.last().is_some_and(|end| end + 1 == n) && above == n;
                        let at = match (follows, is_followed, last) {
                            (Some((_, end)), ..) | (None, false, Some((_, end))) => end.end,
                            (None, true, _) | (None, false, None) => span.start,
                        };
                        self.put_lines(three, spots, &run, at as usize);
                    }
                    let above: Vec<usize> = (above..n).collect();
                    self.put_lines(three, spots, &above, span.start as usize);
                    run.clear();
                    last = Some((n, *span));
                }
            }
        }
        let groups = run.iter().position(|n| matches!(items[*n].what, What::Block(_))).map(|block| {
            let comments = run[..block].iter().rev().take_while(|n| items[**n].what == What::Comment).count();
            block - comments
        });
        let (settings, blocks) = run.split_at(groups.unwrap_or(run.len()));
        self.put_lines(three, spots, settings, end_of(self.theirs, three.theirs, false));
        self.put_lines(three, spots, blocks, end_of(self.theirs, three.theirs, true));
    }

    pub(super) fn put_lines(&mut self, three: &Three<'a>, spots: &[Spot], run: &[usize], at: usize) {
        let source = self.theirs.doc.source();
        let mut lines = Vec::new();
        for (n, item) in run.iter().enumerate() {
            let Spot::New(text) = &spots[*item] else { continue };
            let is_apart = n > 0 || !(at == 0 || source[..at].ends_with(b"\n\n"));
            if three.mine.items[*item].blank_above && is_apart {
                lines.push(b'\n');
            }
            lines.extend_from_slice(text);
            if !text.ends_with(b"\n") {
                lines.push(b'\n');
            }
        }
        if !lines.is_empty() {
            self.placing.insert(self.theirs, at, &lines);
        }
    }
}
