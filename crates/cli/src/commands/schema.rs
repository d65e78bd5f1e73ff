//! `schema`

use impostazione_core::views::schema::schema;

use super::json;
use crate::exit::{Exit, Failure};

pub(crate) fn run() -> Result<Exit, Failure> {
    json::print_as_it_is(&schema())?;
    Ok(Exit::Done)
}
