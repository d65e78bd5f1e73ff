//! One file a command: it reads its arguments, asks the core, and shows the answer.

pub(crate) mod check;
pub(crate) mod compare;
pub(crate) mod completions;
pub(crate) mod demo;
pub(crate) mod draft;
pub(crate) mod explain;
pub(crate) mod inspect;
mod json;
pub(crate) mod man;
pub(crate) mod mock_site;
pub(crate) mod place;
pub(crate) mod probe;
pub(crate) mod render;
pub(crate) mod renumber;
pub(crate) mod review;
pub(crate) mod schema;
pub(crate) mod secret;
pub(crate) mod subnet;
pub(crate) mod undo;
