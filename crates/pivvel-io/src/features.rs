//! Features of the build that are off.

use pivvel_core::Error;

/// That this build leaves a form out, and how to get it.
#[allow(dead_code)]
pub(crate) fn feature_is_off(name: &str, what: &str, feature: &str) -> Error {
    let message = format!(
        "this build does not read {what}; install it with: cargo install --path crates/pivvel-cli --features {feature}"
    );
    Error::request(name, message)
}
