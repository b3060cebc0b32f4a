//! Addresses of PostgreSQL servers: their settings, and what of them may be shown.

use std::str::FromStr;
use std::time::Duration;

use percent_encoding::{NON_ALPHANUMERIC, percent_decode_str, utf8_percent_encode};
use pivvel_core::{Error, Result};
use postgres::Config;
use postgres::config::Host;

use super::{passwords, services};

/// What stands for an address in messages: an address may hold secrets.
const ADDRESS: &str = "postgresql://…";

/// The configuration of an address, with what it does not give from its service and the environment.
pub(super) fn config(address: &str) -> Result<Config> {
    // Schemes are the same in letters of any size.
    let (_, rest) = address.split_once("://").unwrap_or(("", address));
    let authority = rest.split(['/', '?']).next().unwrap_or(rest);
    if authority.matches('@').count() > 1 {
        let message = "an @ in a password is written %40, and there is more than one here";
        return Err(Error::request(ADDRESS, message));
    }
    let (mut address, service) = without_service(rest);
    let mut config = parsed(&address)?;
    let service = service.or_else(|| std::env::var("PGSERVICE").ok()).filter(|name| !name.is_empty());
    let of_service = service.as_deref().map(services::service).transpose()?.unwrap_or_default();
    for (key, value) in of_service.into_iter().chain(services::environment()) {
        if !is_given(&config, &address, &key) {
            add(&mut address, &key, &value);
            config = parsed(&address).map_err(|_| {
                let message = format!("the service or the environment sets {key} to a value that cannot be used, or {key} is no setting");
                Error::request(ADDRESS, message)
            })?;
        }
    }
    if !is_given(&config, &address, "host") {
        add(&mut address, "host", &services::default_host());
        config = parsed(&address)?;
    }
    if config.get_password().is_none()
        && let Some(password) = passwords::password(&config)
    {
        config.password(password);
    }
    if config.get_connect_timeout().is_none() {
        config.connect_timeout(Duration::from_secs(10));
    }
    Ok(config)
}

/// The address without its secrets.
pub(super) fn shown(config: &Config) -> String {
    let host = config.get_hosts().first().map_or(String::new(), |host| match host {
        Host::Tcp(host) => host.clone(),
        #[cfg(unix)]
        Host::Unix(path) => path.display().to_string(),
    });
    let user = config.get_user().map(|user| format!("{user}@")).unwrap_or_default();
    let base = config.get_dbname().map(|base| format!("/{base}")).unwrap_or_default();
    format!("postgresql://{user}{host}{base}")
}

fn parsed(address: &str) -> Result<Config> {
    Config::from_str(&format!("postgresql://{address}")).map_err(|e| {
        // The message says what is wrong, not what the address holds.
        Error::request(ADDRESS, format!("the address of the database cannot be read: {e}"))
    })
}

/// An address without the service that it names, and the service.
fn without_service(address: &str) -> (String, Option<String>) {
    let Some((base, parameters)) = address.split_once('?') else { return (address.to_string(), None) };
    let (named, others): (Vec<&str>, Vec<&str>) =
        parameters.split('&').partition(|parameter| parameter.starts_with("service="));
    let decoded =
        |text: &&str| percent_decode_str(&text["service=".len()..]).decode_utf8_lossy().into_owned();
    let mark = if others.is_empty() { "" } else { "?" };
    (format!("{base}{mark}{}", others.join("&")), named.last().map(decoded))
}

/// Whether an address gives a setting itself.
fn is_given(config: &Config, address: &str, key: &str) -> bool {
    match key {
        "host" | "hostaddr" => !config.get_hosts().is_empty() || !config.get_hostaddrs().is_empty(),
        "port" => !config.get_ports().is_empty(),
        "user" => config.get_user().is_some(),
        "password" => config.get_password().is_some(),
        "dbname" => config.get_dbname().is_some(),
        _ => {
            let parameters = address.split_once('?').map_or("", |(_, parameters)| parameters);
            parameters.split('&').any(|parameter| parameter.split('=').next() == Some(key))
        }
    }
}

fn add(address: &mut String, key: &str, value: &str) {
    let encoded = |text: &str| utf8_percent_encode(text, NON_ALPHANUMERIC).to_string();
    let mark = if address.contains('?') { '&' } else { '?' };
    *address += &format!("{mark}{key}={}", encoded(value));
}
