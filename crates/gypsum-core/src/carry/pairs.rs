//! Which item of an older version is which of a newer one.

use super::scope::{Item, Scope, Scoped, What};
use crate::diff::hunks;
use std::collections::BTreeMap;

/// Of two blocks, the share of names that makes one the other under a new name.
const ALIKE: f64 = 0.5;

/// The pairs of two scopes.
#[derive(Clone, Debug, Default)]
pub struct Pairs {
    /// For each item of the older scope its twin in the newer one.
    pub newer: Vec<Option<usize>>,
    /// For each item of the newer scope its twin in the older one.
    pub older: Vec<Option<usize>>,
}

impl Pairs {
    fn join(&mut self, old: usize, new: usize) {
        self.newer[old] = Some(new);
        self.older[new] = Some(old);
    }
}

/// Pairs the items of two scopes: what is equal and in order; what moved; what has the same name and another value;
/// blocks under a new title.
pub fn pairs(older: &Scoped<'_>, old: &Scope, newer: &Scoped<'_>, new: &Scope) -> Pairs {
    let mut pairs = Pairs { newer: vec![None; old.items.len()], older: vec![None; new.items.len()] };
    let keys = |scoped: &Scoped<'_>, scope: &Scope| -> Vec<Vec<u8>> {
        scope.items.iter().map(|item| scoped.key(item)).collect()
    };
    let (old_keys, new_keys) = (keys(older, old), keys(newer, new));
    let old_slices: Vec<&[u8]> = old_keys.iter().map(Vec::as_slice).collect();
    let new_slices: Vec<&[u8]> = new_keys.iter().map(Vec::as_slice).collect();
    let hunks = hunks(&old_slices, &new_slices);
    let (mut at_old, mut at_new) = (0, 0);
    for hunk in &hunks {
        (at_old..hunk.old.start).zip(at_new..hunk.new.start).for_each(|(a, b)| pairs.join(a, b));
        (at_old, at_new) = (hunk.old.end, hunk.new.end);
    }
    (at_old..old.items.len()).zip(at_new..new.items.len()).for_each(|(a, b)| pairs.join(a, b));
    // What moved: a line of comment that is nothing but its mark says nothing.
    let tells = |item: &Item| item.what != What::Comment || item.example.is_some();
    same_key(&mut pairs, &old_keys, &new_keys, |n| tells(&old.items[n]));
    // What has another value, in the place of the old one before elsewhere.
    for hunk in &hunks {
        by_name(&mut pairs, old, new, hunk.old.clone(), hunk.new.clone());
        empty_blocks(&mut pairs, (older, old, hunk.old.clone()), (newer, new, hunk.new.clone()));
    }
    let once = |scope: &Scope, name: &[u8]| {
        scope.items.iter().filter(|item| item.what == What::Setting && item.name == name).count() == 1
    };
    for a in 0..old.items.len() {
        let item = &old.items[a];
        if pairs.newer[a].is_some() || item.what != What::Setting || !once(old, &item.name) {
            continue;
        }
        let is_it = |one: &Item| one.what == What::Setting && one.name == item.name;
        let twin = new.items.iter().position(is_it).filter(|_| once(new, &item.name));
        if let Some(b) = twin.filter(|b| pairs.older[*b].is_none()) {
            pairs.join(a, b);
        }
    }
    renamed_blocks(&mut pairs, (older, old), (newer, new));
    pairs
}

fn same_key(pairs: &mut Pairs, old: &[Vec<u8>], new: &[Vec<u8>], may: impl Fn(usize) -> bool) {
    let mut free: BTreeMap<&[u8], Vec<usize>> = BTreeMap::new();
    for b in (0..new.len()).rev().filter(|b| pairs.older[*b].is_none()) {
        free.entry(&new[b]).or_default().push(b);
    }
    for (a, key) in old.iter().enumerate() {
        if pairs.newer[a].is_none()
            && may(a)
            && let Some(b) = free.get_mut(&**key).and_then(Vec::pop)
        {
            pairs.join(a, b);
        }
    }
}

fn by_name(
    pairs: &mut Pairs,
    old: &Scope,
    new: &Scope,
    of_old: std::ops::Range<usize>,
    of_new: std::ops::Range<usize>,
) {
    for a in of_old {
        let item = &old.items[a];
        if pairs.newer[a].is_some() || item.what != What::Setting {
            continue;
        }
        let is_it = |b: &usize| {
            let one = &new.items[*b];
            pairs.older[*b].is_none() && one.what == What::Setting && one.name == item.name
        };
        if let Some(b) = of_new.clone().find(is_it) {
            pairs.join(a, b);
        }
    }
}

/// One side of what differs.
type Side<'a> = (&'a Scoped<'a>, &'a Scope, std::ops::Range<usize>);

/// Blocks in which there is nothing to know them by: as many of them under new titles at the same place are the same.
fn empty_blocks(pairs: &mut Pairs, (older, old, of_old): Side<'_>, (newer, new, of_new): Side<'_>) {
    let blocks =
        |scoped: &Scoped<'_>, scope: &Scope, range: std::ops::Range<usize>, free: &[Option<usize>]| {
            let is_block = |n: &usize| free[*n].is_none() && matches!(scope.items[*n].what, What::Block(_));
            let all: Vec<usize> = range.filter(is_block).collect();
            let is_empty = |n: &usize| match scope.items[*n].what {
                What::Block(block) => scoped.names_in(block).is_empty(),
                What::Setting | What::Comment | What::Other => false,
            };
            let empty = all.iter().all(is_empty);
            (all, empty)
        };
    let (a, no_names) = blocks(older, old, of_old, &pairs.newer);
    let (b, none_either) = blocks(newer, new, of_new, &pairs.older);
    if a.len() == b.len() && (no_names || none_either) {
        a.into_iter().zip(b).for_each(|(a, b)| pairs.join(a, b));
    }
}

fn renamed_blocks(
    pairs: &mut Pairs,
    (older, old): (&Scoped<'_>, &Scope),
    (newer, new): (&Scoped<'_>, &Scope),
) {
    for a in 0..old.items.len() {
        let What::Block(was) = old.items[a].what else { continue };
        if pairs.newer[a].is_some() {
            continue;
        }
        let names = older.names_in(was);
        let likeness = |b: usize| match new.items[b].what {
            What::Block(is) if pairs.older[b].is_none() => {
                let others = newer.names_in(is);
                let all = names.union(&others).count();
                let both = names.intersection(&others).count();
                if all == 0 { 0.0 } else { both as f64 / all as f64 }
            }
            _ => 0.0,
        };
        let best = (0..new.items.len()).map(|b| (likeness(b), b)).max_by(|x, y| x.0.total_cmp(&y.0));
        if let Some((_, b)) = best.filter(|(likeness, _)| *likeness >= ALIKE) {
            pairs.join(a, b);
        }
    }
}
