//! Passwords of PostgreSQL servers that an address does not hold: from the environment, or from the user's
//! password file, as that server's own programs find them
//! (<https://www.postgresql.org/docs/current/libpq-pgpass.html>).

use std::path::PathBuf;

use postgres::Config;
use postgres::config::Host;

/// The password for a server, if there is one.
pub(crate) fn password(config: &Config) -> Option<String> {
    let of_environment = std::env::var("PGPASSWORD").ok().filter(|password| !password.is_empty());
    of_environment.or_else(|| {
        let text = std::fs::read_to_string(file()?).ok()?;
        let host = config.get_hosts().first().map_or("localhost".into(), |host| match host {
            Host::Tcp(host) => host.clone(),
            #[cfg(unix)]
            Host::Unix(_) => "localhost".into(),
        });
        let port = config.get_ports().first().copied().unwrap_or(5432).to_string();
        let user = config.get_user().unwrap_or_default();
        let base = config.get_dbname().unwrap_or(user);
        of_file(&text, [&host, &port, base, user])
    })
}

/// The password file; none that others can read.
fn file() -> Option<PathBuf> {
    let named = std::env::var_os("PGPASSFILE").map(PathBuf::from);
    let path = named.or_else(|| Some(PathBuf::from(std::env::var_os("HOME")?).join(".pgpass")))?;
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        let open_to_others = std::fs::metadata(&path).ok()?.permissions().mode() & 0o077 != 0;
        if open_to_others {
            return None;
        }
    }
    Some(path)
}

/// The password of the first line that fits: host, port, database, user and password between colons, with `*`
/// for anything and a backslash before a colon that is part of a name.
fn of_file(text: &str, wanted: [&str; 4]) -> Option<String> {
    let lines = text.lines().filter(|line| !line.starts_with('#'));
    lines.map(fields).find_map(|fields| {
        let (password, known) = (fields.get(4)?, &fields[..4]);
        let fits = |(known, wanted): (&String, &&str)| known == "*" || known == wanted;
        known.iter().zip(&wanted).all(fits).then(|| password.clone())
    })
}

fn fields(line: &str) -> Vec<String> {
    let mut fields = vec![String::new()];
    let mut chars = line.chars();
    while let Some(c) = chars.next() {
        let last = fields.len() - 1;
        match c {
            ':' if last < 4 => fields.push(String::new()),
            '\\' => fields[last].extend(chars.next()),
            c => fields[last].push(c),
        }
    }
    fields
}

#[cfg(test)]
mod tests {
    use super::of_file;

    #[test]
    fn the_first_line_that_fits_has_the_password() {
        let text =
            "# host:port:database:user:password\ndb:5432:sales:ann:a:b\nd\\:b:*:*:ann:c\\\\d\n*:*:*:bo:x\n";
        let cases = [
            (["db", "5432", "sales", "ann"], Some("a:b")),
            (["db", "5433", "sales", "ann"], None),
            (["d:b", "1", "any", "ann"], Some("c\\d")),
            (["db", "5432", "sales", "bo"], Some("x")),
            (["db", "5432", "sales", "cy"], None),
        ];
        for (wanted, password) in cases {
            assert_eq!(of_file(text, wanted).as_deref(), password, "{wanted:?}");
        }
    }
}
