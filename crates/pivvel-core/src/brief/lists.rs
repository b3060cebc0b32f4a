//! Parts of a brief that stand under their names, as one text or several, or in a list.

use std::fmt;
use std::marker::PhantomData;

use serde::de::{Deserialize, Deserializer, Error, SeqAccess, Visitor};

/// A part of a brief that stands in a table under its name.
pub(super) trait Named {
    fn name(&self) -> &str;
    fn set_name(&mut self, name: String);
}

/// Parts under their names, in the order in which they stand.
pub(super) mod by_name {
    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    use super::Named;

    pub(in crate::brief) fn serialize<T: Named + Serialize, S: Serializer>(
        all: &[T],
        serializer: S,
    ) -> Result<S::Ok, S::Error> {
        serializer.collect_map(all.iter().map(|one| (one.name(), one)))
    }

    pub(in crate::brief) fn deserialize<'de, T: Named + Deserialize<'de>, D: Deserializer<'de>>(
        deserializer: D,
    ) -> Result<Vec<T>, D::Error> {
        let pairs: Vec<(String, T)> = super::pairs::deserialize(deserializer)?;
        let named = |(name, mut one): (String, T)| {
            one.set_name(name);
            one
        };
        Ok(pairs.into_iter().map(named).collect())
    }
}

/// Values by name, in the order in which they stand.
pub(super) mod pairs {
    use std::fmt;
    use std::marker::PhantomData;

    use serde::de::{MapAccess, Visitor};
    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    pub(in crate::brief) fn serialize<T: Serialize, S: Serializer>(
        all: &[(String, T)],
        serializer: S,
    ) -> Result<S::Ok, S::Error> {
        serializer.collect_map(all.iter().map(|(name, value)| (name, value)))
    }

    pub(in crate::brief) fn deserialize<'de, T: Deserialize<'de>, D: Deserializer<'de>>(
        deserializer: D,
    ) -> Result<Vec<(String, T)>, D::Error> {
        struct Pairs<T>(PhantomData<T>);

        impl<'de, T: Deserialize<'de>> Visitor<'de> for Pairs<T> {
            type Value = Vec<(String, T)>;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a table by name")
            }

            fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Self::Value, A::Error> {
                let mut pairs = Vec::new();
                while let Some(pair) = map.next_entry()? {
                    pairs.push(pair);
                }
                Ok(pairs)
            }
        }

        deserializer.deserialize_map(Pairs(PhantomData))
    }
}

/// One text, or a list of texts.
pub(super) fn texts<'de, D: Deserializer<'de>, T: From<String>>(deserializer: D) -> Result<Vec<T>, D::Error> {
    deserializer.deserialize_any(OneOrMore(PhantomData))
}

/// The same where an empty list would mean what leaving the key out means, or the opposite.
pub(super) fn some_texts<'de, D: Deserializer<'de>, T: From<String>>(
    deserializer: D,
) -> Result<Vec<T>, D::Error> {
    texts(deserializer).and_then(not_empty)
}

/// The same where leaving the key out means something else than any list.
pub(super) fn texts_if_any<'de, D: Deserializer<'de>>(
    deserializer: D,
) -> Result<Option<Vec<String>>, D::Error> {
    struct Any(Vec<String>);

    impl<'de> Deserialize<'de> for Any {
        fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Any, D::Error> {
            texts(deserializer).map(Any)
        }
    }

    Ok(Option::<Any>::deserialize(deserializer)?.map(|Any(texts)| texts))
}

/// A list that is not empty.
pub(super) fn some<'de, D: Deserializer<'de>, T: Deserialize<'de>>(
    deserializer: D,
) -> Result<Vec<T>, D::Error> {
    Vec::deserialize(deserializer).and_then(not_empty)
}

fn not_empty<T, E: Error>(list: Vec<T>) -> Result<Vec<T>, E> {
    match list.is_empty() {
        true => Err(E::custom("is an empty list; leave the key out")),
        false => Ok(list),
    }
}

struct OneOrMore<T>(PhantomData<T>);

impl<'de, T: From<String>> Visitor<'de> for OneOrMore<T> {
    type Value = Vec<T>;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a list of texts")
    }

    fn visit_str<E: Error>(self, text: &str) -> Result<Vec<T>, E> {
        Ok(vec![text.to_string().into()])
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut list: A) -> Result<Vec<T>, A::Error> {
        let mut texts = Vec::new();
        while let Some(text) = list.next_element::<String>()? {
            texts.push(text.into());
        }
        Ok(texts)
    }
}

/// One text or several, in the schema.
pub(super) struct Texts;
super::words::schema!(Texts is {
    "anyOf": [{ "type": "string" }, { "type": "array", "items": { "type": "string" } }]
});

/// One text or several, and at least one.
pub(super) struct SomeTexts;
super::words::schema!(SomeTexts is {
    "anyOf": [{ "type": "string" }, { "type": "array", "items": { "type": "string" }, "minItems": 1 }]
});

/// Columns that both tables have, or pairs of one of each.
pub(super) mod related_keys {
    use std::fmt;

    use schemars::{Schema, SchemaGenerator, json_schema};
    use serde::de::value::{MapAccessDeserializer, SeqAccessDeserializer};
    use serde::de::{Error, MapAccess, SeqAccess, Visitor};
    use serde::{Deserializer, Serializer};

    type Keys = Vec<(String, String)>;

    pub(in crate::brief) fn serialize<S: Serializer>(all: &Keys, serializer: S) -> Result<S::Ok, S::Error> {
        super::pairs::serialize(all, serializer)
    }

    pub(in crate::brief) fn deserialize<'de, D: Deserializer<'de>>(
        deserializer: D,
    ) -> Result<Keys, D::Error> {
        struct NamesOrPairs;

        impl<'de> Visitor<'de> for NamesOrPairs {
            type Value = Keys;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("the column that both have, a list of them, or a table of pairs")
            }

            fn visit_str<E: Error>(self, text: &str) -> Result<Keys, E> {
                Ok(vec![(text.to_string(), text.to_string())])
            }

            fn visit_seq<A: SeqAccess<'de>>(self, list: A) -> Result<Keys, A::Error> {
                let names: Vec<String> = super::texts(SeqAccessDeserializer::new(list))?;
                Ok(names.into_iter().map(|name| (name.clone(), name)).collect())
            }

            fn visit_map<A: MapAccess<'de>>(self, map: A) -> Result<Keys, A::Error> {
                super::pairs::deserialize(MapAccessDeserializer::new(map))
            }
        }

        deserializer.deserialize_any(NamesOrPairs).and_then(super::not_empty)
    }

    pub(in crate::brief) fn schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({ "anyOf": [
            { "type": "string" },
            { "type": "array", "items": { "type": "string" }, "minItems": 1 },
            { "type": "object", "additionalProperties": { "type": "string" }, "minProperties": 1 }
        ] })
    }
}
