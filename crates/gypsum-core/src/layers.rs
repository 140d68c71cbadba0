//! Layers: every setting at its turn in the daemon's reading order, and which of several decides.

use crate::doc::{BlockId, Document, Family, Kind, LeafId, Wins};
use crate::edit::File;
use crate::profile::{Profile, Setting};
use crate::text::Span;
use std::collections::HashMap;

/// An include statement, and what it leads to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Inclusion {
    /// The file that it is in.
    pub file: usize,
    /// The statement.
    pub leaf: LeafId,
    /// What it names, made absolute.
    pub pattern: String,
    /// The files that are read at its place, in order.
    pub read: Vec<usize>,
}

/// How the files of a daemon hang together.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Order {
    /// The files that are read first of all, in order.
    pub roots: Vec<usize>,
    /// What is read at a place of another file.
    pub inclusions: Vec<Inclusion>,
}

/// A scope: one block, or all blocks of one title where the format takes those together.
pub type ScopeId = u32;

/// What is around settings.
#[derive(Clone, Debug)]
pub struct Scope {
    /// The scope around it; none for the outermost.
    pub parent: Option<ScopeId>,
    /// The words of its opening statement; empty for the outermost.
    pub title: String,
    /// The file of its opening statement, and the block.
    pub block: Option<(usize, BlockId)>,
    /// Whether what is in it holds only at times.
    pub conditional: bool,
}

impl Scope {
    /// The first word of its title.
    pub fn word(&self) -> &str {
        self.title.split(' ').next().unwrap_or_default()
    }
}

/// One setting at its turn.
#[derive(Clone, Copy, Debug)]
pub struct Occurrence {
    /// The file.
    pub file: usize,
    /// The statement.
    pub leaf: LeafId,
    /// What it is in.
    pub scope: ScopeId,
    /// Its name.
    pub name: Span,
    /// Its value, from its first piece to its last; empty for a bare name.
    pub value: Span,
    /// Which of the distinct names it is, each together with the word of its block.
    pub pair: u32,
}

impl Occurrence {
    /// Whether it has this name.
    pub fn is_called(&self, files: &[File], name: &str) -> bool {
        let doc = &files[self.file].doc;
        doc.dialect().same(self.name.of(doc.source()), name.as_bytes())
    }
}

/// All settings of all files, in reading order.
#[derive(Clone, Debug, Default)]
pub struct EffectiveConfig {
    turns: Vec<Occurrence>,
    scopes: Vec<Scope>,
    read: Vec<bool>,
    pairs: Vec<(String, String)>,
    twice: bool,
}

/// More turns than this are not taken: files that include each other over and over.
const MOST: usize = 4_000_000;

impl EffectiveConfig {
    /// The layers of `files`.
    pub fn of(files: &[File], order: &Order, profile: &Profile) -> Self {
        let outermost = Scope { parent: None, title: String::new(), block: None, conditional: false };
        let mut inclusions: HashMap<(usize, LeafId), Vec<usize>> = HashMap::new();
        for one in &order.inclusions {
            inclusions.entry((one.file, one.leaf)).or_default().extend(&one.read);
        }
        let mut walk = Walk {
            files,
            profile,
            inclusions,
            merged: HashMap::new(),
            within: Vec::new(),
            pairs: HashMap::new(),
            out: Self {
                turns: Vec::new(),
                scopes: vec![outermost],
                read: vec![false; files.len()],
                pairs: Vec::new(),
                twice: false,
            },
        };
        // Where nothing is known of the settings, nothing is asked of them.
        if profile.setting.is_empty() && profile.names.is_empty() && order.inclusions.is_empty() {
            walk.out.read = vec![true; files.len()];
            return walk.out;
        }
        for root in &order.roots {
            walk.file(*root, 0);
        }
        walk.out
    }

    /// The settings in reading order.
    pub fn turns(&self) -> &[Occurrence] {
        &self.turns
    }

    /// What is around a setting.
    pub fn scope(&self, id: ScopeId) -> &Scope {
        &self.scopes[id as usize]
    }

    /// Whether a scope is that one, or is inside of it.
    pub fn is_inside(&self, scope: ScopeId, around: ScopeId) -> bool {
        let mut next = Some(scope);
        while let Some(id) = next {
            if id == around {
                return true;
            }
            next = self.scope(id).parent;
        }
        false
    }

    /// All scopes.
    pub fn scopes(&self) -> impl Iterator<Item = (ScopeId, &Scope)> {
        self.scopes.iter().enumerate().map(|(id, scope)| (id as ScopeId, scope))
    }

    /// What is known of each distinct name, by the number that settings have in `pair`.
    pub fn settings<'a>(&self, profile: &'a Profile) -> Vec<Option<&'a Setting>> {
        let known = |(word, name): &(String, String)| {
            profile.setting_in(Some(word), name).map(|(_, setting)| setting)
        };
        self.pairs.iter().map(known).collect()
    }

    /// Whether a file is read at several places.
    pub fn reads_twice(&self) -> bool {
        self.twice
    }

    /// Whether the daemon reads this file at all.
    pub fn reads(&self, file: usize) -> bool {
        self.read.get(file).copied().unwrap_or(false)
    }

    /// Of each turn, the turn that decides instead; none where it is in effect, or where nobody can tell.
    pub fn deciding(&self, files: &[File], profile: &Profile) -> Vec<Option<u32>> {
        // The scope, the name, and of what is told apart by its first word that word.
        type Key<'a> = (ScopeId, u32, std::borrow::Cow<'a, str>);
        let mut winner: HashMap<Key<'_>, u32> = HashMap::new();
        let settings = self.settings(profile);
        let mut keys: Vec<Option<Key<'_>>> = Vec::with_capacity(self.turns.len());
        for (n, turn) in self.turns.iter().enumerate() {
            // Of names that nobody knows nobody knows whether they add up.
            let known = settings[turn.pair as usize];
            let Some(setting) = known.filter(|setting| !setting.repeats || setting.keyed) else {
                keys.push(None);
                continue;
            };
            let word = match setting.keyed {
                true => {
                    let value = files[turn.file].doc.text(turn.value).into_owned();
                    value.split_whitespace().next().unwrap_or_default().to_owned().into()
                }
                false => "".into(),
            };
            let key: Key<'_> = (turn.scope, turn.pair, word);
            let n = n as u32;
            match setting.wins.unwrap_or(profile.dialect.wins) {
                Wins::First => winner.entry(key.clone()).or_insert(n),
                Wins::Last => winner.entry(key.clone()).insert_entry(n).into_mut(),
            };
            keys.push(Some(key));
        }
        let decides = |(n, key): (usize, Option<Key<'_>>)| {
            winner.get(&key?).copied().filter(|winner| *winner != n as u32)
        };
        keys.into_iter().enumerate().map(decides).collect()
    }

    /// Whether a setting of this name is set under a condition.
    pub fn is_conditional(&self, files: &[File], name: &str) -> bool {
        self.turns.iter().any(|turn| self.scope(turn.scope).conditional && turn.is_called(files, name))
    }

    /// The settings of this name that stand in a scope itself, in reading order.
    pub fn called_in<'a>(
        &'a self,
        files: &'a [File],
        scope: ScopeId,
        name: &'a str,
    ) -> impl Iterator<Item = &'a Occurrence> + 'a {
        self.turns.iter().filter(move |turn| turn.scope == scope && turn.is_called(files, name))
    }

    /// The settings of this name in effect outside of conditional blocks, in reading order; `name` may have the
    /// word of the block before it: `mysqld..port`.
    pub fn called<'a>(
        &'a self,
        files: &'a [File],
        profile: &'a Profile,
        name: &'a str,
    ) -> impl Iterator<Item = &'a Occurrence> + 'a {
        let (block, name) = name.rsplit_once("..").map_or((None, name), |(block, name)| (Some(block), name));
        self.turns.iter().filter(move |turn| {
            let scope = self.scope(turn.scope);
            turn.is_called(files, name)
                && !scope.conditional
                && block.is_none_or(|block| {
                    block == "*" || profile.dialect.same(scope.word().as_bytes(), block.as_bytes())
                })
        })
    }

    /// The value of a setting that decides, else its default.
    pub fn value(&self, files: &[File], profile: &Profile, name: &str) -> Option<String> {
        let bare = name.rsplit_once("..").map_or(name, |(_, bare)| bare);
        let setting = profile.setting(name).or_else(|| profile.setting(bare)).map(|(_, setting)| setting);
        let wins = setting.and_then(|setting| setting.wins).unwrap_or(profile.dialect.wins);
        let mut turns = self.called(files, profile, name);
        let turn = match wins {
            Wins::First => turns.next(),
            Wins::Last => turns.last(),
        };
        let standing = turn.map(|turn| value_of(&files[turn.file].doc, turn.leaf));
        standing.or_else(|| setting.and_then(|setting| setting.default.clone()))
    }
}

/// Whether a file belongs to a package, whose next upgrade writes over it: it is overruled elsewhere, and not edited
/// (file-hierarchy(7), "vendor-supplied").
pub fn is_of_package(path: &str) -> bool {
    path.starts_with("/usr/") && !path.starts_with("/usr/local/")
}

/// The value of a statement as the daemon understands it.
pub fn value_of(doc: &Document, leaf: LeafId) -> String {
    doc.parts(leaf).map_or_else(String::new, |parts| doc.value(&parts))
}

struct Walk<'a> {
    files: &'a [File],
    profile: &'a Profile,
    inclusions: HashMap<(usize, LeafId), Vec<usize>>,
    merged: HashMap<(ScopeId, Vec<u8>), ScopeId>,
    within: Vec<usize>,
    pairs: HashMap<Vec<u8>, u32>,
    out: EffectiveConfig,
}

impl Walk<'_> {
    fn file(&mut self, n: usize, base: ScopeId) {
        // A circle ends where it closes.
        if self.within.contains(&n) || self.out.turns.len() > MOST {
            return;
        }
        self.within.push(n);
        self.out.twice |= self.out.read[n];
        self.out.read[n] = true;
        let files = self.files;
        let doc = &files[n].doc;
        let mut scopes: HashMap<BlockId, ScopeId> = HashMap::new();
        for (leaf, kind, parts) in doc.statements() {
            let scope = match doc.tree().block_of(leaf) {
                None => base,
                Some(block) => self.scope(n, block, base, &mut scopes),
            };
            if kind == Kind::Open {
                if let Some(block) = doc.tree().opened_by(leaf) {
                    self.scope(n, block, base, &mut scopes);
                }
                continue;
            }
            let end = parts.name.end;
            let value = parts.value.hull().unwrap_or(Span { start: end, end });
            let pair = self.pair(scope, parts.name.of(doc.source()));
            self.out.turns.push(Occurrence { file: n, leaf, scope, name: parts.name, value, pair });
            if let Some(read) = self.inclusions.get(&(n, leaf)).cloned() {
                read.into_iter().for_each(|read| self.file(read, scope));
            }
        }
        self.within.pop();
    }

    /// The number of a name together with its block, the same for all spellings.
    fn pair(&mut self, scope: ScopeId, name: &[u8]) -> u32 {
        let word = self.out.scope(scope).word();
        let dialect = &self.profile.dialect;
        let mut key = Vec::with_capacity(word.len() + name.len() + 1);
        key.extend_from_slice(word.as_bytes());
        key.push(0);
        key.extend(dialect.folded(name));
        if let Some(known) = self.pairs.get(&key) {
            return *known;
        }
        let pair = (word.to_owned(), String::from_utf8_lossy(name).into_owned());
        let at = self.out.pairs.len() as u32;
        self.out.pairs.push(pair);
        self.pairs.insert(key, at);
        at
    }

    fn scope(
        &mut self,
        n: usize,
        block: BlockId,
        base: ScopeId,
        known: &mut HashMap<BlockId, ScopeId>,
    ) -> ScopeId {
        if let Some(id) = known.get(&block) {
            return *id;
        }
        let doc = &self.files[n].doc;
        let parent = match doc.tree().block(block).parent() {
            None => base,
            Some(outer) => self.scope(n, outer, base, known),
        };
        let title = doc.title(block).to_owned();
        // A block that does not matter to the daemon.
        if self.canonical(&title).is_empty() {
            known.insert(block, parent);
            return parent;
        }
        let conditional = doc.is_conditional(block) || self.out.scope(parent).conditional;
        let merges = matches!(
            doc.family(),
            Family::Sections | Family::Stanzas | Family::Toml | Family::Yaml | Family::Json
        );
        let key = (parent, doc.dialect().folded(self.canonical(&title).as_bytes()));
        let changed_statements = self.out.scopes.len() as ScopeId;
        let id =
            if merges { *self.merged.entry(key).or_insert(changed_statements) } else { changed_statements };
        if id == changed_statements {
            self.out.scopes.push(Scope { parent: Some(parent), title, block: Some((n, block)), conditional });
        }
        known.insert(block, id);
        id
    }

    /// One title for all that the daemon reads as the same block.
    fn canonical<'t>(&'t self, title: &'t str) -> &'t str {
        let same =
            self.profile.dialect.same_blocks.iter().find(|titles| titles.iter().any(|one| one == title));
        same.and_then(|titles| titles.first()).map_or(title, String::as_str)
    }
}
