//! Stand-ins of what Impostazione prepares, and of the site around it.
//!
//! Of guests, nothing here knows how the settings were made: a volume is read by the rules for volumes, a document by those for
//! documents, and the values as the product's own scripts would take them. [`site`] has the services of a whole site.

mod environment;
mod guest;
pub mod site;
mod volume;

pub use environment::{Environment, EnvironmentFault};
pub use guest::{Adapter, GuestFault, Product, Settings};
pub use volume::{VolumeFault, file_in_volume};

/// Starts an appliance with a volume in its drive: finds the environment document in it, and takes its settings.
pub fn start_with_volume(product: Product, volume: &[u8]) -> Result<Settings, StartFault> {
    let document = file_in_volume(volume, "ovf-env.xml")?;
    start_with_document(product, &document)
}

/// Starts an appliance whose platform hands it the environment document itself.
pub fn start_with_document(product: Product, document: &[u8]) -> Result<Settings, StartFault> {
    let environment = Environment::read(document)?;
    Ok(product.settings(&environment)?)
}

/// Why an appliance does not come up with its settings.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum StartFault {
    /// The volume cannot be read.
    #[error("the volume: {0}")]
    Volume(#[from] VolumeFault),
    /// The document cannot be read.
    #[error("the environment document: {0}")]
    Environment(#[from] EnvironmentFault),
    /// The settings are of no use.
    #[error("the settings: {0}")]
    Guest(#[from] GuestFault),
}
