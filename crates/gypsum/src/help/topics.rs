//! The topics of `gypsum help`. They are documents of `docs/`; the manual has them, too.

/// One topic.
pub struct Topic {
    /// The word that is typed.
    pub name: &'static str,
    /// The section of the manual that has its page.
    pub section: u8,
    /// Its document.
    pub text: &'static str,
}

/// All topics.
pub const TOPICS: [Topic; 6] = [
    Topic { name: "addresses", section: 7, text: include_str!("../../../../docs/addresses.md") },
    Topic { name: "edits", section: 7, text: include_str!("../../../../docs/edits.md") },
    Topic { name: "checks", section: 7, text: include_str!("../../../../docs/checks.md") },
    Topic { name: "formats", section: 7, text: include_str!("../../../../docs/formats.md") },
    Topic { name: "profiles", section: 5, text: include_str!("../../../../docs/profiles.md") },
    Topic { name: "safety", section: 7, text: include_str!("../../../../docs/safety.md") },
];
