//! Any bytes as `tags`.
#![no_main]

gypsum_fuzz::family!(Tags);
