//! The way into a host's own network: a port of this machine that leads to the same port there, and can be cut.

use std::{
    fs::File,
    io::{Read as _, Write as _},
    net::{Shutdown, SocketAddr, TcpListener, TcpStream},
    os::fd::AsFd as _,
    sync::{
        Arc, Mutex,
        atomic::{AtomicBool, Ordering},
    },
    thread,
};

use anyhow::Context as _;
use rustix::thread::{LinkNameSpaceType, move_into_link_name_space};

/// Leads into a host until it is dropped.
pub(super) struct Way {
    at: SocketAddr,
    state: Arc<State>,
}

#[derive(Default)]
struct State {
    over: AtomicBool,
    cut: AtomicBool,
    open: Mutex<Vec<TcpStream>>,
}

impl State {
    fn end_all(&self) {
        for stream in self.open.lock().map(|mut open| std::mem::take(&mut *open)).unwrap_or_default() {
            let _ = stream.shutdown(Shutdown::Both);
        }
    }
}

impl Way {
    /// Opens the way to the network of a process.
    pub(super) fn open(at: SocketAddr, process: u32) -> anyhow::Result<Self> {
        let listener = TcpListener::bind(at).context("the port of a host is taken")?;
        let network = File::open(format!("/proc/{process}/ns/net"))?;
        let state = Arc::new(State::default());
        let kept = Arc::clone(&state);
        // The listener stays in this machine's network; this thread, and what it starts, moves into the host's.
        thread::spawn(move || {
            if let Err(error) = move_into_link_name_space(network.as_fd(), Some(LinkNameSpaceType::Network)) {
                eprintln!("there is no way into a host's network: {error}");
                return;
            }
            for coming in listener.incoming() {
                if kept.over.load(Ordering::Relaxed) {
                    return;
                }
                let Ok(coming) = coming else { continue };
                if kept.cut.load(Ordering::Relaxed) {
                    continue;
                }
                if let Ok(there) = TcpStream::connect(at) {
                    lead(&kept, &coming, &there);
                }
            }
        });
        Ok(Self { at, state })
    }

    /// Cuts it, what is open too, or mends it.
    pub(super) fn cut(&self, is_cut: bool) {
        self.state.cut.store(is_cut, Ordering::Relaxed);
        if is_cut {
            self.state.end_all();
        }
    }
}

impl Drop for Way {
    fn drop(&mut self) {
        self.state.over.store(true, Ordering::Relaxed);
        self.state.end_all();
        // Wakes whoever waits for the next one.
        let _ = TcpStream::connect(self.at);
    }
}

/// Passes on what comes from either side, until one ends.
fn lead(state: &State, coming: &TcpStream, there: &TcpStream) {
    for stream in [coming, there] {
        let _ = stream.set_nodelay(true);
        if let (Ok(stream), Ok(mut open)) = (stream.try_clone(), state.open.lock()) {
            open.push(stream);
        }
    }
    for (from, to) in [(coming, there), (there, coming)] {
        let (Ok(mut from), Ok(mut to)) = (from.try_clone(), to.try_clone()) else { return };
        thread::spawn(move || {
            let mut piece = [0; 16 * 1024];
            while let Ok(read @ 1..) = from.read(&mut piece) {
                if piece.get(..read).is_none_or(|piece| to.write_all(piece).is_err()) {
                    break;
                }
            }
            let _ = to.shutdown(Shutdown::Both);
            let _ = from.shutdown(Shutdown::Both);
        });
    }
}
