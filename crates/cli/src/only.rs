//! `--only`: the machines that a command is about.

use globset::{Glob, GlobSet, GlobSetBuilder};
use impostazione_core::machine::{Machine, Site};

use crate::exit::Failure;

/// Picks machines by name.
pub(crate) struct Only(Option<GlobSet>);

impl Only {
    /// Reads the globs, and refuses them when no machine of the site matches.
    pub(crate) fn new(globs: &[String], site: &Site) -> Result<Self, Failure> {
        Self::among(globs, site.machines.iter().map(Machine::label), "the sheet has")
    }

    /// The same for machines of these names; `whose` begins the end of the sentence that there is none.
    pub(crate) fn among<'a>(
        globs: &[String],
        mut names: impl Iterator<Item = &'a str>,
        whose: &str,
    ) -> Result<Self, Failure> {
        if globs.is_empty() {
            return Ok(Self(None));
        }
        let mut builder = GlobSetBuilder::new();
        for glob in globs {
            let read = Glob::new(glob)
                .map_err(|error| Failure::CommandLine(format!("--only {glob}: {}", error.kind())))?;
            builder.add(read);
        }
        let set = builder.build().map_err(|error| Failure::CommandLine(format!("--only: {error}")))?;
        if !names.any(|name| set.is_match(name)) {
            return Err(Failure::CommandLine(format!(
                "--only {}: {whose} no machine with such a name",
                globs.join(" --only ")
            )));
        }
        Ok(Self(Some(set)))
    }

    /// Whether a machine of this name is meant.
    pub(crate) fn includes(&self, name: &str) -> bool {
        self.0.as_ref().is_none_or(|set| set.is_match(name))
    }
}
