//! Texts and what is said about them: places that messages point at, the files that a text names, values that may be left
//! unsaid, amounts of data, and the parts that nobody may be shown.
//!
//! Nothing here knows what a sheet is. A place is counted in bytes and always lies on character boundaries of its text:
//!
//! ```
//! use impostazione_text::{Place, Source, Sources, Span};
//!
//! let mut sources = Sources::default();
//! let id = sources.add(Source::new("harbor.toml", "format = 1\nname = \"quay\"\n"));
//! let place = Place { source: id, span: Span::new(18, 24) };
//! assert_eq!(sources.in_words(place), "line 2");
//! assert_eq!(sources.position(place).column, 8);
//! ```

pub mod confidential;
mod edits;
mod file_bytes;
pub mod files;
mod hidden;
mod nearest;
mod place;
mod size;
mod source;
mod sources;
mod stated;
pub mod visible;
mod wording;

pub use edits::{EditedPart, EditedText, edited};
pub use file_bytes::FileBytes;
pub use hidden::Hidden;
pub use nearest::nearest;
pub use place::{Place, Position, Span, Written};
pub use size::ByteSize;
pub use source::{Source, SourceForm, unquoted};
pub use sources::{SourceId, Sources};
pub use stated::Stated;
pub use wording::{capital, shown};
