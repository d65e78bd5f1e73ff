//! Netplan files that stand on a host, whoever wrote them: what they make of it, and what is wrong with that.
//!
//! A file is read as YAML (`yaml`) and checked against netplan's keys (`grammar`). All files together come to definitions
//! (`gather`, `definitions`), of which netplan wants something in turn (`references`, `needs`, `backends`). These are shown
//! (`links`, `inspected`) and judged, by rules on netplan files and by those that hold for any host (`ways`, `oddities`,
//! `site`).

mod backends;
mod definitions;
mod gather;
mod grammar;
mod inspect;
mod inspected;
mod join;
mod links;
mod needs;
mod netplan_rules;
mod oddities;
mod read;
mod references;
mod section;
mod sentences;
mod site;
mod ways;
mod yaml;

pub use inspect::*;
pub use inspected::{InspectedHost, InspectedLink, InspectedRoute};
pub(crate) use netplan_rules::RULES;
pub use read::{NETPLAN_FOLDERS, SIZE_LIMIT, in_effect, in_order, is_read, looks_read, source};
