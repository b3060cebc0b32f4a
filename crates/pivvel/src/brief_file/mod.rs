//! Briefs as TOML files. docs/brief.md says what each key means.
//!
//! What keys there are, and of what type, is declared once, by the types of `pivvel_core`'s brief; nothing here
//! names a key but where the layout of a file is chosen.

mod change;
mod fault;
mod read;
mod rewrite;
mod schema;
mod write;

pub use change::{drop_emphasis, set_emphasis, set_rule};
pub(crate) use fault::toml_fault;
pub use read::from_toml;
pub use rewrite::rewrite;
pub use schema::schema;
pub use write::{emphasis_keys, to_toml};
