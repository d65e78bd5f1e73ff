//! Rules on confidential values.

pub(super) mod appliance;
mod held;
pub(super) mod sharing;
pub(super) mod source;
pub(super) mod typing;
pub(super) mod value;
