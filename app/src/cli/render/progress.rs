//! How far rendering is, told on stderr.

use crate::work::eyes::Eyes;
use crate::work::meanwhile::meanwhile;
use crate::work::shot::Watcher;
use dome_imaging::{LayeredStrip, NoiseSum};
use dome_trace::{Control, Forecast, Render};
use std::collections::BTreeSet;
use std::io::{IsTerminal, Write};
use std::path::Path;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};
use std::time::{Duration, Instant};

/// How far a render is, told on stderr.
pub(in crate::cli) struct Progress<'a> {
    control: Control,
    around: Option<(&'a Around, f64, f64)>,
    forecast: OnceLock<Arc<Forecast>>,
    state: Mutex<State>,
    /// When rendering began, after the look at light and noise.
    start: OnceLock<Instant>,
}

/// The frames of a sequence around the one that is rendered.
pub(in crate::cli) struct Around {
    /// Number of the frame that is rendered.
    pub(super) frame: u64,
    /// How many were rendered since the start.
    pub(super) done: u64,
    /// How many are to be rendered.
    pub(super) total: u64,
    /// When the first was begun.
    start: Instant,
    /// What a look at the first frame told.
    forecast: OnceLock<Arc<Forecast>>,
}

impl Around {
    pub(super) fn new(total: u64) -> Self {
        Self {
            frame: 0,
            done: 0,
            total,
            start: Instant::now(),
            forecast: OnceLock::new(),
        }
    }

    /// How far all of them are, with a share of the frame that is rendered; the time left follows from what was measured.
    fn told(&self, share: f64) -> String {
        let all = (self.done as f64 + share) / self.total as f64;
        let left = match all > 0.0 {
            true => {
                let left = self.start.elapsed().as_secs_f64() * (1.0 / all - 1.0);
                format!(", about {left:.0} s left")
            }
            false => String::new(),
        };
        let percent = (all * 100.0).min(99.0);
        let Self { frame, total, .. } = self;
        let number = self.done + 1;
        format!("Frame {frame} ({number} of {total}), {percent:.0} %{left} ")
    }
}

#[derive(Default)]
struct State {
    finished: BTreeSet<u32>,
    current: Option<(u32, u64)>,
    noise: NoiseSum,
}

impl<'a> Progress<'a> {
    /// Of a still; or of a part of a frame with the frames around it, the share of it that is done before, and how many parts it
    /// has.
    pub(in crate::cli) fn new(around: Option<(&'a Around, f64, f64)>) -> Self {
        Self {
            control: Control::default(),
            around,
            forecast: OnceLock::new(),
            state: Mutex::default(),
            start: OnceLock::new(),
        }
    }

    fn state<T>(&self, change: impl FnOnce(&mut State) -> T) -> T {
        change(&mut self.state.lock().unwrap_or_else(PoisonError::into_inner))
    }

    fn tell(&self, terminal: bool) {
        let samples = self.control.samples_done();
        let Some(forecast) = self.forecast.get() else {
            return;
        };
        let share = self.state(|s| {
            let current = s.current.map(|(top, before)| (top, samples - before));
            forecast.share(|top| s.finished.contains(&top), current)
        });
        if let Some((around, part, of_parts)) = self.around {
            progress_line(&around.told(part + share / of_parts), terminal);
        } else {
            let spent = self.start.get().map(Instant::elapsed).unwrap_or_default();
            let left = forecast.left(share, share, spent);
            let noise = self.state(|s| s.noise).percent();
            let noise = noise.map_or_else(String::new, |n| format!(", noise {n:.1} %"));
            // The last rows are still to be written.
            let percent = (share * 100.0).min(99.0);
            progress_line(
                &format!("Rendered {percent:.0} %, about {left:.0} s left{noise} "),
                terminal,
            );
        }
    }
}

impl Watcher for Progress<'_> {
    // Nothing stops a command from within.
    fn control(&self) -> &Control {
        &self.control
    }

    /// Tells meanwhile how far it is, if it takes long enough to be told.
    fn looks(&self, look: &mut dyn FnMut()) {
        let (terminal, pause) = pace();
        let tell = || {
            if let Some(share) = self.control.look_share() {
                let percent = 100.0 * share;
                progress_line(
                    &format!("Looking at the light and its noise first, {percent:.0} % "),
                    terminal,
                );
            }
        };
        meanwhile(pause, tell, look);
        if terminal {
            progress_line("", true);
            eprint!("\r");
        }
    }

    fn looked_before(&self, file: &Path) {
        eprintln!("What is looked at first is taken from {}.", file.display());
    }

    fn aims_at(&self, percent: f32) {
        if self.around.is_none() {
            eprintln!("Rendering to a noise of {percent:.1} %; denoising takes the rest.");
        }
    }

    /// The frames of a sequence share the look at the first one.
    fn begins(&self, eyes: &Eyes, (from, to): (u32, u32)) {
        let look = || {
            let places: Vec<_> = Render::part_places(from, to).collect();
            Arc::new(eyes.forecast(&places, &self.control))
        };
        self.looks(&mut || {
            let forecast = match self.around {
                Some((around, ..)) => Arc::clone(around.forecast.get_or_init(look)),
                None => look(),
            };
            let _ = self.forecast.set(forecast);
        });
    }

    /// Tells meanwhile how far it is; 100 % only when the file is there, which whoever asked for it tells.
    fn works(&self, work: &mut dyn FnMut()) {
        let (terminal, pause) = pace();
        let _ = self.start.set(Instant::now());
        meanwhile(pause, || self.tell(terminal), work);
    }

    fn strip_begins(&self, top: u32) {
        let samples = self.control.samples_done();
        self.state(|s| s.current = Some((top, samples)));
    }

    fn strip_ends(&self, (top, _): (u32, u32), strips: &[LayeredStrip]) {
        self.state(|s| {
            strips.iter().for_each(|strip| s.noise.add(strip.noise));
            s.current = None;
            s.finished.insert(top);
        });
    }
}

/// Whether somebody looks at a terminal, and how often it is told how far it is.
fn pace() -> (bool, Duration) {
    let terminal = std::io::stderr().is_terminal();
    let pause = Duration::from_millis(if terminal { 250 } else { 2000 });
    (terminal, pause)
}

pub(super) fn progress_line(text: &str, same_line: bool) {
    let mut err = std::io::stderr();
    let _ = if same_line {
        write!(err, "\r{text:<56}")
    } else {
        writeln!(err, "{text}")
    };
    let _ = err.flush();
}
