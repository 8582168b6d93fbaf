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

/// Those who may listen at once.
const MOST: usize = 32;

/// Pieces that wait for a listener before that is let go.
const WAITING: usize = 2048;

/// How often somebody new is looked for.
const LOOK: Duration = Duration::from_millis(50);

/// The longest that a listener may take nothing.
const PATIENCE: Duration = Duration::from_secs(5);

/// The longest line to the board that is taken at once.
const LINE: usize = 4096;

/// What happened to those who listen.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ShareNews {
    /// Somebody listens.
    Joined(SocketAddr),
    /// Somebody went away.
    Left(SocketAddr),
    /// Somebody took nothing for too long and was let go, while so many bytes waited.
    Slow(SocketAddr, u64),
    /// There are as many as there may be.
    Full(SocketAddr),
}

impl fmt::Display for ShareNews {
    fn fmt(&self, to: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            ShareNews::Joined(who) => write!(to, "{who} listens"),
            ShareNews::Left(who) => write!(to, "{who} went away"),
            ShareNews::Slow(who, size) => {
                write!(to, "{who} takes too little and was let go; {} did not reach it", bytes(*size))
            }
            ShareNews::Full(who) => write!(to, "{who} was turned away: {MOST} listen already"),
        }
    }
}

/// One who listens.
struct Listener {
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
    /// What those who listen send to the board; nothing where they may not.
    pub sent: Receiver<Vec<u8>>,
    tell: Sender<ShareNews>,
    listeners: Arc<Mutex<Vec<Listener>>>,
    stop: Arc<AtomicBool>,
    thread: Option<JoinHandle<()>>,
}

impl fmt::Debug for Listener {
    fn fmt(&self, to: &mut fmt::Formatter<'_>) -> fmt::Result {
        to.debug_tuple("Listener").field(&self.who).finish()
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
        let listeners = Arc::new(Mutex::new(Vec::new()));
        let stop = Arc::new(AtomicBool::new(false));
        let door = Door {
            socket,
            listeners: Arc::clone(&listeners),
            tell: tell.clone(),
            send: may_send.then_some(send),
            stop: Arc::clone(&stop),
        };
        let thread = std::thread::Builder::new().name("share".into()).spawn(move || door.watch())?;
        Ok(Share { address, news, sent, tell, listeners, stop, thread: Some(thread) })
    }

    /// Where it listens.
    pub fn address(&self) -> SocketAddr {
        self.address
    }

    /// How many listen.
    pub fn listeners(&self) -> usize {
        self.listeners.lock().unwrap_or_else(PoisonError::into_inner).len()
    }

    /// Gives bytes to all who listen. Nobody waits: who takes too little is let go.
    pub fn give(&self, piece: &Arc<[u8]>) {
        let mut listeners = self.listeners.lock().unwrap_or_else(PoisonError::into_inner);
        listeners.retain(|listener| {
            if listener.pieces.try_send(Arc::clone(piece)).is_ok() {
                return true;
            }
            let lost: usize = listener.waiting.try_iter().map(|piece| piece.len()).sum::<usize>() + piece.len();
            let _ = listener.stream.shutdown(Shutdown::Both);
            let _ = self.tell.try_send(ShareNews::Slow(listener.who, lost as u64));
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
        // Those who listen get what waits for them, and then the end.
        let listeners = std::mem::take(&mut *self.listeners.lock().unwrap_or_else(PoisonError::into_inner));
        let writers: Vec<JoinHandle<()>> = listeners.into_iter().map(|listener| listener.writer).collect();
        writers.into_iter().for_each(|writer| drop(writer.join()));
    }
}

/// Lets listeners in.
struct Door {
    socket: TcpListener,
    listeners: Arc<Mutex<Vec<Listener>>>,
    tell: Sender<ShareNews>,
    send: Option<Sender<Vec<u8>>>,
    stop: Arc<AtomicBool>,
}

impl Door {
    fn watch(self) {
        while !self.stop.load(Ordering::Relaxed) {
            match self.socket.accept() {
                Ok((stream, who)) => {
                    // One that is gone at once was none.
                    let _ = self.let_in(stream, who);
                }
                // What is wrong with one who comes is no reason to listen no longer.
                Err(_) => std::thread::sleep(LOOK),
            }
        }
    }

    fn let_in(&self, stream: TcpStream, who: SocketAddr) -> io::Result<()> {
        stream.set_nonblocking(false)?;
        stream.set_nodelay(true)?;
        stream.set_write_timeout(Some(PATIENCE))?;
        let (writer, reader) = (stream.try_clone()?, stream.try_clone()?);
        let (pieces, waiting) = bounded(WAITING);
        let name = || std::thread::Builder::new().name("listener".into());
        {
            let mut listeners = self.listeners.lock().unwrap_or_else(PoisonError::into_inner);
            if listeners.len() >= MOST {
                let _ = self.tell.try_send(ShareNews::Full(who));
                return Ok(());
            }
            let own = waiting.clone();
            let writer = name().spawn(move || give_all(writer, &own))?;
            listeners.push(Listener { who, stream, pieces, waiting, writer });
        }
        let _ = self.tell.try_send(ShareNews::Joined(who));
        let (tell, listeners, send) = (self.tell.clone(), Arc::clone(&self.listeners), self.send.clone());
        name().spawn(move || {
            hear(reader, send.as_ref());
            let mut listeners = listeners.lock().unwrap_or_else(PoisonError::into_inner);
            let before = listeners.len();
            listeners.retain(|listener| listener.who != who);
            // One that was let go is told as that.
            if listeners.len() < before {
                let _ = tell.try_send(ShareNews::Left(who));
            }
        })?;
        Ok(())
    }
}

/// Writes what comes to one who listens, until there is no more, or that one is gone.
fn give_all(mut stream: TcpStream, waiting: &Receiver<Arc<[u8]>>) {
    for piece in waiting {
        if stream.write_all(&piece).is_err() {
            break;
        }
    }
    let _ = stream.shutdown(Shutdown::Both);
}

/// Hears one who listens until that one is gone: what it sends goes to the board, where it may.
fn hear(mut stream: TcpStream, send: Option<&Sender<Vec<u8>>>) {
    let mut buffer = [0; LINE];
    loop {
        match stream.read(&mut buffer) {
            Ok(0) => return,
            Ok(length) => {
                if let Some(send) = send
                    && send.send(buffer[..length].to_vec()).is_err()
                {
                    return;
                }
            }
            Err(error) if matches!(error.kind(), ErrorKind::Interrupted | ErrorKind::WouldBlock) => {}
            Err(_) => return,
        }
    }
}
