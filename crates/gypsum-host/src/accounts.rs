//! Users and groups of this host, by name or by number.

/// The number of the user called `name`, or written as a number.
pub fn user(name: &str) -> Option<u32> {
    name.parse().ok().or_else(|| uzers::get_user_by_name(name).map(|user| user.uid()))
}

/// The number of the group called `name`, or written as a number.
pub fn group(name: &str) -> Option<u32> {
    name.parse().ok().or_else(|| uzers::get_group_by_name(name).map(|group| group.gid()))
}

/// The number of the main group of the user called `name`.
pub fn main_group(name: &str) -> Option<u32> {
    uzers::get_user_by_name(name).map(|user| user.primary_group_id())
}
