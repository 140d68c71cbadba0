//! Values: what kinds there are, and whether a text is a value of one.

mod kind;
mod quantity;

pub use kind::{Kind, Misfit, misfit};
