//! OVF packages (DSP0243): what their descriptors ask for and what it means, their manifests and signatures, and the
//! environment documents (DSP0243, section 11) that carry settings into a virtual machine.
//!
//! ```
//! use impostazione_ovf::{Descriptor, Meaning, Signs, read_properties};
//!
//! let text = r#"<Envelope xmlns="http://schemas.dmtf.org/ovf/envelope/1"
//!     xmlns:ovf="http://schemas.dmtf.org/ovf/envelope/1"><VirtualSystem ovf:id="gate"><Info/><ProductSection><Info/>
//!     <Property ovf:key="hostname" ovf:type="string" ovf:userConfigurable="true"><Label>Host name</Label></Property>
//!     </ProductSection></VirtualSystem></Envelope>"#;
//! let descriptor = Descriptor::parse(text.as_bytes()).unwrap();
//! let system = descriptor.system(None).unwrap();
//! let readings = read_properties(system, Signs::own());
//! assert_eq!(readings[0].meaning, Meaning::Hostname);
//! ```

mod descriptor;
mod environment;
mod iso;
mod meaning;
mod package;
mod report;

pub use descriptor::{
    Collection, DeploymentOption, Descriptor, DescriptorFault, Disk, FileReference, Hardware, Limits,
    Network, Product, Property, PropertyType, Setting, Size, VirtualSystem, WrongType,
};
pub use environment::{ENVIRONMENT_LIMIT, Entity, Environment, ReadEntity, ReadEnvironment, ReadProperty};
pub use iso::settings_volume;
pub use meaning::{
    Administration, CERTAIN, CONSOLE_MEANINGS, DefaultLogin, Guess, LinkHint, MEANINGS_LIMIT, Meaning,
    MeaningsFile, PasswordRules, Question, Reading, Reviewed, SIGNS_LIMIT, SignSeen, Signs, TakeWord,
    UNDERSTOOD, WrittenForm, looks_like, read_properties, read_reviewed,
};
pub use package::{
    Algorithm, CERTIFICATE_LIMIT, Contents, FileState, Manifest, ManifestEntry, Package, PackageFault,
    PackageFile, PackagePlan, Part, Signature, Trust, complete_digests, make_sample_package, verify,
};
pub use report::{
    LikelyMeaning, OptionDefault, OptionSize, PackageReport, Remark, ReportedDisk, ReportedFile,
    ReportedNetwork, ReportedOption, ReportedProduct, ReportedProperty, ReportedSignature, ReportedSystem,
    UnsafeFile, package_report, read_package,
};
