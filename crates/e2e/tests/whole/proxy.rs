//! A relay between service and target that counts calls and stops at a chosen one.

use std::sync::{
    Arc, Mutex,
    atomic::{AtomicU64, Ordering},
};

use tokio::{
    io::{AsyncReadExt as _, AsyncWriteExt as _},
    net::{TcpListener, TcpStream},
};

/// At which call to stop, and whether the target still hears it.
#[derive(Clone, Copy)]
pub struct Stop {
    pub at: u64,
    pub heard: bool,
    /// The process to end there, as SIGKILL does; none to cut the connection only.
    pub kill: Option<u32>,
}

#[derive(Default)]
struct State {
    calls: AtomicU64,
    stop: Mutex<Option<Stop>>,
    /// While set, nothing is let through at all.
    down: std::sync::atomic::AtomicBool,
}

pub struct Proxy {
    pub port: u16,
    state: Arc<State>,
}

impl Proxy {
    pub async fn start(upstream: u16) -> Self {
        let listener = TcpListener::bind(("127.0.0.1", 0)).await.unwrap();
        let port = listener.local_addr().unwrap().port();
        let state = Arc::new(State::default());
        let shared = Arc::clone(&state);
        tokio::spawn(async move {
            while let Ok((client, _)) = listener.accept().await {
                tokio::spawn(relay(client, upstream, Arc::clone(&shared)));
            }
        });
        Self { port, state }
    }

    /// Counts from nothing, and stops at a call.
    pub fn arm(&self, stop: Stop) {
        *self.state.stop.lock().unwrap() = Some(stop);
        self.state.calls.store(0, Ordering::SeqCst);
    }

    /// Lets everything through. Whether the stop was reached.
    pub fn disarm(&self) -> bool {
        self.state.stop.lock().unwrap().take().is_none()
    }

    /// Lets nothing through, or everything again.
    pub fn set_down(&self, down: bool) {
        self.state.down.store(down, Ordering::SeqCst);
    }
}

async fn relay(mut client: TcpStream, upstream: u16, state: Arc<State>) {
    if state.down.load(Ordering::SeqCst) {
        return;
    }
    let Ok(mut server) = TcpStream::connect(("127.0.0.1", upstream)).await else { return };
    let (mut up, mut down) = (vec![0; 64 * 1024], vec![0; 64 * 1024]);
    loop {
        tokio::select! {
            read = client.read(&mut up) => match read {
                Ok(length) if length > 0 => {
                    let call = state.calls.fetch_add(1, Ordering::SeqCst) + 1;
                    let stop = reached(&state, call);
                    if stop.is_none_or(|stop| stop.heard) && server.write_all(&up[..length]).await.is_err() {
                        return;
                    }
                    if let Some(stop) = stop {
                        kill(stop.kill);
                        return;
                    }
                }
                _ => return,
            },
            read = server.read(&mut down) => match read {
                Ok(length) if length > 0 && !state.down.load(Ordering::SeqCst) => {
                    if client.write_all(&down[..length]).await.is_err() {
                        return;
                    }
                }
                _ => return,
            },
        }
    }
}

/// Takes the stop where this call is the one.
fn reached(state: &State, call: u64) -> Option<Stop> {
    let mut stop = state.stop.lock().unwrap();
    if stop.is_some_and(|stop| stop.at == call) { stop.take() } else { None }
}

fn kill(process: Option<u32>) {
    if let Some(pid) = process.and_then(|id| rustix::process::Pid::from_raw(i32::try_from(id).unwrap())) {
        let _ = rustix::process::kill_process(pid, rustix::process::Signal::KILL);
    }
}
