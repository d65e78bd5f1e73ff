//! What a rule is: data alone. What looks for breaches of it is paired with it elsewhere.

use std::fmt;

use super::severity::{Nature, Severity};

/// A named check.
#[allow(clippy::struct_excessive_bools, reason = "each says something of its own")]
pub struct Rule {
    /// Its name, public and stable.
    pub name: &'static str,
    /// How grave its findings are.
    pub severity: Severity,
    /// Whether a person may set it aside.
    pub nature: Nature,
    /// What it finds, in a few words.
    pub summary: &'static str,
    /// What goes wrong on the machine when it is broken, and what to do.
    pub explanation: &'static str,
    /// Of what its examples are pieces.
    pub examples: Examples,
    /// A piece that breaks it, and no other rule.
    pub wrong: &'static str,
    /// The same piece, corrected.
    pub right: &'static str,
    /// Whether it says that something could not be looked at: what is silent about that proves nothing, and nothing is
    /// rendered.
    pub not_looked_at: bool,
    /// Whether it is broken by something that is missing. Such findings are held back while the sheet's TOML cannot
    /// be read in full, since what is missing may stand in the unread part.
    pub about_absence: bool,
    /// Whether it is about secrets, logins or keys.
    pub about_credentials: bool,
    /// Whether it holds for any host, whoever wrote its files.
    pub of_any_host: bool,
    /// When the network has to be asked to find it; empty where reading finds it.
    pub asked: &'static [Asked],
}

/// When the network is asked.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Asked {
    /// Before the machines start for the first time.
    Before,
    /// After that, when each is to be as the sheet says.
    After,
}

/// What the examples of a rule are pieces of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Examples {
    /// A build sheet.
    Sheet,
    /// Netplan files, of which there may be several.
    NetplanFiles,
    /// A root filesystem: paths, and what is in them.
    Rootfs,
    /// A network: how the stand-ins of a sheet's site show one like it.
    Network,
    /// A host that has booted: what makes the difference there.
    BootedHost,
}

impl Rule {
    /// What a rule is that says nothing else of itself.
    pub(crate) const PLAIN: Self = Self {
        name: "",
        severity: Severity::Error,
        nature: Nature::Fault,
        summary: "",
        explanation: "",
        examples: Examples::Sheet,
        wrong: "",
        right: "",
        not_looked_at: false,
        about_absence: false,
        about_credentials: false,
        of_any_host: false,
        asked: &[],
    };
}

impl fmt::Debug for Rule {
    /// The name alone, which stands for the rest.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Rule({})", self.name)
    }
}

impl PartialEq for Rule {
    /// Whether they are one and the same: each rule stands once in the program.
    fn eq(&self, other: &Self) -> bool {
        std::ptr::eq(self, other)
    }
}
