//! Profiles: what Gypsum knows about one daemon. TOML in, a checked [`Profile`] out.

mod builtin;
mod fill;
mod read;
mod schema;

pub use builtin::{BUILT_IN, BuiltIn, built_in};
pub use fill::{MissingSetting, fill};
pub use read::{ProfileError, read};
pub use schema::{
    Activation, Argv, Check, Checker, Files, Plain, Probe, Profile, Proof, Service, Setting, Stop,
};
