//! Lines from stdin, read so that a signal can come between.

use std::io;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use rustix::event::{PollFd, PollFlags, Timespec, poll};

/// The longest line that is read, in bytes.
const LIMIT: usize = 64 * 1024;
/// How long stdin is waited for before the signal is looked at again.
const WAIT: Timespec = Timespec { tv_sec: 0, tv_nsec: 100_000_000 };

/// What came of waiting for a line.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Line {
    /// This.
    Text(String),
    /// It is not UTF-8 text, or too long.
    Unusable,
    /// Ctrl-C, or another signal.
    Interrupted,
    /// There is nothing more.
    End,
}

/// The lines of stdin.
#[derive(Debug)]
pub(crate) struct LineInput {
    waiting: Vec<u8>,
    is_interrupted: Arc<AtomicBool>,
    is_at_end: bool,
}

impl LineInput {
    /// Reads lines until the flag is set, which a signal does.
    pub(crate) fn new(is_interrupted: Arc<AtomicBool>) -> Self {
        Self { waiting: Vec::new(), is_interrupted, is_at_end: false }
    }

    /// Waits for the next line.
    pub(crate) fn next(&mut self) -> Line {
        loop {
            if let Some(end) = self.waiting.iter().position(|byte| *byte == b'\n') {
                let line: Vec<u8> = self.waiting.drain(..=end).collect();
                return text_of(&line);
            }
            if self.is_interrupted.swap(false, Ordering::SeqCst) {
                return Line::Interrupted;
            }
            if self.is_at_end {
                let rest = std::mem::take(&mut self.waiting);
                return if rest.is_empty() { Line::End } else { text_of(&rest) };
            }
            if self.waiting.len() > LIMIT {
                self.waiting.clear();
                return Line::Unusable;
            }
            self.read_more();
        }
    }

    fn read_more(&mut self) {
        let stdin = io::stdin();
        let mut waited = [PollFd::new(&stdin, PollFlags::IN)];
        match poll(&mut waited, Some(&WAIT)) {
            Ok(0) | Err(rustix::io::Errno::INTR) => return,
            Ok(_) => {}
            Err(_) => {
                self.is_at_end = true;
                return;
            }
        }
        let mut buffer = [0_u8; 4096];
        match rustix::io::read(&stdin, &mut buffer) {
            Ok(0) => self.is_at_end = true,
            Ok(count) => self.waiting.extend_from_slice(buffer.get(..count).unwrap_or_default()),
            Err(rustix::io::Errno::INTR | rustix::io::Errno::AGAIN) => {}
            // A terminal that has hung up.
            Err(_) => self.is_at_end = true,
        }
    }
}

fn text_of(line: &[u8]) -> Line {
    match std::str::from_utf8(line) {
        Ok(text) => Line::Text(text.trim_end_matches(['\n', '\r']).to_owned()),
        Err(_) => Line::Unusable,
    }
}
