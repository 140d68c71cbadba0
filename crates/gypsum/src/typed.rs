//! From the edits as they were typed, or prepared in a file, to what a change is to do.

use crate::args::EditArgs;
use crate::order::TypedOrder;
use gypsum_core::address::Address;
use gypsum_core::change::Ownership;
use gypsum_core::doc::MOST_BYTES;
use gypsum_core::edit::{Companion as Placing, Edit, Prepared, RawEdit, Request, Where};
use gypsum_host::accounts;
use gypsum_host::error::Error;
use gypsum_host::run::{Companion, ExtraFiles};
use std::io::Read;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};

/// The edits as they were typed.
pub struct Typed {
    pub edits: Vec<String>,
    pub more: EditArgs,
    pub order: TypedOrder,
}

impl Typed {
    /// Everything that was asked for, but for secrets, as a prepared change.
    pub fn prepared(&self, why: Option<&String>) -> Result<Prepared, Error> {
        let more = &self.more;
        let mut prepared = match &more.prepared {
            None => Prepared::default(),
            Some(file) => {
                let text = String::from_utf8(content_of(file)?)
                    .map_err(|_| Error::usage(format!("{} is not UTF-8", file.display())))?;
                Prepared::read(&text).map_err(|why| Error::usage(format!("{}: {}", file.display(), why.0)))?
            }
        };
        prepared.why = why.cloned().or(prepared.why);
        prepared.remark = more.remark.clone().or(prepared.remark);
        prepared.new |= more.new;
        match more.within.as_slice() {
            [] => {}
            [within] => prepared.within = Some(utf8(within)?),
            _ if more.new => {
                return Err(Error::usage("--new goes with one --in alone")
                    .help("make the new file with a change of its own first"));
            }
            _ => {}
        }
        prepared.switch_on.extend(more.switch_on.iter().cloned());
        prepared.switch_off.extend(more.switch_off.iter().cloned());
        for file in &more.delete_file {
            prepared.delete_file.push(utf8(file)?);
        }
        prepared.edit.extend(self.requests()?.iter().map(RawEdit::from));
        prepared.companion.extend(self.companions()?);
        Ok(prepared)
    }

    /// The edits, each with the file that it is for where several were named.
    fn requests(&self) -> Result<Vec<Request>, Error> {
        let more = &self.more;
        let mut spots = self.spots()?.into_iter();
        // Added first, so that the settings of a new block find it.
        let mut requests = Vec::new();
        for (n, text) in more.add.iter().enumerate() {
            let why = |why| Error::usage(format!("{text:?} cannot be added: {why}"));
            let edit = Edit::parse_add(text, spots.next().unwrap_or_default()).map_err(why)?;
            requests.push(self.request(edit, "add", n)?);
        }
        for (n, file) in more.piece.iter().enumerate() {
            let text = String::from_utf8(content_of(file)?)
                .map_err(|_| Error::usage(format!("{} is not UTF-8", file.display())))?;
            let under = match (more.under.len(), more.piece.len()) {
                (0, _) => None,
                (a, b) if a == b => Some(address(&more.under[n])?),
                _ => {
                    return Err(Error::usage(
                        "each --piece FILE needs its own --under ADDRESS, or none has one",
                    ));
                }
            };
            let edit = Edit::Piece { text, under, spot: spots.next().unwrap_or_default() };
            requests.push(self.request(edit, "piece", n)?);
        }
        for (n, text) in self.edits.iter().enumerate() {
            let edit = Edit::parse_set(text).map_err(|why| {
                Error::usage(format!("{text:?} is not an edit: {why}"))
                    .help("for example MaxAuthTries=4; to uncomment, comment out or remove: --enable, --disable, --delete ADDRESS")
            })?;
            requests.push(self.request(edit, "edits", n)?);
        }
        type Make = fn(Address) -> Edit;
        let others: [(&str, &[String], Make); 3] = [
            ("enable", &more.enable, Edit::Enable),
            ("disable", &more.disable, Edit::Disable),
            ("delete", &more.delete, Edit::Delete),
        ];
        for (word, texts, make) in others {
            for (n, text) in texts.iter().enumerate() {
                requests.push(self.request(make(address(text)?), word, n)?);
            }
        }
        if more.replace_all.len() != more.by.len() {
            return Err(Error::usage("each --replace-all OLD needs its own --by NEW"));
        }
        for (n, (old, new)) in more.replace_all.iter().zip(&more.by).enumerate() {
            let edit = Edit::ReplaceAll { old: old.clone(), new: new.clone() };
            requests.push(self.request(edit, "replace_all", n)?);
        }
        Ok(requests)
    }

    /// An edit that was typed as value number `n` of `word`, with the last of several files that were named before it.
    fn request(&self, edit: Edit, word: &str, n: usize) -> Result<Request, Error> {
        if self.more.within.len() < 2 {
            return Ok(edit.into());
        }
        let typed_at = self.order.at(word, n);
        let before = self.order.all("within").iter().take_while(|at| **at < typed_at).count();
        match before.checked_sub(1).and_then(|last| self.more.within.get(last)) {
            Some(file) => Ok(Request { edit, within: Some(utf8(file)?) }),
            None => Err(Error::usage(format!("no --in FILE is in front of {}", edit.address()))
                .help("each of several --in holds for the edits behind it: --in FILE EDIT --in OTHER EDIT")),
        }
    }

    /// The places of what is added and of the pieces, in that order. One place may be typed anywhere; each of
    /// several is typed behind what it is for.
    fn spots(&self) -> Result<Vec<Where>, Error> {
        let more = &self.more;
        let mut places: Vec<(usize, Where)> = Vec::new();
        for (word, count, spot) in
            [("first", more.first.len(), Where::First), ("last", more.last.len(), Where::Last)]
        {
            places.extend((0..count).map(|n| (self.order.at(word, n), spot.clone())));
        }
        type Make = fn(Address) -> Where;
        let beside: [(&str, &[String], Make); 2] =
            [("above", &more.above, Where::Above), ("below", &more.below, Where::Below)];
        for (word, texts, make) in beside {
            for (n, text) in texts.iter().enumerate() {
                places.push((self.order.at(word, n), make(address(text)?)));
            }
        }
        let born: Vec<usize> = self.order.all("add").iter().chain(self.order.all("piece")).copied().collect();
        let mut spots = vec![Where::NextToSiblings; born.len()];
        if let ([spot], [(_, place)]) = (spots.as_mut_slice(), places.as_slice()) {
            *spot = place.clone();
            return Ok(spots);
        }
        for (at, place) in places {
            let before = (0..born.len()).filter(|n| born[*n] < at).max_by_key(|n| born[*n]);
            match before.map(|n| &mut spots[n]) {
                Some(spot) if *spot == Where::NextToSiblings => *spot = place,
                Some(_) => return Err(Error::usage("two places were given for one --add or --piece")),
                None => {
                    return Err(Error::usage("a place is given, and no --add or --piece is in front of it")
                        .help("for example --add NAME=VALUE --above OTHER"));
                }
            }
        }
        Ok(spots)
    }

    fn companions(&self) -> Result<Vec<Placing>, Error> {
        let more = &self.more;
        if more.companion.len() != more.to.len() {
            return Err(Error::usage("each --companion FILE needs its own --to DESTINATION"));
        }
        // One is for all of them, several are for each.
        let of = |all: &[String], n: usize, what: &str| match all.len() {
            0 => Ok(None),
            1 => Ok(Some(all[0].clone())),
            count if count == more.companion.len() => Ok(Some(all[n].clone())),
            _ => Err(Error::usage(format!("{what} is given once for all companions, or once for each"))),
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
    pub fn secrets(&self) -> Result<Vec<Request>, Error> {
        let set = |(n, text): (usize, &String)| {
            let address = address(text)?;
            let value = crate::ask::secret(&format!("value of {address}: "))
                .map_err(|error| Error::cannot(format!("no value for {address} could be read: {error}")))?;
            self.request(Edit::Set { address, value }, "secret", n)
        };
        self.more.secret.iter().enumerate().map(set).collect()
    }
}

/// What a prepared change does beside its edits.
pub fn extra_files_of(prepared: &Prepared) -> Result<ExtraFiles, Error> {
    let companion = |one: &Placing| {
        let absolute = |path: &str| {
            std::path::absolute(path).map_err(|error| Error::file("use", Path::new(path), error))
        };
        let (owner, group) = one.owner.as_deref().map_or(Ok((None, None)), owner_of)?;
        let mode = one.mode.as_deref().map(mode_of).transpose()?;
        let (bytes, source_mode) = read_argument(Path::new(&one.file))?;
        let ownership = Ownership { mode, owner, group };
        Ok(Companion { bytes, to: absolute(&one.to)?, ownership, source_mode })
    };
    let on = prepared.switch_on.iter().map(|name| (name.clone(), true));
    let off = prepared.switch_off.iter().map(|name| (name.clone(), false));
    Ok(ExtraFiles {
        companions: prepared.companion.iter().map(companion).collect::<Result<_, Error>>()?,
        switches: on.chain(off).collect(),
        gone: prepared.delete_file.iter().map(PathBuf::from).collect(),
        new: prepared.new,
    })
}

fn owner_of(text: &str) -> Result<(Option<u32>, Option<u32>), Error> {
    let (user, group) = text.split_once(':').map_or((text, None), |(user, group)| (user, Some(group)));
    let unknown = |what: &str, name: &str| Error::usage(format!("this host has no {what} called {name}"));
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

fn mode_of(text: &str) -> Result<u32, Error> {
    u32::from_str_radix(text, 8).ok().filter(|mode| *mode <= 0o7777).ok_or_else(|| {
        Error::usage(format!("{text:?} is not a mode")).help("it is written in octal, for example 0640")
    })
}

/// A prepared file, whole; `-` is standard input.
pub fn content_of(file: &Path) -> Result<Vec<u8>, Error> {
    Ok(read_argument(file)?.0)
}

/// The same with the mode of the file, where it is one.
fn read_argument(file: &Path) -> Result<(Vec<u8>, Option<u32>), Error> {
    let failed = |error| Error::file("read", file, error);
    let mut bytes = Vec::new();
    let most = MOST_BYTES as u64 + 1;
    let mode = if file == Path::new("-") {
        std::io::stdin().take(most).read_to_end(&mut bytes).map_err(failed)?;
        None
    } else {
        let source = std::fs::File::open(file).map_err(failed)?;
        let meta = source.metadata().map_err(failed)?;
        if meta.len() >= most {
            return Err(too_large(file));
        }
        source.take(most).read_to_end(&mut bytes).map_err(failed)?;
        meta.is_file().then(|| meta.mode() & 0o777)
    };
    if bytes.len() as u64 >= most { Err(too_large(file)) } else { Ok((bytes, mode)) }
}

fn too_large(file: &Path) -> Error {
    Error::usage(format!("{} has more than {MOST_BYTES} bytes", file.display()))
        .help("a configuration of this size is data: see what wrote it")
}

/// An address as it is typed.
pub fn address(text: &str) -> Result<Address, Error> {
    Address::parse(text).map_err(|why| {
        Error::usage(format!("{text:?} is not an address: {why}")).help("`gypsum show` lists addresses")
    })
}

fn utf8(path: &Path) -> Result<String, Error> {
    let text = path.to_str().map(str::to_owned);
    text.ok_or_else(|| Error::usage(format!("the name {} is not UTF-8", path.display())))
}
