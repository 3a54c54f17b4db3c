//! The way to a server, encrypted.

use std::sync::Arc;

use granum_core::port::SourceErrorKind;
use rustls::client::danger::{HandshakeSignatureValid, ServerCertVerified, ServerCertVerifier};
use rustls::crypto::{CryptoProvider, ring, verify_tls12_signature, verify_tls13_signature};
use rustls::pki_types::pem::PemObject;
use rustls::pki_types::{CertificateDer, ServerName, UnixTime};
use rustls::{ClientConfig, DigitallySignedStruct, RootCertStore, SignatureScheme};
use tokio_postgres_rustls::MakeRustlsConnect;

use crate::served::Wrong;

/// Whether a server has to show who it is.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Checked {
    /// It is encrypted, if the server can, and nobody asks whose it is.
    No,
    /// By those whom the system trusts, or whose certificates stand in a file.
    By(Option<String>),
}

/// What encrypts the way to a server.
///
/// # Errors
/// Certificates that cannot be read.
pub(super) fn connector(checked: &Checked) -> Result<MakeRustlsConnect, Wrong> {
    let provider = Arc::new(ring::default_provider());
    let wrong = |message: String| {
        let help = "sslrootcert (or PGSSLROOTCERT) names a file of certificates, in PEM";
        Wrong::new(SourceErrorKind::Server, message, help)
    };
    let begun = ClientConfig::builder_with_provider(provider.clone())
        .with_safe_default_protocol_versions()
        .map_err(|failed| wrong(format!("cannot be reached encrypted: {failed}")))?;
    let config = match checked {
        Checked::No => begun
            .dangerous()
            .with_custom_certificate_verifier(Arc::new(Anybody(provider)))
            .with_no_client_auth(),
        Checked::By(file) => {
            let mut roots = RootCertStore::empty();
            match file.as_deref().filter(|file| *file != "system") {
                Some(file) => {
                    let unread = |failed| wrong(format!("{file} cannot be read: {failed:?}"));
                    for certificate in CertificateDer::pem_file_iter(file).map_err(unread)? {
                        let added = roots.add(certificate.map_err(unread)?);
                        added
                            .map_err(|failed| wrong(format!("{file} cannot be used: {failed}")))?;
                    }
                }
                None => {
                    roots.add_parsable_certificates(rustls_native_certs::load_native_certs().certs);
                }
            }
            if roots.is_empty() {
                return Err(wrong("cannot be checked: no certificate is trusted here".into()));
            }
            begun.with_root_certificates(roots).with_no_client_auth()
        }
    };
    Ok(MakeRustlsConnect::new(config))
}

/// Takes every certificate: the way is secret, and nobody says who is at its end.
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
        certificate: &CertificateDer<'_>,
        signed: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, rustls::Error> {
        verify_tls12_signature(
            message,
            certificate,
            signed,
            &self.0.signature_verification_algorithms,
        )
    }

    fn verify_tls13_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signed: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, rustls::Error> {
        verify_tls13_signature(
            message,
            certificate,
            signed,
            &self.0.signature_verification_algorithms,
        )
    }

    fn supported_verify_schemes(&self) -> Vec<SignatureScheme> {
        self.0.signature_verification_algorithms.supported_schemes()
    }
}
