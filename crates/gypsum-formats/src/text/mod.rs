//! Bytes, and places in them: spans, lines, splices.

mod bytes;
mod glob_match;
mod lines;
mod nearest;
mod one_line;
mod span;
mod splice;

pub use bytes::Bytes;
pub use glob_match::glob_match;
pub use lines::{Ending, Place, ending_at, line_span, place_of};
pub use nearest::{nearest, slip_of};
pub use one_line::one_line;
pub use span::Span;
pub use splice::{LineShift, Splice, apply, apply_within, shift_lines};
