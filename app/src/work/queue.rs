//! The render queue: which order is whose turn, how far it is, and how it ends.

use super::rendering::{self, Ended, finished_strips};
use super::{App, Result, WorkError};
use crate::api::types::{Order, OrderState, QueueEntry};
use crate::folder::DataFolder;
use crate::store::{OrderRow, Store, StoreError};
use dome_imaging::NoiseSum;
use dome_trace::{Control, Forecast};
use std::collections::BTreeSet;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, OnceLock, PoisonError};
use std::time::{Duration, Instant};

/// The order that is being rendered.
pub struct Running {
    /// Its number.
    pub id: i64,
    /// The way to watch and stop it.
    pub control: Control,
    started: Instant,
    /// The fingerprint of its picture, once its files are in use.
    picture: OnceLock<String>,
    /// What is to be said of it now, where the database has no room for it.
    note: Mutex<Option<&'static str>>,
    /// What is known of the work; filled once the first looks have been taken.
    work: Mutex<Option<Work>>,
}

/// How far the order is.
pub(super) struct Work {
    /// What the strips are expected to take.
    pub(super) forecast: Forecast,
    /// First rows of the finished strips.
    pub(super) finished: BTreeSet<u32>,
    /// The strip that is being made, and the samples taken before it.
    pub(super) current: Option<(u32, u64)>,
    /// Share that was done, and the time, when this run's own work began.
    pub(super) earlier: (f64, Instant),
    /// Noise of the finished strips.
    pub(super) noise: NoiseSum,
    /// Pixels of the finished strips.
    pub(super) pixels: u64,
}

impl Running {
    fn new(id: i64) -> Self {
        Self {
            id,
            control: Control::default(),
            started: Instant::now(),
            picture: OnceLock::new(),
            note: Mutex::new(None),
            work: Mutex::new(None),
        }
    }

    /// Asks the database again for as long as somebody else holds it, so that an order is not lost by that.
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

    fn note(&self) -> MutexGuard<'_, Option<&'static str>> {
        self.note.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Its files are in use from now on.
    pub(super) fn uses(&self, picture: &str) {
        let _ = self.picture.set(picture.to_owned());
    }

    /// Whether it uses the files of a picture.
    pub(super) fn is_using(&self, picture: &str) -> bool {
        self.picture.get().is_some_and(|p| p == picture)
    }

    /// The work itself begins.
    pub(super) fn begin(&self, work: Work) {
        *self.work.lock().unwrap_or_else(PoisonError::into_inner) = Some(work);
    }

    pub(super) fn with_work<T>(&self, change: impl FnOnce(&mut Work) -> T) -> Option<T> {
        let mut work = self.work.lock().unwrap_or_else(PoisonError::into_inner);
        work.as_mut().map(change)
    }

    /// Share of the work that is done, and the seconds that are left once they can be told.
    fn progress(&self) -> (f64, Option<f64>) {
        let samples = self.control.samples_done();
        self.with_work(|w| {
            let current = w.current.map(|(top, before)| (top, samples - before));
            let share = w.forecast.share(|top| w.finished.contains(&top), current);
            let (earlier, since) = w.earlier;
            let left = (share - earlier > 1e-3)
                .then(|| since.elapsed().as_secs_f64() * (1.0 - share) / (share - earlier));
            (share, left)
        })
        .unwrap_or((0.0, None))
    }

    /// Noise in percent and mean samples of what is finished.
    pub(super) fn noise(&self) -> (Option<f64>, Option<f64>) {
        self.with_work(|w| {
            let pixels = w.pixels.max(1) as f64;
            let mean = (w.pixels > 0).then(|| w.noise.samples as f64 / pixels);
            (w.noise.percent(), mean)
        })
        .unwrap_or((None, None))
    }
}

/// The queue's state beside the database.
#[derive(Default)]
pub struct Queue {
    running: Mutex<Option<Arc<Running>>>,
    wake: Condvar,
    /// Guarded by itself: whether something may be waiting.
    pending: Mutex<bool>,
}

impl Queue {
    /// The order that is being rendered.
    pub fn running(&self) -> Option<Arc<Running>> {
        self.running
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .clone()
    }

    /// Tells the worker that there may be something to do.
    pub fn wake(&self) {
        *self.pending.lock().unwrap_or_else(PoisonError::into_inner) = true;
        self.wake.notify_all();
    }

    /// Stops the order that is being rendered if it was removed.
    pub fn stop_removed(&self, store: &Store) {
        if let Some(running) = self.running()
            && matches!(store.order(running.id), Err(StoreError::Missing { .. }))
        {
            running.control.stop();
        }
    }

    /// The next order, claimed for the worker. From then on a stop finds it here.
    fn claim(&self, store: &Store) -> Result<Option<(OrderRow, Arc<Running>)>> {
        let mut running = self.running.lock().unwrap_or_else(PoisonError::into_inner);
        let Some(row) = store.claim_order()? else {
            return Ok(None);
        };
        let claimed = Arc::new(Running::new(row.id));
        *running = Some(Arc::clone(&claimed));
        Ok(Some((row, claimed)))
    }

    fn wait(&self) {
        let mut pending = self.pending.lock().unwrap_or_else(PoisonError::into_inner);
        while !*pending {
            pending = self
                .wake
                .wait(pending)
                .unwrap_or_else(PoisonError::into_inner);
        }
        *pending = false;
    }

    /// An order with its strips, progress and remaining time.
    pub fn describe(&self, folder: &DataFolder, row: OrderRow) -> Order {
        let running = self.running().filter(|r| r.id == row.id);
        let files = row.files(folder);
        let master = std::fs::metadata(files.master()).ok().map(|m| m.len());
        let done = row.state == OrderState::Done && master.is_some();
        let (state, problem) = match row.state {
            OrderState::Done if !done => (OrderState::Failed, Some(MASTER_GONE.to_owned())),
            state => (state, row.problem),
        };
        let said = running.as_ref().and_then(|r| *r.note());
        let problem = said.map(String::from).or(problem);
        let strips = if done {
            Vec::new()
        } else {
            finished_strips(&files, &row.spec)
        };
        let (progress, remaining_s, now) = match &running {
            Some(r) => {
                let (share, left) = r.progress();
                // All strips rendered is not yet a file on disk.
                (share * 0.99, left, r.started.elapsed().as_secs_f64())
            }
            None if done => (1.0, None, 0.0),
            None => {
                let rows: u32 = strips.iter().map(|s| s.1).sum();
                let share = f64::from(rows) / f64::from(row.spec.height.max(1));
                (share * 0.99, None, 0.0)
            }
        };
        let (noise_percent, mean_samples) = match &running {
            Some(r) => r.noise(),
            None => (row.noise_percent, row.mean_samples),
        };
        Order {
            id: row.id,
            project: row.project,
            spec: row.spec,
            state,
            progress,
            strips,
            remaining_s,
            noise_percent,
            mean_samples,
            spent_s: row.spent_s + now,
            master_bytes: master.filter(|_| done),
            problem,
            picture: row.picture,
        }
    }
}

/// Starts the worker.
pub fn start(app: Arc<App>) {
    app.queue.wake();
    std::thread::spawn(move || {
        // Threads of its own, so that live pictures never wait behind a strip.
        let pool = rayon::ThreadPoolBuilder::new()
            .thread_name(|i| format!("render-{i}"))
            .build();
        let mut without_room = 0;
        loop {
            app.queue.wait();
            loop {
                let (row, running) = match app.queue.claim(&app.store) {
                    Ok(Some(claimed)) => claimed,
                    Ok(None) => break,
                    // The database is locked, or its disk is full: later it may not be.
                    Err(_) => {
                        std::thread::sleep(FIRST_PAUSE);
                        continue;
                    }
                };
                app.tell_order(row.id);
                let work = || match &pool {
                    Ok(pool) => pool.install(|| rendering::run(&app, &row, &running)),
                    Err(_) => rendering::run(&app, &row, &running),
                };
                let outcome = catch_unwind(AssertUnwindSafe(work))
                    .unwrap_or_else(|panic| Err(WorkError::Broke(said(&*panic))));
                if end(&app, &running, outcome) {
                    without_room = 0;
                } else {
                    without_room += 1;
                    std::thread::sleep(pause(without_room));
                }
            }
        }
    });
}

/// How long is waited before something is tried again that failed, the first time.
const FIRST_PAUSE: Duration = Duration::from_secs(1);

/// How long is waited after so many failures in a row: longer each time, up to half a minute.
fn pause(failures: u32) -> Duration {
    FIRST_PAUSE * (1 << failures.saturating_sub(1).min(5)).min(30)
}

/// What a panic said, on one line.
fn said(panic: &(dyn std::any::Any + Send)) -> String {
    let text = (panic.downcast_ref::<String>().map(String::as_str))
        .or_else(|| panic.downcast_ref::<&str>().copied());
    let line = text.and_then(|t| t.lines().next());
    line.unwrap_or("no reason is known")
        .chars()
        .take(160)
        .collect()
}

/// What is said of an order that waits for room on the disk.
const NO_ROOM: &str = "The disk of the data folder is full. What is finished is kept, and it goes on by itself when there is room.";

/// Writes down how an order ended, however long the database or its disk keep one waiting. False if there was no room for its
/// work, so that it waits for its turn again.
fn end(app: &App, running: &Running, outcome: Result<Ended>) -> bool {
    let id = running.id;
    let (state, problem) = match outcome {
        Ok(Ended::Done(note)) => (OrderState::Done, note),
        Ok(Ended::Stopped) => (OrderState::Stopped, None),
        Err(e) if e.is_disk_full() && !running.control.is_stopped() => {
            (OrderState::Queued, Some(NO_ROOM.to_owned()))
        }
        Err(e) => (OrderState::Failed, Some(e.to_string())),
    };
    let spent = running.started.elapsed().as_secs_f64();
    if state == OrderState::Queued {
        // A full disk has no room for the sentence either.
        *running.note() = Some(NO_ROOM);
        app.tell_order(id);
    }
    let mut failures = 0;
    loop {
        match (app.store).end_order(id, state, problem.as_deref(), spent) {
            // An order that was removed meanwhile needs no state.
            Ok(()) | Err(StoreError::Missing { .. }) => break,
            Err(_) => {
                failures += 1;
                std::thread::sleep(pause(failures));
            }
        }
    }
    *(app.queue.running.lock()).unwrap_or_else(PoisonError::into_inner) = None;
    app.tell_order(id);
    app.sweep();
    state != OrderState::Queued
}

/// An order that waits or is rendered, of whatever project.
pub fn all_waiting(app: &App) -> Result<Vec<QueueEntry>> {
    let mut entries = Vec::new();
    for card in app.store.project_cards()? {
        for row in app.store.orders(card.id)? {
            if !matches!(row.state, OrderState::Queued | OrderState::Running) {
                continue;
            }
            let running = app.queue.running().filter(|r| r.id == row.id);
            let (progress, remaining_s) = running.map_or((0.0, None), |r| r.progress());
            entries.push(QueueEntry {
                order: row.id,
                project: card.id,
                project_name: card.name.clone(),
                viewpoint: row.spec.viewpoint,
                state: row.state,
                progress,
                remaining_s,
            });
        }
    }
    // The one at work, then in the order of their turns.
    entries.sort_by_key(|e| (e.state != OrderState::Running, e.order));
    Ok(entries)
}

/// What is said of an order whose finished picture was taken away.
const MASTER_GONE: &str =
    "The file of its master is gone from the data folder; Resume makes it again.";

/// Stops an order that waits or runs.
pub fn stop(app: &App, id: i64) -> Result<()> {
    let before = app.store.order(id)?.state;
    // One that waits is stopped before the worker can claim it, or the worker has it: there is nothing between.
    if (app.store).move_order(id, &[OrderState::Queued], OrderState::Stopped, None)? {
        app.tell_order(id);
        return Ok(());
    }
    match app.queue.running().filter(|r| r.id == id) {
        Some(running) => running.control.stop(),
        // It ended while this was asked.
        None if before == OrderState::Running => {}
        None => {
            return Err(WorkError::Conflict(format!(
                "Order {id} is neither waiting nor running; there is nothing to stop."
            )));
        }
    }
    Ok(())
}

/// Lets a stopped or failed order go on from its finished strips, and makes a picture again whose master is gone.
pub fn resume(app: &App, id: i64) -> Result<()> {
    let row = app.store.order(id)?;
    let mut from = vec![OrderState::Stopped, OrderState::Failed];
    if !row.files(&app.folder).master().exists() {
        from.push(OrderState::Done);
    }
    if !(app.store).move_order(id, &from, OrderState::Queued, None)? {
        return Err(WorkError::Conflict(format!(
            "Order {id} is not stopped; there is nothing to resume."
        )));
    }
    app.tell_order(id);
    app.queue.wake();
    Ok(())
}

/// Removes an order with its packages, and its picture if no other order wants it.
pub fn discard(app: &App, id: i64) -> Result<()> {
    app.store.remove_order(id)?;
    if let Some(running) = app.queue.running().filter(|r| r.id == id) {
        // The worker lets the files go when it has stopped.
        running.control.stop();
    }
    app.sweep();
    Ok(())
}
