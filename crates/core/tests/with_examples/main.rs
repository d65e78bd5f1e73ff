//! Parts of the core, tried together on examples in memory.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod correction;
mod rules;
mod subnet_map;
mod support;
mod syntax;
