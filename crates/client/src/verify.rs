//! Verifying an exported ledger, offline, on all processors: lines are read and hashed side by side, and put together
//! in their order.

use std::{
    io::{self, BufRead},
    sync::mpsc::{Receiver, SyncSender, sync_channel},
};

use tempestas_core::ledger::{Export, Fault, LineRead, SignedCheckpoint, Verdict, Verifier};

/// Lines handed over at a time.
const TOGETHER: usize = 256;
/// Handfuls of lines that may wait at each worker.
const WAITING: usize = 4;

/// Lines as they stand in the file, and the number of the first.
struct Handful {
    first: u64,
    lines: Vec<Vec<u8>>,
}

/// A handful that was read and hashed.
type Looked = Vec<Result<LineRead, Fault>>;

/// Verifies an export against a public key, and checkpoints seen earlier where there are any.
///
/// # Errors
/// When it can't be read; what is not genuine about it is the inner error.
pub fn verify(
    lines: impl BufRead + Send,
    verifier: &Verifier,
    earlier: &[SignedCheckpoint],
) -> io::Result<Result<Verdict, Fault>> {
    let workers = std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
    let (inward, taken): (Vec<_>, Vec<_>) = (0..workers).map(|_| sync_channel::<Handful>(WAITING)).unzip();
    let (done, outward): (Vec<_>, Vec<_>) = (0..workers).map(|_| sync_channel::<Looked>(WAITING)).unzip();
    std::thread::scope(|scope| {
        for (taken, done) in taken.into_iter().zip(done) {
            scope.spawn(move || work(&taken, &done));
        }
        let reading = scope.spawn(move || hand_out(lines, &inward));
        let mut export = Export::new(verifier, earlier);
        // Handfuls went out in turn, so they come back in turn.
        let verdict = 'all: loop {
            for outward in &outward {
                let Ok(looked) = outward.recv() else { break 'all Ok(()) };
                for line in looked {
                    if let Err(fault) = line.and_then(|line| export.take(line)) {
                        break 'all Err(fault);
                    }
                }
            }
        };
        drop(outward);
        reading.join().unwrap_or_else(|_| Err(io::Error::other("reading failed")))?;
        Ok(verdict.and_then(|()| export.finish()))
    })
}

/// Reads to the end, or until nobody takes any more because something was wrong.
fn hand_out(mut lines: impl BufRead, workers: &[SyncSender<Handful>]) -> io::Result<()> {
    let mut number = 1;
    for worker in workers.iter().cycle() {
        let mut handful = Handful { first: number, lines: Vec::with_capacity(TOGETHER) };
        while handful.lines.len() < TOGETHER {
            let mut line = Vec::new();
            if lines.read_until(b'\n', &mut line)? == 0 {
                break;
            }
            number += 1;
            handful.lines.push(line);
        }
        if handful.lines.is_empty() || worker.send(handful).is_err() {
            break;
        }
    }
    Ok(())
}

fn work(taken: &Receiver<Handful>, done: &SyncSender<Looked>) {
    for Handful { first, lines } in taken {
        let looked = lines.iter().zip(first..).map(|(line, number)| read(line, number)).collect();
        if done.send(looked).is_err() {
            return;
        }
    }
}

fn read(line: &[u8], number: u64) -> Result<LineRead, Fault> {
    let damaged = |what: &str| Fault::Line { line: number, what: what.to_owned() };
    // The last line ends with a line feed too; a file without it was cut.
    let line = line.strip_suffix(b"\n").ok_or_else(|| damaged("it has no end"))?;
    let line = std::str::from_utf8(line).map_err(|_| damaged("it is not UTF-8"))?;
    LineRead::new(line, number)
}
