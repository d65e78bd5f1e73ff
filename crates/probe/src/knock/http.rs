//! Whether HTTP is spoken without encryption (RFC 9110).

use std::io::{Read as _, Write as _};
use std::net::IpAddr;

use super::timed::Timed;

/// Whether a server answers a request for nothing but headers.
pub(super) fn speaks_http(stream: &mut Timed<'_>, address: IpAddr) -> bool {
    let host = match address {
        IpAddr::V4(four) => four.to_string(),
        IpAddr::V6(six) => format!("[{six}]"),
    };
    let request = format!("HEAD / HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n\r\n");
    let mut begins = [0; 5];
    stream.write_all(request.as_bytes()).is_ok()
        && stream.read_exact(&mut begins).is_ok()
        && &begins == b"HTTP/"
}
