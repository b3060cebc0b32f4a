//! Setters that take and give back what they set, for structs that may grow.

/// Setters of the names of fields: `value` for one that is always there, `option` for one that may be absent, `number` for
/// one whose literals need its type, `list` for one of several, `all` for one of several parts, `more` for one that is added. A setter without a sentence
/// of its own sends to the getter: `get_` and the name of the field.
#[doc(hidden)]
#[macro_export]
macro_rules! setters {
    ($of:ident { $($(#[$doc:meta])* $kind:ident $field:ident $(as $name:ident)?: $ty:ty,)* }) => {
        impl $of {
            $($crate::setters! { @ $kind $of $field, ($field $($name)?), $ty, [$(#[$doc])*] })*
        }
    };
    (@ $kind:ident $of:ident $field:ident, ($own:ident $name:ident), $ty:ty, $docs:tt) => {
        $crate::setters! { @ $kind $of $field, ($name), $ty, $docs }
    };
    (@ all $of:ident $field:ident, $name:tt, $ty:ty, []) => {
        $crate::setters! { @ all $of $field, $name, $ty, [
            #[doc = concat!("With these [`", stringify!($field), "`](", stringify!($of), "::get_", stringify!($field), "), in place of all others.")]
        ] }
    };
    (@ list $of:ident $field:ident, $name:tt, $ty:ty, []) => {
        $crate::setters! { @ list $of $field, $name, $ty, [
            #[doc = concat!("With these [`", stringify!($field), "`](", stringify!($of), "::get_", stringify!($field), ").")]
        ] }
    };
    (@ more $of:ident $field:ident, $name:tt, $ty:ty, []) => {
        $crate::setters! { @ more $of $field, $name, $ty, [
            #[doc = concat!("With one more of the [`", stringify!($field), "`](", stringify!($of), "::get_", stringify!($field), ").")]
        ] }
    };
    (@ $kind:ident $of:ident $field:ident, $name:tt, $ty:ty, []) => {
        $crate::setters! { @ $kind $of $field, $name, $ty, [
            #[doc = concat!("With [`", stringify!($field), "`](", stringify!($of), "::get_", stringify!($field), ").")]
        ] }
    };
    (@ option $of:ident $field:ident, ($name:ident), $ty:ty, [$(#[$doc:meta])+]) => {
        $(#[$doc])+
        pub fn $name(mut self, $field: impl Into<$ty>) -> $of {
            self.$field = Some($field.into());
            self
        }
    };
    (@ value $of:ident $field:ident, ($name:ident), $ty:ty, [$(#[$doc:meta])+]) => {
        $(#[$doc])+
        pub fn $name(mut self, $field: impl Into<$ty>) -> $of {
            self.$field = $field.into();
            self
        }
    };
    (@ number $of:ident $field:ident, ($name:ident), $ty:ty, [$(#[$doc:meta])+]) => {
        $(#[$doc])+
        pub fn $name(mut self, $field: $ty) -> $of {
            self.$field = $field;
            self
        }
    };
    (@ list $of:ident $field:ident, ($name:ident), $ty:ty, [$(#[$doc:meta])+]) => {
        $(#[$doc])+
        pub fn $name<T: Into<$ty>>(mut self, $field: impl IntoIterator<Item = T>) -> $of {
            self.$field = $field.into_iter().map(Into::into).collect();
            self
        }
    };
    (@ all $of:ident $field:ident, ($name:ident), $ty:ty, [$(#[$doc:meta])+]) => {
        $(#[$doc])+
        pub fn $name(mut self, $field: impl IntoIterator<Item = $ty>) -> $of {
            self.$field = $field.into_iter().collect();
            self
        }
    };
    (@ more $of:ident $field:ident, ($name:ident), $ty:ty, [$(#[$doc:meta])+]) => {
        $(#[$doc])+
        pub fn $name(mut self, $name: impl Into<$ty>) -> $of {
            self.$field.push($name.into());
            self
        }
    };
}
