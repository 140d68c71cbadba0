//! Any bytes as `records`.
#![no_main]

gypsum_fuzz::family!(Records);
