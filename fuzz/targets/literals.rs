//! Any bytes as `literals`.
#![no_main]

gypsum_fuzz::family!(Literals);
