//! Who may use a broker, and whom it is trusted by: from a file of the person's or from the environment, and from nowhere
//! else.
//!
//! `amber-tap/brokers.toml` in the folder for settings (the XDG Base Directory Specification), or the file that
//! `AMBER_TAP_BROKERS` names:
//!
//! ```toml
//! format = 1
//!
//! [[broker]]
//! host = "lab.local:8883"
//! user = "flume"
//! password = "..."
//! ca = "/etc/ssl/lab.pem"            # whom to trust, instead of those that the system trusts
//! certificate = "/home/me/me.pem"    # who this is, where the broker asks for a certificate
//! key = "/home/me/me.key"
//! ```
//!
//! `AMBER_TAP_BROKER`, `AMBER_TAP_BROKER_USER` and `AMBER_TAP_BROKER_PASSWORD` do the same for one broker. Both say for which
//! broker they are, so that an address of somebody else's never gets a password that is meant for another.

use crate::disk;
use amber_core::keep::BrokerAddress;
use rustls::pki_types::pem::PemObject;
use rustls::pki_types::{CertificateDer, PrivateKeyDer};
use rustls::{ClientConfig, RootCertStore};
use serde::Deserialize;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// The format of the file.
const FORMAT: u32 = 1;

/// The longest certificate or key that is read.
const LONGEST: u64 = 1_000_000;

/// What a broker is told, and what it has to show.
#[derive(Clone, Default)]
pub(super) struct Access {
    pub(super) user: Option<String>,
    pub(super) password: String,
    /// The set-up of an encrypted connection.
    pub(super) tls: Option<Arc<ClientConfig>>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    format: u32,
    #[serde(default)]
    broker: Vec<Entry>,
}

#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
struct Entry {
    host: String,
    user: Option<String>,
    password: Option<String>,
    ca: Option<PathBuf>,
    certificate: Option<PathBuf>,
    key: Option<PathBuf>,
}

/// What there is for the broker of an address; nothing is not a mistake.
///
/// # Errors
/// What is wrong with the file or with what it names, and what to do about it.
pub(super) fn access(address: &BrokerAddress) -> Result<Access, String> {
    access_from(address, |name| std::env::var_os(name).filter(|value| !value.is_empty()))
}

fn access_from(
    address: &BrokerAddress,
    variable: impl Fn(&str) -> Option<std::ffi::OsString>,
) -> Result<Access, String> {
    let file = variable("AMBER_TAP_BROKERS").map(PathBuf::from).or_else(|| {
        let folder = variable("XDG_CONFIG_HOME").map(PathBuf::from);
        let folder = folder.or_else(|| variable("HOME").map(|home| PathBuf::from(home).join(".config")));
        folder.map(|folder| folder.join("amber-tap/brokers.toml")).filter(|file| file.exists())
    });
    let mut entry = match file {
        Some(file) => read(&file, address)?,
        None => Entry::default(),
    };
    let text = |name: &str| variable(name).map(|value| value.to_string_lossy().into_owned());
    if text("AMBER_TAP_BROKER").is_some_and(|broker| is_for(&broker, address)) {
        entry.user = text("AMBER_TAP_BROKER_USER").or(entry.user);
        entry.password = text("AMBER_TAP_BROKER_PASSWORD").or(entry.password);
    }
    let tls = if address.tls { Some(Arc::new(tls(&entry)?)) } else { None };
    Ok(Access { user: entry.user, password: entry.password.unwrap_or_default(), tls })
}

/// Whether an entry for `host`, which may have no port, is for this broker.
fn is_for(host: &str, address: &BrokerAddress) -> bool {
    host == address.broker() || host == address.host
}

fn read(path: &Path, address: &BrokerAddress) -> Result<Entry, String> {
    let shown = path.display();
    let text = disk::read(path, disk::BENCH).map_err(|error| format!("{shown}: {}", disk::unread(&error)))?;
    // The parser quotes the line, which may hold a password.
    let wrong = |error: toml_edit::de::Error| {
        let line = error.span().map_or(1, |span| 1 + text[..span.start].iter().filter(|b| **b == b'\n').count());
        format!("{shown}, line {line}: it does not hold what is expected there")
    };
    let file: File = toml_edit::de::from_slice(&text).map_err(wrong)?;
    if file.format != FORMAT {
        return Err(format!("{shown}: format {} is not known to this version, which knows {FORMAT}", file.format));
    }
    let entry = file.broker.into_iter().find(|entry| is_for(&entry.host, address)).unwrap_or_default();
    if entry.password.is_some() {
        let mode = std::fs::metadata(path).map_or(0, |meta| meta.permissions().mode());
        if mode & 0o077 != 0 {
            return Err(format!("{shown} has a password and others may read it: chmod 600 {shown}"));
        }
    }
    Ok(entry)
}

fn tls(entry: &Entry) -> Result<ClientConfig, String> {
    let read = |path: &Path| {
        disk::read(path, LONGEST).map_err(|error| format!("{}: {}", path.display(), disk::unread(&error)))
    };
    let certificates = |path: &Path| -> Result<Vec<CertificateDer<'static>>, String> {
        let all: Result<Vec<_>, _> = CertificateDer::pem_slice_iter(&read(path)?).collect();
        all.ok().filter(|all| !all.is_empty()).ok_or_else(|| format!("{}: no certificate in PEM form", path.display()))
    };
    let trusted = match &entry.ca {
        Some(path) => certificates(path)?,
        None => rustls_native_certs::load_native_certs().certs,
    };
    let mut roots = RootCertStore::empty();
    // What cannot be read among those of a system is of no use, and no harm.
    let (good, _) = roots.add_parsable_certificates(trusted);
    if good == 0 {
        return Err("no certificate says whom to trust: install ca-certificates, or name a file as ca".into());
    }
    let config = ClientConfig::builder().with_root_certificates(roots);
    match (&entry.certificate, &entry.key) {
        (Some(certificate), Some(key)) => {
            let own = certificates(certificate)?;
            let key_text = read(key)?;
            let key = PrivateKeyDer::from_pem_slice(&key_text)
                .map_err(|_| format!("{}: no key in PEM form", key.display()))?;
            config.with_client_auth_cert(own, key).map_err(|error| format!("{}: {error}", certificate.display()))
        }
        (None, None) => Ok(config.with_no_client_auth()),
        _ => Err("a certificate and its key are named together".into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fs::{Permissions, set_permissions, write};

    #[test]
    fn credentials_are_for_one_broker_and_for_no_other() {
        let dir = tempfile::tempdir().unwrap();
        let file = dir.path().join("brokers.toml");
        let text = "format = 1\n[[broker]]\nhost = \"lab:1883\"\nuser = \"flume\"\npassword = \"wet\"\n\
                    [[broker]]\nhost = \"pond\"\nuser = \"duck\"\n";
        write(&file, text).unwrap();
        set_permissions(&file, Permissions::from_mode(0o600)).unwrap();
        let of = |address: &str, more: &[(&str, &str)]| {
            let address = BrokerAddress::parse(address).unwrap();
            let variable = |name: &str| match name {
                "AMBER_TAP_BROKERS" => Some(file.clone().into_os_string()),
                name => more.iter().find(|(own, _)| *own == name).map(|(_, value)| value.into()),
            };
            access_from(&address, variable).map(|access| (access.user, access.password))
        };
        let some = |user: &str, password: &str| Ok((Some(user.to_owned()), password.to_owned()));
        assert_eq!(of("mqtt://lab/x", &[]), some("flume", "wet"));
        assert_eq!(of("mqtt://pond:99/x", &[]), some("duck", ""));
        for stranger in ["mqtt://lab:1884/x", "mqtt://lab.evil/x"] {
            assert_eq!(of(stranger, &[]), Ok((None, String::new())));
        }
        let set =
            [("AMBER_TAP_BROKER", "sea:1883"), ("AMBER_TAP_BROKER_USER", "a"), ("AMBER_TAP_BROKER_PASSWORD", "b")];
        assert_eq!(of("mqtt://sea/x", &set), some("a", "b"));
        assert_eq!(of("mqtt://lab/x", &set), some("flume", "wet"));
        // Others may read it; a mistake is told without the line that it stands in.
        set_permissions(&file, Permissions::from_mode(0o644)).unwrap();
        assert!(of("mqtt://lab/x", &[]).unwrap_err().contains("chmod 600"));
        assert_eq!(of("mqtt://pond/x", &[]), some("duck", ""));
        write(&file, "format = 1\n[[broker]]\nhost = \"lab\"\npasword = \"wet\"\n").unwrap();
        let told = of("mqtt://lab/x", &[]).unwrap_err();
        assert!(told.contains("line") && !told.contains("wet"), "{told}");
        write(&file, "format = 2\n").unwrap();
        assert!(of("mqtt://lab/x", &[]).unwrap_err().contains("format 2"));
        write(&file, format!("format = 1\n[[broker]]\nhost = \"lab\"\nca = \"{}\"\n", file.display())).unwrap();
        assert!(of("mqtts://lab/x", &[]).unwrap_err().contains("no certificate"));
    }
}
