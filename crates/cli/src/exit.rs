//! How a run ends.

use std::process::ExitCode;

/// A run that did what it was asked to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Exit {
    /// Done, or nothing found.
    Done,
    /// An error finding remains, what was compared differs, or a question was declined.
    ErrorsRemain,
}

impl From<Exit> for ExitCode {
    fn from(exit: Exit) -> Self {
        Self::from(match exit {
            Exit::Done => 0,
            Exit::ErrorsRemain => 1,
        })
    }
}

/// A run that could not do what it was asked to.
#[derive(Debug, thiserror::Error)]
pub(crate) enum Failure {
    /// The command line asks for what there is not.
    #[error("{0}")]
    CommandLine(String),
    /// Something could not be read or written.
    #[error("{0}")]
    Files(String),
}

impl From<&Failure> for ExitCode {
    fn from(failure: &Failure) -> Self {
        Self::from(match failure {
            Failure::CommandLine(_) => 2,
            Failure::Files(_) => 3,
        })
    }
}
