//! `schema`

use impostazione_core::views::schema::schema;

use super::check::to_json;
use crate::exit::{Exit, Failure};
use crate::terminal;

pub(crate) fn run() -> Result<Exit, Failure> {
    terminal::print(&to_json(&schema())?)?;
    Ok(Exit::Done)
}
