//! What a link brings, offered to others as the bytes of TCP connections.

use amber_core::digits::bytes;
use crossbeam_channel::{Receiver, Sender, bounded};
use std::fmt;
use std::io::{self, ErrorKind, Read, Write};
use std::net::{Shutdown, SocketAddr, TcpListener, TcpStream};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread::JoinHandle;
use std::time::Duration;

/// Clients that may be connected at once.
const MOST: usize = 32;

/// Pieces that wait for a client before that is disconnected.
const WAITING: usize = 2048;

/// How often a new client is looked for.
const LOOK: Duration = Duration::from_millis(50);

/// The longest that a client may take nothing.
const PATIENCE: Duration = Duration::from_secs(5);

/// The longest line to the board that is taken at once.
const LINE: usize = 4096;

/// What happened to clients.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ShareNews {
    /// One connected.
    Connected(SocketAddr),
    /// One disconnected.
    Disconnected(SocketAddr),
    /// One read too slowly and was disconnected, while so many bytes waited.
    Slow(SocketAddr, u64),
    /// One was rejected: there are as many as there may be.
    Full(SocketAddr),
    /// One sent so many bytes for the board, which it may not: they were not passed on.
    NotPassed(SocketAddr, u64),
}

impl fmt::Display for ShareNews {
    fn fmt(&self, to: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            ShareNews::Connected(who) => write!(to, "{who} connected"),
            ShareNews::Disconnected(who) => write!(to, "{who} disconnected"),
            ShareNews::Slow(who, size) => {
                write!(to, "{who} reads too slowly and was disconnected; {} were not delivered", bytes(*size))
            }
            ShareNews::NotPassed(who, size) => {
                write!(
                    to,
                    "{who} sent {} that were not passed on: --may-send lets clients send to the board",
                    bytes(*size)
                )
            }
            ShareNews::Full(who) => write!(to, "{who} was rejected: {MOST} clients are connected already"),
        }
    }
}

/// One that is connected.
struct Client {
    who: SocketAddr,
    stream: TcpStream,
    pieces: Sender<Arc<[u8]>>,
    waiting: Receiver<Arc<[u8]>>,
    writer: JoinHandle<()>,
}

/// Bytes offered at an address. It ends, and closes all connections, when this is dropped.
#[derive(Debug)]
pub struct Share {
    address: SocketAddr,
    /// What happens.
    pub news: Receiver<ShareNews>,
    /// What clients send to the board; nothing where they may not.
    pub sent: Receiver<Vec<u8>>,
    tell: Sender<ShareNews>,
    clients: Arc<Mutex<Vec<Client>>>,
    stop: Arc<AtomicBool>,
    thread: Option<JoinHandle<()>>,
}

impl fmt::Debug for Client {
    fn fmt(&self, to: &mut fmt::Formatter<'_>) -> fmt::Result {
        to.debug_tuple("Client").field(&self.who).finish()
    }
}

impl Share {
    /// Listens at `at`; `may_send`: what connections send goes to the board.
    ///
    /// # Errors
    /// When the address is none of this machine's, or is in use.
    pub fn start(at: SocketAddr, may_send: bool) -> io::Result<Share> {
        let socket = TcpListener::bind(at)?;
        socket.set_nonblocking(true)?;
        let address = socket.local_addr()?;
        let (tell, news) = bounded(256);
        let (send, sent) = bounded(64);
        let clients = Arc::new(Mutex::new(Vec::new()));
        let stop = Arc::new(AtomicBool::new(false));
        let acceptor = Acceptor {
            socket,
            clients: Arc::clone(&clients),
            tell: tell.clone(),
            send: may_send.then_some(send),
            stop: Arc::clone(&stop),
        };
        let thread = std::thread::Builder::new().name("share".into()).spawn(move || acceptor.watch())?;
        Ok(Share { address, news, sent, tell, clients, stop, thread: Some(thread) })
    }

    /// Where it listens.
    pub fn address(&self) -> SocketAddr {
        self.address
    }

    /// How many clients are connected.
    pub fn clients(&self) -> usize {
        self.clients.lock().unwrap_or_else(PoisonError::into_inner).len()
    }

    /// Gives bytes to all clients without waiting: one that reads too slowly is disconnected.
    pub fn give(&self, piece: &Arc<[u8]>) {
        let mut clients = self.clients.lock().unwrap_or_else(PoisonError::into_inner);
        clients.retain(|client| {
            if client.pieces.try_send(Arc::clone(piece)).is_ok() {
                return true;
            }
            let lost: usize = client.waiting.try_iter().map(|piece| piece.len()).sum::<usize>() + piece.len();
            let _ = client.stream.shutdown(Shutdown::Both);
            let _ = self.tell.try_send(ShareNews::Slow(client.who, lost as u64));
            false
        });
    }
}

impl Drop for Share {
    fn drop(&mut self) {
        self.stop.store(true, Ordering::Relaxed);
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
        // Clients get what waits for them, and then the end.
        let clients = std::mem::take(&mut *self.clients.lock().unwrap_or_else(PoisonError::into_inner));
        let writers: Vec<JoinHandle<()>> = clients.into_iter().map(|client| client.writer).collect();
        writers.into_iter().for_each(|writer| drop(writer.join()));
    }
}

/// Accepts clients.
struct Acceptor {
    socket: TcpListener,
    clients: Arc<Mutex<Vec<Client>>>,
    tell: Sender<ShareNews>,
    send: Option<Sender<Vec<u8>>>,
    stop: Arc<AtomicBool>,
}

impl Acceptor {
    fn watch(self) {
        while !self.stop.load(Ordering::Relaxed) {
            match self.socket.accept() {
                Ok((stream, who)) => {
                    // One that is gone at once is none.
                    let _ = self.accept(stream, who);
                }
                // What is wrong with one client is no reason to stop.
                Err(_) => std::thread::sleep(LOOK),
            }
        }
    }

    fn accept(&self, stream: TcpStream, who: SocketAddr) -> io::Result<()> {
        stream.set_nonblocking(false)?;
        stream.set_nodelay(true)?;
        stream.set_write_timeout(Some(PATIENCE))?;
        let (writer, reader) = (stream.try_clone()?, stream.try_clone()?);
        let (pieces, waiting) = bounded(WAITING);
        let name = || std::thread::Builder::new().name("client".into());
        {
            let mut clients = self.clients.lock().unwrap_or_else(PoisonError::into_inner);
            if clients.len() >= MOST {
                let _ = self.tell.try_send(ShareNews::Full(who));
                return Ok(());
            }
            let own = waiting.clone();
            let writer = name().spawn(move || give_all(writer, &own))?;
            clients.push(Client { who, stream, pieces, waiting, writer });
        }
        let _ = self.tell.try_send(ShareNews::Connected(who));
        let (tell, clients, send) = (self.tell.clone(), Arc::clone(&self.clients), self.send.clone());
        name().spawn(move || {
            read_all(reader, send.as_ref(), |lost| drop(tell.try_send(ShareNews::NotPassed(who, lost))));
            let mut clients = clients.lock().unwrap_or_else(PoisonError::into_inner);
            let before = clients.len();
            clients.retain(|client| client.who != who);
            // One that was disconnected as too slow is told as that.
            if clients.len() < before {
                let _ = tell.try_send(ShareNews::Disconnected(who));
            }
        })?;
        Ok(())
    }
}

/// Writes what comes to a client, until there is no more, or the client is gone.
fn give_all(mut stream: TcpStream, waiting: &Receiver<Arc<[u8]>>) {
    for piece in waiting {
        if stream.write_all(&piece).is_err() {
            break;
        }
    }
    let _ = stream.shutdown(Shutdown::Both);
}

/// Reads what a client sends until it is gone: it goes to the board, where it may, and else is told to `lost`.
fn read_all(mut stream: TcpStream, send: Option<&Sender<Vec<u8>>>, lost: impl Fn(u64)) {
    let mut buffer = [0; LINE];
    loop {
        match stream.read(&mut buffer) {
            Ok(0) => return,
            Ok(length) => match send {
                Some(send) if send.send(buffer[..length].to_vec()).is_err() => return,
                Some(_) => {}
                None => lost(length as u64),
            },
            Err(error) if matches!(error.kind(), ErrorKind::Interrupted | ErrorKind::WouldBlock) => {}
            Err(_) => return,
        }
    }
}
