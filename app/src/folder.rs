//! The data folder: where everything lies, and that only one server uses it at a time.

use dome_optics::rig::Side;
use std::fs::{File, OpenOptions};
use std::path::{Path, PathBuf};

/// What belongs to the database.
const PARTS: [&str; 4] = ["projects", "renders", "packages", "pictures"];

/// Room that is kept for removing things, bytes.
const RESERVE: u64 = 256 << 10;

/// The places of the data folder. Pictures lie here as files, never in the database.
#[derive(Debug)]
pub struct DataFolder {
    root: PathBuf,
    /// Where frames and other outputs go, if somewhere else than in the folder itself.
    out: Option<PathBuf>,
    /// Held for as long as the server runs; nothing for who only looks.
    _lock: Option<File>,
}

impl DataFolder {
    /// Opens a data folder, making it if needed; refuses one that another server uses.
    pub fn open(root: &Path) -> Result<Self, String> {
        let failed = |e: std::io::Error| {
            format!(
                "The data folder {} cannot be used: {e}. Choose another with --data.",
                root.display()
            )
        };
        std::fs::create_dir_all(root).map_err(failed)?;
        let lock = OpenOptions::new()
            .create(true)
            .truncate(false)
            .write(true)
            .open(root.join("lock"))
            .map_err(failed)?;
        lock.try_lock().map_err(|_| {
            format!("Another Owl Dome already uses the data folder {}; stop it, or choose another with --data.", root.display())
        })?;
        let folder = Self {
            root: root.to_owned(),
            out: None,
            _lock: Some(lock),
        };
        folder.make_parts().map_err(failed)?;
        // Uploads that were cut off by a stop.
        for left in std::fs::read_dir(folder.incoming())
            .map_err(failed)?
            .flatten()
        {
            remove(&left.path());
        }
        Ok(folder)
    }

    /// A data folder to look into, while a server may use it; nothing in it is changed.
    pub fn look(root: &Path) -> Result<Self, String> {
        let folder = Self {
            root: root.to_owned(),
            out: None,
            _lock: None,
        };
        if folder.database().is_file() {
            Ok(folder)
        } else {
            Err(format!(
                "{} is no data folder of Owl Dome; name one with --data.",
                root.display()
            ))
        }
    }

    /// Room that is kept for removing things when no other is left.
    fn reserve(&self) -> PathBuf {
        self.root.join("reserve")
    }

    /// Keeps some room where there is enough and none is kept.
    pub fn keep_reserve(&self) {
        let enough = self.free_bytes().is_some_and(|free| free > 64 * RESERVE);
        if enough
            && !self.reserve().exists()
            && std::fs::write(self.reserve(), vec![1; RESERVE as usize]).is_err()
        {
            self.spend_reserve();
        }
    }

    /// Gives the room that was kept free; whether there was some.
    pub fn spend_reserve(&self) -> bool {
        std::fs::remove_file(self.reserve()).is_ok()
    }

    /// The database.
    pub fn database(&self) -> PathBuf {
        self.root.join("owl-dome.db")
    }

    /// Refuses to begin anew in a folder whose database was lost: its projects and pictures are still there.
    pub fn refuse_lost_database(&self) -> Result<(), String> {
        let database = self.database();
        let there = std::fs::metadata(&database).is_ok_and(|m| m.len() > 0);
        let kept = (PARTS.into_iter().chain(["orders"]))
            .filter(|part| {
                std::fs::read_dir(self.root.join(part)).is_ok_and(|mut d| d.next().is_some())
            })
            .collect::<Vec<_>>();
        if there || kept.is_empty() {
            return Ok(());
        }
        Err(format!(
            "The database {} is missing or empty, but its data are there ({}). Nothing was changed. Start with --recover to put the newest copy from {} in its place, or, where there is none, to read in again what lies there; or choose another folder with --data.",
            database.display(),
            kept.join(", "),
            self.backups().display()
        ))
    }

    /// Puts everything that belongs to a lost database into a new folder inside this one, and gives that.
    pub fn put_aside(&self) -> Result<PathBuf, String> {
        let parts = PARTS.iter().chain(&["orders"]).map(|p| (*p).to_owned());
        let aside = self.moved_into("found", parts)?;
        self.make_parts().map_err(|e| self.not_put_aside(&e))?;
        Ok(aside)
    }

    /// Puts a damaged database, with the log that belongs to it, into a new folder inside this one, and gives that.
    pub fn put_database_aside(&self) -> Result<PathBuf, String> {
        let parts = ["", "-wal", "-shm"].map(|end| format!("owl-dome.db{end}"));
        self.moved_into("damaged", parts.into_iter())
    }

    fn moved_into(
        &self,
        name: &str,
        parts: impl Iterator<Item = String>,
    ) -> Result<PathBuf, String> {
        let mut number = 1;
        let aside = loop {
            let aside = self.root.join(format!("{name}-{number}"));
            if !aside.exists() {
                break aside;
            }
            number += 1;
        };
        let failed = |e: std::io::Error| self.not_put_aside(&e);
        std::fs::create_dir(&aside).map_err(failed)?;
        for part in parts {
            let from = self.root.join(&part);
            if from.exists() {
                std::fs::rename(&from, aside.join(&part)).map_err(failed)?;
            }
        }
        Ok(aside)
    }

    fn not_put_aside(&self, e: &std::io::Error) -> String {
        format!(
            "What lies in {} could not be put aside: {e}. Look at the folder and its rights.",
            self.root.display()
        )
    }

    fn make_parts(&self) -> std::io::Result<()> {
        PARTS
            .iter()
            .chain(&["incoming"])
            .try_for_each(|part| std::fs::create_dir_all(self.root.join(part)))
    }

    /// Where daily copies of the database lie.
    pub fn backups(&self) -> PathBuf {
        self.root.join("backups")
    }

    /// Removes a path that was given up, relative to the folder; whether it is gone. Only things directly in the folders of
    /// projects, renders, packages and pictures are ever removed so.
    pub fn remove_leftover(&self, path: &str) -> bool {
        let Some(path) = self.leftover(path) else {
            return false;
        };
        let aside = aside(&path);
        remove(&aside);
        !aside.exists()
    }

    /// Gives it another name, under which nobody begins it again; whether it has none of its own any more.
    pub fn put_leftover_aside(&self, path: &str) -> bool {
        let Some(path) = self.leftover(path) else {
            return false;
        };
        // What was put aside before and could not be removed then goes first.
        let aside = aside(&path);
        if aside.exists() {
            remove(&aside);
        }
        std::fs::rename(&path, &aside).is_ok() || !path.exists()
    }

    /// Where what was given up lies.
    fn leftover(&self, path: &str) -> Option<PathBuf> {
        let known = path.split_once('/').filter(|(part, name)| {
            let plain = |c: char| c.is_ascii_alphanumeric() || c == '-';
            PARTS.contains(part) && !name.is_empty() && name.chars().all(plain)
        });
        let (part, name) = known?;
        Some(self.root.join(part).join(name))
    }

    /// Outputs go to a folder of their own, which must be there.
    pub fn with_out(mut self, out: &Path) -> Result<Self, String> {
        let found = std::path::absolute(out).ok().filter(|p| p.is_dir());
        self.out = Some(found.ok_or_else(|| {
            format!(
                "The folder for outputs {} is not there; make it, or name another with --out.",
                out.display()
            )
        })?);
        Ok(self)
    }

    /// Where the frames of sequences go. Nothing here is ever removed by the program.
    pub fn out(&self) -> PathBuf {
        match &self.out {
            Some(out) => out.clone(),
            None => self.root.join("out"),
        }
    }

    /// Whether outputs go to another disk than the data folder's.
    pub fn out_is_elsewhere(&self) -> bool {
        use std::os::unix::fs::MetadataExt;
        // A folder that is not there yet will lie on the disk of the one that it is made in.
        let out = self.out();
        let there = out.ancestors().find_map(|a| std::fs::metadata(a).ok());
        let here = std::fs::metadata(&self.root).ok();
        there.zip(here).is_some_and(|(a, b)| a.dev() != b.dev())
    }

    /// Free space where outputs go, bytes.
    pub fn out_free_bytes(&self) -> Option<u64> {
        let out = self.out();
        let there = out.ancestors().find(|a| a.exists())?;
        let s = rustix::fs::statvfs(there).ok()?;
        Some(s.f_bavail.saturating_mul(s.f_frsize))
    }

    /// What a farm's tasks said of an order that they did not make whole.
    pub fn farm_logs(&self, order: i64) -> PathBuf {
        self.root.join("farm-logs").join(format!("order-{order}"))
    }

    /// Writes down where outputs go, for workers.
    pub fn tell_out(&self) -> std::io::Result<()> {
        std::fs::write(self.out_told(), self.out().as_os_str().as_encoded_bytes())
    }

    fn out_told(&self) -> PathBuf {
        self.root.join("out-folder")
    }

    /// Outputs go where the server's go; another folder than that is refused.
    pub fn with_servers_out(self, wanted: Option<&Path>) -> Result<Self, String> {
        use std::os::unix::ffi::OsStrExt;
        let told = std::fs::read(self.out_told()).ok();
        let told = told.map(|bytes| PathBuf::from(std::ffi::OsStr::from_bytes(&bytes)));
        let same = |a: &Path, b: &Path| {
            a == b
                || std::fs::canonicalize(a)
                    .ok()
                    .is_some_and(|a| std::fs::canonicalize(b).ok() == Some(a))
        };
        match (wanted, told) {
            (Some(wanted), Some(told)) if !same(wanted, &told) => Err(format!(
                "The server of this data folder writes into {}, and a worker that wrote into {} would leave frames where nobody looks; name the same folder with --out, or leave it out.",
                told.display(),
                wanted.display()
            )),
            (Some(wanted), _) => self.with_out(wanted),
            (None, Some(told)) if !same(&told, &self.root.join("out")) => self.with_out(&told),
            (None, _) => Ok(self),
        }
    }

    /// Where uploads arrive.
    pub fn incoming(&self) -> PathBuf {
        self.root.join("incoming")
    }

    /// A project's folder.
    pub fn project(&self, id: i64) -> PathBuf {
        self.root.join("projects").join(id.to_string())
    }

    /// A project's scene files.
    pub fn scene(&self, id: i64) -> PathBuf {
        self.project(id).join("scene")
    }

    /// Pictures that surround a project's scene.
    pub fn surroundings(&self, id: i64) -> PathBuf {
        self.project(id).join("surroundings")
    }

    /// Sounds for a project's films.
    pub fn sounds(&self, id: i64) -> PathBuf {
        self.project(id).join("sounds")
    }

    /// A project's picture on its card.
    pub fn card(&self, id: i64) -> PathBuf {
        self.project(id).join("card.jpg")
    }

    /// Where rendered pictures lie, each under its fingerprint.
    pub fn renders(&self) -> PathBuf {
        self.root.join("renders")
    }

    /// The files of a rendered picture. Without a picture they are nowhere.
    pub fn render(&self, picture: Option<&str>) -> RenderFolder {
        RenderFolder(self.renders().join(picture.unwrap_or("none")))
    }

    /// Where versions before fingerprints kept what belongs to orders.
    pub fn orders_of_before(&self) -> PathBuf {
        self.root.join("orders")
    }

    /// A package's folder.
    pub fn package(&self, id: i64) -> PathBuf {
        self.root.join("packages").join(id.to_string())
    }

    /// The folder of a picture that was made elsewhere, or from such.
    pub fn picture(&self, id: i64) -> PathBuf {
        self.root.join("pictures").join(id.to_string())
    }

    /// A picture unrolled to a sphere, for the screen.
    pub fn picture_sphere(&self, id: i64) -> PathBuf {
        self.picture(id).join("screen").join("sphere.jpg")
    }

    /// A picture as it is, for the screen.
    pub fn picture_flat(&self, id: i64) -> PathBuf {
        self.picture(id).join("screen").join("flat.jpg")
    }

    /// What one eye sees of a picture of two, for the screen.
    pub fn picture_eye(&self, id: i64, side: &str) -> PathBuf {
        self.picture(id).join("screen").join(format!("{side}.jpg"))
    }

    /// The balls under a picture.
    pub fn picture_balls(&self, id: i64) -> PathBuf {
        self.picture(id).join("screen").join("balls.jpg")
    }

    /// Free space, bytes.
    pub fn free_bytes(&self) -> Option<u64> {
        rustix::fs::statvfs(&self.root)
            .ok()
            .map(|s| s.f_bavail.saturating_mul(s.f_frsize))
    }
}

/// The name under which what was given up waits to be removed.
fn aside(path: &Path) -> PathBuf {
    let name = path.file_name().unwrap_or_default().to_string_lossy();
    path.with_file_name(format!(".gone-{name}"))
}

/// The files of one rendered picture: its strips while it is made, then its master and what is made from that.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RenderFolder(PathBuf);

impl RenderFolder {
    /// The folder itself.
    pub fn path(&self) -> &Path {
        &self.0
    }

    /// Strips of a sequence's frames until those are whole.
    pub fn frames(&self) -> PathBuf {
        self.0.join("frames")
    }

    /// Small pictures of a sequence's finished frames.
    pub fn small_frames(&self) -> PathBuf {
        self.0.join("small")
    }

    /// One of them.
    pub fn small_frame(&self, frame: u64) -> PathBuf {
        self.small_frames().join(format!("{frame}.jpg"))
    }

    /// The SHA-256 of the master as it was written.
    pub fn master_sum(&self) -> PathBuf {
        self.0.join("master.sum")
    }

    /// The noise at which its blocks end, percent; a number in text.
    pub fn block_noise(&self) -> PathBuf {
        self.0.join("block-noise.txt")
    }

    /// What was looked at before its strips; it goes with them.
    pub fn look(&self) -> PathBuf {
        self.strips().join("look")
    }

    /// What determines the picture, line by line.
    pub fn description(&self) -> PathBuf {
        self.0.join("picture.txt")
    }

    /// The finished strips.
    pub fn strips(&self) -> PathBuf {
        self.0.join("strips")
    }

    /// One finished strip of the only eye, or of the left one.
    pub fn strip(&self, top: u32) -> PathBuf {
        self.strip_of(Side::Left, top)
    }

    /// One finished strip of an eye; the only eye counts as left.
    pub fn strip_of(&self, side: Side, top: u32) -> PathBuf {
        let eye = match side {
            Side::Left => "",
            Side::Right => "right-",
        };
        self.strips().join(format!("{eye}{top:06}.strip"))
    }

    /// A finished picture that one eye is taken over from: the same file as that order's master, so that it stays until this
    /// picture is made. `view` is the eye that it shows there.
    pub fn taken(&self, side: Side, view: Side) -> PathBuf {
        self.strips()
            .join(format!("{}-is-{}.exr", side.name(), view.name()))
    }

    /// How many samples each block took, where a noise target decided it: 32-bit numbers, row by row.
    pub fn counts(&self) -> PathBuf {
        self.0.join("counts.bin")
    }

    /// Such counts of a picture that one eye is taken over from.
    pub fn taken_counts(&self, side: Side) -> PathBuf {
        self.strips().join(format!("{}-counts.bin", side.name()))
    }

    /// The right eye's picture for the screen, of a pair.
    pub fn display_right(&self) -> PathBuf {
        self.0.join("display-right.jpg")
    }

    /// The master.
    pub fn master(&self) -> PathBuf {
        self.0.join("master.exr")
    }

    /// A small picture of the master for the screen.
    pub fn display(&self) -> PathBuf {
        self.0.join("display.jpg")
    }

    /// A master that is not a sphere unrolled, as it is, for the screen.
    pub fn flat(&self) -> PathBuf {
        self.0.join("flat.jpg")
    }

    /// A picture of one pass of the master for the screen.
    pub fn pass_display(&self, pass: &str) -> PathBuf {
        self.0.join(format!("display-{pass}.jpg"))
    }

    /// One pass of the master as a file of its own.
    pub fn pass_file(&self, pass: &str) -> PathBuf {
        self.0.join(format!("pass-{pass}.exr"))
    }
}

/// Bytes of the files in a folder and those below it; 0 where it is not.
pub fn bytes_in(folder: &Path) -> u64 {
    (std::fs::read_dir(folder).into_iter().flatten().flatten())
        .map(|entry| match entry.metadata() {
            Ok(m) if m.is_dir() => bytes_in(&entry.path()),
            Ok(m) => m.len(),
            Err(_) => 0,
        })
        .sum()
}

/// Removes a file or folder that is not needed any more; one that is gone already is fine.
pub fn remove(path: &Path) {
    let _ = if path.is_dir() {
        std::fs::remove_dir_all(path)
    } else {
        std::fs::remove_file(path)
    };
}
