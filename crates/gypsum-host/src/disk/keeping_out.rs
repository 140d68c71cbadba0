//! Why root does not go on, and what to do about it.

use std::io;
use std::path::PathBuf;
use thiserror::Error as ErrorEnum;

/// Why root does not go on.
#[derive(Clone, Debug, PartialEq, Eq, ErrorEnum)]
pub enum Unsafe {
    /// A link that another account could have put there.
    #[error("{} is a symbolic link, and {who} can change where it leads", link.display())]
    Link {
        /// The link.
        link: PathBuf,
        /// Who can change it, in words.
        who: String,
    },
    /// A folder in which several accounts may write.
    #[error("{who} can change what is in {}", folder.display())]
    Shared {
        /// The folder.
        folder: PathBuf,
        /// Who may write in it, in words.
        who: String,
    },
    /// A file that does not belong to the account whose folder it is in.
    #[error("{} belongs to {owner}, and its folder to {account}", file.display())]
    Owner {
        /// The file.
        file: PathBuf,
        /// Who owns it.
        owner: String,
        /// Whose folder it is in.
        account: String,
    },
    /// A folder that a program of an account serves.
    #[error("{} is served by a program of an account", folder.display())]
    Served {
        /// The folder.
        folder: PathBuf,
    },
}

impl Unsafe {
    /// The reason in an I/O error, if it is one.
    pub fn of(error: &io::Error) -> Option<&Self> {
        error.get_ref()?.downcast_ref()
    }

    /// What to do about it.
    pub fn help(&self) -> String {
        match self {
            Self::Link { .. } => {
                "root follows a link only where root alone can change it: name the file itself".to_owned()
            }
            Self::Shared { folder, .. } => format!(
                "let root or one account alone write there: see ls -ld {0} and getfacl {0}",
                folder.display()
            ),
            Self::Owner { file, account, .. } => format!(
                "what is in that folder is changed as {account}, which cannot give a file away: chown {account} {}",
                file.display()
            ),
            Self::Served { .. } => "run the command as that account".to_owned(),
        }
    }
}

impl From<Unsafe> for io::Error {
    fn from(why: Unsafe) -> Self {
        Self::new(io::ErrorKind::PermissionDenied, why)
    }
}
