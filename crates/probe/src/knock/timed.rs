//! A connection with an end, however slowly the other side speaks.

use std::io::{self, Read, Write};
use std::net::TcpStream;
use std::time::{Duration, Instant};

use crate::stop::Stop;

/// How much of what came first is kept.
const KEPT: usize = 64;

/// How long a read waits before it looks whether a person has said stop.
const SLICE: Duration = Duration::from_millis(100);

/// A connection that fails once its time is over or a person says stop, and keeps the first bytes that came.
pub(crate) struct Timed<'a> {
    stream: TcpStream,
    until: Instant,
    stop: &'a Stop,
    pub(super) first: Vec<u8>,
}

impl<'a> Timed<'a> {
    pub(super) fn new(stream: TcpStream, within: Duration, stop: &'a Stop) -> Self {
        // Small messages that wait for each other gain nothing by being held back.
        let _ = stream.set_nodelay(true);
        Self { stream, until: Instant::now() + within, stop, first: Vec::new() }
    }

    fn left(&self) -> io::Result<Duration> {
        let left = self.until.saturating_duration_since(Instant::now());
        if left.is_zero() || self.stop.why().is_some() {
            return Err(io::ErrorKind::TimedOut.into());
        }
        Ok(left)
    }
}

impl Read for Timed<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        loop {
            self.stream.set_read_timeout(Some(self.left()?.min(SLICE)))?;
            match self.stream.read(buffer) {
                Ok(length) => {
                    let more = KEPT.saturating_sub(self.first.len()).min(length);
                    self.first.extend_from_slice(buffer.get(..more).unwrap_or_default());
                    return Ok(length);
                }
                Err(error) if matches!(error.kind(), io::ErrorKind::WouldBlock | io::ErrorKind::TimedOut) => {
                }
                Err(error) => return Err(error),
            }
        }
    }
}

impl Write for Timed<'_> {
    fn write(&mut self, buffer: &[u8]) -> io::Result<usize> {
        self.stream.set_write_timeout(Some(self.left()?))?;
        self.stream.write(buffer)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.stream.flush()
    }
}
