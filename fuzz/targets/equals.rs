//! Any bytes as `equals`.
#![no_main]

gypsum_fuzz::family!(Equals);
