//! Changes of a project that can be undone and done again, across restarts.

use super::{Result, Store};
use rusqlite::{OptionalExtension, params};

/// Changes kept for each project.
const KEPT: i64 = 200;
/// Changes of one kind that follow each other within this time are one, seconds.
const ONE: f64 = 0.6;

/// A change: what it is called, and how things were before and after it.
#[derive(Clone, Debug, PartialEq)]
pub struct Change {
    /// Its number.
    pub id: i64,
    /// What it is called.
    pub label: String,
    /// The state before, as JSON.
    pub before: String,
    /// The state after, as JSON.
    pub after: String,
}

impl Store {
    /// Remembers a change made at a time (Unix seconds). What was undone can no longer be done again.
    pub fn remember(
        &self,
        project: i64,
        label: &str,
        made: f64,
        before: &str,
        after: &str,
    ) -> Result<()> {
        let mut db = self.lock();
        let transaction = db.transaction()?;
        let dropped = transaction.execute(
            "DELETE FROM history WHERE project = ?1 AND undone = 1",
            [project],
        )?;
        let last: Option<(i64, String, f64)> = transaction
            .query_row(
                "SELECT id, label, made FROM history WHERE project = ?1 ORDER BY id DESC LIMIT 1",
                [project],
                |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?)),
            )
            .optional()?;
        match last {
            Some((id, before_label, at))
                if dropped == 0 && before_label == label && (0.0..ONE).contains(&(made - at)) =>
            {
                transaction.execute(
                    "UPDATE history SET after = ?2, made = ?3 WHERE id = ?1",
                    params![id, after, made],
                )?;
            }
            _ => {
                transaction.execute(
                    "INSERT INTO history (project, label, made, before, after) VALUES (?1, ?2, ?3, ?4, ?5)",
                    params![project, label, made, before, after],
                )?;
            }
        }
        transaction.execute(
            "DELETE FROM history WHERE project = ?1 AND id <=
                (SELECT id FROM history WHERE project = ?1 ORDER BY id DESC LIMIT 1 OFFSET ?2)",
            params![project, KEPT],
        )?;
        Ok(transaction.commit()?)
    }

    /// The change to undo next.
    pub fn to_undo(&self, project: i64) -> Result<Option<Change>> {
        self.change(project, "undone = 0 ORDER BY id DESC")
    }

    /// The change to do again next.
    pub fn to_redo(&self, project: i64) -> Result<Option<Change>> {
        self.change(project, "undone = 1 ORDER BY id")
    }

    /// Marks a change as undone or not.
    pub fn mark_undone(&self, change: i64, undone: bool) -> Result<()> {
        self.lock().execute(
            "UPDATE history SET undone = ?2 WHERE id = ?1",
            params![change, undone],
        )?;
        Ok(())
    }

    fn change(&self, project: i64, which: &str) -> Result<Option<Change>> {
        Ok(self
            .lock()
            .query_row(
                &format!(
                    "SELECT id, label, before, after FROM history WHERE project = ?1 AND {which} LIMIT 1"
                ),
                [project],
                |r| {
                    Ok(Change {
                        id: r.get(0)?,
                        label: r.get(1)?,
                        before: r.get(2)?,
                        after: r.get(3)?,
                    })
                },
            )
            .optional()?)
    }
}
