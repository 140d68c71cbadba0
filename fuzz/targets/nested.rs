//! Any bytes as `nested`.
#![no_main]

gypsum_fuzz::family!(Nested);
