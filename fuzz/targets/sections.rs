//! Any bytes as `sections`.
#![no_main]

gypsum_fuzz::family!(Sections);
