//! Certificates in files: how long they are valid, and whether a key belongs to them.

use crate::probe::certificate::{belongs, days_left, names};
use gypsum_core::survey::Answer;
use rustls::pki_types::CertificateDer;
use rustls::pki_types::pem::PemObject;
use x509_cert::Certificate;
use x509_cert::der::Decode;

/// The first certificate in a file; of a chain that is the server's own (RFC 8446, 4.4.2).
fn first(path: &str) -> Option<Certificate> {
    let der = CertificateDer::from_pem_file(path)
        .inspect_err(|error| tracing::debug!(%error, path, "no certificate"))
        .ok()?;
    Certificate::from_der(&der).inspect_err(|error| tracing::debug!(%error, path, "no certificate")).ok()
}

pub(super) fn days(path: &str) -> Answer {
    first(path).map_or(Answer::Unknown, |certificate| Answer::Days(days_left(&certificate)))
}

pub(super) fn names_in(path: &str) -> Answer {
    first(path).map_or(Answer::Unknown, |certificate| Answer::Words(names(&certificate)))
}

/// Unknown where either cannot be read, or the key is none.
pub(super) fn key_fits(certificate: &str, key: &str) -> Answer {
    let fits = first(certificate).and_then(|certificate| belongs(&certificate, key).ok());
    fits.map_or(Answer::Unknown, Answer::Is)
}
