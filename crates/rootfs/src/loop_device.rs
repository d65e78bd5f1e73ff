//! A loop device, which another process lets go of when this one is done with it, or is killed.

use std::ffi::OsString;
use std::io::{self, BufRead as _, BufReader, Read as _};
use std::process::{Child, ChildStdin, Command, Stdio};

/// Attaches by the words that it is given, tells the device, and waits until the pipe from this process is closed, which the
/// kernel does for a process that is killed. While a device is in use, letting go of it is only noted, and it goes with its mount.
const KEEPER: &str = r#"
trap '' HUP INT PIPE TERM
device=$(losetup "$@") || exit
echo "$device"
read -r end
exec losetup --detach "$device"
"#;

/// A device that a part of a file is attached to.
#[derive(Debug)]
pub(super) struct LoopDevice {
    path: String,
    keeper: Child,
    end: Option<ChildStdin>,
}

impl LoopDevice {
    /// Attaches by words of `losetup(8)`.
    pub(super) fn attach(words: &[OsString]) -> Result<Self, String> {
        let mut keeper = Command::new("sh")
            .args(["-c", KEEPER, "sh", "--find", "--show"])
            .args(words)
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .map_err(|error| format!("sh cannot be started: {error}"))?;
        let end = keeper.stdin.take();
        let mut path = String::new();
        let read = keeper.stdout.take().map_or(Ok(0), |stdout| BufReader::new(stdout).read_line(&mut path));
        let mut device = Self { path: path.trim().to_owned(), keeper, end };
        match read {
            Ok(_) if device.path.is_empty() => Err(device.complaint()),
            Ok(_) => Ok(device),
            Err(error) => Err(error.to_string()),
        }
    }

    /// The path of the device.
    pub(super) fn path(&self) -> &str {
        &self.path
    }

    /// Lets go of it: at once, or with the mount that it is in.
    pub(super) fn let_go(mut self) -> io::Result<()> {
        let ended = self.end()?;
        if ended { Ok(()) } else { Err(io::Error::other(self.complaint())) }
    }

    fn end(&mut self) -> io::Result<bool> {
        drop(self.end.take());
        Ok(self.keeper.wait()?.success())
    }

    /// What was said on the way.
    fn complaint(&mut self) -> String {
        drop(self.end.take());
        let mut said = String::new();
        if let Some(mut stderr) = self.keeper.stderr.take() {
            let _ = stderr.read_to_string(&mut said);
        }
        said.trim().to_owned()
    }
}

impl Drop for LoopDevice {
    fn drop(&mut self) {
        let _ = self.end();
    }
}
