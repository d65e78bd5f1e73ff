//! OVF packages: their descriptors, and the environment documents that carry settings into a virtual machine.

mod answers;
mod descriptor;
mod environment;
mod iso;
mod link_choice;
mod meaning;
mod package;
mod property;
mod report;
mod typing_card;

pub use answers::{
    AnsweredProperty, Origin, Outcome, Unanswered, answered_properties, is_at_console, is_of_sheet,
    network_of_link, wants_password,
};
pub use descriptor::{
    Collection, DeploymentOption, Descriptor, DescriptorFault, Disk, FileReference, Hardware, Limits,
    Network, Product, Setting, Size, VirtualSystem,
};
pub use environment::{Entity, Environment};
pub use iso::settings_volume;
pub use meaning::{
    Administration, CERTAIN, DefaultLogin, LinkHint, MEANINGS_LIMIT, Meaning, MeaningsFile, PasswordRules,
    Question, Reading, Reviewed, SIGNS_LIMIT, SignSeen, Signs, read_properties, read_reviewed,
};
pub use package::{
    Algorithm, CERTIFICATE_LIMIT, Contents, FileState, Manifest, ManifestEntry, Package, PackageFault,
    PackageFile, PackagePlan, Part, Signature, Trust, complete_digests, make_sample_package, verify,
};
pub use property::{Property, PropertyType, WrongType};
pub use report::{
    OptionDefault, OptionSize, PackageReport, ReportedDisk, ReportedFile, ReportedNetwork, ReportedOption,
    ReportedProduct, ReportedProperty, ReportedSignature, ReportedSystem, UnsafeFile, package_report,
    read_package,
};
pub use typing_card::{CardLine, OpenQuestion, Typed, card_lines, open_questions, typing_card};
