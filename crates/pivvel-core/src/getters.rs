//! Getters of what has private fields, so that how it is kept may change.

/// Getters of the names of fields, or of another name: `field as name`. What is given says how: `&` lends, `Option<&…>`
/// lends what is there, all else is copied.
#[doc(hidden)]
#[macro_export]
macro_rules! getters {
    ($of:ident { $($fields:tt)* }) => {
        impl $of {
            $crate::getters! { @ $($fields)* }
        }
    };
    (@) => {};
    (@ $(#[$doc:meta])+ $field:ident: $($rest:tt)*) => {
        $crate::getters! { @ $(#[$doc])+ $field as $field: $($rest)* }
    };
    (@ $(#[$doc:meta])+ $field:ident as $name:ident: &$ty:ty, $($rest:tt)*) => {
        $(#[$doc])+
        pub fn $name(&self) -> &$ty {
            &self.$field
        }
        $crate::getters! { @ $($rest)* }
    };
    (@ $(#[$doc:meta])+ $field:ident as $name:ident: Option<&str>, $($rest:tt)*) => {
        $(#[$doc])+
        pub fn $name(&self) -> Option<&str> {
            self.$field.as_deref()
        }
        $crate::getters! { @ $($rest)* }
    };
    (@ $(#[$doc:meta])+ $field:ident as $name:ident: Option<&[$ty:ty]>, $($rest:tt)*) => {
        $(#[$doc])+
        pub fn $name(&self) -> Option<&[$ty]> {
            self.$field.as_deref()
        }
        $crate::getters! { @ $($rest)* }
    };
    (@ $(#[$doc:meta])+ $field:ident as $name:ident: Option<&$ty:ty>, $($rest:tt)*) => {
        $(#[$doc])+
        pub fn $name(&self) -> Option<&$ty> {
            self.$field.as_ref()
        }
        $crate::getters! { @ $($rest)* }
    };
    (@ $(#[$doc:meta])+ $field:ident as $name:ident: $ty:ty, $($rest:tt)*) => {
        $(#[$doc])+
        pub fn $name(&self) -> $ty {
            self.$field
        }
        $crate::getters! { @ $($rest)* }
    };
}
