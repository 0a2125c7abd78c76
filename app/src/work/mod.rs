//! What the server does beside answering: scenes in memory, live pictures, jobs.

pub mod aim;
pub mod asked;
pub mod bring;
pub mod cameras;
pub mod convert;
pub mod denoise;
pub mod depth;
pub mod depth_frames;
pub mod diagnose;
pub mod distributions;
pub mod estimate;
pub mod events;
pub mod eyes;
pub mod farm;
pub mod filing;
pub mod film;
pub mod film_frames;
pub mod film_package;
pub mod finished;
pub mod foretell;
pub mod frame_orders;
pub mod frame_plan;
pub mod frames;
pub mod history;
pub mod jobs;
pub mod joining;
pub mod large;
pub mod look;
mod masters;
pub mod meanwhile;
pub mod metering;
pub mod ordering;
pub mod outputs;
pub mod package;
pub mod packing;
pub mod pair_files;
pub mod passes;
pub mod paths;
pub mod pattern;
pub mod picture_jobs;
pub mod picture_pairs;
pub mod pictures;
mod planes;
pub mod preflight;
pub mod preview;
pub mod recipe;
pub mod recover;
pub mod rendering;
pub mod replace;
pub mod running;
pub mod scenes;
pub mod screen;
mod seen_frames;
pub mod settings;
pub mod shot;
pub mod sound;
pub mod standing;
pub mod studio;
mod telling;
pub mod titles;
pub mod told;

use crate::folder::{DataFolder, bytes_in};
use crate::model::jobs::JobKind;
use crate::store::{Store, StoreError};
use dome_files::FileError;
use dome_files::budget::told;
use dome_optics::SizeError;
use dome_trace::TraceError;
use events::Events;
use jobs::Jobs;
use preflight::Preflight;
use preview::Previews;
use rayon::{ThreadPool, ThreadPoolBuilder};
use scenes::Scenes;
use std::sync::{Arc, LazyLock, Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use thiserror::Error;
use told::Event;

/// Everything the server has.
pub struct App {
    /// The data folder.
    pub folder: DataFolder,
    /// The database.
    pub store: Store,
    /// Scenes in memory.
    pub scenes: Scenes,
    /// The order of changes.
    pub changes: history::Changes,
    /// Live pictures.
    pub previews: Previews,
    /// How long orders will take.
    pub foretold: foretell::Foretold,
    /// What was found before.
    pub preflight: Preflight,
    /// All long work.
    pub jobs: Jobs,
    /// What changes.
    pub events: Events,
    /// Where orders are made that are not made here.
    pub farm: Option<farm::Farm>,
    /// What was found of frames on the disk.
    seen_frames: seen_frames::Seen,
    /// The picture of finished strips that was shown last.
    shown_strips: rendering::Shown,
    sweeping: Mutex<()>,
    /// Whether it removes what was given up; workers beside a server leave that to it.
    sweeps: bool,
}

/// Why something could not be done; each message is a whole sentence.
#[derive(Debug, Error)]
pub enum WorkError {
    /// The store.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// A scene.
    #[error(transparent)]
    Scene(#[from] TraceError),
    /// A file.
    #[error(transparent)]
    File(#[from] dome_files::FileError),
    /// A size.
    #[error(transparent)]
    Size(#[from] SizeError),
    /// A shape, or a size that it does not have.
    #[error(transparent)]
    Shape(#[from] dome_optics::ShapeError),
    /// Two eyes that cannot be.
    #[error(transparent)]
    Rig(#[from] dome_optics::rig::RigError),
    /// A packing, or a size that it does not have.
    #[error(transparent)]
    Packing(#[from] dome_optics::rig::PackingError),
    /// A request that makes no sense.
    #[error("{0}")]
    Request(String),
    /// A request that does not fit the state of things.
    #[error("{0}")]
    Conflict(String),
    /// It does not fit on the disk.
    #[error("{0}")]
    NoRoom(String),
    /// Something broke that should not have.
    #[error("Owl Dome stumbled over this work ({0}). Try it once more, and tell us if it stays.")]
    Broke(String),
}

impl WorkError {
    /// The memory that it needed in vain, bytes.
    pub fn memory_needed(&self) -> Option<u64> {
        match self {
            Self::File(FileError::OutOfMemory { needed, .. })
            | Self::Scene(TraceError::File(FileError::OutOfMemory { needed, .. })) => Some(*needed),
            _ => None,
        }
    }

    /// Whether it only lacked room on a disk.
    pub fn is_disk_full(&self) -> bool {
        match self {
            Self::File(e) | Self::Scene(TraceError::File(e)) => e.is_disk_full(),
            Self::Store(e) => e.is_disk_full(),
            _ => false,
        }
    }
}

/// The result of work.
pub type Result<T> = std::result::Result<T, WorkError>;

/// Runs what an artist waits for in threads of its own: those that gather light are busy for seconds.
pub fn at_once<T: Send>(work: impl FnOnce() -> T + Send) -> T {
    static POOL: LazyLock<Option<ThreadPool>> =
        LazyLock::new(|| ThreadPoolBuilder::new().build().ok());
    match &*POOL {
        Some(pool) => pool.install(work),
        None => work(),
    }
}

impl App {
    /// Opens a data folder whose queue others work on.
    pub fn open_idle(folder: DataFolder) -> Result<Arc<Self>> {
        Self::open_with(folder, None)
    }

    fn open_with(folder: DataFolder, farm: Option<farm::Farm>) -> Result<Arc<Self>> {
        folder.refuse_lost_database().map_err(WorkError::Conflict)?;
        recover::refuse_damaged_database(&folder)?;
        let store = Store::open(&folder.database())?;
        store.give_up_unfinished()?;
        store.release_jobs(jobs::is_alive)?;
        store.settle_lanes(farm.is_some())?;
        let app = Arc::new(Self {
            farm,
            ..Self::with(folder, store)
        });
        history::put_back_cut_off(&app)?;
        move_old_orders(&app);
        app.sweep();
        back_up_daily(&app);
        jobs::watch_others(&app);
        Ok(app)
    }

    /// Opens a data folder and starts the queue's workers.
    pub fn open(folder: DataFolder) -> Result<Arc<Self>> {
        let app = Self::open_idle(folder)?;
        jobs::start(&app);
        Ok(app)
    }

    /// Opens a data folder whose orders a farm makes, if they do not say otherwise.
    pub fn open_on_farm(folder: DataFolder, farm: farm::Farm) -> Result<Arc<Self>> {
        let app = Self::open_with(folder, Some(farm))?;
        jobs::start(&app);
        Ok(app)
    }

    /// Opens a data folder beside a server, to change its queue and bring files home.
    pub fn beside(folder: DataFolder) -> Result<Self> {
        let store = Store::open_shared(&folder.database())?;
        Ok(Self {
            sweeps: false,
            ..Self::with(folder, store)
        })
    }

    /// Works on the queue of a data folder beside a server or other workers.
    pub fn work_on(folder: DataFolder) -> Result<Arc<Self>> {
        let app = Arc::new(Self::beside(folder)?);
        jobs::start(&app);
        Ok(app)
    }

    /// Opens a data folder to look into it: nothing is put in order, nothing is rendered.
    pub fn look(folder: DataFolder) -> Result<Self> {
        let store = Store::look(&folder.database())?;
        Ok(Self::with(folder, store))
    }

    /// Held while what was given up is removed, and while a picture is begun.
    fn sweeping(&self) -> MutexGuard<'_, ()> {
        self.sweeping.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Removes the files of what was given up. What cannot be removed now is tried again the next time.
    pub fn sweep(&self) {
        if !self.sweeps {
            return;
        }
        let _alone = self.sweeping();
        let _room = Reserved(self);
        for path in self.store.leftovers().unwrap_or_default() {
            // The picture that is being rendered is let go by the worker itself.
            let picture = path.strip_prefix("renders/").unwrap_or_default();
            if self.jobs.is_using(picture) {
                continue;
            }
            let aside = self
                .store
                .put_aside(&path, || self.folder.put_leftover_aside(&path));
            if aside.unwrap_or(false) && self.folder.remove_leftover(&path) {
                let _ = self.store.forget_leftover(&path);
            }
        }
    }

    /// Does what frees room, also where none is left: the database writes down what is removed before anything is, for which some room is
    /// kept.
    pub fn freeing<T>(
        &self,
        remove: impl Fn() -> std::result::Result<T, StoreError>,
    ) -> std::result::Result<T, StoreError> {
        match remove() {
            Err(e) if e.is_disk_full() && self.folder.spend_reserve() => remove(),
            other => other,
        }
    }

    fn with(folder: DataFolder, store: Store) -> Self {
        Self {
            folder,
            store,
            scenes: Scenes::default(),
            changes: history::Changes::default(),
            previews: Previews::default(),
            foretold: foretell::Foretold::default(),
            preflight: Preflight::default(),
            jobs: Jobs::default(),
            events: Events::default(),
            farm: None,
            seen_frames: seen_frames::Seen::default(),
            shown_strips: rendering::Shown::default(),
            sweeping: Mutex::default(),
            sweeps: true,
        }
    }

    /// The server is about to end. Jobs are not waited for: they go on when it is started again.
    pub fn end(&self) {
        self.previews.give_up();
        // Whoever copies the data folder now copies everything.
        let _ = self.store.back_up(&self.folder.backups());
        let _ = self.store.settle();
    }

    /// Tells whoever listens; nobody may.
    pub fn tell(&self, event: Event) {
        self.events.tell(&event);
    }

    /// Refuses what does not fit on the disk beside what other jobs still need; `what` names it.
    pub fn room_on_disk(&self, what: &str, needed: u64) -> Result<()> {
        let Some(free) = self.free_for_new()? else {
            return Ok(());
        };
        if needed <= free {
            return Ok(());
        }
        Err(WorkError::NoRoom(format!(
            "{what} needs up to {} of disk, and {} are free beside what other jobs still need; make room, or ask for less.",
            told(needed),
            told(free)
        )))
    }

    /// Free space that no job has spoken for, bytes; nothing where it cannot be told.
    pub fn free_for_new(&self) -> Result<Option<u64>> {
        let spoken_for = self.store.disk_spoken_for(|job| match job.kind {
            JobKind::Order => {
                // One that was never begun has written nothing.
                let Some(picture) = self.store.picture_of_order(job.makes).ok().flatten() else {
                    return 0;
                };
                bytes_in(self.folder.render(Some(&picture)).path())
                    + frame_orders::written(self, job.makes)
            }
            JobKind::Package => bytes_in(&self.folder.package(job.makes)),
            _ => bytes_in(&self.folder.picture(job.makes)),
        })?;
        Ok((self.folder.free_bytes()).map(|free| free.saturating_sub(spoken_for)))
    }
}

/// Copies the database every hour in which it changed, and keeps one copy a day, for as long as the program runs. A copy that
/// fails is tried again an hour later.
fn back_up_daily(app: &Arc<App>) {
    let app = Arc::downgrade(app);
    std::thread::spawn(move || {
        while let Some(app) = app.upgrade() {
            if let Err(e) = app.store.back_up(&app.folder.backups()) {
                eprintln!("Note: {e}");
            }
            drop(app);
            std::thread::sleep(Duration::from_secs(3600));
        }
    });
}

/// Versions before fingerprints kept pictures by the numbers of their orders.
fn move_old_orders(app: &App) {
    let old = app.folder.orders_of_before();
    for entry in std::fs::read_dir(&old).into_iter().flatten().flatten() {
        let name = format!("order-{}", entry.file_name().to_string_lossy());
        let to = app.folder.render(Some(&name));
        if !to.path().exists() {
            // One that cannot be moved stays where it is.
            let _ = std::fs::rename(entry.path(), to.path());
        }
    }
    // Goes only if it is empty.
    let _ = std::fs::remove_dir(old);
}

/// Keeps room again once something was removed.
struct Reserved<'a>(&'a App);

impl Drop for Reserved<'_> {
    fn drop(&mut self) {
        self.0.folder.keep_reserve();
    }
}
