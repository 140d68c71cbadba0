//! What becomes of a setting of mine.

use super::Fate;
use super::fate::{Deciding, Spot, Three};
use super::find::Found;
use super::former::{Former, former};
use super::lists::{merged_lines, union};
use super::question::Whose;
use super::scope::{Item, Scope, Scoped, What};
use crate::finding::Severity;
use crate::text::Span;

impl<'a> Deciding<'a> {
    /// A setting that I gave another value.
    pub(super) fn set(
        &mut self,
        three: &Three<'a>,
        old: &'a Item,
        item: &'a Item,
        twin: Option<&'a Item>,
    ) -> Spot {
        if let Some(is) = twin {
            if is.value == item.value {
                self.settle(item, Fate::Same);
                return Spot::There(is.span);
            }
            if is.value != old.value {
                return self.both_set(three.theirs, item, is, Some(old), "both changed it");
            }
            self.give(three.theirs, item, is, item.value_text(self.mine));
            self.settle(item, item.as_mine());
            return Spot::There(is.span);
        }
        if let Some(spot) = self.of_earlier(three, item, Some(&old.value)) {
            return spot;
        }
        match self.find(three, &item.name, item, Some(&old.value)) {
            Some(Found::Set(scope, is)) => {
                if is.value == item.value {
                    self.settle(item, Fate::Same);
                } else if is.value == old.value {
                    self.give(scope, item, is, item.value_text(self.mine));
                    self.note_move(item, scope);
                } else {
                    self.both_set(scope, item, is, Some(old), "both changed it");
                }
                Spot::None
            }
            Some(Found::Example(scope, is)) => {
                let example = is.example.as_ref().map(|example| example.value.clone());
                if example.as_ref() != Some(&item.value) {
                    let why = "the new version has it commented out";
                    if self.ask(item, why, Some(&old.value), None) == Whose::Theirs {
                        self.settle(item, Fate::LeftOut);
                        return Spot::There(is.span);
                    }
                }
                self.wake(three, scope, is, item)
            }
            None => self.without(three, item, Some(&old.value), "the new version does not set it any more"),
        }
    }

    /// A setting that is not in the base.
    pub(super) fn new_setting(&mut self, three: &Three<'a>, item: &'a Item) -> Spot {
        let active = |value: Option<&str>| {
            three.theirs.items.iter().enumerate().find(|(at, one)| {
                one.what == What::Setting
                    && one.name == item.name
                    && three.to_theirs.older[*at].is_none()
                    && value.is_none_or(|value| one.value == value)
            })
        };
        if let Some((_, is)) = active(Some(&item.value)) {
            self.settle(item, Fate::Same);
            return Spot::There(is.span);
        }
        if let Some((_, is)) = active(None).filter(|_| !self.repeats(&item.name)) {
            return self.both_set(three.theirs, item, is, None, "both added it");
        }
        if let Some(spot) = self.of_earlier(three, item, None) {
            return spot;
        }
        let is_block = |one: &&Item| match (&one.example, one.what) {
            (Some(example), _) => example.is_block && example.name == item.name,
            (None, What::Block(_)) => one.name.split(|byte| *byte == b' ').next() == Some(&item.name),
            (None, _) => false,
        };
        let woken = self.woken(three, item);
        let block = three.theirs.items.iter().find(is_block);
        let was_block = three.base.items.iter().any(|one| is_block(&one));
        if let Some(block) = block.filter(|_| !was_block && !self.repeats(&item.name)) {
            let why = "it has another form in the new version: a block";
            if self.ask(item, why, None, None) == Whose::Theirs {
                self.settle(item, Fate::LeftOut);
                return Spot::There(block.span);
            }
            return self.insert(three.theirs, item);
        }
        let Some(example) = woken else {
            return self.insert(three.theirs, item);
        };
        let was = example.example.as_ref().map_or("", |example| &*example.value);
        match self.find(three, &item.name, item, Some(was)) {
            Some(Found::Example(scope, is)) => {
                let now = is.example.as_ref().map_or("", |example| &*example.value);
                if now != was && now != item.value {
                    let message = format!(
                        "its example in the new version is `{}`; it was `{}`",
                        self.shown(item, now),
                        self.shown(item, was)
                    );
                    self.note("example-changed", Severity::Hint, item, message);
                }
                self.wake(three, scope, is, item)
            }
            Some(Found::Set(scope, is)) => {
                if is.value == item.value {
                    self.settle(item, Fate::Same);
                    return Spot::None;
                }
                self.both_set(scope, item, is, None, "the new version sets it, too");
                Spot::None
            }
            None => self.without(three, item, None, "the new version has no example of it any more"),
        }
    }

    /// What is done with a setting of an earlier version; `None` where it is none.
    pub(super) fn of_earlier(&mut self, three: &Three<'a>, item: &Item, base: Option<&str>) -> Option<Spot> {
        match former(self.versions, self.theirs, &item.name)? {
            Former::Renamed(_) => None,
            Former::Ignored => {
                let message = "it has no effect in newer versions, so it is left out".to_owned();
                self.note("left-out", Severity::Hint, item, message);
                self.settle(item, Fate::LeftOut);
                Some(Spot::None)
            }
            gone => {
                let why = match gone {
                    Former::Replaced(heir) => format!("newer versions do not know it; instead: {heir}"),
                    _ => "newer versions do not know it".to_owned(),
                };
                if self.ask_with(item, &why, base, None, Whose::Theirs) == Whose::Mine {
                    self.settle(item, Fate::Carried);
                    self.ledger.add(self.theirs.path(three.theirs), item);
                    return Some(Spot::New(self.mine.text(item).to_vec()));
                }
                self.settle(item, Fate::LeftOut);
                Some(Spot::None)
            }
        }
    }

    /// A setting of mine of which there is no trace in theirs.
    pub(super) fn without(
        &mut self,
        three: &Three<'a>,
        item: &'a Item,
        base: Option<&str>,
        why: &str,
    ) -> Spot {
        let names_file = self.mine.doc.dialect().is_include(&item.name);
        let is_known = (self.versions.knows)(&String::from_utf8_lossy(&item.name)) == Some(true);
        if is_known || self.is_cut && !(names_file && base.is_none()) {
            self.note("gone-in-theirs", Severity::Hint, item, format!("{why}; what you set is kept"));
        } else if self.ask(item, why, base, None) == Whose::Theirs {
            self.settle(item, Fate::LeftOut);
            return Spot::None;
        }
        self.settle(item, Fate::Carried);
        self.ledger.add(self.theirs.path(three.theirs), item);
        Spot::New(item.renamed_text(self.mine))
    }

    /// Both have their own value.
    pub(super) fn both_set(
        &mut self,
        scope: &'a Scope,
        item: &'a Item,
        is: &'a Item,
        old: Option<&Item>,
        why: &str,
    ) -> Spot {
        if let Some(text) = self.both_lists(item, is, old) {
            let name = self.theirs.doc.parts(is.leaf).map_or(is.span, |parts| parts.name);
            self.ledger.remove(self.theirs.path(scope), is);
            self.ledger.add_written(self.theirs.path(scope), self.theirs, is, &text);
            let end = self.theirs.doc.parts(is.leaf).map_or(is.span.end, |parts| parts.end);
            self.placing.replace(Span { start: name.end, end }, text);
            self.settle(item, Fate::Carried);
            return Spot::There(is.span);
        }
        let base = old.map(|old| &*old.value);
        let both = base.and_then(|base| union(base, &item.value, &is.value));
        let mut can = vec![Whose::Mine, Whose::Theirs];
        can.extend(both.as_ref().map(|_| Whose::Both));
        let default = if both.is_some() { Whose::Both } else { Whose::Mine };
        let answer = self.put(item, why, base, Some(&is.value), can, default);
        match (answer, both) {
            (Whose::Theirs, _) => self.settle(item, Fate::LeftOut),
            (Whose::Both, Some(both)) => {
                self.give_value(scope, is, both.clone().into_bytes(), &both);
                self.settle(item, Fate::Carried);
            }
            (Whose::Mine | Whose::Both, _) => {
                self.give(scope, item, is, item.value_text(self.mine));
                self.settle(item, Fate::Carried);
            }
        }
        Spot::There(is.span)
    }

    /// A list of one element a line that both changed in different lines, as it is written behind its name.
    pub(super) fn both_lists(&self, item: &Item, is: &Item, old: Option<&Item>) -> Option<Vec<u8>> {
        let written = |scoped: &Scoped<'_>, item: &Item| {
            let parts = scoped.doc.parts(item.leaf)?;
            let text = Span { start: parts.name.end, end: parts.end }.of(scoped.doc.source()).to_vec();
            text.contains(&b'\n').then_some(text)
        };
        merged_lines(&written(self.base, old?)?, &written(self.mine, item)?, &written(self.theirs, is)?)
    }

    /// My value for a setting of theirs. A value over several lines brings what is before it, too.
    pub(super) fn give(
        &mut self,
        scope: &Scope,
        item: &Item,
        is: &Item,
        (text, over_lines): (Vec<u8>, bool),
    ) {
        let doc = self.theirs.doc;
        let Some(parts) = doc.parts(is.leaf) else { return };
        self.give_remark(item, is, parts.end);
        let hull = parts.value.hull();
        self.ledger.remove(self.theirs.path(scope), is);
        self.ledger.add(self.theirs.path(scope), &Item { name: is.name.clone(), ..item.clone() });
        match (hull, over_lines, self.mine.doc.parts(item.leaf).and_then(|own| own.value.hull())) {
            (Some(hull), false, Some(_)) => self.placing.replace(hull, text),
            (hull, true, Some(_)) => {
                let end = hull.map_or(parts.name.end, |hull| hull.end);
                self.placing.replace(Span { start: parts.name.end, end }, text);
            }
            (hull, ..) => {
                let start = parts.name.start.min(hull.map_or(parts.name.start, |hull| hull.start));
                let own = self.mine.doc.parts(item.leaf);
                let own = own.map_or_else(Vec::new, |own| {
                    Span { start: own.name.start, end: own.end }.of(self.mine.doc.source()).to_vec()
                });
                self.placing.replace(Span { start, end: parts.end }, own);
            }
        }
    }

    /// The remark that I wrote behind a value: behind the one of theirs, or above it where theirs has one of its own.
    fn give_remark(&mut self, item: &Item, is: &Item, end: u32) {
        let source = self.mine.doc.source();
        let Some(own_end) = self.mine.doc.parts(item.leaf).map(|parts| parts.end) else { return };
        let tail = |source: &'a [u8], start: u32, end: u32| Span { start, end }.of(source).trim_ascii_end();
        let own = tail(source, own_end, item.span.end);
        let is_mine =
            !own.is_empty() && memchr::memmem::find(self.base.doc.source(), own.trim_ascii()).is_none();
        if !is_mine || own.contains(&b'\n') {
            return;
        }
        let theirs = tail(self.theirs.doc.source(), end, is.span.end);
        if own.trim_ascii().starts_with(theirs.trim_ascii()) {
            self.placing.replace(Span { start: end, end: end + theirs.len() as u32 }, own.to_vec());
            return;
        }
        let marks = &self.mine.doc.dialect().comments;
        let at = marks.iter().filter_map(|mark| memchr::memmem::find(own, mark.as_bytes())).min();
        if let Some(at) = at {
            let lead = self.theirs.text(is).iter().take_while(|byte| matches!(byte, b' ' | b'\t')).count();
            let line = [&self.theirs.text(is)[..lead], &own[at..]].concat();
            self.placing.insert(self.theirs, is.span.start as usize, &line);
        }
    }

    pub(super) fn give_value(&mut self, scope: &Scope, is: &Item, text: Vec<u8>, value: &str) {
        let Some(hull) = self.theirs.doc.parts(is.leaf).and_then(|parts| parts.value.hull()) else { return };
        self.ledger.remove(self.theirs.path(scope), is);
        self.ledger.add(self.theirs.path(scope), &Item { value: value.to_owned(), ..is.clone() });
        self.placing.replace(hull, text);
    }

    /// A setting of mine in the place of an example.
    pub(super) fn wake(&mut self, three: &Three<'a>, scope: &'a Scope, is: &'a Item, item: &'a Item) -> Spot {
        let text = item.renamed_text(self.mine);
        let mut span = is.span;
        let at = scope.items.iter().position(|one| one.leaf == is.leaf).unwrap_or(scope.items.len());
        let lines = text.iter().filter(|byte| **byte == b'\n').count();
        // The lines on which the example goes on.
        for next in scope.items.iter().skip(at + 1).take(lines.saturating_sub(1)) {
            let text = self.theirs.text(next);
            let mark = self.theirs.doc.dialect().comment_mark(text).map_or(0, str::len);
            let goes_on = next.what == What::Comment && text.get(mark).is_some_and(u8::is_ascii_whitespace);
            let is_deep = text.get(mark + 1).is_some_and(u8::is_ascii_whitespace);
            if !(goes_on && is_deep && next.example.is_none()) {
                break;
            }
            span.end = next.span.end;
        }
        self.placing.replace(span, text);
        self.ledger.add(self.theirs.path(scope), item);
        if scope.block != three.theirs.block {
            self.note_move(item, scope);
            return Spot::None;
        }
        self.settle(item, item.as_mine());
        Spot::There(span)
    }

    /// A setting of mine as a new line.
    pub(super) fn insert(&mut self, scope: &Scope, item: &'a Item) -> Spot {
        self.settle(item, item.as_mine());
        self.ledger.add(self.theirs.path(scope), item);
        Spot::New(item.renamed_text(self.mine))
    }
}

impl Item {
    /// What becomes of it where it is in the result as I have it.
    fn as_mine(&self) -> Fate {
        if self.is_renamed { Fate::Renamed } else { Fate::Carried }
    }

    /// Its value as it is written; where that is over several lines, with what is before it, and `true`.
    fn value_text(&self, scoped: &Scoped<'_>) -> (Vec<u8>, bool) {
        let source = scoped.doc.source();
        let Some(parts) = scoped.doc.parts(self.leaf) else { return (Vec::new(), false) };
        let Some(hull) = parts.value.hull() else { return (Vec::new(), false) };
        let from_name = Span { start: parts.name.end.min(hull.start), end: hull.end };
        match from_name.of(source).contains(&b'\n') {
            true => (from_name.of(source).to_vec(), true),
            false => (hull.of(source).to_vec(), false),
        }
    }

    /// Its lines, under its later name.
    fn renamed_text(&self, scoped: &Scoped<'_>) -> Vec<u8> {
        let text = scoped.text(self);
        let Some(parts) = scoped.doc.parts(self.leaf).filter(|_| self.is_renamed) else {
            return text.to_vec();
        };
        let (start, end) = (parts.name.start - self.span.start, parts.name.end - self.span.start);
        [&text[..start as usize], &self.name, &text[end as usize..]].concat()
    }
}
