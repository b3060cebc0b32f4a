//! Where totals stand.

use super::words::words;

words! {
    /// Where a total stands.
    ///
    /// ```
    /// # use pivvel_core as pivvel;
    /// use pivvel::Brief;
    /// use pivvel::brief::Placement;
    ///
    /// let brief = Brief::new().rows(["coast", "harbour"]).total("harbour", Placement::Before);
    /// assert_eq!(brief.get_totals(), [("harbour".to_string(), Placement::Before)]);
    /// ```
    #[non_exhaustive]
    pub enum Placement is "place for totals" {
        /// Before its members.
        Before = "before",
        /// After its members.
        After = "after",
        /// Nowhere.
        Off = "off",
    }
}

/// One place for all totals, or places by level.
pub(super) mod placements {
    use std::fmt;

    use schemars::{Schema, SchemaGenerator, json_schema};
    use serde::de::value::MapAccessDeserializer;
    use serde::de::{Error, MapAccess, Visitor};
    use serde::{Deserializer, Serialize, Serializer};

    use super::Placement;

    type Totals = Vec<(String, Placement)>;

    pub(in crate::brief) fn serialize<S: Serializer>(all: &Totals, serializer: S) -> Result<S::Ok, S::Error> {
        match all.as_slice() {
            [(name, placement)] if name.is_empty() => placement.serialize(serializer),
            all => crate::brief::lists::pairs::serialize(all, serializer),
        }
    }

    pub(in crate::brief) fn deserialize<'de, D: Deserializer<'de>>(
        deserializer: D,
    ) -> Result<Totals, D::Error> {
        struct OneOrByLevel;

        impl<'de> Visitor<'de> for OneOrByLevel {
            type Value = Totals;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("before, after or off, or a table of these by level")
            }

            fn visit_str<E: Error>(self, text: &str) -> Result<Totals, E> {
                Ok(vec![(String::new(), text.parse().map_err(E::custom)?)])
            }

            fn visit_map<A: MapAccess<'de>>(self, map: A) -> Result<Totals, A::Error> {
                crate::brief::lists::pairs::deserialize(MapAccessDeserializer::new(map))
            }
        }

        deserializer.deserialize_any(OneOrByLevel)
    }

    pub(in crate::brief) fn schema(generator: &mut SchemaGenerator) -> Schema {
        let placement = generator.subschema_for::<Placement>();
        json_schema!({ "anyOf": [placement, { "type": "object", "additionalProperties": placement }] })
    }
}
