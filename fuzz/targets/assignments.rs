//! Any bytes as `assignments`.
#![no_main]

gypsum_fuzz::family!(Assignments);
