//! Rules on confidential values.

pub(super) mod appliance;
mod known_value;
pub(super) mod reuse;
pub(super) mod source;
pub(super) mod typing;
pub(super) mod value;
