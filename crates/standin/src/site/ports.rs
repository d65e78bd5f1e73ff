//! Ports on loopback, each answered by a thread until all end.

use std::io::{self, Read as _, Write as _};
use std::net::{Ipv4Addr, SocketAddr, TcpListener, TcpStream, UdpSocket};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread::JoinHandle;
use std::time::Duration;

/// How often a thread looks whether it is to end.
const LOOK: Duration = Duration::from_millis(50);
/// How long a client is waited for.
const PATIENCE: Duration = Duration::from_millis(500);
/// How often two ports of one number are looked for.
const TRIES: usize = 50;
/// How much room a thread has for what it works on, in bytes.
const STACK: usize = 256 * 1024;
/// The largest question.
const LARGEST: usize = 4096;

/// What answers a question; nothing where it gets none.
pub(super) type Answering = Arc<dyn Fn(&[u8]) -> Option<Vec<u8>> + Send + Sync>;

/// The threads that answer.
#[derive(Default)]
pub(super) struct Ports {
    is_over: Arc<AtomicBool>,
    /// Where somebody waits for connections, who has to be woken to end.
    listening: Vec<SocketAddr>,
    threads: Vec<JoinHandle<()>>,
}

/// A UDP and a TCP port of one number.
pub(super) struct Pair {
    udp: UdpSocket,
    tcp: TcpListener,
    pub(super) at: SocketAddr,
}

impl Pair {
    /// Two ports of one number that nobody has.
    pub(super) fn new() -> io::Result<Self> {
        let mut last = io::Error::other("no port is free");
        for _ in 0..TRIES {
            let udp = UdpSocket::bind((Ipv4Addr::LOCALHOST, 0))?;
            let at = udp.local_addr()?;
            match TcpListener::bind(at) {
                Ok(tcp) => return Ok(Self { udp, tcp, at }),
                Err(error) => last = error,
            }
        }
        Err(last)
    }
}

impl Ports {
    /// Answers over UDP, and, where that is wanted, over TCP with lengths in front.
    pub(super) fn answer_pair(
        &mut self,
        pair: Pair,
        answering: &Answering,
        over_tcp: bool,
    ) -> io::Result<()> {
        self.answer_datagrams(pair.udp, Arc::clone(answering))?;
        if over_tcp {
            let answering = Arc::clone(answering);
            self.accept(pair.tcp, move |stream| {
                // A client that goes away is not an error.
                let _ = answer_stream(stream, &answering);
            })?;
        }
        Ok(())
    }

    /// Answers over UDP.
    pub(super) fn answer_udp(&mut self, answering: Answering) -> io::Result<SocketAddr> {
        let socket = UdpSocket::bind((Ipv4Addr::LOCALHOST, 0))?;
        let at = socket.local_addr()?;
        self.answer_datagrams(socket, answering)?;
        Ok(at)
    }

    /// Accepts connections, and closes them.
    pub(super) fn accept_only(&mut self) -> io::Result<SocketAddr> {
        self.greet_each(|_: &mut TcpStream| Ok(()))
    }

    /// Accepts connections, greets each, and closes it.
    pub(super) fn greet_each(
        &mut self,
        greet: impl Fn(&mut TcpStream) -> io::Result<()> + Send + 'static,
    ) -> io::Result<SocketAddr> {
        let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, 0))?;
        let at = listener.local_addr()?;
        self.accept(listener, move |mut stream| {
            let patience = Some(PATIENCE);
            if stream.set_read_timeout(patience).is_ok() && stream.set_write_timeout(patience).is_ok() {
                // A client that goes away is not an error.
                let _ = greet(&mut stream);
            }
        })?;
        Ok(at)
    }

    fn answer_datagrams(&mut self, socket: UdpSocket, answering: Answering) -> io::Result<()> {
        socket.set_read_timeout(Some(LOOK))?;
        let is_over = Arc::clone(&self.is_over);
        self.threads.push(std::thread::spawn(move || {
            let mut buffer = vec![0; LARGEST];
            while !is_over.load(Ordering::SeqCst) {
                let Ok((length, from)) = socket.recv_from(&mut buffer) else { continue };
                if let Some(answer) = answering(buffer.get(..length).unwrap_or_default()) {
                    // A client that has gone gets nothing.
                    let _ = socket.send_to(&answer, from);
                }
            }
        }));
        Ok(())
    }

    fn accept(&mut self, listener: TcpListener, each: impl Fn(TcpStream) + Send + 'static) -> io::Result<()> {
        self.listening.push(listener.local_addr()?);
        let is_over = Arc::clone(&self.is_over);
        let work = move || {
            while !is_over.load(Ordering::SeqCst) {
                match listener.accept() {
                    Ok(_) if is_over.load(Ordering::SeqCst) => {}
                    Ok((stream, _)) => each(stream),
                    Err(_) => std::thread::sleep(LOOK),
                }
            }
        };
        // A site may have thousands of machines.
        self.threads.push(std::thread::Builder::new().stack_size(STACK).spawn(work)?);
        Ok(())
    }

    /// Ends all of them.
    pub(super) fn end(&mut self) {
        self.is_over.store(true, Ordering::SeqCst);
        for at in self.listening.drain(..) {
            // Who waits there looks up, and sees that it is over.
            let _ = TcpStream::connect_timeout(&at, PATIENCE);
        }
        for thread in self.threads.drain(..) {
            // A thread that has failed has ended too.
            let _ = thread.join();
        }
    }
}

fn answer_stream(mut stream: TcpStream, answering: &Answering) -> io::Result<()> {
    stream.set_read_timeout(Some(PATIENCE))?;
    stream.set_write_timeout(Some(PATIENCE))?;
    let mut length = [0; 2];
    stream.read_exact(&mut length)?;
    let mut question = vec![0; usize::from(u16::from_be_bytes(length)).min(LARGEST)];
    stream.read_exact(&mut question)?;
    if let Some(answer) = answering(&question)
        && let Ok(length) = u16::try_from(answer.len())
    {
        stream.write_all(&[&length.to_be_bytes(), answer.as_slice()].concat())?;
    }
    Ok(())
}
