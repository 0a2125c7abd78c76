//! The render queue: one worker, durable strips, true progress.

use super::preview::{SCREEN_TONE, eye};
use super::{App, Result, WorkError};
use crate::api::types::{Event, Order, OrderSpec, OrderState};
use crate::folder::{DataFolder, remove};
use crate::store::OrderRow;
use dome_files::picture_file::{self, PictureSpec};
use dome_files::{FileError, PictureFormat, exr_picture::ExrStrips, jpeg, strip_file};
use dome_imaging::scale::Shrink;
use dome_imaging::{Picture, Strip};
use dome_optics::PanoramaSize;
use dome_trace::{Control, Render};
use std::path::Path;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Condvar, Mutex, PoisonError};
use std::time::{Duration, Instant};

/// Width of the picture of a master for the screen, pixels.
pub const DISPLAY_WIDTH: u32 = 2048;
/// Width of a project's picture on its card, pixels.
pub const CARD_WIDTH: u32 = 640;

/// The order that is being rendered.
pub struct Running {
    /// Its number.
    pub id: i64,
    /// The way to watch and stop it.
    pub control: Control,
    pixels: u64,
    /// Pixels that were finished before this run.
    earlier: AtomicU64,
    started: Instant,
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
        let master = std::fs::metadata(folder.master(row.id))
            .ok()
            .map(|m| m.len());
        let done = row.state == OrderState::Done;
        let strips = if done {
            Vec::new()
        } else {
            finished_strips(folder, row.id, &row.spec)
        };
        let pixels = u64::from(row.spec.width) * u64::from(row.spec.height);
        let (progress, remaining_s, now) = match &running {
            Some(r) => {
                let share = r.control.pixels_done() as f64 / r.pixels as f64;
                let fresh = r.control.pixels_done() - r.earlier.load(Ordering::Relaxed);
                let spent = r.started.elapsed().as_secs_f64();
                let left = (fresh > 0).then(|| {
                    spent / fresh as f64 * (r.pixels - r.control.pixels_done().min(r.pixels)) as f64
                });
                // All pixels rendered is not yet a file on disk.
                (share.min(0.99), left, spent)
            }
            None if done => (1.0, None, 0.0),
            None => {
                let rows: u64 = strips.iter().map(|s| u64::from(s.1)).sum();
                (
                    rows as f64 * f64::from(row.spec.width) / pixels as f64 * 0.99,
                    None,
                    0.0,
                )
            }
        };
        Order {
            id: row.id,
            project: row.project,
            spec: row.spec,
            state: row.state,
            progress,
            strips,
            remaining_s,
            spent_s: row.spent_s + now,
            master_bytes: master.filter(|_| done),
            problem: row.problem,
        }
    }
}

/// The strips that are on disk.
fn finished_strips(folder: &DataFolder, id: i64, spec: &OrderSpec) -> Vec<(u32, u32)> {
    Render::strip_places(spec.height)
        .filter(|(top, _)| folder.strip(id, *top).exists())
        .collect()
}

/// Starts the worker.
pub fn start(app: Arc<App>) {
    app.queue.wake();
    std::thread::spawn(move || {
        // Threads of its own, so that live pictures never wait behind a strip.
        let pool = rayon::ThreadPoolBuilder::new()
            .thread_name(|i| format!("render-{i}"))
            .build();
        loop {
            app.queue.wait();
            while let Ok(Some(row)) = app.store.next_order() {
                let id = row.id;
                let outcome = match &pool {
                    Ok(pool) => pool.install(|| run(&app, &row)),
                    Err(_) => run(&app, &row),
                };
                finish(&app, id, outcome);
            }
        }
    });
}

fn finish(app: &App, id: i64, outcome: Result<bool>) {
    let spent = app
        .queue
        .running()
        .map_or(0.0, |r| r.started.elapsed().as_secs_f64());
    *app.queue
        .running
        .lock()
        .unwrap_or_else(PoisonError::into_inner) = None;
    // An order that was removed meanwhile needs no state.
    let _ = app.store.add_time(id, spent);
    let _ = match outcome {
        Ok(true) => app.store.set_order_state(id, OrderState::Done, None),
        Ok(false) => app.store.set_order_state(id, OrderState::Stopped, None),
        Err(e) => app
            .store
            .set_order_state(id, OrderState::Failed, Some(&e.to_string())),
    };
    match app.store.order(id) {
        Ok(_) => app.tell_order(id),
        Err(_) => remove(&app.folder.order(id)),
    }
}

/// Renders an order to its end (true) or until it is stopped (false).
fn run(app: &App, row: &OrderRow) -> Result<bool> {
    let spec = &row.spec;
    let size = PanoramaSize::from_width(spec.width)?;
    let running = Arc::new(Running {
        id: row.id,
        control: Control::default(),
        pixels: size.pixels(),
        earlier: AtomicU64::new(0),
        started: Instant::now(),
    });
    *app.queue
        .running
        .lock()
        .unwrap_or_else(PoisonError::into_inner) = Some(Arc::clone(&running));
    app.store
        .set_order_state(row.id, OrderState::Running, None)?;
    app.tell_order(row.id);
    let strips = app.folder.strips(row.id);
    std::fs::create_dir_all(&strips).map_err(FileError::io("Making", &strips))?;

    let scene = app.scenes.get(app, row.project)?;
    let eye = eye(&spec.pose);
    let render = Render {
        scene: &scene,
        sky: spec.sky,
        eye: &eye,
        size,
        samples: spec.samples,
        seed: spec.seed,
    };
    let places: Vec<_> = Render::strip_places(size.height()).collect();
    let kept: Vec<bool> = places
        .iter()
        .map(|&(top, rows)| is_kept(&app.folder.strip(row.id, top), top, rows, size.width()))
        .collect();
    let earlier: u64 = places
        .iter()
        .zip(&kept)
        .filter(|(_, kept)| **kept)
        .map(|((_, rows), _)| u64::from(*rows) * u64::from(size.width()))
        .sum();
    running.earlier.store(earlier, Ordering::Relaxed);
    running.control.count_pixels(earlier);

    let missing = places.iter().zip(&kept).filter(|(_, kept)| !**kept);
    let whole = telling(app, row.id, || {
        for (&(top, rows), _) in missing {
            let Ok(strip) = render.strip(top, rows, &running.control) else {
                return Ok(false);
            };
            strip_file::write(&app.folder.strip(row.id, top), &strip)?;
        }
        Ok::<_, WorkError>(true)
    })?;
    if !whole {
        return Ok(false);
    }
    write_master(app, row.id, spec, &places)?;
    make_pictures(app, row.project, row.id, spec)?;
    remove(&strips);
    Ok(true)
}

/// Does some work and tells twice a second meanwhile how far the order is.
fn telling<T>(app: &App, id: i64, work: impl FnOnce() -> T) -> T {
    let ended = AtomicBool::new(false);
    std::thread::scope(|scope| {
        let teller = scope.spawn(|| {
            while !ended.load(Ordering::Relaxed) {
                std::thread::park_timeout(Duration::from_millis(500));
                if !ended.load(Ordering::Relaxed) {
                    app.tell_order(id);
                }
            }
        });
        let done = work();
        ended.store(true, Ordering::Relaxed);
        teller.thread().unpark();
        done
    })
}

fn is_kept(path: &Path, top: u32, rows: u32, width: u32) -> bool {
    path.exists()
        && strip_file::read(path)
            .is_ok_and(|s| s.top == top && s.rows() == rows && s.width == width)
}

fn write_master(app: &App, id: i64, spec: &OrderSpec, places: &[(u32, u32)]) -> Result<()> {
    let picture = PictureSpec::panorama(
        PictureFormat::Exr,
        spec.width,
        spec.height,
        spec.pose.heading_deg,
    );
    let strips = places
        .iter()
        .map(|(top, _)| strip_file::read(&app.folder.strip(id, *top)));
    picture_file::write(&app.folder.master(id), &picture, strips)?;
    Ok(())
}

/// The picture for the screen and, for the project's newest master, the card.
fn make_pictures(app: &App, project: i64, id: i64, spec: &OrderSpec) -> Result<()> {
    let small = shrink(
        ExrStrips::open(&app.folder.master(id))?,
        (spec.width, spec.height),
        DISPLAY_WIDTH,
    )?;
    save_jpeg(&app.folder.display(id), &small)?;
    save_jpeg(
        &app.folder.card(project),
        &dome_imaging::scale::shrink_to_width(&small, CARD_WIDTH),
    )?;
    app.tell(Event::Project { project });
    Ok(())
}

/// A picture made smaller while it is read.
pub fn shrink(
    strips: impl Iterator<Item = dome_files::error::Result<Strip>>,
    size: (u32, u32),
    width: u32,
) -> Result<Picture> {
    let width = width.min(size.0);
    let mut shrink = Shrink::new(size, (width, width / 2));
    for strip in strips {
        shrink
            .add(&strip?)
            .map_err(|e| WorkError::Request(e.to_string()))?;
    }
    Ok(shrink.finish())
}

/// Saves a picture as the screen shows it.
pub fn save_jpeg(path: &Path, picture: &Picture) -> Result<()> {
    let jpeg = jpeg::encode_small(
        picture.width,
        picture.height,
        &SCREEN_TONE.to_srgb8(&picture.samples),
        88,
    )?;
    Ok(dome_files::atomic::write_bytes(path, &jpeg)?)
}

/// Stops an order that waits or runs.
pub fn stop(app: &App, id: i64) -> Result<()> {
    match app.store.order(id)?.state {
        OrderState::Queued => {
            app.store.set_order_state(id, OrderState::Stopped, None)?;
            app.tell_order(id);
            Ok(())
        }
        OrderState::Running => {
            if let Some(running) = app.queue.running().filter(|r| r.id == id) {
                running.control.stop();
            }
            Ok(())
        }
        _ => Err(WorkError::Conflict(format!(
            "Order {id} is neither waiting nor running; there is nothing to stop."
        ))),
    }
}

/// Lets a stopped or failed order go on from its finished strips.
pub fn resume(app: &App, id: i64) -> Result<()> {
    match app.store.order(id)?.state {
        OrderState::Stopped | OrderState::Failed => {
            app.store.set_order_state(id, OrderState::Queued, None)?;
            app.tell_order(id);
            app.queue.wake();
            Ok(())
        }
        _ => Err(WorkError::Conflict(format!(
            "Order {id} is not stopped; there is nothing to go on with."
        ))),
    }
}

/// Removes an order with its files and packages.
pub fn discard(app: &App, id: i64) -> Result<()> {
    if let Some(running) = app.queue.running().filter(|r| r.id == id) {
        // The worker removes the files when it has stopped.
        running.control.stop();
    }
    for package in app.store.package_ids(id)? {
        remove(&app.folder.package(package));
    }
    app.store.remove_order(id)?;
    if app.queue.running().is_none_or(|r| r.id != id) {
        remove(&app.folder.order(id));
    }
    Ok(())
}
