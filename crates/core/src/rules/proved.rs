//! A site in whose sheet no error was found.

use crate::finding::Finding;
use crate::machine::Site;

/// A site in whose sheet no error was found, and of which all could be looked at: what writers take, so that nothing is rendered unproved.
#[derive(Clone, Copy, Debug)]
pub struct ProvedSite<'a> {
    site: &'a Site,
}

impl<'a> ProvedSite<'a> {
    /// The site, unless one of its findings is in the way, or something of it could not be looked at.
    pub(crate) fn new(site: &'a Site, findings: &[Finding]) -> Option<Self> {
        (!findings.iter().any(Finding::bars_rendering)).then_some(Self { site })
    }

    /// The site.
    pub fn site(self) -> &'a Site {
        self.site
    }
}
