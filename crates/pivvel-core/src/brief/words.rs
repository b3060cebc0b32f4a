//! Values that are one of a few words, and values that are written as a text: both are read and written alike in
//! TOML, JSON, flags and Rust.

use std::fmt::{self, Display};
use std::marker::PhantomData;
use std::str::FromStr;

use serde::de::{Deserializer, Error, Unexpected, Visitor};

/// Declares values that are one of a few words each.
macro_rules! words {
    ($(#[$meta:meta])* pub enum $name:ident is $what:literal { $($(#[$of:meta])* $variant:ident = $word:literal,)+ }) => {
        $(#[$meta])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum $name {
            $($(#[$of])* $variant,)+
        }

        impl $name {
            /// The words that it may be, each with what it means.
            pub const NAMES: &[(&'static str, $name)] = &[$(($word, $name::$variant),)+];

            /// The word for this one.
            pub fn name(self) -> &'static str {
                match self {
                    $($name::$variant => $word,)+
                }
            }
        }

        impl std::fmt::Display for $name {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str(self.name())
            }
        }

        impl std::str::FromStr for $name {
            type Err = crate::error::Error;

            fn from_str(text: &str) -> crate::error::Result<$name> {
                let found = $name::NAMES.iter().find(|(word, _)| *word == text);
                found.map(|(_, value)| *value).ok_or_else(|| {
                    crate::error::Error::unknown("", $what, text, $name::NAMES.iter().map(|(word, _)| *word))
                })
            }
        }

        crate::brief::words::as_text!($name is $what);

        impl schemars::JsonSchema for $name {
            fn schema_name() -> std::borrow::Cow<'static, str> {
                stringify!($name).into()
            }

            fn inline_schema() -> bool {
                true
            }

            fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
                let words: Vec<&str> = $name::NAMES.iter().map(|(word, _)| *word).collect();
                schemars::json_schema!({ "enum": words })
            }
        }
    };
}

/// Reads and writes a value as the text that `FromStr` and `Display` say.
macro_rules! as_text {
    ($name:ident is $what:literal) => {
        impl serde::Serialize for $name {
            fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
                serializer.collect_str(self)
            }
        }

        impl<'de> serde::Deserialize<'de> for $name {
            fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<$name, D::Error> {
                crate::brief::words::from_text(deserializer, concat!("a text: ", $what))
            }
        }
    };
}

/// The schema of a text, or of a number or a text.
macro_rules! schema {
    ($name:ident is $schema:tt) => {
        impl schemars::JsonSchema for $name {
            fn schema_name() -> std::borrow::Cow<'static, str> {
                stringify!($name).into()
            }

            fn inline_schema() -> bool {
                true
            }

            fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
                schemars::json_schema!($schema)
            }
        }
    };
}

pub(crate) use {as_text, schema, words};

/// A value from its text.
pub(crate) fn from_text<'de, D, T>(deserializer: D, wanted: &'static str) -> Result<T, D::Error>
where
    D: Deserializer<'de>,
    T: FromStr<Err: Display>,
{
    deserializer.deserialize_str(Text { wanted, numbers: false, value: PhantomData })
}

/// A value from its text, or from a number, which is taken as it would be written.
pub(crate) fn from_text_or_number<'de, D, T>(deserializer: D, wanted: &'static str) -> Result<T, D::Error>
where
    D: Deserializer<'de>,
    T: FromStr<Err: Display>,
{
    deserializer.deserialize_any(Text { wanted, numbers: true, value: PhantomData })
}

struct Text<T> {
    wanted: &'static str,
    numbers: bool,
    value: PhantomData<T>,
}

impl<T: FromStr<Err: Display>> Text<T> {
    fn number<E: Error>(&self, number: &dyn Display, found: Unexpected<'_>) -> Result<T, E> {
        match self.numbers {
            true => number.to_string().parse().map_err(E::custom),
            false => Err(E::invalid_type(found, &self.wanted)),
        }
    }
}

impl<'de, T: FromStr<Err: Display>> Visitor<'de> for Text<T> {
    type Value = T;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.wanted)
    }

    fn visit_str<E: Error>(self, text: &str) -> Result<T, E> {
        text.parse().map_err(E::custom)
    }

    fn visit_i64<E: Error>(self, number: i64) -> Result<T, E> {
        self.number(&number, Unexpected::Signed(number))
    }

    fn visit_u64<E: Error>(self, number: u64) -> Result<T, E> {
        self.number(&number, Unexpected::Unsigned(number))
    }

    fn visit_f64<E: Error>(self, number: f64) -> Result<T, E> {
        self.number(&number, Unexpected::Float(number))
    }
}
