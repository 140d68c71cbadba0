//! Any bytes as `braces`.
#![no_main]

gypsum_fuzz::family!(Braces);
