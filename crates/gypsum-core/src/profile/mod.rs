//! Profiles: what Gypsum knows about one daemon. TOML in, a checked [`Profile`] out.

mod argv;
mod ask;
mod builtin;
mod elsewhere;
mod fill;
mod login;
mod name_list;
mod read;
mod rule;
mod schema;
mod service;
mod setting;
mod sites;
mod trial;

pub use argv::Argv;
pub use ask::{Ask, NOBODYS_NAME, NameAnswer};
pub use builtin::{BUILT_IN, BuiltIn, built_in};
pub use elsewhere::Elsewhere;
pub use fill::{MissingSetting, fill};
pub use login::Login;
pub use name_list::{Field, ListedName, NameList};
pub use read::{read, read_with};
pub use rule::{Form, Rule};
pub use schema::{Checker, Condition, Effective, Files, Layout, Listen, Other, Profile};
pub use service::{Activation, Hook, Part, Plain, Proof, RelatedService, Service, ServiceManagerKind, Stop};
pub use setting::{Role, Setting, Sort};
pub use sites::Sites;
pub use trial::{Trial, TrialWhen};
