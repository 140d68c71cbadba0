//! Builds an account, or its digest, while a file is read.

use super::account::{Account, Entry, Scalar, Sort};
use super::digest::{Digest, Digesting, Seen};

/// Takes down what a file says, entry by entry: the whole account, or a digest of it.
#[derive(Debug)]
pub struct Builder {
    entries: Vec<Entry>,
    open: Vec<usize>,
    digest: Option<Box<Digesting>>,
}

impl Default for Builder {
    /// A whole account.
    fn default() -> Self {
        Self { entries: Vec::new(), open: Vec::new(), digest: None }
    }
}

impl Builder {
    /// A digest instead of the whole.
    pub fn digesting(digest: Digesting) -> Self {
        Self { digest: Some(Box::new(digest)), ..Self::default() }
    }

    /// A name with its value, or one of the two.
    pub fn value(&mut self, name: Option<Vec<u8>>, value: Option<Scalar>, line: u32) {
        self.note(name, value, false, line);
    }

    /// A value of one sort, which is copied only where it is kept.
    pub fn scalar(&mut self, name: Option<&[u8]>, sort: Sort, text: &[u8]) {
        match &mut self.digest {
            Some(digest) => {
                digest.take(Seen { name, value: Some((sort, sort, text)), block: false, line: 0 });
            }
            None => self.value(name.map(<[u8]>::to_vec), Some(Scalar::of(sort, text)), 0),
        }
    }

    /// The beginning of a block.
    pub fn open(&mut self, name: Option<Vec<u8>>, value: Option<Scalar>, line: u32) {
        self.open.push(self.entries.len());
        self.note(name, value, true, line);
    }

    fn note(&mut self, name: Option<Vec<u8>>, value: Option<Scalar>, block: bool, line: u32) {
        if let Some(digest) = &mut self.digest {
            let value = value.as_ref().map(|value| (value.sort, value.also, value.text.as_slice()));
            return digest.take(Seen { name: name.as_deref(), value, block, line });
        }
        let end = self.entries.len() + 1;
        self.entries.push(Entry { name, value, block, line, end });
    }

    /// The end of the innermost block; false where none is open.
    pub fn close(&mut self) -> bool {
        let Some(at) = self.open.pop() else {
            return false;
        };
        match &mut self.digest {
            Some(digest) => return digest.close(),
            None => self.entries[at].end = self.entries.len(),
        }
        true
    }

    /// Takes over all that `inner` took down.
    pub fn append(&mut self, inner: Self) {
        let entries = inner.finish().entries;
        let mut ends: Vec<usize> = Vec::new();
        for (at, Entry { name, value, block, line, end }) in entries.into_iter().enumerate() {
            while ends.last().is_some_and(|end| *end <= at) {
                ends.pop();
                self.close();
            }
            if block {
                self.open(name, value, line);
                ends.push(end);
            } else {
                self.value(name, value, line);
            }
        }
        ends.iter().for_each(|_| {
            self.close();
        });
    }

    /// Calls the first entry by this name.
    pub fn rename_first(&mut self, name: Option<Vec<u8>>) {
        if let Some(first) = self.entries.first_mut() {
            first.name = name;
        }
    }

    /// The account; what is open ends with the file.
    pub fn finish(mut self) -> Account {
        while self.close() {}
        Account { entries: self.entries }
    }

    /// The digest; none of a builder that takes down the whole.
    pub fn finish_digest(self) -> Option<Digest> {
        self.digest.map(|digest| digest.finish())
    }
}
