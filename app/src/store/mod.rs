//! What is remembered, in SQLite. One subject, one file.

mod history;
mod migrations;
mod orders;
mod packages;
mod pictures;
mod projects;
mod viewpoints;

pub use orders::OrderRow;
pub use projects::ProjectRow;

use rusqlite::Connection;
use std::path::Path;
use std::sync::{Mutex, MutexGuard, PoisonError};
use thiserror::Error;

/// Why the store could not answer.
#[derive(Debug, Error)]
pub enum StoreError {
    /// The database refused.
    #[error("The project database failed: {0}. Check the data folder and its free space.")]
    Sql(#[from] rusqlite::Error),
    /// What it holds cannot be understood.
    #[error(
        "The project database holds a record that cannot be read ({0}); restore it from a backup."
    )]
    Record(#[from] serde_json::Error),
    /// Nothing with that number.
    #[error("There is no {what} number {id}; it may have been removed.")]
    Missing {
        /// Kind of thing.
        what: &'static str,
        /// The number asked for.
        id: i64,
    },
    /// Made by a later version.
    #[error(
        "The data folder was written by a newer Owl Dome (data version {found}, this one knows {known}); use the newer one."
    )]
    Newer {
        /// Version found.
        found: i64,
        /// Version known.
        known: i64,
    },
    /// The database could not be set up as needed.
    #[error(
        "The project database at {0} cannot keep a write-ahead log; put the data folder on a local disk."
    )]
    NoWal(String),
    /// The copy before an upgrade failed.
    #[error(
        "The project database could not be copied before its upgrade: {0}. Check the free space."
    )]
    Backup(std::io::Error),
}

type Result<T> = std::result::Result<T, StoreError>;

/// The project database.
pub struct Store {
    connection: Mutex<Connection>,
}

impl Store {
    /// Opens the database and brings it up to date; before an upgrade a copy is kept beside it.
    pub fn open(path: &Path) -> Result<Self> {
        let mut connection = Connection::open(path)?;
        let mode: String = connection.query_row("PRAGMA journal_mode = WAL", [], |r| r.get(0))?;
        if mode != "wal" {
            return Err(StoreError::NoWal(path.display().to_string()));
        }
        connection.execute_batch(
            "PRAGMA foreign_keys = OFF; PRAGMA synchronous = FULL; PRAGMA busy_timeout = 5000;",
        )?;
        migrations::run(&mut connection, path, migrations::LATEST)?;
        connection.execute_batch("PRAGMA foreign_keys = ON;")?;
        Ok(Self {
            connection: Mutex::new(connection),
        })
    }

    fn lock(&self) -> MutexGuard<'_, Connection> {
        // A panic elsewhere leaves SQLite itself whole.
        self.connection
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
    }
}

fn found<T>(result: rusqlite::Result<T>, what: &'static str, id: i64) -> Result<T> {
    match result {
        Err(rusqlite::Error::QueryReturnedNoRows) => Err(StoreError::Missing { what, id }),
        other => Ok(other?),
    }
}

fn changed(rows: usize, what: &'static str, id: i64) -> Result<()> {
    if rows == 0 {
        return Err(StoreError::Missing { what, id });
    }
    Ok(())
}
