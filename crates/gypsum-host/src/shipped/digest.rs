//! The digest that package managers keep of the files that they ship.

use md5::{Digest, Md5};
use std::fmt::Write;

/// The MD5 digest (RFC 1321) in hexadecimal. It tells what was edited, and protects nothing.
pub(super) fn md5(bytes: &[u8]) -> String {
    Md5::digest(bytes).iter().fold(String::new(), |mut text, byte| {
        let _ = write!(text, "{byte:02x}");
        text
    })
}

#[cfg(test)]
mod tests {
    #[test]
    fn the_digest_is_that_of_the_standard() {
        // RFC 1321, A.5.
        assert_eq!(super::md5(b"message digest"), "f96b697d7cb7938d525a2f31aaf161d0");
    }
}
