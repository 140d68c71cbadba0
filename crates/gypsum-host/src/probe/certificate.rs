//! The certificate that a server shows: its names, how long it is valid, whether it belongs to the key.

use super::ProbeError;
use super::stream::Stream;
use super::tcp::connect;
use gypsum_core::probe::{ShownCertificate, Tls};
use gypsum_core::value::covers;
use rustls::client::WebPkiServerVerifier;
use rustls::client::danger::{HandshakeSignatureValid, ServerCertVerified, ServerCertVerifier};
use rustls::crypto::{CryptoProvider, ring};
use rustls::pki_types::pem::PemObject;
use rustls::pki_types::{CertificateDer, PrivateKeyDer, ServerName, UnixTime};
use rustls::{
    ClientConfig, ClientConnection, DigitallySignedStruct, RootCertStore, SignatureScheme, StreamOwned,
};
use std::sync::Arc;
use std::time::Duration;
use x509_cert::Certificate;
use x509_cert::der::asn1::{Any, Ia5StringRef, PrintableStringRef, Utf8StringRef};
use x509_cert::der::oid::db::rfc4519::CN;
use x509_cert::der::{Decode, Encode};
use x509_cert::ext::pkix::SubjectAltName;
use x509_cert::ext::pkix::name::GeneralName;
use x509_cert::time::Time;

/// A connection that speaks TLS.
pub(super) type SecureStream = StreamOwned<ClientConnection, Stream>;

pub fn probe(tls: &Tls, limit: Duration) -> Result<String, ProbeError> {
    judge(tls, &shown(tls, limit)?)
}

/// What is expected of the certificates that a server shows.
fn judge(tls: &Tls, shown: &[CertificateDer<'_>]) -> Result<String, ProbeError> {
    let first = shown.first().ok_or("shows no certificate")?;
    let certificate =
        Certificate::from_der(first).map_err(|error| format!("its certificate cannot be read: {error}"))?;
    let names = names(&certificate);
    if let Some(wanted) = tls.name.as_ref().filter(|wanted| !names.iter().any(|name| covers(name, wanted))) {
        return Err(format!("is for {}, expected {wanted}", names.join(", ")).into());
    }
    let validity = certificate.tbs_certificate.validity;
    let now = jiff::Timestamp::now().as_second();
    if seconds(validity.not_before) > now {
        return Err(format!("is not valid before {}", validity.not_before).into());
    }
    let days = days_left(&certificate);
    if days < 0 {
        return Err(format!("ran out {} days ago", -days).into());
    }
    if days < i64::from(tls.days) {
        return Err(format!("is valid for {days} days more, expected at least {}", tls.days).into());
    }
    if let Some(key) = &tls.key
        && !belongs(&certificate, key)?
    {
        return Err(format!("does not belong to the key {key}").into());
    }
    if let Some(ca) = &tls.ca {
        signed(shown, ca, tls.name.as_deref().or_else(|| names.first().map(String::as_str)))?;
    }
    Ok(format!("is for {}, valid for {days} days more", names.join(", ")))
}

/// The certificates that the server shows, whoever signed them.
fn shown(tls: &Tls, limit: Duration) -> Result<Vec<CertificateDer<'static>>, ProbeError> {
    let host = tls.at.rsplit_once(':').map_or(tls.at.as_str(), |(host, _)| host).trim_matches(['[', ']']);
    let (stream, _) = connect(&tls.at, 443, limit)?;
    let stream = handshake(Stream::Net(stream), tls.name.as_deref().unwrap_or(host), limit)?;
    Ok(certificates_of(&stream))
}

fn certificates_of(stream: &SecureStream) -> Vec<CertificateDer<'static>> {
    let shown = stream.conn.peer_certificates().unwrap_or_default();
    shown.iter().map(|one| one.clone().into_owned()).collect()
}

/// Begins TLS on a connection, as a client that asks for `name` and takes any certificate.
fn handshake(mut stream: Stream, name: &str, limit: Duration) -> Result<SecureStream, ProbeError> {
    let name = ServerName::try_from(name.to_owned()).map_err(|error| error.to_string())?;
    let provider = Arc::new(ring::default_provider());
    let anybody = Arc::new(Anybody(Arc::clone(&provider)));
    let config = ClientConfig::builder_with_provider(provider)
        .with_safe_default_protocol_versions()
        .map_err(|error| error.to_string())?
        .dangerous()
        .with_custom_certificate_verifier(anybody)
        .with_no_client_auth();
    let mut client = ClientConnection::new(Arc::new(config), name).map_err(|error| error.to_string())?;
    let failed = |error| ProbeError::tried("does not speak TLS", error);
    stream.wait_at_most(limit).map_err(failed)?;
    while client.is_handshaking() {
        client.complete_io(&mut stream).map_err(failed)?;
    }
    Ok(SecureStream::new(client, stream))
}

/// A connection that speaks TLS from now on, and what the server showed for it.
///
/// # Errors
///
/// If the server does not speak TLS, or shows no certificate.
pub(super) fn secured(
    stream: Stream,
    host: &str,
    limit: Duration,
) -> Result<(SecureStream, ShownCertificate), ProbeError> {
    let stream = handshake(stream, host, limit)?;
    let shown = compared(&certificates_of(&stream), host)?;
    Ok((stream, shown))
}

/// The certificate that the server at `at` shows to whoever asks for `name`, as far as it is compared.
///
/// # Errors
///
/// If it does not speak TLS, or shows none.
pub(super) fn look(at: &str, name: &str, limit: Duration) -> Result<ShownCertificate, ProbeError> {
    let tls = Tls { at: at.to_owned(), name: Some(name.to_owned()), days: 0, key: None, ca: None };
    compared(&shown(&tls, limit)?, name)
}

/// What was shown, as far as it is compared.
fn compared(shown: &[CertificateDer<'_>], name: &str) -> Result<ShownCertificate, ProbeError> {
    let first = shown.first().ok_or("shows no certificate")?;
    let certificate =
        Certificate::from_der(first).map_err(|error| format!("its certificate cannot be read: {error}"))?;
    let validity = certificate.tbs_certificate.validity;
    let now = jiff::Timestamp::now().as_second();
    Ok(ShownCertificate {
        digest: blake3::hash(first).to_hex()[..16].to_owned(),
        is_valid: (seconds(validity.not_before)..=seconds(validity.not_after)).contains(&now),
        is_for_name: names(&certificate).iter().any(|one| covers(one, name)),
    })
}

/// A moment, in seconds since 1970.
fn seconds(time: Time) -> i64 {
    i64::try_from(time.to_unix_duration().as_secs()).unwrap_or(i64::MAX)
}

/// The names that it is for: those of the extension (RFC 5280, 4.2.1.6), else the common name of its subject.
pub(crate) fn names(certificate: &Certificate) -> Vec<String> {
    let certificate = &certificate.tbs_certificate;
    let others = certificate.get::<SubjectAltName>().ok().flatten();
    let mut names: Vec<String> = others
        .iter()
        .flat_map(|(_, others)| &others.0)
        .filter_map(|name| match name {
            GeneralName::DnsName(name) => Some(name.to_string()),
            GeneralName::IpAddress(bytes) => match <[u8; 4]>::try_from(bytes.as_bytes()) {
                Ok(four) => Some(std::net::Ipv4Addr::from(four).to_string()),
                Err(_) => {
                    Some(std::net::Ipv6Addr::from(<[u8; 16]>::try_from(bytes.as_bytes()).ok()?).to_string())
                }
            },
            // The others name no server.
            _ => None,
        })
        .collect();
    if names.is_empty() {
        let parts = certificate.subject.0.iter().flat_map(|part| part.0.iter());
        let common = parts.filter(|part| part.oid == CN).filter_map(|part| text_of(&part.value));
        names.extend(common);
    }
    names
}

/// The text of a name, in the three forms that are in use.
fn text_of(value: &Any) -> Option<String> {
    let text = value.decode_as::<Utf8StringRef<'_>>().map(|text| text.as_str().to_owned());
    let text =
        text.or_else(|_| value.decode_as::<PrintableStringRef<'_>>().map(|text| text.as_str().to_owned()));
    text.or_else(|_| value.decode_as::<Ia5StringRef<'_>>().map(|text| text.as_str().to_owned())).ok()
}

/// How long a certificate is valid, in days from now; negative where it has run out.
pub(crate) fn days_left(certificate: &Certificate) -> i64 {
    let now = jiff::Timestamp::now().as_second();
    (seconds(certificate.tbs_certificate.validity.not_after) - now).div_euclid(86_400)
}

/// Whether the private key in a file belongs to a certificate.
pub(crate) fn belongs(certificate: &Certificate, path: &str) -> Result<bool, ProbeError> {
    let key = PrivateKeyDer::from_pem_file(path)
        .map_err(|error| format!("the key {path} cannot be read: {error}"))?;
    let key = ring::sign::any_supported_type(&key).map_err(|error| format!("the key {path}: {error}"))?;
    let public = key.public_key().ok_or_else(|| format!("the key {path} has no public part"))?;
    let own = certificate.tbs_certificate.subject_public_key_info.to_der();
    Ok(own.is_ok_and(|own| own == public.as_ref()))
}

/// The certificates in a file.
fn trusted(ca: &str) -> Result<Vec<CertificateDer<'static>>, ProbeError> {
    let found = CertificateDer::pem_file_iter(ca).map_err(|error| format!("{ca} cannot be read: {error}"))?;
    Ok(found.flatten().collect())
}

/// Whether the server at `tls.at` shows a certificate that is itself in the file of those that are trusted, for its
/// name and for today. The libraries take one that may sign others for no server's.
pub fn is_trusted_itself(tls: &Tls, limit: Duration) -> bool {
    // What is wrong with it, the check itself says.
    let (Some(ca), Ok(shown)) = (&tls.ca, shown(tls, limit)) else { return false };
    let is_named = shown.first().is_some_and(|first| trusted(ca).is_ok_and(|all| all.contains(first)));
    is_named && judge(tls, &shown).is_ok()
}

/// Whether one of the certificates in the file `ca` signed what was shown.
fn signed(shown: &[CertificateDer<'_>], ca: &str, name: Option<&str>) -> Result<(), ProbeError> {
    let trusted = trusted(ca)?;
    let (first, others) = shown.split_first().ok_or("shows no certificate")?;
    // One that is trusted itself needs no signature: so is one that an authority or the server made for itself.
    if trusted.contains(first) {
        return Ok(());
    }
    let mut roots = RootCertStore::empty();
    for one in trusted {
        roots.add(one).map_err(|error| format!("{ca}: {error}"))?;
    }
    let provider = Arc::new(ring::default_provider());
    let verifier = WebPkiServerVerifier::builder_with_provider(Arc::new(roots), provider)
        .build()
        .map_err(|error| format!("{ca}: {error}"))?;
    let name = ServerName::try_from(name.unwrap_or_default()).map_err(|error| error.to_string())?;
    verifier
        .verify_server_cert(first, others, &name, &[], UnixTime::now())
        .map(|_| ())
        .map_err(|error| format!("is not signed by {ca}: {error}").into())
}

/// Takes any certificate: what is in it is looked at afterwards, not trusted.
#[derive(Debug)]
struct Anybody(Arc<CryptoProvider>);

impl ServerCertVerifier for Anybody {
    fn verify_server_cert(
        &self,
        _: &CertificateDer<'_>,
        _: &[CertificateDer<'_>],
        _: &ServerName<'_>,
        _: &[u8],
        _: UnixTime,
    ) -> Result<ServerCertVerified, rustls::Error> {
        Ok(ServerCertVerified::assertion())
    }

    fn verify_tls12_signature(
        &self,
        message: &[u8],
        cert: &CertificateDer<'_>,
        signed: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, rustls::Error> {
        rustls::crypto::verify_tls12_signature(
            message,
            cert,
            signed,
            &self.0.signature_verification_algorithms,
        )
    }

    fn verify_tls13_signature(
        &self,
        message: &[u8],
        cert: &CertificateDer<'_>,
        signed: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, rustls::Error> {
        rustls::crypto::verify_tls13_signature(
            message,
            cert,
            signed,
            &self.0.signature_verification_algorithms,
        )
    }

    fn supported_verify_schemes(&self) -> Vec<SignatureScheme> {
        self.0.signature_verification_algorithms.supported_schemes()
    }
}
