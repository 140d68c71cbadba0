//! The account as which a command of a unit runs.

use super::unit::StartUnit;
use std::io;

/// Numbers and names of an account.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Account {
    /// Its number.
    pub user: u32,
    /// Its group.
    pub group: u32,
    /// Its further groups.
    pub groups: Vec<u32>,
    /// What the service manager sets for it: `USER`, `LOGNAME`, `HOME`, `SHELL`.
    pub variables: Vec<(String, String)>,
}

/// The account that the unit names; none where it names none.
///
/// # Errors
///
/// If there is no such account on this host.
pub fn of(unit: &StartUnit) -> io::Result<Option<Account>> {
    if unit.user.is_empty() && unit.group.is_empty() && unit.groups.is_empty() {
        return Ok(None);
    }
    let missing = |what: &str, name: &str| io::Error::other(format!("this host has no {what} {name}"));
    let by_name_or_number = |name: &str| match name.parse() {
        Ok(number) => uzers::get_user_by_uid(number),
        Err(_) => uzers::get_user_by_name(name),
    };
    let named = if unit.user.is_empty() { "root" } else { &unit.user };
    let user = by_name_or_number(named).ok_or_else(|| missing("account", named))?;
    let group_of = |name: &String| -> io::Result<u32> {
        let group = match name.parse() {
            Ok(number) => Some(number),
            Err(_) => crate::accounts::group(name),
        };
        group.ok_or_else(|| missing("group", name))
    };
    let group = if unit.group.is_empty() { user.primary_group_id() } else { group_of(&unit.group)? };
    let mut groups: Vec<u32> = Vec::new();
    if !unit.user.is_empty() {
        let all = uzers::get_user_groups(user.name(), user.primary_group_id()).unwrap_or_default();
        groups.extend(all.iter().map(uzers::Group::gid));
    }
    for name in &unit.groups {
        groups.push(group_of(name)?);
    }
    groups.retain(|one| *one != group);
    let name = user.name().to_string_lossy().into_owned();
    let (home, shell) = (
        uzers::os::unix::UserExt::home_dir(&user).display().to_string(),
        uzers::os::unix::UserExt::shell(&user).display().to_string(),
    );
    let variables = match unit.user.is_empty() {
        true => Vec::new(),
        false => [("USER", &name), ("LOGNAME", &name), ("HOME", &home), ("SHELL", &shell)]
            .map(|(key, value)| (key.to_owned(), value.clone()))
            .to_vec(),
    };
    Ok(Some(Account { user: user.uid(), group, groups, variables }))
}
