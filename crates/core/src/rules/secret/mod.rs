//! Rules on confidential values.

mod appliance;
mod held;
mod sharing;
mod source;
mod typing;
mod value;

use super::{Check, Judge, Nature, Rule};

pub(crate) use source::{
    file_readable, host_key_missing, missing, not_in_store, store_cannot_open, store_readable, undefined,
};

pub(super) const RULES: &[&Rule] = &[
    &source::SECRET_UNDEFINED,
    &source::SECRET_MISSING,
    &source::SECRET_UNUSED,
    &source::SECRET_IN_SHEET,
    &source::SECRET_FILE_READABLE_BY_OTHERS,
    &source::SECRET_STORE_CANNOT_OPEN,
    &value::SECRET_TOO_SHORT,
    &value::SECRET_TOO_LONG,
    &value::SECRET_LACKS_CLASS,
    &value::SECRET_FORBIDDEN_CHARACTER,
    &value::SECRET_WELL_KNOWN,
    &value::SECRET_CONTAINS_NAME,
    &value::SECRET_WEAK,
    &sharing::SECRET_REUSED,
    &sharing::SECRET_SHARED,
    &typing::SECRET_LAYOUT_DEPENDENT,
    &typing::SECRET_LIMITS_CONTRADICT,
    &appliance::SECRET_STAYS_READABLE,
];
