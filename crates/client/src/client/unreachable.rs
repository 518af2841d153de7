//! Why a service can't be reached, in words that say what to do.

use std::{error::Error, io};

use rustls::{CertificateError, Error as TlsError};

use crate::ClientError;

pub(super) fn unreachable(error: &reqwest::Error) -> ClientError {
    ClientError::Unreachable(if error.is_timeout() { "it did not answer in time".to_owned() } else { cause(error) })
}

/// The innermost cause is the one that helps; the outer ones repeat the address.
fn cause(error: &reqwest::Error) -> String {
    let mut said = "no connection".to_owned();
    let mut next = error.source();
    while let Some(cause) = next {
        if let Some(tls) = tls_error(cause) {
            return tls_words(tls);
        }
        said = match cause.downcast_ref::<io::Error>().map(io::Error::kind) {
            Some(io::ErrorKind::ConnectionRefused) => "nothing listens there".to_owned(),
            _ => cause.to_string(),
        };
        next = cause.source();
    }
    if said.starts_with("invalid HTTP version") {
        return "what listens there speaks no HTTP; does its address begin with https://?".to_owned();
    }
    said
}

fn tls_error<'e>(cause: &'e (dyn Error + 'static)) -> Option<&'e TlsError> {
    // Each layer that reads and writes wraps it once more.
    let within = || cause.downcast_ref::<io::Error>().and_then(io::Error::get_ref);
    cause.downcast_ref().or_else(|| within().and_then(|within| tls_error(within)))
}

fn tls_words(error: &TlsError) -> String {
    match error {
        TlsError::InvalidCertificate(wrong) => match wrong {
            CertificateError::UnknownIssuer => {
                "its certificate was issued by an authority that this machine doesn't trust; name that authority's certificate with --authority".to_owned()
            }
            CertificateError::NotValidForName | CertificateError::NotValidForNameContext { .. } => {
                "its certificate is for another name than the one in the address".to_owned()
            }
            CertificateError::Expired | CertificateError::ExpiredContext { .. } => {
                "its certificate has expired".to_owned()
            }
            CertificateError::NotValidYet | CertificateError::NotValidYetContext { .. } => {
                "its certificate is not valid yet, by this machine's clock".to_owned()
            }
            other => format!("its certificate can't be trusted: {other}"),
        },
        TlsError::InvalidMessage(_) => {
            "what listens there speaks no TLS; does its address begin with http://?".to_owned()
        }
        other => format!("no TLS connection: {other}"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_fault_of_tls_is_said_in_words_that_tell_what_to_do() {
        let certificate = TlsError::InvalidCertificate;
        for (error, said) in [
            (certificate(CertificateError::UnknownIssuer), "--authority"),
            (certificate(CertificateError::NotValidForName), "another name"),
            (certificate(CertificateError::Expired), "expired"),
            (certificate(CertificateError::NotValidYet), "clock"),
            (certificate(CertificateError::Revoked), "can't be trusted"),
            (TlsError::InvalidMessage(rustls::InvalidMessage::InvalidContentType), "http://"),
            (TlsError::HandshakeNotComplete, "no TLS connection"),
        ] {
            let wrapped = io::Error::other(io::Error::other(error.clone()));
            let found = tls_error(&wrapped).expect("found within");
            assert!(tls_words(found).contains(said), "{error:?}: {}", tls_words(found));
        }
        assert!(tls_error(&io::Error::other("something else")).is_none());
    }
}
