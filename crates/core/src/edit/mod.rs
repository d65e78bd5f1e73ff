//! Changes of a sheet's own text.

mod moving;
mod renumber;
mod sheet_text;
mod table_path;

pub use renumber::{Moved, NotMoved, Renumbering, renumber};
pub use sheet_text::{OPEN_MARK, SheetText, quoted, quoted_list};
pub use table_path::TablePath;
