//! Copies of the database: whole, in one file, made while it is in use.

use super::{Result, Store, StoreError};
use rusqlite::Connection;
use std::path::{Path, PathBuf};
use std::sync::atomic::Ordering;

/// Copies that are kept, one a day.
const KEPT: usize = 7;
/// The copy of the last hour.
const LATEST: &str = "latest.db";

/// Copies a database as it is now, everything in one file: written beside, synced, renamed.
pub(super) fn copy_to(connection: &Connection, to: &Path) -> Result<()> {
    let beside = to.with_extension("unfinished");
    let io = |r: std::io::Result<()>| r.map_err(StoreError::Backup);
    if beside.exists() {
        io(std::fs::remove_file(&beside))?;
    }
    connection.execute("VACUUM INTO ?1", [beside.to_string_lossy()])?;
    io(std::fs::File::open(&beside).and_then(|f| f.sync_all()))?;
    io(std::fs::rename(&beside, to))
}

impl Store {
    /// A database with one order and its project alone, for whoever makes it elsewhere. It needs no log beside it and may only be
    /// looked into.
    pub fn copy_of_order(&self, order: i64, to: &Path) -> Result<()> {
        copy_to(&self.lock(), to)?;
        let copy = rusqlite::Connection::open(to)?;
        let _: String = copy.query_row("PRAGMA journal_mode = DELETE", [], |r| r.get(0))?;
        copy.execute_batch("PRAGMA foreign_keys = ON;")?;
        copy.execute("DELETE FROM render_order WHERE id <> ?1", [order])?;
        copy.execute(
            "DELETE FROM project WHERE id <> (SELECT project FROM render_order WHERE id = ?1)",
            [order],
        )?;
        copy.execute_batch(
            "DELETE FROM package; DELETE FROM picture; DELETE FROM history; DELETE FROM leftover; VACUUM;",
        )?;
        Ok(())
    }

    /// Makes today's copy in a folder unless it is there, and removes those beyond the newest seven. Beside them lies
    /// `latest.db`, made anew whenever something changed since. Gives today's copy if it was made now.
    pub fn back_up(&self, folder: &Path) -> Result<Option<PathBuf>> {
        std::fs::create_dir_all(folder).map_err(StoreError::Backup)?;
        let db = self.lock();
        // By the calendar of the place, which is whose night it is.
        let today: String = db.query_row("SELECT date('now', 'localtime')", [], |r| r.get(0))?;
        let changes = db.total_changes();
        // It is another number whenever somebody else wrote (SQLite, "PRAGMA data_version"): workers' changes count too.
        let others: i64 = db.query_row("PRAGMA data_version", [], |r| r.get(0))?;
        let others = others.unsigned_abs();
        let before = (
            self.copied.load(Ordering::Relaxed),
            self.others.load(Ordering::Relaxed),
        );
        if before != (changes, others) {
            copy_to(&db, &folder.join(LATEST))?;
            self.copied.store(changes, Ordering::Relaxed);
            self.others.store(others, Ordering::Relaxed);
        }
        let copy = folder.join(format!("owl-dome-{today}.db"));
        if copy.exists() {
            return Ok(None);
        }
        copy_to(&db, &copy)?;
        drop(db);
        let mut copies: Vec<PathBuf> = std::fs::read_dir(folder)
            .map_err(StoreError::Backup)?
            .flatten()
            .map(|e| e.path())
            .filter(|p| {
                let name = p.file_name().unwrap_or_default().to_string_lossy();
                name.starts_with("owl-dome-") && name.ends_with(".db")
            })
            .collect();
        copies.sort();
        let many = copies.len().saturating_sub(KEPT);
        for old in &copies[..many] {
            std::fs::remove_file(old).map_err(StoreError::Backup)?;
        }
        Ok(Some(copy))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_copy_a_day_and_seven_in_all() {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(&folder.path().join("owl-dome.db")).unwrap();
        store.add_project("Merlow", 5).unwrap();
        let backups = folder.path().join("backups");
        std::fs::create_dir(&backups).unwrap();
        for day in 10..20 {
            std::fs::write(backups.join(format!("owl-dome-2001-01-{day}.db")), "old").unwrap();
        }
        std::fs::write(backups.join("notes.txt"), "not ours").unwrap();
        let copy = store.back_up(&backups).unwrap().expect("made now");
        assert_eq!(store.back_up(&backups).unwrap(), None);
        let names: Vec<_> = std::fs::read_dir(&backups)
            .unwrap()
            .map(|e| e.unwrap().file_name().into_string().unwrap())
            .collect();
        assert_eq!(names.len(), 9, "{names:?}");
        assert!(names.iter().any(|n| n == "owl-dome-2001-01-19.db"));
        assert!(names.iter().any(|n| n == "notes.txt"));
        // The copy is whole by itself.
        let count = |copy: &Path| -> i64 {
            Connection::open(copy)
                .unwrap()
                .query_row("SELECT count(*) FROM project", [], |r| r.get(0))
                .unwrap()
        };
        assert_eq!(count(&copy), 1);
        // The day's stays as it was, the latest follows.
        store.add_project("Merlow again", 6).unwrap();
        assert_eq!(store.back_up(&backups).unwrap(), None);
        assert_eq!((count(&copy), count(&backups.join(LATEST))), (1, 2));
        // What a worker writes, which is another program, is in the latest too.
        let worker = Store::open_shared(&folder.path().join("owl-dome.db")).unwrap();
        worker.add_project("By a worker", 7).unwrap();
        assert_eq!(store.back_up(&backups).unwrap(), None);
        assert_eq!(count(&backups.join(LATEST)), 3);
    }
}
