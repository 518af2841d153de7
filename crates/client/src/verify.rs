//! Verifying an exported ledger, offline: one thread reads and parses, the other hashes.

use std::{
    io::{self, BufRead},
    sync::mpsc::sync_channel,
};

use tempestas_core::ledger::{Export, Fault, LineRead, SignedCheckpoint, Verdict, Verifier};

/// Lines handed over at a time.
const TOGETHER: usize = 256;
/// Handfuls of lines that may wait to be hashed.
const WAITING: usize = 16;

/// Verifies an export against a public key, and a checkpoint seen earlier where there is one.
///
/// # Errors
/// When it can't be read; what is not genuine about it is the inner error.
pub fn verify(
    lines: impl BufRead + Send,
    verifier: &Verifier,
    earlier: Option<&SignedCheckpoint>,
) -> io::Result<Result<Verdict, Fault>> {
    let (hand_over, waiting) = sync_channel::<Vec<Result<LineRead, Fault>>>(WAITING);
    std::thread::scope(|scope| {
        let reading = scope.spawn(move || -> io::Result<()> {
            let mut lines = Lines { lines, number: 0, bytes: Vec::new() };
            loop {
                let some = lines.some()?;
                // Nobody waits any more where something was wrong.
                if some.is_empty() || hand_over.send(some).is_err() {
                    return Ok(());
                }
            }
        });
        let mut export = Export::new(verifier, earlier);
        let taken = waiting.iter().flatten().try_for_each(|line| export.take(line?));
        drop(waiting);
        reading.join().unwrap_or_else(|_| Err(io::Error::other("reading failed")))?;
        Ok(taken.and_then(|()| export.finish()))
    })
}

struct Lines<R> {
    lines: R,
    number: u64,
    bytes: Vec<u8>,
}

impl<R: BufRead> Lines<R> {
    /// The next lines, read; none at the end.
    fn some(&mut self) -> io::Result<Vec<Result<LineRead, Fault>>> {
        let mut some = Vec::with_capacity(TOGETHER);
        while some.len() < TOGETHER {
            self.bytes.clear();
            if self.lines.read_until(b'\n', &mut self.bytes)? == 0 {
                break;
            }
            self.number += 1;
            some.push(self.read());
        }
        Ok(some)
    }

    fn read(&self) -> Result<LineRead, Fault> {
        let damaged = |what: &str| Fault::Line { line: self.number, what: what.to_owned() };
        // The last line ends with a line feed too; a file without it was cut.
        let line = self.bytes.strip_suffix(b"\n").ok_or_else(|| damaged("it has no end"))?;
        let line = std::str::from_utf8(line).map_err(|_| damaged("it is not UTF-8"))?;
        LineRead::new(line, self.number)
    }
}
