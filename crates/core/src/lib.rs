//! Everything that Impostazione computes: it reads a build sheet, types it, judges it by rules, and makes the files
//! that hosts and appliances need. No terminal, no sockets, no prompts.
//!
//! One direction: [`sheet`] (what a person wrote) → [`machine`] (what was meant) → [`rules`] and writers
//! ([`netplan`], [`files`], [`ovf`], collected by [`output`]). [`assess`](assess::assess) goes the first two thirds
//! of the way, and only its [`ProvedSite`](assess::ProvedSite) can be rendered.

pub mod appliance;
pub mod assess;
pub mod compare;
mod confidential;
pub mod difference;
pub mod documentation;
pub mod files;
pub mod finding;
pub mod image_digest;
pub mod inspect;
pub mod inventory;
pub mod machine;
pub mod mend;
pub mod netplan;
pub mod output;
pub mod placing;
pub mod plan;
pub mod review;
pub mod rules;
pub mod sarif;
pub mod schema;
pub mod sheet;

#[cfg(test)]
mod testing;
