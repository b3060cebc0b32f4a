//! Parts of a brief that stand as a table of their keys.

use std::fmt;
use std::marker::PhantomData;

use serde::de::value::MapAccessDeserializer;
use serde::de::{Deserializer, Error, MapAccess, Unexpected, Visitor};

/// A part of a brief that stands as a table of its keys, and in place of it perhaps as a text or a number.
pub(super) trait Keyed<'de>: Sized {
    /// What it is, for the error where it is something else.
    const WANTED: &'static str = "a table";
    /// Whether a number may stand in place of a text.
    const NUMBERS: bool = false;

    /// The value of a text, where one may stand in place of a table.
    fn from_text(_: &str) -> Option<Result<Self, String>> {
        None
    }

    /// The value of a table.
    fn from_table<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error>;
}

/// Lets a type that is derived with `remote = "Self"` be read from a table and from nothing that only looks like
/// one, and be written as one.
macro_rules! keyed {
    ($name:ident) => {
        impl<'de> crate::brief::keyed::Keyed<'de> for $name {
            fn from_table<D: serde::Deserializer<'de>>(deserializer: D) -> Result<$name, D::Error> {
                $name::deserialize(deserializer)
            }
        }

        crate::brief::keyed::keyed!($name with its own forms);

        impl serde::Serialize for $name {
            fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
                $name::serialize(self, serializer)
            }
        }
    };
    ($name:ident with its own forms) => {
        impl<'de> serde::Deserialize<'de> for $name {
            fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<$name, D::Error> {
                crate::brief::keyed::from_its_forms(deserializer)
            }
        }
    };
}

pub(crate) use keyed;

pub(super) fn from_its_forms<'de, D, T>(deserializer: D) -> Result<T, D::Error>
where
    D: Deserializer<'de>,
    T: Keyed<'de>,
{
    struct Forms<T>(PhantomData<T>);

    impl<'de, T: Keyed<'de>> Forms<T> {
        fn text<E: Error>(&self, text: &str, found: Unexpected<'_>) -> Result<T, E> {
            match T::from_text(text).filter(|_| T::NUMBERS || matches!(found, Unexpected::Str(_))) {
                Some(value) => value.map_err(E::custom),
                None => Err(E::invalid_type(found, &T::WANTED)),
            }
        }
    }

    impl<'de, T: Keyed<'de>> Visitor<'de> for Forms<T> {
        type Value = T;

        fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
            f.write_str(T::WANTED)
        }

        fn visit_str<E: Error>(self, text: &str) -> Result<T, E> {
            self.text(text, Unexpected::Str(text))
        }

        fn visit_i64<E: Error>(self, number: i64) -> Result<T, E> {
            self.text(&number.to_string(), Unexpected::Signed(number))
        }

        fn visit_f64<E: Error>(self, number: f64) -> Result<T, E> {
            self.text(&number.to_string(), Unexpected::Float(number))
        }

        fn visit_map<A: MapAccess<'de>>(self, map: A) -> Result<T, A::Error> {
            T::from_table(MapAccessDeserializer::new(map))
        }
    }

    deserializer.deserialize_any(Forms(PhantomData))
}

/// A schema that lets a text stand in place of a table.
pub(super) fn or_text(schema: &mut schemars::Schema) {
    or(schema, &["string"]);
}

/// A schema that lets a text or a number stand in place of a table.
pub(super) fn or_value(schema: &mut schemars::Schema) {
    or(schema, &["string", "number"]);
}

fn or(schema: &mut schemars::Schema, types: &[&str]) {
    let table = std::mem::take(schema);
    *schema = schemars::json_schema!({ "anyOf": [{ "type": types }, table] });
}
