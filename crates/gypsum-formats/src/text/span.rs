//! A half-open range of bytes in one file.

/// Bytes `start..end` of one source. Four-byte offsets keep what is known of a large file small;
/// [`crate::doc::Document::read`] refuses a source that they cannot address.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Default)]
pub struct Span {
    /// First byte.
    pub start: u32,
    /// One past the last byte.
    pub end: u32,
}

impl Span {
    /// The span `start..end`; both must lie in an addressable source.
    pub fn new(start: usize, end: usize) -> Self {
        debug_assert!(start <= end && end <= u32::MAX as usize);
        Self { start: start as u32, end: end as u32 }
    }

    /// The empty span at `at`.
    pub fn at(at: usize) -> Self {
        Self::new(at, at)
    }

    /// The span as a range for slicing.
    pub fn range(self) -> std::ops::Range<usize> {
        self.start as usize..self.end as usize
    }

    /// The bytes of this span in `source`, or none of them where the span lies outside.
    pub fn of(self, source: &[u8]) -> &[u8] {
        source.get(self.range()).unwrap_or_default()
    }

    /// How many bytes it covers.
    pub fn len(self) -> usize {
        (self.end - self.start) as usize
    }

    /// Whether it covers none.
    pub fn is_empty(self) -> bool {
        self.start == self.end
    }
}
