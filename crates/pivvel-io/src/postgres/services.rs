//! What an address of a PostgreSQL server does not give: from the service that it names, from the environment, or
//! the default, as that server's own programs find it
//! (<https://www.postgresql.org/docs/current/libpq-pgservice.html>).

use std::path::PathBuf;

use pivvel_core::{Error, Result};

/// The variables of the environment that are read, by key.
const ENVIRONMENT: [(&str, &str); 6] = [
    ("host", "PGHOST"),
    ("port", "PGPORT"),
    ("user", "PGUSER"),
    ("dbname", "PGDATABASE"),
    ("options", "PGOPTIONS"),
    ("application_name", "PGAPPNAME"),
];

/// The settings of a service, in the order of its file.
///
/// # Errors
/// There is no such service.
pub(super) fn service(name: &str) -> Result<Vec<(String, String)>> {
    let mut known = Vec::new();
    for file in files() {
        let Ok(text) = std::fs::read_to_string(&file) else { continue };
        let sections = sections(&text);
        if let Some((_, settings)) = sections.iter().find(|(known, _)| known == name) {
            return Ok(settings.clone());
        }
        known.extend(sections.into_iter().map(|(name, _)| name));
    }
    match known.is_empty() {
        false => Err(Error::unknown("postgresql://…", "service", name, known.iter().map(String::as_str))),
        true => {
            let message =
                format!("there is no service {name:?}: no service file was found, or it names none");
            Err(Error::request("postgresql://…", message))
        }
    }
}

/// The settings of the environment.
pub(super) fn environment() -> Vec<(String, String)> {
    let settings = |(key, variable): (&str, &str)| {
        let value = std::env::var(variable).ok().filter(|value| !value.is_empty())?;
        Some((key.to_string(), value))
    };
    ENVIRONMENT.into_iter().filter_map(settings).collect()
}

/// The host by default: this machine.
pub(super) fn default_host() -> String {
    let folder = "/var/run/postgresql";
    if cfg!(unix) && std::path::Path::new(folder).is_dir() { folder.into() } else { "localhost".into() }
}

/// The user's service file, and that of all users.
fn files() -> Vec<PathBuf> {
    let named = std::env::var_os("PGSERVICEFILE").map(PathBuf::from);
    let own = named.or_else(|| Some(PathBuf::from(std::env::var_os("HOME")?).join(".pg_service.conf")));
    let shared = std::env::var_os("PGSYSCONFDIR").map(|folder| PathBuf::from(folder).join("pg_service.conf"));
    own.into_iter().chain(shared).collect()
}

/// The sections of a service file: a name in brackets, then `key=value` in lines of their own.
fn sections(text: &str) -> Vec<(String, Vec<(String, String)>)> {
    let mut sections: Vec<(String, Vec<(String, String)>)> = Vec::new();
    for line in text.lines().map(str::trim).filter(|line| !line.starts_with('#')) {
        if let Some(name) = line.strip_prefix('[').and_then(|line| line.strip_suffix(']')) {
            sections.push((name.to_string(), Vec::new()));
        } else if let (Some((key, value)), Some((_, settings))) = (line.split_once('='), sections.last_mut())
        {
            settings.push((key.trim().to_string(), value.trim().to_string()));
        }
    }
    sections
}
