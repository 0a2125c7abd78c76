//! Files that nobody needs any more: remembered in the same step as the removal of what they belonged to, so that a kill
//! leaves nothing behind, and nothing is ever removed that was not given up.

use super::{Result, Store};
use rusqlite::{Connection, OptionalExtension, params};

/// Remembers a path of the data folder, relative to it, as given up.
pub(super) fn give_up(db: &Connection, path: &str) -> rusqlite::Result<()> {
    db.execute("INSERT OR IGNORE INTO leftover (path) VALUES (?1)", [path])?;
    Ok(())
}

/// Remembers the files of a project's or an order's pictures and packages as given up. `which` is a condition on the orders.
pub(super) fn give_up_orders(db: &Connection, which: &str, id: i64) -> rusqlite::Result<()> {
    db.execute(
        &format!(
            "INSERT OR IGNORE INTO leftover (path)
                SELECT 'renders/' || picture FROM render_order WHERE {which} AND picture IS NOT NULL
                UNION SELECT 'packages/' || k.id FROM package k
                    JOIN render_order ON render_order.id = k.render_order WHERE {which}"
        ),
        [id],
    )?;
    Ok(())
}

impl Store {
    /// Paths that were given up, relative to the data folder. A picture that an order still makes, or makes again, is not
    /// among them.
    pub fn leftovers(&self) -> Result<Vec<String>> {
        let db = self.lock();
        db.execute(
            "DELETE FROM leftover WHERE path IN
                (SELECT 'renders/' || picture FROM render_order WHERE picture IS NOT NULL)",
            [],
        )?;
        let mut statement = db.prepare("SELECT path FROM leftover")?;
        let paths = statement.query_map([], |r| r.get(0))?;
        Ok(paths.collect::<rusqlite::Result<_>>()?)
    }

    /// Puts a path that was given up out of the way by `aside`, unless an order makes it again by now: nobody can begin it in between, in
    /// whatever program. Whether it was put aside.
    pub fn put_aside(&self, path: &str, aside: impl FnOnce() -> bool) -> Result<bool> {
        let mut db = self.lock();
        let transaction = db.transaction()?;
        let wanted: bool = transaction.query_row(
            "SELECT NOT EXISTS (SELECT 1 FROM leftover WHERE path = ?1)
                OR EXISTS (SELECT 1 FROM render_order WHERE 'renders/' || picture = ?1)",
            [path],
            |r| r.get(0),
        )?;
        let put = !wanted && aside();
        transaction.commit()?;
        Ok(put)
    }

    /// A path that was given up is gone.
    pub fn forget_leftover(&self, path: &str) -> Result<()> {
        self.lock()
            .execute("DELETE FROM leftover WHERE path = ?1", [path])?;
        Ok(())
    }

    /// Gives up what was never finished and no job goes on with: scenes and pictures that were on their way when the program
    /// ended.
    pub fn give_up_unfinished(&self) -> Result<()> {
        let mut db = self.lock();
        let transaction = db.transaction()?;
        for (table, folder, unfinished) in [
            ("project", "projects", "scene_file = ''"),
            // What a job makes goes on with it.
            (
                "picture",
                "pictures",
                "record = '' AND id NOT IN
                    (SELECT makes FROM job WHERE kind IN ('conversion', 'assembly', 'mending'))",
            ),
            (
                "package",
                "packages",
                "record = '' AND id NOT IN (SELECT makes FROM job WHERE kind = 'package')",
            ),
        ] {
            transaction.execute(
                &format!(
                    "INSERT OR IGNORE INTO leftover (path)
                        SELECT '{folder}/' || id FROM {table} WHERE {unfinished}"
                ),
                [],
            )?;
            transaction.execute(&format!("DELETE FROM {table} WHERE {unfinished}"), [])?;
        }
        Ok(transaction.commit()?)
    }

    /// Tells which picture an order makes now. One that it made before is given up.
    pub fn set_order_picture(&self, id: i64, picture: &str) -> Result<()> {
        let mut db = self.lock();
        let transaction = db.transaction()?;
        let before: Option<Option<String>> = transaction
            .query_row(
                "SELECT picture FROM render_order WHERE id = ?1",
                [id],
                |r| r.get(0),
            )
            .optional()?;
        if let Some(before) = before.flatten().filter(|b| b != picture) {
            give_up(&transaction, &format!("renders/{before}"))?;
        }
        let rows = transaction.execute(
            "UPDATE render_order SET picture = ?2 WHERE id = ?1",
            params![id, picture],
        )?;
        super::changed(rows, "order", id)?;
        Ok(transaction.commit()?)
    }
}
