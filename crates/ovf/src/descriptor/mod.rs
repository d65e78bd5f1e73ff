//! OVF descriptors (DSP0243 1.1.0 and 2.1.1).

mod descriptor;
mod edit;
mod fault;
mod hardware;
mod limits;
mod product;
mod property;
mod qualifiers;
mod strings;
mod units;
mod xml;

pub(crate) use descriptor::nests_deeper_than;
pub use descriptor::{Collection, DeploymentOption, Descriptor, Disk, FileReference, Network, VirtualSystem};
pub use edit::Setting;
pub use fault::DescriptorFault;
pub use hardware::{Hardware, Size};
pub(crate) use limits::NESTING_LIMIT;
pub use product::Product;
pub use property::{Property, PropertyType, WrongType};
pub use qualifiers::Limits;
