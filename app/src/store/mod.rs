//! What is remembered, in SQLite. One subject, one file.

mod backups;
mod history;
mod jobs;
mod leftovers;
mod migrations;
mod orders;
mod packages;
mod pictures;
mod projects;
pub mod rescue;
mod viewpoints;

pub use orders::{NoiseTold, OrderRow};
pub use projects::ProjectRow;

use rusqlite::{Connection, OpenFlags, TransactionBehavior};
use std::path::Path;
use std::sync::atomic::AtomicU64;
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
    /// As above, told before.
    #[error("{0}")]
    Unreadable(String),
    /// Nothing with that number.
    #[error("There is no {what} number {id}; it may have been removed.")]
    Missing {
        /// Kind of thing.
        what: &'static str,
        /// The number asked for.
        id: i64,
    },
    /// It was changed by somebody else meanwhile.
    #[error(
        "{what} was changed meanwhile in another window. Look at how it is now, and do it once more if it is still wanted."
    )]
    Changed {
        /// What it is called.
        what: String,
    },
    /// An order that was begun is not replaced.
    #[error(
        "Order {order} has begun meanwhile, and what is finished of it is not thrown away. Stop and remove it first if it is not wanted, or place this one beside it."
    )]
    Begun {
        /// Its number.
        order: i64,
    },
    /// A project without a place to stand is of no use.
    #[error("A project keeps at least one viewpoint; add another before removing this one.")]
    LastViewpoint,
    /// An order of viewpoints that leaves one out.
    #[error("The order must name every viewpoint once; ask for the project again.")]
    NotEveryViewpoint,
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
    /// Made by an earlier version, and only looked at.
    #[error(
        "The data folder was written by an earlier Owl Dome (data version {found}, this one knows {known}); start the server with it once, which carries it over."
    )]
    Older {
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
        "The project database could not be copied: {0}. Check the free space of the data folder."
    )]
    Backup(std::io::Error),
}

type Result<T> = std::result::Result<T, StoreError>;

impl StoreError {
    /// Whether it only lacked room on a disk.
    pub fn is_disk_full(&self) -> bool {
        match self {
            Self::Sql(e) => e.sqlite_error_code() == Some(rusqlite::ErrorCode::DiskFull),
            Self::Backup(e) => e.kind() == std::io::ErrorKind::StorageFull,
            _ => false,
        }
    }

    /// Whether somebody else held the database for longer than it waits by itself.
    pub fn is_busy(&self) -> bool {
        use rusqlite::ErrorCode::{DatabaseBusy, DatabaseLocked};
        let code = match self {
            Self::Sql(e) => e.sqlite_error_code(),
            _ => None,
        };
        matches!(code, Some(DatabaseBusy | DatabaseLocked))
    }
}

/// The project database.
pub struct Store {
    connection: Mutex<Connection>,
    /// Changes of this connection and of others when the database was last copied; more than there can be if never.
    copied: AtomicU64,
    others: AtomicU64,
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
        // One that begins by reading and then writes would fail at once where another program wrote meanwhile, however long it may wait.
        connection.set_transaction_behavior(TransactionBehavior::Immediate);
        Ok(Self {
            connection: Mutex::new(connection),
            copied: AtomicU64::new(u64::MAX),
            others: AtomicU64::new(u64::MAX),
        })
    }

    /// Opens the database beside a server or another worker; one of another version is refused.
    pub fn open_shared(path: &Path) -> Result<Self> {
        let mut connection = Connection::open(path)?;
        connection.execute_batch(
            "PRAGMA synchronous = FULL; PRAGMA busy_timeout = 5000; PRAGMA foreign_keys = ON;",
        )?;
        connection.set_transaction_behavior(TransactionBehavior::Immediate);
        migrations::check(&connection)?;
        Ok(Self {
            connection: Mutex::new(connection),
            copied: AtomicU64::new(u64::MAX),
            others: AtomicU64::new(u64::MAX),
        })
    }

    /// Opens the database to look into it, while a server may use it: nothing is changed, not even its version.
    pub fn look(path: &Path) -> Result<Self> {
        let connection = Connection::open_with_flags(
            path,
            OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX,
        )?;
        connection.execute_batch("PRAGMA busy_timeout = 5000;")?;
        migrations::check(&connection)?;
        Ok(Self {
            connection: Mutex::new(connection),
            copied: AtomicU64::new(u64::MAX),
            others: AtomicU64::new(u64::MAX),
        })
    }

    /// Whether a file is a database of this program that is whole, of this version or an earlier one.
    pub fn is_whole(path: &Path) -> bool {
        let flags = OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX;
        let checked = Connection::open_with_flags(path, flags).and_then(|db| {
            let fine: String = db.query_row("PRAGMA integrity_check", [], |r| r.get(0))?;
            let projects: i64 = db.query_row("SELECT count(*) FROM project", [], |r| r.get(0))?;
            Ok(fine == "ok" && projects >= 0)
        });
        checked.unwrap_or(false)
            && Connection::open_with_flags(path, flags)
                .is_ok_and(|db| !matches!(migrations::check(&db), Err(StoreError::Newer { .. })))
    }

    /// What is wrong with a database that is damaged; nothing of one that is whole, or that cannot be asked just now.
    pub fn damage(path: &Path) -> Option<String> {
        use rusqlite::ErrorCode as Code;
        let flags = OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX;
        let checked = Connection::open_with_flags(path, flags).and_then(|db| {
            db.busy_timeout(std::time::Duration::from_secs(5))?;
            db.query_row("PRAGMA integrity_check(1)", [], |r| r.get::<_, String>(0))
        });
        match checked {
            Ok(told) => (told != "ok").then_some(told),
            // What says nothing about the file's own bytes.
            Err(rusqlite::Error::SqliteFailure(e, _))
                if matches!(
                    e.code,
                    Code::DatabaseBusy
                        | Code::DatabaseLocked
                        | Code::CannotOpen
                        | Code::SystemIoFailure
                        | Code::OutOfMemory
                        | Code::DiskFull
                        | Code::PermissionDenied
                        | Code::ReadOnly
                ) =>
            {
                None
            }
            Err(e) => Some(e.to_string()),
        }
    }

    /// Projects and orders that can be read of a database, be it damaged: each as people call it.
    pub fn readable(path: &Path) -> Vec<String> {
        let flags = OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX;
        let Ok(db) = Connection::open_with_flags(path, flags) else {
            return Vec::new();
        };
        let mut found = Vec::new();
        for asked in [
            "SELECT 'project ' || id || ', ' || name FROM project ORDER BY id",
            "SELECT 'order ' || id FROM render_order ORDER BY id",
        ] {
            // Rows come until the first that cannot be read.
            let Ok(mut rows) = db.prepare(asked) else {
                continue;
            };
            if let Ok(rows) = rows.query_map([], |r| r.get::<_, String>(0)) {
                found.extend(rows.map_while(|row| row.ok()));
            }
        }
        found
    }

    /// Everything into the database's one file, before the program ends.
    pub fn settle(&self) -> Result<()> {
        Ok(self
            .lock()
            .execute_batch("PRAGMA wal_checkpoint(TRUNCATE);")?)
    }

    fn lock(&self) -> MutexGuard<'_, Connection> {
        // A panic elsewhere leaves SQLite itself whole.
        self.connection
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
    }
}

/// A version that is newer than one before it: of the clock, so that what is removed and comes back never has an old one.
const NEXT_VERSION: &str = "max(version + 1, CAST(unixepoch('subsec') * 1000 AS INTEGER))";

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
