//! What a descriptor may cost to read: a stranger wrote it. What is beyond these limits is refused before it is parsed.

use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};

use super::fault::DescriptorFault;

/// Elements of a descriptor lie about ten deep.
pub(crate) const NESTING_LIMIT: usize = 256;

/// Most elements and attributes of a descriptor.
pub(super) const NODE_LIMIT: u32 = 4_000_000;

/// Most attributes of one element. Parsers compare each with every other.
const ATTRIBUTE_LIMIT: usize = 256;
/// Longest value of an attribute, and longest text, in bytes.
const TEXT_LIMIT: usize = 1024 * 1024;
/// Most properties of a package.
const PROPERTY_LIMIT: usize = 4096;
/// Most properties of all machines of a collection, each of which has those of the collection too.
pub(super) const SHARED_LIMIT: usize = 65_536;
/// Most pieces that files of a package are split into.
pub(super) const PIECE_LIMIT: u64 = 10_000;

/// Refuses a text that would cost too much. What is no XML is left for the parser to explain.
pub(super) fn refuse_excess(text: &str) -> Result<(), DescriptorFault> {
    let mut reader = Reader::from_str(text);
    reader.config_mut().check_end_names = false;
    let mut properties = 0;
    loop {
        match reader.read_event() {
            Ok(Event::Start(element) | Event::Empty(element)) => {
                if element.local_name().as_ref() == "Property" {
                    properties += 1;
                }
                if properties > PROPERTY_LIMIT {
                    return Err(DescriptorFault::TooManyProperties(PROPERTY_LIMIT));
                }
                refuse_element(&element)?;
            }
            Ok(Event::Text(text)) if text.len() > TEXT_LIMIT => {
                return Err(DescriptorFault::TooLong(TEXT_LIMIT));
            }
            Ok(Event::CData(text)) if text.len() > TEXT_LIMIT => {
                return Err(DescriptorFault::TooLong(TEXT_LIMIT));
            }
            Ok(Event::Eof) | Err(_) => return Ok(()),
            Ok(_) => {}
        }
    }
}

fn refuse_element(element: &BytesStart<'_>) -> Result<(), DescriptorFault> {
    for (count, attribute) in element.attributes().with_checks(false).enumerate() {
        if count >= ATTRIBUTE_LIMIT {
            return Err(DescriptorFault::TooManyAttributes(ATTRIBUTE_LIMIT));
        }
        match attribute {
            Ok(attribute) if attribute.value.len() > TEXT_LIMIT => {
                return Err(DescriptorFault::TooLong(TEXT_LIMIT));
            }
            Ok(_) => {}
            Err(_) => return Ok(()),
        }
    }
    Ok(())
}
