//! Any bytes as `xml`.
#![no_main]

gypsum_fuzz::family!(Xml);
