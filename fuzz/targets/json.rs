//! Any bytes as `json`.
#![no_main]

gypsum_fuzz::family!(Json);
