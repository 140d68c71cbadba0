//! The files of a daemon, as one version of its configuration.

use gypsum_core::doc::Document;
use gypsum_core::edit::File;
use gypsum_core::layers::{EffectiveConfig, Order};
use gypsum_core::profile::Profile;
use gypsum_core::rules::ConfigView;
use gypsum_core::survey::Survey;

/// One version of a configuration.
pub struct Version {
    pub files: Vec<File>,
    pub order: Order,
    pub layers: EffectiveConfig,
}

impl Version {
    /// One file; `other`: in the format of the profile's other files.
    pub fn of(profile: &Profile, other: bool, text: &str) -> Self {
        let (format, dialect) = match profile.other.first().filter(|_| other) {
            Some(other) => (other.format, other.dialect.clone()),
            None => (profile.files.format, profile.dialect.clone()),
        };
        let doc = Document::read(text.into(), format, dialect).unwrap();
        let files = vec![File { path: profile.files.home.clone(), doc }];
        let order = Order { roots: vec![0], inclusions: Vec::new() };
        Self::with(profile, files, order)
    }

    /// Several files, and how they hang together.
    pub fn with(profile: &Profile, files: Vec<File>, order: Order) -> Self {
        let layers = EffectiveConfig::of(&files, &order, profile);
        Self { files, order, layers }
    }

    pub fn view<'a>(&'a self, profile: &'a Profile, survey: &'a Survey) -> ConfigView<'a> {
        let Self { files, order, layers } = self;
        ConfigView { files, order, layers, profile, survey, changed_statements: None }
    }
}
