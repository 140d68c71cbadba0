//! What becomes of a block of mine, and of what I took out.

use super::fate::{Deciding, Spot, Three};
use super::lists::words;
use super::question::{Question, Whose};
use super::scope::{Item, Scoped, What};
use super::{Fate, Settled};
use crate::finding::Severity;

impl<'a> Deciding<'a> {
    /// A block of mine.
    pub(super) fn block(
        &mut self,
        three: &Three<'a>,
        item: &'a Item,
        old: Option<&'a Item>,
        twin: Option<&'a Item>,
    ) -> Spot {
        let What::Block(own) = item.what else { return Spot::None };
        if let (Some(old), Some(is)) = (old, twin) {
            if let (What::Block(was), What::Block(now)) = (old.what, is.what) {
                if old.name != is.name && self.mine.text(item) != self.base.text(old) {
                    let title = String::from_utf8_lossy(&is.name);
                    let message = format!(
                        "this block is called {title} in the new version, and so it is in the result"
                    );
                    self.note("block-renamed", Severity::Hint, item, message);
                }
                self.scope(
                    self.base.scope(Some(was)),
                    self.mine.scope(Some(own)),
                    self.theirs.scope(Some(now)),
                );
            }
            return Spot::There(is.span);
        }
        let is_new = |(at, one): &(usize, &Item)| {
            three.to_theirs.older[*at].is_none() && self.theirs.key(one) == self.mine.key(item)
        };
        let same = three.theirs.items.iter().enumerate().find(is_new).map(|(_, one)| one);
        match (old, same) {
            (None, Some(is)) => {
                if let What::Block(now) = is.what {
                    self.scope(self.base.nothing(), self.mine.scope(Some(own)), self.theirs.scope(Some(now)));
                }
                Spot::There(is.span)
            }
            (None, _) => {
                self.settle(item, Fate::Carried);
                self.ledger.add_block(self.theirs.path(three.theirs), self.mine, item);
                match self.block_example(three.theirs, item) {
                    Some(span) => {
                        self.placing.replace(span, self.mine.text(item).to_vec());
                        Spot::There(span)
                    }
                    None => Spot::New(self.mine.text(item).to_vec()),
                }
            }
            (Some(old), _) if self.mine.text(item) == self.base.text(old) => Spot::None,
            (Some(old), _) if self.mine.statements(item) == self.base.statements(old) => {
                let message =
                    "the new version does not have this block any more; your comments in it are left out";
                self.note("gone-in-theirs", Severity::Hint, item, message.to_owned());
                Spot::None
            }
            (Some(_), _) => {
                let why = "the new version does not have this block any more";
                if self.is_cut {
                    self.note("gone-in-theirs", Severity::Hint, item, format!("{why}; yours is kept"));
                } else if self.ask(item, why, None, None) == Whose::Theirs {
                    self.settle(item, Fate::LeftOut);
                    return Spot::None;
                }
                self.settle(item, Fate::Carried);
                self.ledger.add_block(self.theirs.path(three.theirs), self.mine, item);
                Spot::New(self.mine.text(item).to_vec())
            }
        }
    }

    /// What was in the base and is not in mine.
    pub(super) fn taken_out(&mut self, three: &Three<'a>, n: usize, spots: &mut [Spot]) {
        let old = &three.base.items[n];
        if old.what == What::Comment {
            return;
        }
        let is_it = |(at, one): &(usize, &Item)| {
            let asleep = one.example.as_ref().filter(|asleep| asleep.name == old.name);
            let same = asleep.is_some_and(|asleep| {
                words(&asleep.value) == words(&old.value) || old.value.starts_with(&asleep.value)
            });
            same && one.what == What::Comment && three.to_mine.older[*at].is_none()
        };
        let comment = three.mine.items.iter().enumerate().find(is_it).map(|(at, _)| at);
        let Some(is) = three.to_theirs.newer[n].map(|at| &three.theirs.items[at]) else {
            return;
        };
        // A setting of mine moved into it.
        if self.placing.touches(is.span) {
            return;
        }
        let same = match old.what {
            What::Setting => is.value == old.value,
            What::Block(_) | What::Comment | What::Other => {
                self.theirs.text(is).trim_ascii() == self.base.text(old).trim_ascii()
            }
        };
        if !same {
            let values = (old.what == What::Setting).then_some((&*old.value, &*is.value));
            let question = Question {
                address: self.base.address(old),
                why: "you took it out, and the new version has another one".to_owned(),
                base: values.map(|(was, _)| self.shown(old, was)),
                mine: None,
                theirs: values.map(|(_, is)| self.shown(old, is)),
                line: Some(self.theirs.doc.line_of(is.leaf)),
                answers: vec![Whose::Mine, Whose::Theirs],
                // In a block that they changed may be what was elsewhere before.
                default: if values.is_some() { Whose::Mine } else { Whose::Theirs },
                answered: None,
            };
            if self.asked(question) == Whose::Theirs {
                return;
            }
        }
        self.ledger.remove_item(self.theirs, three.theirs, is);
        self.out.settled.push(Settled { address: self.base.address(old), fate: Fate::TakenOut, value: None });
        let text = match comment {
            Some(at) if same => self.mine.text(&three.mine.items[at]).to_vec(),
            Some(_) => commented_out(self.theirs, is),
            None => Vec::new(),
        };
        self.placing.replace(is.span, text);
        if let Some(at) = comment {
            spots[at] = Spot::There(is.span);
        }
    }
}

/// The lines of an item with a comment mark before each.
fn commented_out(scoped: &Scoped<'_>, item: &Item) -> Vec<u8> {
    let mark = scoped.doc.comment_mark().as_bytes();
    let mut out = Vec::new();
    for line in scoped.text(item).split_inclusive(|byte| *byte == b'\n') {
        if !line.trim_ascii().is_empty() {
            out.extend_from_slice(mark);
        }
        out.extend_from_slice(line);
    }
    out
}
