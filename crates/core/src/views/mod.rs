//! What people and other programs are shown: nothing here judges or changes anything.

pub mod at_path;
pub mod compare;
pub mod difference;
pub mod documentation;
pub mod environment;
pub mod image_digest;
pub mod included_by;
pub mod inventory;
pub mod kept_report;
pub mod link_details;
pub mod netplan;
pub mod review;
pub mod schema;
pub mod setting_origins;
pub mod subnet_map;
