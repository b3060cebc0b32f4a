//! Getters of results, whose fields are private so that how they are kept may change.

/// Getters of the names of fields. What is given says how: `&` lends, `Option<&…>` lends what is there, all else is copied.
#[doc(hidden)]
#[macro_export]
macro_rules! getters {
    ($of:ident { $($fields:tt)* }) => {
        impl $of {
            $crate::getters! { @ $($fields)* }
        }
    };
    (@) => {};
    (@ $(#[$doc:meta])+ $field:ident: &$ty:ty, $($rest:tt)*) => {
        $(#[$doc])+
        pub fn $field(&self) -> &$ty {
            &self.$field
        }
        $crate::getters! { @ $($rest)* }
    };
    (@ $(#[$doc:meta])+ $field:ident: Option<&str>, $($rest:tt)*) => {
        $(#[$doc])+
        pub fn $field(&self) -> Option<&str> {
            self.$field.as_deref()
        }
        $crate::getters! { @ $($rest)* }
    };
    (@ $(#[$doc:meta])+ $field:ident: Option<&$ty:ty>, $($rest:tt)*) => {
        $(#[$doc])+
        pub fn $field(&self) -> Option<&$ty> {
            self.$field.as_ref()
        }
        $crate::getters! { @ $($rest)* }
    };
    (@ $(#[$doc:meta])+ $field:ident: $ty:ty, $($rest:tt)*) => {
        $(#[$doc])+
        pub fn $field(&self) -> $ty {
            self.$field
        }
        $crate::getters! { @ $($rest)* }
    };
}
