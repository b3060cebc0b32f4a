//! Briefs as TOML files. docs/brief.md says what each key means.
//!
//! What keys there are, and of what type, is declared once, by the types of `pivvel_core`'s brief; nothing here
//! names a key but where the layout of a file is chosen.

mod fault;
mod read;
mod rewrite;
mod schema;
mod write;

pub(crate) use fault::toml_fault;
pub use read::from_toml;
pub use rewrite::rewrite;
pub use schema::schema;
pub use write::{emphasis_keys, to_toml};
