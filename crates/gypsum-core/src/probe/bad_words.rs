//! Why words or a table are no health check.

/// Why words or a table are no health check, in a sentence.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct BadWords(
    /// The sentence.
    pub String,
);

impl From<String> for BadWords {
    fn from(why: String) -> Self {
        Self(why)
    }
}

impl From<&str> for BadWords {
    fn from(why: &str) -> Self {
        Self(why.to_owned())
    }
}
