//! Everything that Impostazione computes: it reads a build sheet, types it, judges it by rules, and makes the files
//! that hosts and appliances need. No terminal, no sockets, no prompts.
//!
//! One direction: [`sheet`] (what a person wrote) → [`machine`] (what was meant) → [`rules`] and writers ([`host`],
//! [`appliance`], collected by [`output`]) → [`placing`] and [`views`]. [`assess`](assess::assess) goes the first two thirds of
//! the way, and only its [`ProvedSite`](rules::ProvedSite) can be rendered. A folder uses those before it, never those
//! behind it: `tests/arrows.rs` holds the order.

pub mod appliance;
pub mod assess;
pub mod catalog;
pub mod draft;
pub mod edit;
pub mod finding;
pub mod host;
pub mod machine;
pub mod network;
pub mod output;
pub mod placing;
pub mod rules;
pub mod sheet;
pub mod views;
