//! A job that is being done: how to stop it, and how far it is.

use super::Result;
use super::told::jobs::UnderWay;
use crate::model::jobs::Job;
use crate::store::StoreError;
use dome_imaging::NoiseSum;
use dome_trace::render::STRIP_ROWS;
use dome_trace::{Control, Forecast};
use std::collections::BTreeSet;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};
use std::time::{Duration, Instant};

/// How a job ended.
pub(super) enum Ended {
    /// What it makes is there; what is to be said about it.
    Done(Option<String>),
    /// It was told to stop.
    Stopped,
    /// It waits to be let go, and why.
    Held(String),
}

/// How often somebody who waits looks whether to stop.
const LOOKED_EVERY: Duration = Duration::from_millis(50);

/// A job that is being done.
pub struct Running {
    /// The job as it was claimed.
    pub job: Job,
    /// The way to watch and stop it.
    pub control: Control,
    started: Instant,
    /// The fingerprint of the picture whose files are in use, once they are.
    picture: OnceLock<String>,
    /// What is to be said of it now, where the database has no room for it.
    /// What is said of it in the end, beside how it ended.
    remarks: Mutex<Vec<String>>,
    note: Mutex<Option<String>>,
    meter: Mutex<Meter>,
    frames: Mutex<Option<FrameMeter>>,
    /// Strips that were finished and not told yet, as (first row, number of rows).
    untold: Mutex<Vec<(u32, u32)>>,
}

/// How far it is.
enum Meter {
    /// Not known yet.
    Nothing,
    /// A share, 0 to 1, and when it was begun.
    Share(f64, Instant),
    /// A render, which knows more.
    Render(Box<RenderMeter>),
}

/// How far a render is.
pub(super) struct RenderMeter {
    /// What the strips are expected to take; nothing as long as that is looked for beside the first ones.
    pub(super) forecast: Option<Arc<Forecast>>,
    /// Rows of the whole.
    pub(super) rows: u32,
    /// First rows of the finished strips.
    pub(super) finished: BTreeSet<u32>,
    /// The strip that is being made.
    pub(super) current: Option<Current>,
    /// Share that was done, and the time, when this run's own work began.
    pub(super) earlier: (f64, Instant),
    /// Noise of the finished strips.
    pub(super) noise: NoiseSum,
    /// Pixels of the finished strips.
    pub(super) pixels: u64,
    /// The highest share that was told: it never falls back.
    pub(super) told: f64,
}

/// A strip that is being made.
#[derive(Clone, Copy)]
pub(super) struct Current {
    top: u32,
    /// Samples taken before it.
    before: u64,
    since: Instant,
}

/// A strip that takes less is not shown before it is finished.
const WORTH_SHOWING: Duration = Duration::from_secs(2);

/// How far the frames of a sequence are.
pub(super) struct FrameMeter {
    /// How many there are to be.
    pub(super) total: usize,
    /// Those that are there.
    pub(super) there: BTreeSet<u32>,
    /// The one that is being made.
    pub(super) current: Option<u32>,
    /// Where it is made of parts: the share of it that is done before this one, and how many there are.
    pub(super) part: (f64, f64),
    /// How many were rendered in this run, and since when.
    pub(super) rendered: (usize, Instant),
}

fn open<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Seconds that are left after some of the work: as long as the rest takes at the same pace.
fn left(done: f64, of: f64, since: Instant) -> Option<f64> {
    (done > 1e-3).then(|| since.elapsed().as_secs_f64() * of / done)
}

impl Running {
    pub(super) fn new(job: Job) -> Self {
        Self {
            job,
            control: Control::default(),
            started: Instant::now(),
            picture: OnceLock::new(),
            remarks: Mutex::default(),
            note: Mutex::new(None),
            meter: Mutex::new(Meter::Nothing),
            frames: Mutex::default(),
            untold: Mutex::default(),
        }
    }

    /// Seconds since it was begun.
    pub fn spent_s(&self) -> f64 {
        self.started.elapsed().as_secs_f64()
    }

    /// Asks the database again for as long as somebody else holds it, so that a job is not lost by that.
    pub(super) fn patiently<T>(
        &self,
        mut ask: impl FnMut() -> std::result::Result<T, StoreError>,
    ) -> Result<T> {
        loop {
            match ask() {
                Err(e) if e.is_busy() && !self.control.is_stopped() => {}
                other => return Ok(other?),
            }
        }
    }

    /// Does work that cannot be stopped beside itself, and waits for it or for a stop, whichever comes first. `None` after a
    /// stop: the work goes on to its end, and whatever it leaves in the caches is there for the next time.
    pub(super) fn unless_stopped<T: Send + 'static>(
        &self,
        work: impl FnOnce() -> T + Send + 'static,
    ) -> Option<T> {
        self.until_stopped(move |_| work())
    }

    /// The same for work of several steps: it is told when nobody waits for it any more, and ends at its next step.
    pub(super) fn until_stopped<T: Send + 'static>(
        &self,
        work: impl FnOnce(&AtomicBool) -> T + Send + 'static,
    ) -> Option<T> {
        let given_up = Arc::new(AtomicBool::new(false));
        let told = Arc::clone(&given_up);
        let beside = std::thread::spawn(move || work(&told));
        while !beside.is_finished() {
            if self.control.is_stopped() {
                given_up.store(true, Ordering::Relaxed);
                return None;
            }
            std::thread::sleep(LOOKED_EVERY);
        }
        match beside.join() {
            Ok(done) => Some(done),
            Err(panic) => std::panic::resume_unwind(panic),
        }
    }

    /// What is said of it instead of what the database says.
    pub(super) fn note(&self) -> Option<String> {
        let looking = || {
            if !matches!(*open(&self.meter), Meter::Nothing) {
                return None;
            }
            let percent = 100.0 * self.control.look_share()?;
            Some(format!(
                "Looking at the light and its noise first: {percent:.0} %."
            ))
        };
        open(&self.note).clone().or_else(looking)
    }

    /// Says something that stays said when it has ended.
    pub(super) fn remark(&self, sentence: String) {
        open(&self.remarks).push(sentence);
    }

    pub(super) fn remarks(&self) -> Vec<String> {
        open(&self.remarks).clone()
    }

    pub(super) fn set_note(&self, note: &str) {
        *open(&self.note) = Some(note.to_owned());
    }

    /// Nothing is said of it any more but what the database says.
    pub(super) fn clear_note(&self) {
        *open(&self.note) = None;
    }

    /// A picture's files are in use from now on.
    pub(super) fn uses(&self, picture: &str) {
        let _ = self.picture.set(picture.to_owned());
    }

    /// Whether it uses the files of a picture.
    pub(super) fn is_using(&self, picture: &str) -> bool {
        self.picture.get().is_some_and(|p| p == picture)
    }

    /// A render's own work begins.
    pub(super) fn begin(&self, render: RenderMeter) {
        *open(&self.meter) = Meter::Render(Box::new(render));
    }

    /// Tells which share is done, 0 to 1; false if it shall stop.
    pub(super) fn share(&self, share: f64) -> bool {
        let mut meter = open(&self.meter);
        let since = match *meter {
            Meter::Share(_, since) => since,
            _ => Instant::now(),
        };
        *meter = Meter::Share(share.clamp(0.0, 1.0), since);
        !self.control.is_stopped()
    }

    pub(super) fn with_render<T>(&self, change: impl FnOnce(&mut RenderMeter) -> T) -> Option<T> {
        match &mut *open(&self.meter) {
            Meter::Render(render) => Some(change(render)),
            _ => None,
        }
    }

    /// A strip is begun.
    pub(super) fn begins_strip(&self, top: u32) {
        self.control.watch_rows();
        let before = self.control.samples_done();
        let since = Instant::now();
        self.with_render(|r| r.current = Some(Current { top, before, since }));
    }

    /// What the strips are expected to take is known now; `earlier` is the share that was done before this run.
    pub(super) fn forecast(&self, forecast: Arc<Forecast>, earlier: f64) {
        self.with_render(|r| {
            r.forecast = Some(forecast);
            r.earlier.0 = earlier;
        });
    }

    /// The strip that is being made, if some of its rows are to be seen.
    pub fn under_way(&self) -> Option<UnderWay> {
        let done = self.control.count_rows() as u32;
        self.with_render(|r| {
            let Current { top, since, .. } = r.current?;
            let rows = STRIP_ROWS.min(r.rows.saturating_sub(top));
            (done > 0 && since.elapsed() > WORTH_SHOWING).then_some(UnderWay { top, rows, done })
        })?
    }

    /// A strip is finished.
    pub(super) fn finished(&self, place: (u32, u32)) {
        open(&self.untold).push(place);
    }

    /// Strips that were finished since this was last asked.
    pub(super) fn take_untold(&self) -> Vec<(u32, u32)> {
        std::mem::take(&mut open(&self.untold))
    }

    /// The frames of a sequence begin.
    pub(super) fn begin_frames(&self, meter: FrameMeter) {
        *open(&self.frames) = Some(meter);
    }

    pub(super) fn with_frames<T>(&self, change: impl FnOnce(&mut FrameMeter) -> T) -> Option<T> {
        open(&self.frames).as_mut().map(change)
    }

    /// Nothing is known of what comes next.
    pub(super) fn forget_meter(&self) {
        *open(&self.meter) = Meter::Nothing;
    }

    /// Share of the work that is done, and the seconds that are left once they can be told. Of a sequence those follow from the
    /// frames that were measured.
    pub fn progress(&self) -> (f64, Option<f64>) {
        let (share, left) = self.part_done();
        let of_frames = self.with_frames(|f| {
            let total = f.total.max(1) as f64;
            let (before, parts) = f.part;
            let begun = f.current.map_or(0.0, |_| before + share / parts);
            let (rendered, since) = f.rendered;
            let made = rendered as f64 + begun;
            let missing = total - f.there.len() as f64 - begun;
            let left = (made > 1e-2).then(|| since.elapsed().as_secs_f64() * missing / made);
            ((1.0 - missing / total).clamp(0.0, 1.0), left)
        });
        of_frames.unwrap_or((share, left))
    }

    /// How far what is made just now is.
    fn part_done(&self) -> (f64, Option<f64>) {
        let samples = self.control.samples_done();
        match &mut *open(&self.meter) {
            Meter::Nothing => (0.0, None),
            Meter::Share(share, since) => (*share, left(*share, 1.0 - *share, *since)),
            Meter::Render(r) => {
                let current = r.current.map(|c| (c.top, samples - c.before));
                let Some(forecast) = &r.forecast else {
                    // As if all rows took alike.
                    let strips = r.rows.div_ceil(STRIP_ROWS).max(1);
                    r.told = r.told.max(r.finished.len() as f64 / f64::from(strips));
                    return (r.told, None);
                };
                let share = forecast.share(|top| r.finished.contains(&top), current);
                let (earlier, since) = r.earlier;
                let left = forecast.left(share, share - earlier, since.elapsed());
                r.told = r.told.max(share);
                (r.told, Some(left))
            }
        }
    }

    /// Noise in percent and mean samples of what is finished.
    pub fn noise(&self) -> (Option<f64>, Option<f64>) {
        self.with_render(|r| {
            let pixels = r.pixels.max(1) as f64;
            let mean = (r.pixels > 0).then(|| r.noise.samples as f64 / pixels);
            (r.noise.percent(), mean)
        })
        .unwrap_or((None, None))
    }
}

#[cfg(test)]
pub(super) mod tests {
    use super::*;
    use crate::model::jobs::{JobKind, JobState};
    use std::sync::mpsc;

    /// A job that is being done, for tests.
    pub(in super::super) fn example() -> Running {
        Running::new(Job {
            id: 1,
            kind: JobKind::Conversion,
            project: None,
            makes: 1,
            asked: String::new(),
            what: String::new(),
            state: JobState::Running,
            place: 1,
            not_before: None,
            attempts: 1,
            on_farm: false,
            memory: 0,
            disk: 0,
            spent_s: 0.0,
            problem: None,
            ended: None,
            written: (None, None),
        })
    }

    /// A stop is heard while a step is under way that knows of no stopping.
    #[test]
    fn a_stop_does_not_wait_for_what_cannot_be_stopped() {
        let running = example();
        assert_eq!(running.unless_stopped(|| 7), Some(7));
        let (go, heard) = mpsc::channel::<()>();
        let (send, ended) = mpsc::channel();
        std::thread::scope(|scope| {
            let waits = scope.spawn(|| {
                running.unless_stopped(move || {
                    let _ = heard.recv();
                    let _ = send.send(());
                })
            });
            running.control.stop();
            assert_eq!(waits.join().unwrap(), None);
            // The step itself is not broken off.
            assert!(ended.try_recv().is_err());
            go.send(()).unwrap();
            ended.recv().unwrap();
        });
    }

    #[test]
    #[should_panic(expected = "broken step")]
    fn a_panic_beside_comes_back() {
        example().unless_stopped(|| panic!("broken step"));
    }

    #[test]
    fn shares_tell_the_time_that_is_left() {
        let running = example();
        assert_eq!(running.progress(), (0.0, None));
        assert!(running.share(0.0));
        std::thread::sleep(Duration::from_millis(20));
        assert!(running.share(0.25));
        let (share, left) = running.progress();
        // Three times what it took so far: at least 60 ms.
        assert!(share == 0.25 && left.is_some_and(|s| s >= 0.06), "{left:?}");
        running.control.stop();
        assert!(!running.share(0.5));
    }
}
