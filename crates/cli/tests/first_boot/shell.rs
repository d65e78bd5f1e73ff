//! Programs that are run for their answer.

use std::io::Write as _;
use std::process::{Command, Stdio};
use std::thread;
use std::time::{Duration, Instant};

/// Runs a program, which must succeed, and gives what it printed.
pub(crate) fn run(program: &str, arguments: &[&str]) -> String {
    let (code, stdout, stderr) = ask(program, arguments, "");
    assert_eq!(code, 0, "{program} {arguments:?}: {stdout}{stderr}");
    stdout
}

/// Runs a program with a text on its standard input, and gives its exit code and what it printed.
pub(crate) fn ask(program: &str, arguments: &[&str], input: &str) -> (i32, String, String) {
    let mut child = Command::new(program)
        .args(arguments)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap_or_else(|error| panic!("{program}: {error}"));
    let mut to = child.stdin.take().unwrap();
    // A program that does not read is not waited for.
    let _ = to.write_all(input.as_bytes());
    drop(to);
    let output = child.wait_with_output().unwrap();
    let text = |bytes: Vec<u8>| String::from_utf8_lossy(&bytes).into_owned();
    (output.status.code().unwrap_or(-1), text(output.stdout), text(output.stderr))
}

/// Waits until something holds, for at most so long.
pub(crate) fn wait_until(what: &str, limit: Duration, holds: impl Fn() -> bool) {
    let began = Instant::now();
    while !holds() {
        assert!(began.elapsed() < limit, "{what}: not within {} seconds", limit.as_secs());
        thread::sleep(Duration::from_millis(100));
    }
}
