//! A bundle: one folder with everything that a task needs, and what the tasks make. Several attempts at one chunk may run at once: each writes
//! beside and renames, and their bytes are the same.

use super::slurm::{self, Sent, Wish};
use crate::folder::DataFolder;
use crate::store::{OrderRow, Store};
use crate::work::filing::Filing;
use crate::work::frame_orders::{make_some, studio};
use crate::work::frame_plan::FramePlan;
use crate::work::joining::joined;
use crate::work::recipe::Recipe;
use crate::work::shot::{Shot, Watcher};
use crate::work::studio::Studio;
use crate::work::{App, Result, WorkError};
use dome_files::frame::{Found, look};
use dome_files::{FileError, PictureFormat, atomic, inspect};
use dome_trace::ENGINE;
use dome_trace::render::STRIP_ROWS;
use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};

/// Most chunks of a bundle: farms take about a thousand tasks in one go (Slurm's `MaxArraySize` is 1001 if nobody set it).
const MOST_CHUNKS: u64 = 1000;

/// How an order is cut.
#[derive(Clone, Copy, Debug)]
pub struct Cut {
    /// Frames of a chunk; what keeps the chunks below a thousand if absent.
    pub frames: Option<u64>,
    /// Parts of a still.
    pub parts: u32,
}

impl Default for Cut {
    fn default() -> Self {
        Self {
            frames: None,
            parts: 8,
        }
    }
}

/// What a task does.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
enum Chunk {
    /// These frames.
    Frames(Vec<u64>),
    /// The rows of a still from one to another, the last one included.
    Rows(u32, u32),
    /// A still that cannot be cut.
    Whole,
}

/// What `bundle.json` says.
#[derive(Serialize, Deserialize)]
struct Told {
    order: i64,
    engine: String,
    chunks: Vec<Chunk>,
}

/// A bundle that is there.
pub struct Bundle {
    root: PathBuf,
    told: Told,
}

fn refuse<T>(sentence: impl Into<String>) -> Result<T> {
    Err(WorkError::Request(sentence.into()))
}

/// A copy of a file or folder: links where the disk allows, since what is in a data folder is never changed in place.
fn copy(from: &Path, to: &Path) -> Result<()> {
    if from.is_dir() {
        std::fs::create_dir_all(to).map_err(FileError::io("Making", to))?;
        for entry in std::fs::read_dir(from).map_err(FileError::io("Reading", from))? {
            let entry = entry.map_err(FileError::io("Reading", from))?;
            copy(&entry.path(), &to.join(entry.file_name()))?;
        }
        return Ok(());
    }
    // What a kill left there may be a link to the very file: never written through.
    crate::folder::remove(to);
    if std::fs::hard_link(from, to).is_err() {
        std::fs::copy(from, to).map_err(FileError::io("Copying", from))?;
    }
    Ok(())
}

impl Bundle {
    /// Bundles an order; `watcher` sees what is looked at for all its parts.
    pub fn make(
        app: &App,
        row: &OrderRow,
        root: &Path,
        cut: &Cut,
        watcher: &dyn Watcher,
    ) -> Result<Self> {
        if root.join("bundle.json").exists() {
            return refuse(format!(
                "{} holds a bundle already; name another folder.",
                root.display()
            ));
        }
        let chunks = chunks(app, row, cut)?;
        let project = app.folder.project(row.project);
        let data = root.join("data");
        let inside = data.join("projects").join(row.project.to_string());
        std::fs::create_dir_all(&inside).map_err(FileError::io("Making", &inside))?;
        for part in ["scene", "surroundings"] {
            let from = project.join(part);
            if from.is_dir() {
                copy(&from, &inside.join(part))?;
            }
        }
        for folder in ["out", "parts", "work", "log"] {
            let folder = root.join(folder);
            std::fs::create_dir_all(&folder).map_err(FileError::io("Making", &folder))?;
        }
        app.store.copy_of_order(row.id, &data.join("owl-dome.db"))?;
        let told = Told {
            order: row.id,
            engine: ENGINE.into(),
            chunks,
        };
        let json = serde_json::to_vec_pretty(&told).map_err(crate::store::StoreError::from)?;
        let begun = Self {
            root: std::path::absolute(root).map_err(FileError::io("Reading", root))?,
            told,
        };
        begun.look_once(watcher)?;
        // Without this it is no bundle: a kill before leaves none.
        atomic::write_bytes(&root.join("bundle.json"), &json)?;
        Self::open(root)
    }

    /// What must be looked at before a still is rendered, for all its parts.
    fn look_once(&self, watcher: &dyn Watcher) -> Result<()> {
        if !matches!(self.told.chunks.first(), Some(Chunk::Rows(..))) {
            return Ok(());
        }
        let app = self.app()?;
        let (studio, shot) = self.part_of_still(&app, &self.row(&app)?, 0)?;
        shot.look(studio.seen(), watcher)
    }

    /// A chunk of a still, and what is seen in it.
    fn part_of_still(&self, app: &App, row: &OrderRow, chunk: usize) -> Result<(Studio, Shot)> {
        let rows = match self.told.chunks.get(chunk) {
            Some(Chunk::Rows(from, to)) => Some((*from, *to)),
            _ => None,
        };
        let filing = Filing {
            rows,
            ..Filing::default()
        };
        let recipe = Recipe::of_order(&row.spec)?;
        let written = (filing, PictureFormat::Exr);
        let studio = studio(app, row.project, &row.spec, &recipe, written)?;
        let mut shot = studio.shot(recipe, self.part(chunk))?;
        if rows.is_some() {
            shot.looks_once(self.root.join("look"));
        }
        Ok((studio, shot))
    }

    /// Where what its tasks print is kept.
    pub fn logs(&self) -> PathBuf {
        self.root.join("log")
    }

    /// Opens a bundle.
    pub fn open(root: &Path) -> Result<Self> {
        let file = root.join("bundle.json");
        let wrong = |why: String| {
            WorkError::Request(format!(
                "{} is no bundle ({why}); make one with owl-dome bundle.",
                root.display()
            ))
        };
        let text = std::fs::read_to_string(&file).map_err(|e| wrong(e.to_string()))?;
        let told: Told = serde_json::from_str(&text).map_err(|e| wrong(e.to_string()))?;
        let root = std::path::absolute(root).map_err(|e| wrong(e.to_string()))?;
        Ok(Self { root, told })
    }

    /// Its folder.
    pub fn root(&self) -> &Path {
        &self.root
    }

    /// The order that it makes.
    pub fn order(&self) -> i64 {
        self.told.order
    }

    /// How many chunks it has.
    pub fn chunks(&self) -> usize {
        self.told.chunks.len()
    }

    fn app(&self) -> Result<App> {
        let folder = DataFolder::look(&self.root.join("data")).map_err(WorkError::Request)?;
        let folder = folder
            .with_out(&self.root.join("out"))
            .map_err(WorkError::Request)?;
        App::look(folder)
    }

    fn row(&self, app: &App) -> Result<OrderRow> {
        Ok(app.store.order(self.told.order)?)
    }

    fn part(&self, chunk: usize) -> PathBuf {
        self.root.join("parts").join(format!("part-{chunk:04}.exr"))
    }

    fn master(&self) -> PathBuf {
        self.root.join("master.exr")
    }

    /// Makes one chunk; what is there of it stays. Gives what is to be said.
    pub fn run(&self, chunk: usize, watcher: &dyn Watcher) -> Result<Vec<String>> {
        if self.told.engine != ENGINE {
            return refuse(format!(
                "The bundle was made by version {} and this is {ENGINE}; let both be the same.",
                self.told.engine
            ));
        }
        let Some(what) = self.told.chunks.get(chunk) else {
            return refuse(format!(
                "There is no chunk {chunk}; the bundle has {}.",
                self.chunks()
            ));
        };
        let app = self.app()?;
        let row = self.row(&app)?;
        // Of this attempt alone: another one may run at the same time.
        let work = tempfile::Builder::new()
            .prefix("attempt-")
            .tempdir_in(self.root.join("work"))
            .map_err(FileError::io("Writing", &self.root))?;
        if let Chunk::Frames(frames) = what {
            return make_some(&app, &row, frames, work.path(), watcher);
        }
        let (studio, mut shot) = self.part_of_still(&app, &row, chunk)?;
        if look(&shot.files(), shot.description()) == Found::Whole {
            return Ok(Vec::new());
        }
        Ok(shot
            .render(studio.seen(), watcher, Some(work.path()))?
            .notes)
    }

    /// Makes here what is missing of the parts of a still; what is in one piece is made by whoever makes orders. `begins` hears of each
    /// part before it, and how many there are. False if it was stopped.
    pub(super) fn make_missing_parts(
        &self,
        watcher: &dyn Watcher,
        begins: &dyn Fn(usize, usize),
    ) -> Result<bool> {
        let open = self.open_chunks()?;
        for (nth, chunk) in open.iter().enumerate() {
            if !matches!(self.told.chunks[*chunk], Chunk::Rows(..)) {
                continue;
            }
            begins(nth, open.len());
            let made = self.run(*chunk, watcher);
            if watcher.control().is_stopped() {
                return Ok(false);
            }
            made?;
        }
        Ok(true)
    }

    /// Chunks of which something is missing.
    fn open_chunks(&self) -> Result<Vec<usize>> {
        let app = self.app()?;
        let plan = FramePlan::of_row(&app, &self.row(&app)?)?;
        let there = |chunk: usize| match (&self.told.chunks[chunk], &plan) {
            (Chunk::Frames(frames), Some(plan)) => frames
                .iter()
                .all(|f| plan.files(*f).iter().all(|file| file.exists())),
            _ => self.part(chunk).exists(),
        };
        Ok((0..self.chunks()).filter(|c| !there(*c)).collect())
    }

    /// How much is there, frames or parts, and how much there is to be.
    pub fn progress(&self) -> Result<(usize, usize)> {
        let app = self.app()?;
        let plan = FramePlan::of_row(&app, &self.row(&app)?)?;
        let mut told = (0, 0);
        for (i, chunk) in self.told.chunks.iter().enumerate() {
            match (chunk, &plan) {
                (Chunk::Frames(frames), Some(plan)) => {
                    let whole = |f: &&u64| plan.files(**f).iter().all(|file| file.exists());
                    told.0 += frames.iter().filter(whole).count();
                    told.1 += frames.len();
                }
                _ => {
                    told.0 += usize::from(self.part(i).exists());
                    told.1 += 1;
                }
            }
        }
        Ok(told)
    }

    /// Puts the parts of a still together, and refuses while something is missing. Gives what is to be said.
    pub fn join(&self) -> Result<Vec<String>> {
        let open = self.open_chunks()?;
        if let Some(first) = open.first() {
            return refuse(format!(
                "{} of {} chunks are not there yet, the first is {first}; its log in {} says why.",
                open.len(),
                self.chunks(),
                self.root.join("log").display()
            ));
        }
        match self.told.chunks.first() {
            Some(Chunk::Rows(..)) => {
                let parts: Vec<_> = (0..self.chunks()).map(|c| self.part(c)).collect();
                joined(&parts, &self.master())
            }
            Some(Chunk::Whole) => {
                copy(&self.part(0), &self.master())?;
                Ok(Vec::new())
            }
            _ => Ok(Vec::new()),
        }
    }

    /// Brings home what is there, and refuses while parts of a still are missing. Gives how many files came.
    pub fn collect(&self, app: &App, row: &OrderRow) -> Result<usize> {
        if row.spec.frames.is_none() && !self.master().exists() {
            self.join()?;
        }
        self.collect_finished(app, row)
    }

    /// Brings what is there home: frames to where the order's frames go, a still's master to where it is looked for. Nothing that is
    /// there already is touched, and parts of a still stay where they are until all are there. Gives how many files came.
    pub(super) fn collect_finished(&self, app: &App, row: &OrderRow) -> Result<usize> {
        let inside = self.app()?;
        let mut came = 0;
        let mut bring = |from: &Path, to: &Path| -> Result<()> {
            if to.exists() || !from.exists() {
                return Ok(());
            }
            let folder = to.parent().unwrap_or(Path::new("."));
            std::fs::create_dir_all(folder).map_err(FileError::io("Making", folder))?;
            atomic::write(to, |out| {
                let mut file = std::fs::File::open(from).map_err(FileError::io("Reading", from))?;
                std::io::copy(&mut file, out).map_err(FileError::io("Copying", from))?;
                Ok(())
            })?;
            came += 1;
            Ok(())
        };
        let there = FramePlan::of_row(&inside, &self.row(&inside)?)?;
        let here = FramePlan::of_row(app, row)?;
        if let (Some(there), Some(here)) = (there, here) {
            for frame in here.numbers() {
                for (from, to) in there.files(frame).iter().zip(here.files(frame)) {
                    bring(from, &to)?;
                }
            }
            return Ok(came);
        }
        if !self.master().exists() {
            if !self.open_chunks()?.is_empty() {
                return Ok(came);
            }
            self.join()?;
        }
        let told = inspect::inspect(&self.master())?.description;
        let Some(picture) = told.map(|d| d.fingerprint().to_string()) else {
            return refuse("The joined picture does not say which it is; render it anew.");
        };
        bring(&self.master(), &app.folder.render(Some(&picture)).master())?;
        Ok(came)
    }

    /// Where the farm's answers are kept.
    fn sent_file(&self) -> PathBuf {
        self.root.join("farm.json")
    }

    /// What the farm was given last, if anything.
    pub fn sent(&self) -> Option<Sent> {
        let text = std::fs::read_to_string(self.sent_file()).ok()?;
        serde_json::from_str(&text).ok()
    }

    /// Gives the farm all chunks of which something is missing, and the joining after them.
    pub fn submit(&self, wish: &Wish) -> Result<Sent> {
        let open = self.open_chunks()?;
        let sent = slurm::submit(&self.root, self.told.order, &open, wish)?;
        let json = serde_json::to_vec_pretty(&sent).map_err(crate::store::StoreError::from)?;
        atomic::write_bytes(&self.sent_file(), &json)?;
        Ok(sent)
    }
}

/// Cuts an order.
fn chunks(app: &App, row: &OrderRow, cut: &Cut) -> Result<Vec<Chunk>> {
    if let Some(plan) = FramePlan::of_row(app, row)? {
        let numbers: Vec<u64> = plan.numbers().collect();
        let least = plan.count().div_ceil(MOST_CHUNKS).max(1);
        let each = cut.frames.unwrap_or(least).max(least) as usize;
        return Ok(numbers
            .chunks(each)
            .map(|c| Chunk::Frames(c.to_vec()))
            .collect());
    }
    let spec = &row.spec;
    if spec.rig.is_some() && spec.denoise {
        // Parts of both eyes cannot be denoised when they are joined.
        return Ok(vec![Chunk::Whole]);
    }
    let strips = spec.height.div_ceil(STRIP_ROWS);
    let parts = cut.parts.clamp(1, strips.min(MOST_CHUNKS as u32));
    let edge = |i: u32| (i * strips / parts * STRIP_ROWS).min(spec.height);
    Ok((0..parts)
        .map(|i| Chunk::Rows(edge(i), edge(i + 1) - 1))
        .collect())
}

/// Lets an order of a data folder wait aside while it is made elsewhere, or lets it go again.
pub fn set_aside(store: &Store, order: i64, aside: bool) -> Result<()> {
    use crate::model::jobs::JobState::{Failed, Held, Stopped, Waiting};
    let job = store.order(order)?.job;
    match aside {
        true => store.move_job(
            job,
            &[Waiting, Stopped, Failed],
            Held,
            Some("It is made on a farm."),
        ),
        false => store.move_job(job, &[Held], Waiting, None),
    }?;
    Ok(())
}
