//! OVF packages: their descriptors, and the environment documents that carry settings into a virtual machine.

mod descriptor;
mod environment;
mod package;
mod property;
mod values;

pub use descriptor::{Descriptor, DescriptorFault};
pub use environment::environment_document;
pub use package::{Package, PackageFault};
pub use property::{Property, PropertyType, WrongType};
pub use values::property_values;
