//! Values: what kinds there are, whether a text is a value of one, and whether two texts are the same value.

mod kind;
mod likely;
mod network;
mod pieces;
pub(crate) mod quantity;
mod same;
mod spelling;

pub use kind::{Kind, Misfit, edit_error, edit_error_of_any, noun, range};
pub use likely::unlikely;
pub use network::{Endpoint, covers, endpoint, is_host, is_in_network, network};
pub use pieces::{Piece, pieces, words_of};
pub use same::same_value;
pub use spelling::Spelling;
