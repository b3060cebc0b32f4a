//! Sets of a few things that have names: each is written by its name, and read by it.

use std::fmt;

/// A text that should be one of a few names, and is none of them.
///
/// ```
/// # use pivvel_core as pivvel;
/// use pivvel::Error;
/// use pivvel::result::{DatePart, NoName};
///
/// let wrong: NoName = "quartre".parse::<DatePart>().unwrap_err();
/// assert!(wrong.to_string().starts_with("unknown part of a date \"quartre\"; known: \"year\", \"quarter\""));
/// assert_eq!(Error::from(wrong).to_string(), "unknown part of a date \"quartre\"; did you mean \"quarter\"?");
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NoName {
    what: &'static str,
    text: String,
    known: Vec<&'static str>,
}

impl NoName {
    /// What should have been named, as in "part of a date".
    pub fn what(&self) -> &'static str {
        self.what
    }

    /// The text.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// The names that there are.
    pub fn known(&self) -> &[&'static str] {
        &self.known
    }
}

impl fmt::Display for NoName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "unknown {} {:?}; known: ", self.what, self.text)?;
        for (i, name) in self.known.iter().enumerate() {
            write!(f, "{}{name:?}", if i > 0 { ", " } else { "" })?;
        }
        Ok(())
    }
}

impl std::error::Error for NoName {}

/// The one of this name.
pub fn by_name<T: Copy>(
    what: &'static str,
    text: &str,
    all: impl Iterator<Item = (&'static str, T)> + Clone,
) -> Result<T, NoName> {
    let found = all.clone().find(|(name, _)| *name == text);
    let unknown = || NoName { what, text: text.to_string(), known: all.map(|(name, _)| name).collect() };
    found.map(|(_, thing)| thing).ok_or_else(unknown)
}

/// Gives each variant of an enum its name, by which it is written and read.
#[doc(hidden)]
#[macro_export]
macro_rules! named {
    ($of:ident is $what:literal { $($variant:ident = $name:literal,)+ }) => {
        impl $of {
            /// Its name.
            pub fn name(self) -> &'static str {
                match self {
                    $($of::$variant => $name,)+
                }
            }
        }

        impl std::fmt::Display for $of {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str(self.name())
            }
        }

        impl std::str::FromStr for $of {
            type Err = $crate::named::NoName;

            fn from_str(text: &str) -> std::result::Result<$of, $crate::named::NoName> {
                $crate::named::by_name($what, text, [$(($name, $of::$variant),)+].into_iter())
            }
        }
    };
}
