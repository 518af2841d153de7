//! Figures beside what the machine can do at all, written into `docs/benchmarks.md`.

use std::fmt::Write as _;

use anyhow::Context as _;

/// One measured line.
pub(crate) struct Figure {
    pub(crate) what: String,
    pub(crate) measured: String,
    pub(crate) bare: String,
    pub(crate) aim: String,
}

/// What was measured so far.
#[derive(Default)]
pub(crate) struct Report {
    figures: Vec<Figure>,
}

impl Report {
    pub(crate) fn add(&mut self, what: &str, measured: String, bare: String, aim: &str) {
        println!("· {what}: {measured} (bare: {bare}; aim: {aim})");
        self.figures.push(Figure { what: what.to_owned(), measured, bare, aim: aim.to_owned() });
    }

    /// Puts the figures between the marks of the file, and leaves the words around them.
    pub(crate) fn write(&self, path: &std::path::Path) -> anyhow::Result<()> {
        const BEGIN: &str = "<!-- figures: written by `make bench` -->\n";
        const END: &str = "<!-- end of figures -->";
        let text = std::fs::read_to_string(path)?;
        let (head, rest) = text.split_once(BEGIN).context("the file has no mark for figures")?;
        let (_, tail) = rest.split_once(END).context("the file has no mark for the figures' end")?;
        let mut table = format!(
            "{}\n\n| what | measured | the machine's bare limit, same run | aim |\n|---|---|---|---|\n",
            machine()
        );
        for figure in &self.figures {
            writeln!(table, "| {} | {} | {} | {} |", figure.what, figure.measured, figure.bare, figure.aim)?;
        }
        std::fs::write(path, format!("{head}{BEGIN}{table}{END}{tail}"))?;
        Ok(())
    }
}

fn machine() -> String {
    let cores = std::thread::available_parallelism().map_or(0, std::num::NonZero::get);
    let info = std::fs::read_to_string("/proc/cpuinfo").unwrap_or_default();
    let model = info.lines().find_map(|line| line.strip_prefix("model name\t: ")).unwrap_or("an unnamed processor");
    let day = jiff::Timestamp::now().strftime("%F");
    format!("{day}, {cores} cores ({model}), release build.")
}

/// Seconds, as people read them.
pub(crate) fn seconds(span: std::time::Duration) -> String {
    let seconds = span.as_secs_f64();
    if seconds >= 1.0 {
        format!("{seconds:.2} s")
    } else if seconds >= 0.001 {
        format!("{:.1} ms", seconds * 1e3)
    } else {
        format!("{:.1} µs", seconds * 1e6)
    }
}

/// So many in a time, for each second.
pub(crate) fn rate(count: usize, span: std::time::Duration) -> f64 {
    #[expect(clippy::cast_precision_loss, reason = "counts of a benchmark are small")]
    let count = count as f64;
    count / span.as_secs_f64()
}
