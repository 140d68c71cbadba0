//! Any bytes as `properties`.
#![no_main]

gypsum_fuzz::family!(Properties);
