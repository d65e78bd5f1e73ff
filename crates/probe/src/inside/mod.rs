//! What a host is like inside, seen by a login that reads and changes nothing.

mod expected;
mod fact;
mod judge;
mod login;
mod logins;
mod naming;
mod network;
mod said;
mod script;
mod system;
mod time;

pub use fact::{InsideFact, InsideState};
pub(crate) use judge::judge_inside;
pub use login::{Insider, LoginOptions};
pub(crate) use login::{LookedInside, NoLook, longest};
pub(crate) use said::Said;
