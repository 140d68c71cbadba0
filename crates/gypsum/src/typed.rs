//! From the edits as they were typed, or prepared in a file, to what a change is to do.

use crate::args::MoreEdits;
use gypsum_core::address::Address;
use gypsum_core::change::Dress;
use gypsum_core::edit::{Companion as Placing, Edit, Prepared, Where, Written};
use gypsum_host::accounts;
use gypsum_host::run::{Beside, Companion};
use gypsum_host::trouble::Trouble;
use std::io::Read;
use std::path::{Path, PathBuf};

/// The edits as they were typed.
pub struct Typed {
    pub edits: Vec<String>,
    pub more: MoreEdits,
}

impl Typed {
    /// Everything that was asked for, but for secrets, as a prepared change.
    pub fn prepared(&self, why: Option<&String>) -> Result<Prepared, Trouble> {
        let more = &self.more;
        let mut prepared = match &more.prepared {
            None => Prepared::default(),
            Some(file) => {
                let text = String::from_utf8(content(file)?)
                    .map_err(|_| Trouble::usage(format!("{} is not UTF-8", file.display())))?;
                Prepared::read(&text)
                    .map_err(|why| Trouble::usage(format!("{}: {}", file.display(), why.0)))?
            }
        };
        prepared.why = why.cloned().or(prepared.why);
        prepared.remark = more.remark.clone().or(prepared.remark);
        prepared.new |= more.new;
        if let Some(within) = &more.within {
            prepared.within = Some(utf8(within)?);
        }
        prepared.switch_on.extend(more.switch_on.iter().cloned());
        prepared.switch_off.extend(more.switch_off.iter().cloned());
        for file in &more.delete_file {
            prepared.delete_file.push(utf8(file)?);
        }
        prepared.edit.extend(self.edits()?.iter().map(Written::from));
        prepared.companion.extend(self.companions()?);
        Ok(prepared)
    }

    fn edits(&self) -> Result<Vec<Edit>, Trouble> {
        let more = &self.more;
        let spot = spot_of(more)?;
        if more.add.len() + more.piece.len() != 1 && spot != Where::Kin {
            return Err(Trouble::usage("a place is for one --add or --piece alone")
                .mend("make two changes of it, or leave the place out"));
        }
        // Added first, so that the settings of a new block find it.
        let mut edits = Vec::new();
        for text in &more.add {
            let why = |why| Trouble::usage(format!("{text:?} cannot be added: {why}"));
            edits.push(Edit::parse_add(text, spot.clone()).map_err(why)?);
        }
        for (n, file) in more.piece.iter().enumerate() {
            let text = String::from_utf8(content(file)?)
                .map_err(|_| Trouble::usage(format!("{} is not UTF-8", file.display())))?;
            let under = match (more.under.len(), more.piece.len()) {
                (0, _) => None,
                (a, b) if a == b => Some(address(&more.under[n])?),
                _ => {
                    return Err(Trouble::usage(
                        "each --piece FILE needs its own --under ADDRESS, or none has one",
                    ));
                }
            };
            edits.push(Edit::Piece { text, under, spot: spot.clone() });
        }
        for text in &self.edits {
            let edit = Edit::parse_set(text).map_err(|why| {
                Trouble::usage(format!("{text:?} is not an edit: {why}"))
                    .mend("for example MaxAuthTries=4; to wake, comment out or remove: --enable, --disable, --delete ADDRESS")
            })?;
            edits.push(edit);
        }
        type Make = fn(Address) -> Edit;
        let others: [(&[String], Make); 3] =
            [(&more.enable, Edit::Enable), (&more.disable, Edit::Disable), (&more.delete, Edit::Delete)];
        for (texts, make) in others {
            for text in texts {
                edits.push(make(address(text)?));
            }
        }
        if more.replace_all.len() != more.by.len() {
            return Err(Trouble::usage("each --replace-all OLD needs its own --by NEW"));
        }
        let replacements = more.replace_all.iter().cloned().zip(more.by.iter().cloned());
        edits.extend(replacements.map(|(old, new)| Edit::ReplaceAll { old, new }));
        Ok(edits)
    }

    fn companions(&self) -> Result<Vec<Placing>, Trouble> {
        let more = &self.more;
        if more.companion.len() != more.to.len() {
            return Err(Trouble::usage("each --companion FILE needs its own --to DESTINATION"));
        }
        // One is for all of them, several are for each.
        let of = |all: &[String], n: usize, what: &str| match all.len() {
            0 => Ok(None),
            1 => Ok(Some(all[0].clone())),
            count if count == more.companion.len() => Ok(Some(all[n].clone())),
            _ => Err(Trouble::usage(format!("{what} is given once for all companions, or once for each"))),
        };
        let pairs = more.companion.iter().zip(&more.to).enumerate();
        pairs
            .map(|(n, (file, to))| {
                Ok(Placing {
                    file: utf8(file)?,
                    to: utf8(to)?,
                    mode: of(&more.mode, n, "--mode")?,
                    owner: of(&more.owner, n, "--owner")?,
                })
            })
            .collect()
    }

    /// Values that are never on the command line.
    pub fn secrets(&self) -> Result<Vec<Edit>, Trouble> {
        let set = |text: &String| {
            let address = address(text)?;
            let value = crate::ask::secret(&format!("value of {address}: "))
                .map_err(|error| Trouble::cannot(format!("no value for {address} could be read: {error}")))?;
            Ok(Edit::Set { address, value })
        };
        self.more.secret.iter().map(set).collect()
    }
}

/// What a prepared change does beside its edits.
pub fn beside_of(prepared: &Prepared) -> Result<Beside, Trouble> {
    let companion = |one: &Placing| {
        let absolute = |path: &str| {
            std::path::absolute(path).map_err(|error| Trouble::file("use", Path::new(path), &error))
        };
        let (owner, group) = one.owner.as_deref().map_or(Ok((None, None)), owner_of)?;
        let mode = one.mode.as_deref().map(mode_of).transpose()?;
        let bytes = content(Path::new(&one.file))?;
        Ok(Companion { bytes, to: absolute(&one.to)?, dress: Dress { mode, owner, group } })
    };
    let on = prepared.switch_on.iter().map(|name| (name.clone(), true));
    let off = prepared.switch_off.iter().map(|name| (name.clone(), false));
    Ok(Beside {
        companions: prepared.companion.iter().map(companion).collect::<Result<_, Trouble>>()?,
        switches: on.chain(off).collect(),
        gone: prepared.delete_file.iter().map(PathBuf::from).collect(),
        new: prepared.new,
    })
}

fn owner_of(text: &str) -> Result<(Option<u32>, Option<u32>), Trouble> {
    let (user, group) = text.split_once(':').map_or((text, None), |(user, group)| (user, Some(group)));
    let unknown = |what: &str, name: &str| Trouble::usage(format!("this host has no {what} called {name}"));
    let owner = match user {
        "" => None,
        name => Some(accounts::user(name).ok_or_else(|| unknown("user", name))?),
    };
    let group = match group {
        None | Some("") => None,
        Some(name) => Some(accounts::group(name).ok_or_else(|| unknown("group", name))?),
    };
    Ok((owner, group))
}

fn mode_of(text: &str) -> Result<u32, Trouble> {
    u32::from_str_radix(text, 8).ok().filter(|mode| *mode <= 0o7777).ok_or_else(|| {
        Trouble::usage(format!("{text:?} is not a mode")).mend("it is written in octal, for example 0640")
    })
}

/// A prepared file, whole; `-` is standard input.
pub fn content(file: &Path) -> Result<Vec<u8>, Trouble> {
    let mut bytes = Vec::new();
    let read = if file == Path::new("-") {
        std::io::stdin().read_to_end(&mut bytes).map(|_| ())
    } else {
        std::fs::read(file).map(|read| bytes = read)
    };
    read.map_err(|error| Trouble::file("read", file, &error))?;
    Ok(bytes)
}

/// An address as it is typed.
pub fn address(text: &str) -> Result<Address, Trouble> {
    Address::parse(text).map_err(|why| {
        Trouble::usage(format!("{text:?} is not an address: {why}")).mend("`gypsum show` lists addresses")
    })
}

fn spot_of(more: &MoreEdits) -> Result<Where, Trouble> {
    Ok(match (&more.above, &more.below) {
        (Some(above), _) => Where::Above(address(above)?),
        (None, Some(below)) => Where::Below(address(below)?),
        _ if more.first => Where::First,
        _ if more.last => Where::Last,
        _ => Where::Kin,
    })
}

fn utf8(path: &Path) -> Result<String, Trouble> {
    let text = path.to_str().map(str::to_owned);
    text.ok_or_else(|| Trouble::usage(format!("the name {} is not UTF-8", path.display())))
}
