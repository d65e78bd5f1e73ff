//! Why a descriptor cannot be read.

use super::limits::NESTING_LIMIT;

/// Why a text is no descriptor that can be used.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum DescriptorFault {
    /// It is UTF-16.
    #[error("it is UTF-16 text, and only UTF-8 is read")]
    Utf16,
    /// It is not UTF-8.
    #[error("it is not UTF-8 text")]
    NotUtf8,
    /// It has a document type, which may expand without bound or name files.
    #[error(
        "it has a document type (<!DOCTYPE …>), which no descriptor needs and which may name other files"
    )]
    DocumentType,
    /// It is no well-formed XML.
    #[error("it is not well-formed XML: {0}")]
    Xml(String),
    /// Elements lie in elements too deeply.
    #[error("its elements are nested more than {NESTING_LIMIT} deep")]
    TooDeep,
    /// An element of it has more attributes than any has.
    #[error("an element has more than {0} attributes, more than any real package")]
    TooManyAttributes(usize),
    /// It asks for more than any package does.
    #[error("it asks for more than {0} properties, more than any real package")]
    TooManyProperties(usize),
    /// A text or a value is longer than any is.
    #[error("a text or a value in it is longer than {} MiB, more than in any real package", .0 / (1024 * 1024))]
    TooLong(usize),
    /// Its files are split into more pieces than any are.
    #[error("its files are split into more than {0} pieces, more than in any real package")]
    TooManyPieces(u64),
    /// Its root is no OVF envelope.
    #[error("its root element is not an OVF envelope")]
    NotAnEnvelope,
    /// Its root is called so, in a namespace that is not OVF's.
    #[error("its root element is an Envelope with the namespace \"{0}\", which is not an OVF namespace")]
    OtherNamespace(String),
    /// It holds no virtual machine.
    #[error("it has no virtual machine")]
    NoMachine,
    /// It holds collections in a collection.
    #[error("it has a collection inside a collection, which this version does not support")]
    NestedCollection,
}
