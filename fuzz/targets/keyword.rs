//! Any bytes as `keyword`.
#![no_main]

gypsum_fuzz::family!(Keyword);
