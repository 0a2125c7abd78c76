//! The render queue: one worker, durable strips, true progress.

use super::convert;
use super::denoise::{Way, denoised, written};
use super::preview::SCREEN_TONE;
use super::recipe::{Recipe, only};
use super::{App, Result, WorkError};
use crate::api::types::{Event, Order, OrderSpec, OrderState, QueueEntry};
use crate::folder::{DataFolder, RenderFolder, remove};
use crate::store::OrderRow;
use dome_files::picture_file::{self, PictureSpec};
use dome_files::{
    Description, FileError, Mark, PictureFormat, exr_picture::ExrStrips, jpeg, strip_file,
};
use dome_imaging::scale::Shrink;
use dome_imaging::{LayerSpec, LayeredStrip, NoiseSum, Picture, Strip};
use dome_optics::Shape;
use dome_trace::{Control, Forecast, Render, Scene};
use std::collections::BTreeSet;
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Condvar, Mutex, PoisonError};
use std::time::{Duration, Instant};

/// Width of the picture of a master for the screen, pixels.
pub const DISPLAY_WIDTH: u32 = 2048;
/// Width of a flat picture for the screen, pixels.
const FLAT_WIDTH: u32 = 1024;
/// Width of a project's picture on its card, pixels.
pub const CARD_WIDTH: u32 = 640;

/// The order that is being rendered.
pub struct Running {
    /// Its number.
    pub id: i64,
    /// The way to watch and stop it.
    pub control: Control,
    started: Instant,
    /// What is known of the work; filled once the first looks have been taken.
    work: Mutex<Option<Work>>,
}

/// How far the order is.
struct Work {
    forecast: Forecast,
    finished: BTreeSet<u32>,
    /// The strip that is being made, and the samples taken before it.
    current: Option<(u32, u64)>,
    /// Share that was done, and the time, when this run's own work began.
    earlier: (f64, Instant),
    noise: NoiseSum,
    pixels: u64,
}

impl Running {
    fn new(id: i64) -> Self {
        Self {
            id,
            control: Control::default(),
            started: Instant::now(),
            work: Mutex::new(None),
        }
    }

    fn with_work<T>(&self, change: impl FnOnce(&mut Work) -> T) -> Option<T> {
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
    fn noise(&self) -> (Option<f64>, Option<f64>) {
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
        let done = row.state == OrderState::Done;
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
            state: row.state,
            progress,
            strips,
            remaining_s,
            noise_percent,
            mean_samples,
            spent_s: row.spent_s + now,
            master_bytes: master.filter(|_| done),
            problem: row.problem,
            picture: row.picture,
        }
    }
}

/// The strips that are on disk.
fn finished_strips(files: &RenderFolder, spec: &OrderSpec) -> Vec<(u32, u32)> {
    Render::strip_places(spec.height)
        .filter(|(top, _)| files.strip(*top).exists())
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

/// How an order ended.
enum Ended {
    /// Its master is there; what is to be said about it.
    Done(Option<String>),
    Stopped,
}

fn finish(app: &App, id: i64, outcome: Result<Ended>) {
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
        Ok(Ended::Done(note)) => app
            .store
            .set_order_state(id, OrderState::Done, note.as_deref()),
        Ok(Ended::Stopped) => app.store.set_order_state(id, OrderState::Stopped, None),
        Err(e) => app
            .store
            .set_order_state(id, OrderState::Failed, Some(&e.to_string())),
    };
    app.tell_order(id);
    sweep(app);
}

/// Removes what was rendered for orders that are not there any more, or that make another picture now. Where the database
/// cannot tell which those are, everything stays.
pub fn sweep(app: &App) {
    let Ok(known) = app.store.rendered_pictures() else {
        return;
    };
    let Ok(entries) = std::fs::read_dir(app.folder.renders()) else {
        return;
    };
    for entry in entries.flatten() {
        if !known.contains(&*entry.file_name().to_string_lossy()) {
            remove(&entry.path());
        }
    }
}

/// Renders an order to its end or until it is stopped.
fn run(app: &App, row: &OrderRow) -> Result<Ended> {
    let spec = &row.spec;
    let recipe = Recipe::of_order(spec)?;
    let running = Arc::new(Running::new(row.id));
    *app.queue
        .running
        .lock()
        .unwrap_or_else(PoisonError::into_inner) = Some(Arc::clone(&running));
    app.store
        .set_order_state(row.id, OrderState::Running, None)?;
    app.tell_order(row.id);

    let scene = app.scenes.get_as(app, row.project, &spec.settings)?;
    let light = app
        .scenes
        .light(app, row.project, &spec.settings, spec.draft)?;
    let sky = app.scenes.sky_picture(app, row.project, &spec.settings)?;
    let description = recipe.describe(&scene, sky);
    let job = Job {
        mark: Mark::still(description.fingerprint()),
        files: app
            .folder
            .render(Some(&description.fingerprint().to_string())),
        recipe: &recipe,
        scene: &scene,
    };
    let begun_anew = begin(app, row, &job, &description)?;
    if let Some(note) = &begun_anew {
        app.store
            .set_order_state(row.id, OrderState::Running, Some(note))?;
    }
    if job.files.master().exists() {
        // Another order made this very picture.
        if let Some((percent, samples)) =
            (app.store).noise_of(&description.fingerprint().to_string())?
        {
            app.store.set_noise(row.id, percent, samples)?;
        }
        if !job.files.display().exists() {
            make_pictures(app, row.project, &job)?;
        }
        return Ok(Ended::Done(begun_anew));
    }

    let eye = recipe.eye();
    let render = recipe.render(&scene, &light, &*eye);
    let layers = render.passes.layers();
    let width = recipe.size.width();
    let places: Vec<_> = Render::strip_places(recipe.size.height()).collect();
    let mut finished = BTreeSet::new();
    let (mut noise, mut pixels) = (NoiseSum::default(), 0);
    for &(top, rows) in &places {
        let kept = read_strip(&job.files, &job.mark, (top, rows), width, &layers);
        if let Some(strip) = kept {
            finished.insert(top);
            noise.add(strip.noise);
            pixels += u64::from(rows) * u64::from(width);
        }
    }
    let forecast = Forecast::look(&render, &places);
    let earlier = forecast.share(|top| finished.contains(&top), None);
    let missing: Vec<_> = places
        .iter()
        .filter(|(top, _)| !finished.contains(top))
        .copied()
        .collect();
    *running.work.lock().unwrap_or_else(PoisonError::into_inner) = Some(Work {
        forecast,
        finished,
        current: None,
        earlier: (earlier, Instant::now()),
        noise,
        pixels,
    });

    let made = telling(app, row.id, || {
        for (top, rows) in missing {
            let before = running.control.samples_done();
            running.with_work(|w| w.current = Some((top, before)));
            let Ok(strip) = render.strip(top, rows, &running.control) else {
                return Ok(None);
            };
            strip_file::write(&job.files.strip(top), &job.mark, &strip, &layers)?;
            running.with_work(|w| {
                w.current = None;
                w.finished.insert(top);
                w.noise.add(strip.noise);
                w.pixels += u64::from(rows) * u64::from(width);
            });
        }
        Ok::<_, WorkError>(Some(write_master(&job, &description, &places)?))
    })?;
    let Some(note) = made else {
        return Ok(Ended::Stopped);
    };
    let (percent, samples) = running.noise();
    app.store
        .set_noise(row.id, percent, samples.unwrap_or(0.0))?;
    make_pictures(app, row.project, &job)?;
    remove(&job.files.strips());
    let notes: Vec<String> = begun_anew
        .into_iter()
        .chain(note.map(String::from))
        .collect();
    Ok(Ended::Done((!notes.is_empty()).then(|| notes.join(" "))))
}

/// A picture on its way: which it is, how it is made, where its files lie.
struct Job<'a> {
    mark: Mark,
    files: RenderFolder,
    recipe: &'a Recipe,
    scene: &'a Scene,
}

/// Makes the picture's place and remembers that the order makes this picture. If it made another one before, what was
/// finished of that is of no use any more; the answer says why.
fn begin(
    app: &App,
    row: &OrderRow,
    job: &Job,
    description: &Description,
) -> Result<Option<String>> {
    let before = row.files(&app.folder);
    let another = before != job.files && !finished_strips(&before, &row.spec).is_empty();
    // Kept under its picture first: a folder that no order knows is swept away.
    app.store
        .set_order_picture(row.id, &description.fingerprint().to_string())?;
    let strips = job.files.strips();
    std::fs::create_dir_all(&strips).map_err(FileError::io("Making", &strips))?;
    if !job.files.description().exists() {
        let text = description.to_string();
        dome_files::atomic::write_bytes(&job.files.description(), text.as_bytes())?;
    }
    if !another {
        return Ok(None);
    }
    let told = std::fs::read_to_string(before.description()).ok();
    let changed = match told.and_then(|t| t.parse::<Description>().ok()) {
        Some(old) => format!("other now: {}", description.told_differences(&old)),
        None => "it was begun by an earlier version".into(),
    };
    Ok(Some(format!(
        "Begun anew, because the strips of before would not fit ({changed})."
    )))
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

/// A strip of a picture if it is there, whole, and the one that belongs there.
fn read_strip(
    files: &RenderFolder,
    mark: &Mark,
    (top, rows): (u32, u32),
    width: u32,
    layers: &[LayerSpec],
) -> Option<LayeredStrip> {
    let path = files.strip(top);
    let strip = path
        .exists()
        .then(|| strip_file::read(&path, mark, layers))?
        .ok()?;
    let beauty = &strip.beauty;
    (beauty.top == top && beauty.rows() == rows && beauty.width == width).then_some(strip)
}

/// The mark of an order's strips.
fn mark_of(row: &OrderRow) -> Result<Mark> {
    let picture = row.picture.as_deref().unwrap_or_default();
    Ok(Mark::still(picture.parse()?))
}

/// A finished strip of an order as the screen shows it, if it is there.
pub fn strip_of(app: &App, id: i64, top: u32) -> Result<Option<Strip>> {
    let row = app.store.order(id)?;
    let path = row.files(&app.folder).strip(top);
    if !path.exists() {
        return Ok(None);
    }
    let layers = Recipe::of_order(&row.spec)?.strip_passes().layers();
    let strip = strip_file::read(&path, &mark_of(&row)?, &layers)?;
    Ok(Some(strip.beauty))
}

/// What is finished of an order's picture, as the screen shows it; the rest is grey. One answer for hundreds of strips.
pub fn finished_picture(app: &App, id: i64) -> Result<Picture> {
    let row = app.store.order(id)?;
    let (files, mark) = (row.files(&app.folder), mark_of(&row));
    let spec = row.spec;
    let layers = Recipe::of_order(&spec)?.strip_passes().layers();
    let across = spec.width.min(DISPLAY_WIDTH);
    let down = (u64::from(across) * u64::from(spec.height) / u64::from(spec.width.max(1))) as u32;
    let mut shrink = Shrink::new((spec.width, spec.height), (across, down.max(1)));
    for place in Render::strip_places(spec.height) {
        let strip = (mark.as_ref().ok())
            .and_then(|mark| read_strip(&files, mark, place, spec.width, &layers));
        let beauty = strip.map_or_else(
            || Strip {
                top: place.0,
                width: spec.width,
                samples: vec![NOT_YET; (place.1 * spec.width) as usize * 3],
            },
            |s| s.beauty,
        );
        shrink
            .add(&beauty)
            .map_err(|e| WorkError::Request(e.to_string()))?;
    }
    Ok(shrink.finish())
}

/// Light that the screen shows as the grey round pictures.
const NOT_YET: f32 = 0.185;

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

fn write_master(
    job: &Job,
    description: &Description,
    places: &[(u32, u32)],
) -> Result<Option<&'static str>> {
    let (made, wanted) = (job.recipe.strip_passes(), &job.recipe.passes);
    let layers = made.layers();
    let picture = PictureSpec {
        description: Some(description.clone()),
        ..job.recipe.file(PictureFormat::Exr, job.scene)
    };
    let height = job.recipe.size.height();
    let write = |way: &Way| {
        let strips = places
            .iter()
            .map(|(top, _)| strip_file::read(&job.files.strip(*top), &job.mark, &layers));
        let strips = denoised(strips, &made, height, way);
        let strips = strips.map(|s| Ok(only(s?, &made, wanted)));
        picture_file::write(&job.files.master(), &picture, strips)
    };
    Ok(written(job.recipe.denoise, write)?.1)
}

/// The picture for the screen and, for the project's newest master, the card. A master in another shape is
/// shown as the sphere that it holds, and flat beside it.
fn make_pictures(app: &App, project: i64, job: &Job) -> Result<()> {
    let master = job.files.master();
    let size = job.recipe.size;
    let flat = |width| {
        shrink(
            ExrStrips::open(&master)?,
            (size.width(), size.height()),
            width,
        )
    };
    let small = if size.shape == Shape::Equirect {
        flat(DISPLAY_WIDTH)?
    } else {
        save_jpeg(&job.files.flat(), &flat(FLAT_WIDTH)?)?;
        let loaded = convert::load(&master, None)?;
        let natural = convert::natural_size(
            loaded.source.shape(),
            loaded.source.size().0,
            Shape::Equirect,
        )?;
        convert::sphere(&loaded, natural.width().min(DISPLAY_WIDTH) & !1)
    };
    save_jpeg(&job.files.display(), &small)?;
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
    let height = u64::from(width) * u64::from(size.1) / u64::from(size.0.max(1));
    let mut shrink = Shrink::new(size, (width, height as u32));
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
            "Order {id} is not stopped; there is nothing to resume."
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
    if app.queue.running().is_none() {
        sweep(app);
    }
    Ok(())
}
