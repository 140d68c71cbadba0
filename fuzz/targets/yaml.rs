//! Any bytes as `yaml`.
#![no_main]

gypsum_fuzz::family!(Yaml);
