//! An appliance, and the meanings of its properties.

use std::sync::Arc;

use impostazione_ovf::{MeaningsFile, Reading};
use impostazione_text::{ByteSize, Place, Stated, Written};

use super::answer::Answer;

/// A meanings file that a sheet names.
#[derive(Debug)]
pub struct NamedMeanings {
    /// Its path as the sheet gives it.
    pub path: String,
    /// What is in it, or why that cannot be read.
    pub content: Result<MeaningsFile, MeaningsFault>,
}

/// Why a meanings file could not be read, as the end of a sentence.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum MeaningsFault {
    /// It is not there, and nothing beside it either: it may be right where it is.
    OutOfReach(String),
    /// It is missing alone, or of no use.
    Unreadable(String),
}

/// What only an appliance has.
#[derive(Debug, Default)]
pub struct Appliance {
    /// Index in [`super::Site::packages`], and where the sheet names the package. Absent: it is set up at its console.
    pub package: Stated<Written<usize>>,
    /// Which machine of its package it is.
    pub system: Stated<Written<String>>,
    /// Index in [`super::Site::meanings`], and where the sheet names the file.
    pub meanings: Stated<Written<usize>>,
    /// The size that it comes in.
    pub deployment_option: Stated<Written<String>>,
    /// Whether its licenses are accepted.
    pub accept_licenses: Stated<Written<bool>>,
    /// What is free where its disks will lie.
    pub storage_free: Stated<Written<ByteSize>>,
    /// What the hypervisor calls it, where that is not its name.
    pub vm_name: Stated<Written<String>>,
    /// What each property of its package wants, in the package's order.
    pub readings: Arc<[Reading]>,
    /// What the sheet answers to the package's properties.
    pub answers: Vec<Answer>,
    /// Where the table of answers begins.
    pub answers_place: Option<Place>,
}
