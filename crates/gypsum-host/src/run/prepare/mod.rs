//! What happens before anything live is touched. One file an order; each order takes what the one before it made.

mod activation;
mod asked_early;
mod backup;
mod check;
mod difference;
mod edit;
mod effective;
mod extra_files;
mod file_rules;
mod lock;
mod logins;
mod measure;
mod measured;
mod new_file;
mod own_checker;
mod own_checkers;
mod own_rules;
mod owned_elsewhere;
mod phases;
mod plausible;
mod proposal;
mod readings;
mod related;
mod running_process;
mod save;
mod sections;
mod take_back;
mod trial_start;
mod unread_changes;
mod whole_files;

pub(super) use phases::prepare;
pub(super) use readings::read_all;
pub(super) use save::Saved;
