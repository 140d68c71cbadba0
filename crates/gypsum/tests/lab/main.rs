//! Real daemons from Debian's packages, under a real systemd, in a disposable host. Needs root and the
//! packages that `.ci/run` installs: the tests are marked as ignored.

// A test that cannot be set up has failed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

#[path = "../shared/schema.rs"]
mod schema;

mod alarms;
mod around;
mod bus;
mod clients;
mod complaints;
mod daemons;
mod deb;
mod documents;
mod effects;
mod enrol;
mod guardian;
mod health;
mod host;
mod hostile;
mod instances;
mod journal;
mod keepers;
mod kill;
mod own_upgrade;
mod owners;
mod packages;
mod places;
mod power_cuts;
mod probation;
mod probes;
mod profiles;
mod reasons;
mod releases;
mod reloads;
mod replay;
mod restarts;
mod rules;
mod services;
mod shells;
mod shipped;
mod trial;
mod units;
mod upgrade;
mod users;
mod watching;
