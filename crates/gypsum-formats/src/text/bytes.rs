//! The content of a file.

use std::sync::Arc;

/// The content of a file, which may be large and is held by several.
pub type Bytes = Arc<Vec<u8>>;
