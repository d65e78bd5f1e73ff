//! The rules that reading a sheet breaks, and the findings that it makes of them.

pub(crate) mod form;
pub(crate) mod include;
pub(crate) mod pattern;
