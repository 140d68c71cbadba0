//! What becomes of each item of mine in theirs.

use super::pairs::{Pairs, pairs};
use super::place::Placing;
use super::proof::{Ledger, proven};
use super::question::{Answers, Question, Whose};
use super::scope::{Item, Scope, Scoped, What};
use super::{Carried, Fate, Settled, Versions};
use crate::finding::{Finding, Severity};
use crate::secret::shown_value;
use crate::text::Span;

/// What is in the place of an item of mine.
pub(super) enum Spot {
    /// Something in theirs.
    There(Span),
    /// Nothing yet: these lines are to be inserted.
    New(Vec<u8>),
    /// Nothing.
    None,
}

/// The scopes of one block in the three versions, and which of their items are the same.
pub(super) struct Three<'a> {
    pub base: &'a Scope,
    pub mine: &'a Scope,
    pub theirs: &'a Scope,
    pub to_mine: Pairs,
    pub to_theirs: Pairs,
}

/// The three versions while it is decided.
pub struct Deciding<'a> {
    pub(super) versions: &'a Versions<'a>,
    pub(super) answers: &'a Answers,
    pub(super) base: &'a Scoped<'a>,
    pub(super) mine: &'a Scoped<'a>,
    pub(super) theirs: &'a Scoped<'a>,
    /// Whether theirs is so much shorter than the base that nothing follows from what is not in it.
    pub(super) is_cut: bool,
    pub(super) placing: Placing,
    pub(super) ledger: Ledger,
    pub(super) out: Carried,
}

impl<'a> Deciding<'a> {
    pub fn new(
        versions: &'a Versions<'a>,
        answers: &'a Answers,
        base: &'a Scoped<'a>,
        mine: &'a Scoped<'a>,
        theirs: &'a Scoped<'a>,
    ) -> Self {
        let count = |scoped: &Scoped<'_>| scoped.scopes().map(|scope| scope.items.len()).sum::<usize>();
        Self {
            versions,
            answers,
            base,
            mine,
            theirs,
            is_cut: count(theirs) * 2 < count(base),
            placing: Placing::default(),
            ledger: Ledger::default(),
            out: Carried::default(),
        }
    }

    /// All decided, and proven.
    pub fn carried(mut self) -> Carried {
        self.scope(self.base.scope(None), self.mine.scope(None), self.theirs.scope(None));
        match proven(self.theirs, self.mine, self.placing.splices(), &self.ledger) {
            Ok(bytes) => self.out.bytes = bytes,
            Err(finding) => {
                self.out.bytes = self.mine.doc.source().to_vec();
                self.out.findings.push(finding);
            }
        }
        self.out
    }

    pub(super) fn scope(&mut self, base: &'a Scope, mine: &'a Scope, theirs: &'a Scope) {
        let three = Three {
            base,
            mine,
            theirs,
            to_mine: pairs(self.base, base, self.mine, mine),
            to_theirs: pairs(self.base, base, self.theirs, theirs),
        };
        let mut spots: Vec<Spot> = (0..mine.items.len()).map(|n| self.spot(&three, n)).collect();
        for n in 0..base.items.len() {
            if three.to_mine.newer[n].is_none() {
                self.taken_out(&three, n, &mut spots);
            }
        }
        self.lines(&three, &spots);
    }

    /// What is in the place of item `n` of mine.
    pub(super) fn spot(&mut self, three: &Three<'a>, n: usize) -> Spot {
        let item = &three.mine.items[n];
        let before = three.to_mine.older[n].map(|at| (at, &three.base.items[at]));
        let twin = before.and_then(|(at, _)| three.to_theirs.newer[at]).map(|at| &three.theirs.items[at]);
        match (item.what, before) {
            (What::Setting, Some((_, old))) if old.value != item.value => self.set(three, old, item, twin),
            (What::Setting, None) => self.new_setting(three, item),
            (What::Block(_), _) => self.block(three, item, before.map(|(_, old)| old), twin),
            (_, Some(_)) => twin.map_or(Spot::None, |twin| Spot::There(twin.span)),
            // What both wrote is there already.
            (_, None) => {
                let key = self.mine.key(item);
                let is_it = |(at, one): &(usize, &Item)| {
                    three.to_theirs.older[*at].is_none() && self.theirs.key(one) == key
                };
                let both = three.theirs.items.iter().enumerate().find(is_it);
                both.map_or_else(
                    || Spot::New(self.mine.text(item).to_vec()),
                    |(_, one)| Spot::There(one.span),
                )
            }
        }
    }

    pub(super) fn ask(&mut self, item: &Item, why: &str, base: Option<&str>, theirs: Option<&str>) -> Whose {
        self.ask_with(item, why, base, theirs, Whose::Mine)
    }

    pub(super) fn ask_with(
        &mut self,
        item: &Item,
        why: &str,
        base: Option<&str>,
        theirs: Option<&str>,
        default: Whose,
    ) -> Whose {
        self.put(item, why, base, theirs, vec![Whose::Mine, Whose::Theirs], default)
    }

    pub(super) fn put(
        &mut self,
        item: &Item,
        why: &str,
        base: Option<&str>,
        theirs: Option<&str>,
        answers: Vec<Whose>,
        default: Whose,
    ) -> Whose {
        let shown = |value: Option<&str>| value.map(|value| self.shown(item, value));
        let question = Question {
            address: self.mine.address(item),
            why: why.to_owned(),
            base: shown(base),
            mine: shown((item.what == What::Setting).then_some(&*item.value)),
            theirs: shown(theirs),
            line: Some(self.mine.doc.line_of(item.leaf)),
            answers,
            default,
            answered: None,
        };
        self.asked(question)
    }

    pub(super) fn asked(&mut self, mut question: Question) -> Whose {
        question.answered = self.answers.to(&question.address, &question.answers);
        let taken = question.taken();
        self.out.questions.push(question);
        taken
    }

    pub(super) fn settle(&mut self, item: &Item, fate: Fate) {
        let value = (item.what == What::Setting).then(|| self.shown(item, &item.value));
        if fate == Fate::Renamed {
            let name = String::from_utf8_lossy(&item.name).into_owned();
            let message = format!("newer versions call it {name}, and so it is in the result");
            self.note("renamed", Severity::Hint, item, message);
        }
        self.out.settled.push(Settled { address: self.mine.address(item), fate, value });
    }

    pub(super) fn note_move(&mut self, item: &Item, scope: &Scope) {
        let path = self.theirs.path(scope).join(", in ");
        let place = if path.is_empty() { "outside of all blocks".to_owned() } else { format!("in {path}") };
        self.note(
            "moved",
            Severity::Hint,
            item,
            format!("the new version has it {place}, and so has the result"),
        );
        self.settle(item, Fate::Moved);
    }

    pub(super) fn note(&mut self, rule: &str, severity: Severity, item: &Item, message: String) {
        let address = self.mine.address(item);
        let mut finding = Finding::new(rule, severity, format!("{address}: {message}")).about(&address);
        finding.line = Some(self.mine.doc.line_of(item.leaf));
        self.out.findings.push(finding);
    }

    /// A value as it is shown.
    pub(super) fn shown(&self, item: &Item, value: &str) -> String {
        let name = String::from_utf8_lossy(&item.name);
        shown_value(self.versions.profile, &name, value.to_owned())
    }
}
