//! Any bytes as `stanzas`.
#![no_main]

gypsum_fuzz::family!(Stanzas);
