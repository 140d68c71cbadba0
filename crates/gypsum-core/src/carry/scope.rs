//! A file as scopes of items: what is in the same block, in order.

use crate::address::address_of;
use crate::doc::{BlockId, CommentedOut, Document, Kind, LeafId, Nearness, all_commented_out};
use crate::text::Span;
use std::collections::{BTreeMap, BTreeSet};

/// What an item is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum What {
    /// A setting.
    Setting,
    /// A block with all that is in it.
    Block(BlockId),
    /// A line of comment.
    Comment,
    /// Lines that are not ours to read.
    Other,
}

/// A setting or a block that is commented out.
#[derive(Clone, Debug)]
pub struct Example {
    pub name: Vec<u8>,
    pub value: String,
    pub is_block: bool,
    /// How sure it is that it is no prose.
    pub nearness: Nearness,
}

/// A statement with all of its lines, or a line of comment.
#[derive(Clone, Debug)]
pub struct Item {
    pub what: What,
    /// The leaf that it begins with.
    pub leaf: LeafId,
    /// All of its bytes.
    pub span: Span,
    /// The name of a setting in the one spelling that all its spellings share; the title of a block.
    pub name: Vec<u8>,
    /// The value as the daemon understands it.
    pub value: String,
    /// What is commented out in it.
    pub example: Option<Example>,
    /// Whether an empty line is above it.
    pub blank_above: bool,
    /// Whether its name in the file is an earlier one.
    pub is_renamed: bool,
}

/// The items of one block, or of the top.
#[derive(Clone, Debug, Default)]
pub struct Scope {
    /// The block; none at the top.
    pub block: Option<BlockId>,
    pub items: Vec<Item>,
}

/// A file with its scopes: that of the top first, then one for each block.
pub struct Scoped<'a> {
    pub doc: &'a Document,
    scopes: Vec<Scope>,
    nothing: Scope,
}

impl<'a> Scoped<'a> {
    /// The scopes of a file. What `heir` has a new name for is taken under that name.
    pub fn of(doc: &'a Document, heir: &dyn Fn(&[u8]) -> Option<Vec<u8>>) -> Self {
        let blocks = doc.tree().blocks().count();
        let mut scopes = vec![Scope::default(); blocks + 1];
        for (block, _) in doc.tree().blocks() {
            scopes[block as usize + 1].block = Some(block);
        }
        let asleep: BTreeMap<LeafId, CommentedOut> =
            all_commented_out(doc).map(|one| (one.leaf, one)).collect();
        let mut blank: BTreeSet<Option<BlockId>> = BTreeSet::new();
        for step in doc.tree().walk() {
            let what = match (step.kind, step.opens) {
                (Kind::Setting, _) => What::Setting,
                (Kind::Open, Some(block)) => What::Block(block),
                (Kind::Comment, _) => What::Comment,
                (Kind::Opaque | Kind::Broken | Kind::Open, _) => What::Other,
                (Kind::Blank, _) => {
                    blank.insert(step.block);
                    continue;
                }
                (Kind::Close, _) => continue,
            };
            let span = match what {
                What::Block(block) => {
                    let end = doc.tree().block(block).end().saturating_sub(1);
                    Span { start: step.span.start, end: doc.tree().span(end).end }
                }
                What::Setting | What::Comment | What::Other => step.span,
            };
            let parts = doc.parts(step.leaf);
            let name = match (what, &parts) {
                (What::Block(block), _) => doc.title(block).as_bytes().to_vec(),
                (_, Some(parts)) => doc.dialect().folded(parts.name.of(doc.source())),
                (_, None) => Vec::new(),
            };
            let later = heir(&name).filter(|_| what == What::Setting);
            let value = parts.filter(|_| what == What::Setting).map(|parts| doc.value(&parts));
            let at = step.block.map_or(0, |block| block as usize + 1);
            scopes[at].items.push(Item {
                what,
                leaf: step.leaf,
                span,
                is_renamed: later.is_some(),
                name: later.unwrap_or(name),
                value: value.unwrap_or_default(),
                example: asleep.get(&step.leaf).map(|one| example(doc, one, heir)),
                blank_above: blank.remove(&step.block),
            });
        }
        Self { doc, scopes, nothing: Scope::default() }
    }

    /// The scope of a block; that of the top for none.
    pub fn scope(&self, block: Option<BlockId>) -> &Scope {
        &self.scopes[block.map_or(0, |block| block as usize + 1)]
    }

    /// The scope of a block that is not there.
    pub fn nothing(&self) -> &Scope {
        &self.nothing
    }

    /// All scopes, that of the top first.
    pub fn scopes(&self) -> impl Iterator<Item = &Scope> {
        self.scopes.iter()
    }

    /// The bytes of an item.
    pub fn text(&self, item: &Item) -> &'a [u8] {
        item.span.of(self.doc.source())
    }

    /// By what two items are the same, wherever they are.
    pub fn key(&self, item: &Item) -> Vec<u8> {
        let sign: &[u8] = match item.what {
            What::Setting => return [b"setting ", &*item.name, b"\0", item.value.as_bytes()].concat(),
            What::Block(_) => return [b"block ", &*item.name].concat(),
            What::Comment => b"comment ",
            What::Other => b"other ",
        };
        let words = self.text(item).split(u8::is_ascii_whitespace).filter(|word| !word.is_empty());
        let words: Vec<&[u8]> = words.collect();
        [sign, &words.join(&b' ')].concat()
    }

    /// The names of what is in a block or commented out in it, by which a renamed block is known again.
    pub fn names_in(&self, block: BlockId) -> BTreeSet<Vec<u8>> {
        let items = &self.scope(Some(block)).items;
        let names = items.iter().map(|item| item.example.as_ref().map_or(&item.name, |one| &one.name));
        names.filter(|name| !name.is_empty()).cloned().collect()
    }

    /// What a block says, by the keys of all that is in it but comments.
    pub fn statements(&self, item: &Item) -> Vec<Vec<u8>> {
        let What::Block(block) = item.what else { return vec![self.key(item)] };
        let items = self.scope(Some(block)).items.iter().filter(|one| one.what != What::Comment);
        std::iter::once(self.key(item)).chain(items.flat_map(|one| self.statements(one))).collect()
    }

    /// The titles of the blocks around a scope and its own, outermost first.
    pub fn path(&self, scope: &Scope) -> Vec<String> {
        let mut path = Vec::new();
        let mut at = scope.block;
        while let Some(block) = at {
            path.push(self.doc.title(block).to_owned());
            at = self.doc.tree().block(block).parent();
        }
        path.reverse();
        path
    }

    /// The address of an item, without a number.
    pub fn address(&self, item: &Item) -> String {
        address_of(self.doc, item.leaf).without_nth().to_string()
    }

    /// Whether a name is set or commented out anywhere.
    pub fn mentions(&self, name: &[u8]) -> bool {
        let is_it = |item: &Item| {
            item.name == name || item.example.as_ref().is_some_and(|example| example.name == name)
        };
        self.scopes.iter().any(|scope| scope.items.iter().any(is_it))
    }

    /// Whether a name is set more than once in one block.
    pub fn repeats(&self, name: &[u8]) -> bool {
        let count = |scope: &Scope| {
            scope.items.iter().filter(|item| item.what == What::Setting && item.name == name).count()
        };
        self.scopes.iter().any(|scope| count(scope) > 1)
    }
}

fn example(doc: &Document, one: &CommentedOut, heir: &dyn Fn(&[u8]) -> Option<Vec<u8>>) -> Example {
    let value = one.parts.value.raw(doc.source());
    let name = doc.dialect().folded(one.parts.name.of(doc.source()));
    Example {
        name: heir(&name).unwrap_or(name),
        value: String::from_utf8_lossy(&doc.family().meaning(&value, doc.dialect())).trim().to_owned(),
        is_block: one.kind == Kind::Open,
        nearness: one.nearness,
    }
}
