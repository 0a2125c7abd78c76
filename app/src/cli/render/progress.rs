//! How far rendering is, told on stderr.

use crate::work::meanwhile::meanwhile;
use dome_files::FileError;
use dome_imaging::{LayeredStrip, NoiseSum};
use dome_trace::{Control, Forecast, Render};
use std::collections::BTreeSet;
use std::io::{IsTerminal, Write};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

/// How far a render is, told on stderr.
pub(super) struct Progress {
    pub(super) control: Control,
    forecast: Arc<Forecast>,
    around: Option<Around>,
    state: Mutex<State>,
    start: Instant,
}

/// The frames of a sequence around the one that is rendered.
#[derive(Clone)]
pub(super) struct Around {
    /// Number of the frame that is rendered.
    pub(super) frame: u64,
    /// How many were rendered since the start.
    pub(super) done: u64,
    /// How many are to be rendered.
    pub(super) total: u64,
    /// Where the frame is made of parts: the share that is done of it, and how many parts there are.
    pub(super) part: f64,
    pub(super) of_parts: f64,
    /// When the first was begun.
    start: Instant,
    /// What a look at the first frame told.
    forecast: Option<Arc<Forecast>>,
}

impl Around {
    pub(super) fn new(total: u64) -> Self {
        Self {
            frame: 0,
            done: 0,
            total,
            part: 0.0,
            of_parts: 1.0,
            start: Instant::now(),
            forecast: None,
        }
    }

    /// How far all of them are, with a share of the frame that is rendered; the time left follows from what was measured.
    fn told(&self, share: f64) -> String {
        let all = (self.done as f64 + self.part + share / self.of_parts) / self.total as f64;
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

impl Progress {
    /// Of the rows `from` to `to`, by a look at what they will take; the frames of a sequence share the look at the first one.
    pub(super) fn new(
        render: &Render,
        (from, to): (u32, u32),
        around: Option<&mut Around>,
    ) -> Self {
        let start = Instant::now();
        let control = Control::default();
        let look = || {
            let places: Vec<_> = Render::part_places(from, to).collect();
            Arc::new(Forecast::look(render, &places, &control))
        };
        let forecast = match around.as_ref().and_then(|a| a.forecast.clone()) {
            Some(forecast) => forecast,
            None => look(),
        };
        Self {
            around: around.map(|a| {
                a.forecast = Some(Arc::clone(&forecast));
                a.clone()
            }),
            forecast,
            control,
            state: Mutex::default(),
            start,
        }
    }

    fn state<T>(&self, change: impl FnOnce(&mut State) -> T) -> T {
        change(&mut self.state.lock().unwrap_or_else(PoisonError::into_inner))
    }

    pub(super) fn begin(&self, top: u32) {
        let samples = self.control.samples_done();
        self.state(|s| s.current = Some((top, samples)));
    }

    pub(super) fn add(&self, strip: &LayeredStrip) {
        self.state(|s| s.noise.add(strip.noise));
    }

    pub(super) fn end(&self, top: u32) {
        self.state(|s| {
            s.current = None;
            s.finished.insert(top);
        });
    }

    pub(super) fn noise(&self) -> NoiseSum {
        self.state(|s| s.noise)
    }

    /// Does the work and tells meanwhile how far it is; 100 % only when the file is there.
    pub(super) fn watch<T>(
        &self,
        work: impl FnOnce() -> Result<T, FileError>,
    ) -> Result<T, FileError> {
        let terminal = std::io::stderr().is_terminal();
        let pause = Duration::from_millis(if terminal { 250 } else { 2000 });
        let done = meanwhile(pause, || self.tell(terminal), work);
        match &self.around {
            // The line goes on with the next frame.
            Some(_) => {}
            None if done.is_ok() => {
                progress_line("Rendered 100 % ", true);
                eprintln!();
            }
            None => eprintln!(),
        }
        done
    }

    fn tell(&self, terminal: bool) {
        let samples = self.control.samples_done();
        let share = self.state(|s| {
            let current = s.current.map(|(top, before)| (top, samples - before));
            self.forecast
                .share(|top| s.finished.contains(&top), current)
        });
        if let Some(around) = &self.around {
            progress_line(&around.told(share), terminal);
        } else if share > 0.0 {
            let left = self.start.elapsed().as_secs_f64() * (1.0 / share - 1.0);
            let noise = self.noise().percent();
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

/// Does a look before the render and tells meanwhile how far it is, if it takes long enough to be told.
pub(super) fn looked<T>(control: &Control, look: impl FnOnce() -> T) -> T {
    let terminal = std::io::stderr().is_terminal();
    let pause = Duration::from_millis(if terminal { 250 } else { 2000 });
    let tell = || {
        if let Some(share) = control.look_share() {
            let percent = 100.0 * share;
            progress_line(
                &format!("Looking at the light and its noise first, {percent:.0} % "),
                terminal,
            );
        }
    };
    let found = meanwhile(pause, tell, look);
    if terminal {
        progress_line("", true);
        eprint!("\r");
    }
    found
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
