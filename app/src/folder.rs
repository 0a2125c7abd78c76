//! The data folder: where everything lies, and that only one server uses it at a time.

use std::fs::{File, OpenOptions};
use std::path::{Path, PathBuf};

/// The places of the data folder. Pictures lie here as files, never in the database.
#[derive(Debug)]
pub struct DataFolder {
    root: PathBuf,
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
        for part in ["projects", "orders", "packages", "pictures", "incoming"] {
            std::fs::create_dir_all(root.join(part)).map_err(failed)?;
        }
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
            _lock: Some(lock),
        };
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

    /// The database.
    pub fn database(&self) -> PathBuf {
        self.root.join("owl-dome.db")
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

    /// A project's picture on its card.
    pub fn card(&self, id: i64) -> PathBuf {
        self.project(id).join("card.jpg")
    }

    /// An order's folder.
    pub fn order(&self, id: i64) -> PathBuf {
        self.root.join("orders").join(id.to_string())
    }

    /// An order's finished strips.
    pub fn strips(&self, id: i64) -> PathBuf {
        self.order(id).join("strips")
    }

    /// One finished strip.
    pub fn strip(&self, id: i64, top: u32) -> PathBuf {
        self.strips(id).join(format!("{top:06}.strip"))
    }

    /// An order's master.
    pub fn master(&self, id: i64) -> PathBuf {
        self.order(id).join("master.exr")
    }

    /// A small picture of an order's master for the screen.
    pub fn display(&self, id: i64) -> PathBuf {
        self.order(id).join("display.jpg")
    }

    /// A master that is not a sphere unrolled, as it is, for the screen.
    pub fn flat(&self, id: i64) -> PathBuf {
        self.order(id).join("flat.jpg")
    }

    /// A picture of one pass of a master for the screen.
    pub fn pass_display(&self, id: i64, pass: &str) -> PathBuf {
        self.order(id).join(format!("display-{pass}.jpg"))
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

/// Removes a file or folder that is not needed any more; one that is gone already is fine.
pub fn remove(path: &Path) {
    let _ = if path.is_dir() {
        std::fs::remove_dir_all(path)
    } else {
        std::fs::remove_file(path)
    };
}
