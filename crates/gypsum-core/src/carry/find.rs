//! Where theirs has a name, as a setting or as an example.

use super::fate::{Deciding, Three};
use super::lists::words;
use super::scope::{Item, Scope, Scoped, What};
use crate::doc::{Family, Nearness};
use crate::text::Span;

/// So many commented-out settings of one name in a block are samples to choose from.
const SAMPLES: usize = 4;

/// Where theirs has a name.
#[derive(Clone, Copy)]
pub enum Found<'a> {
    Set(&'a Scope, &'a Item),
    Example(&'a Scope, &'a Item),
}

impl<'a> Deciding<'a> {
    /// The example of the base that I woke.
    pub(super) fn woken(&self, three: &Three<'a>, item: &Item) -> Option<&'a Item> {
        let gone = three.base.items.iter().enumerate().filter(|(n, _)| three.to_mine.newer[*n].is_none());
        best(gone.map(|(_, one)| one), &item.name, item, None, self.repeats(&item.name))
    }

    /// Where theirs has a name: in the same block, else at the one place where it is.
    pub(super) fn find(
        &self,
        three: &Three<'a>,
        name: &[u8],
        item: &Item,
        was: Option<&str>,
    ) -> Option<Found<'a>> {
        let repeats = self.repeats(name);
        let example = |scope: &'a Scope| best(scope.items.iter(), name, item, was, repeats);
        if let Some(is) = example(three.theirs) {
            return Some(Found::Example(three.theirs, is));
        }
        if repeats {
            return None;
        }
        let (in_base, in_mine) = (self.places(self.base, name), self.places(self.mine, name));
        let places = self.places(self.theirs, name);
        let [(scope, is)] = places.as_slice() else { return None };
        (in_base.len() <= 1 && in_mine.len() <= 1 && scope.block != three.theirs.block).then_some(
            match is.what {
                What::Setting => Found::Set(scope, is),
                What::Block(_) | What::Comment | What::Other => Found::Example(scope, is),
            },
        )
    }

    /// Where a name is set or, as far as that is sure, commented out.
    pub(super) fn places(&self, scoped: &'a Scoped<'a>, name: &[u8]) -> Vec<(&'a Scope, &'a Item)> {
        let is_it = |item: &&Item| match &item.example {
            Some(example) => example.name == name && example.nearness == Nearness::Close && !example.is_block,
            None => item.what == What::Setting && item.name == name,
        };
        let all = scoped.scopes().flat_map(|scope| scope.items.iter().map(move |item| (scope, item)));
        all.filter(|(_, item)| is_it(item)).collect()
    }

    /// The lines of theirs in which a block like `item` is commented out.
    pub(super) fn block_example(&self, scope: &Scope, item: &Item) -> Option<Span> {
        let closes = self.theirs.doc.family().closes_blocks();
        let name = item.name.split(|byte| *byte == b' ').next();
        let is_it = |one: &Item| {
            let example = one.example.as_ref().filter(|example| example.is_block);
            closes && example.is_some_and(|example| Some(&*example.name) == name)
        };
        let start = scope.items.iter().position(is_it)?;
        let lines = scope.items[start..].iter().take_while(|one| one.what == What::Comment);
        let mut span = scope.items[start].span;
        for line in lines {
            span.end = line.span.end;
            let text = self.theirs.text(line).trim_ascii();
            let mark = self.theirs.doc.dialect().comment_mark(text).map_or(0, str::len);
            if matches!(text[mark..].trim_ascii(), b"}" | b"};") {
                return Some(span);
            }
        }
        None
    }

    pub(super) fn repeats(&self, name: &[u8]) -> bool {
        let known = self.versions.profile.setting(&String::from_utf8_lossy(name));
        // Samples of one setting, one below the other, are for choosing several.
        let samples = |scoped: &Scoped<'_>| {
            let count = |scope: &Scope| {
                let examples = scope.items.iter().filter_map(|item| item.example.as_ref());
                examples.filter(|one| one.name == name && one.nearness == Nearness::Close).count()
            };
            scoped.scopes().any(|scope| count(scope) >= SAMPLES)
        };
        self.mine.doc.family() == Family::Records
            || known.is_some_and(|(_, setting)| setting.repeats)
            || [self.base, self.mine, self.theirs].iter().any(|one| one.repeats(name))
            || samples(self.base)
    }
}

/// The example of a name that is most likely the one; prose is none. One of several settings of a name must have its value.
pub fn best<'a>(
    items: impl Iterator<Item = &'a Item>,
    name: &[u8],
    item: &Item,
    was: Option<&str>,
    repeats: bool,
) -> Option<&'a Item> {
    let most = words(&item.value).len().max(was.map_or(0, |was| words(was).len())) + 3;
    let rank = |one: &Item| {
        let example = one.example.as_ref().filter(|example| example.name == name && !example.is_block)?;
        let value = words(&example.value);
        let is_prose = value.len() > most || example.value.ends_with(['.', ':', ',']);
        if value == words(&item.value) {
            return Some(4);
        }
        let is_start = |was: &str| words(was).starts_with(&value) && !value.is_empty();
        if was.is_some_and(|was| words(was) == value || repeats && is_start(was)) {
            return Some(3);
        }
        match example.nearness {
            _ if repeats || is_prose => None,
            Nearness::Close => Some(2),
            Nearness::Apart => Some(1),
        }
    };
    let ranked = items.filter_map(|one| Some((rank(one)?, one)));
    // The first of the best.
    ranked.reduce(|best, one| if one.0 > best.0 { one } else { best }).map(|(_, one)| one)
}
