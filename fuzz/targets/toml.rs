//! Any bytes as `toml`.
#![no_main]

gypsum_fuzz::family!(Toml);
