//! Changes of a project that can be undone and done again, across restarts.

use super::viewpoints::put_viewpoints;
use super::{NEXT_VERSION, Result, Store};
use crate::model::kept;
use crate::model::places::Viewpoint;
use crate::model::settings::SceneSettings;
use rusqlite::{Connection, OptionalExtension, TransactionBehavior, params};

/// Changes kept for each project.
const KEPT: i64 = 200;

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
    /// Begins a change: how the project is now, as JSON, is kept until the change is made or given up.
    pub fn begin_change(&self, project: i64, before: &str) -> Result<()> {
        self.lock().execute(
            "INSERT OR REPLACE INTO change_begun (project, before) VALUES (?1, ?2)",
            params![project, before],
        )?;
        Ok(())
    }

    /// Changes that were begun and neither made nor given up: projects and how they were, as JSON.
    pub fn changes_begun(&self) -> Result<Vec<(i64, String)>> {
        let db = self.lock();
        let mut rows = db.prepare("SELECT project, before FROM change_begun")?;
        let found = rows.query_map([], |r| Ok((r.get(0)?, r.get(1)?)))?;
        Ok(found.collect::<rusqlite::Result<_>>()?)
    }

    /// Ends a change that turned out to be none.
    pub fn end_change(&self, project: i64) -> Result<()> {
        Ok(ended(&self.lock(), project)?)
    }

    /// Puts back how a project was before a change, all in one: its settings, its viewpoints, and its scene where that changed too.
    pub fn give_up_change(
        &self,
        project: i64,
        settings: &SceneSettings,
        viewpoints: &[Viewpoint],
    ) -> Result<()> {
        let mut db = self.lock();
        let transaction = db.transaction_with_behavior(TransactionBehavior::Immediate)?;
        transaction.execute(
            &format!(
                "UPDATE project SET settings = ?2, version = {NEXT_VERSION},
                    scene_file = coalesce((SELECT scene_file FROM change_begun WHERE project = ?1), scene_file),
                    summary = coalesce((SELECT summary FROM change_begun WHERE project = ?1), summary)
                 WHERE id = ?1"
            ),
            params![project, kept::write(settings)?],
        )?;
        put_viewpoints(&transaction, project, viewpoints)?;
        ended(&transaction, project)?;
        Ok(transaction.commit()?)
    }

    /// Remembers a change made at a time (Unix seconds), with which it is at its end; one that `goes_on` with what is remembered last
    /// is one with it, if both are called the same. What was undone can no longer be done again.
    pub fn remember(
        &self,
        project: i64,
        label: &str,
        (made, goes_on): (f64, bool),
        before: &str,
        after: &str,
    ) -> Result<()> {
        let mut db = self.lock();
        let transaction = db.transaction_with_behavior(TransactionBehavior::Immediate)?;
        let dropped = transaction.execute(
            "DELETE FROM history WHERE project = ?1 AND undone = 1",
            [project],
        )?;
        let last: Option<(i64, String)> = transaction
            .query_row(
                "SELECT id, label FROM history WHERE project = ?1 ORDER BY id DESC LIMIT 1",
                [project],
                |r| Ok((r.get(0)?, r.get(1)?)),
            )
            .optional()?;
        match last {
            Some((id, before_label)) if goes_on && dropped == 0 && before_label == label => {
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
        ended(&transaction, project)?;
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

    /// Marks a change as undone or not, with the viewpoints of then: the last of a step, which is at its end with it.
    pub fn end_step(
        &self,
        project: i64,
        (change, undone): (i64, bool),
        viewpoints: &[Viewpoint],
    ) -> Result<()> {
        let mut db = self.lock();
        let transaction = db.transaction_with_behavior(TransactionBehavior::Immediate)?;
        put_viewpoints(&transaction, project, viewpoints)?;
        transaction.execute(
            "UPDATE history SET undone = ?2 WHERE id = ?1",
            params![change, undone],
        )?;
        ended(&transaction, project)?;
        Ok(transaction.commit()?)
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

/// Forgets how a project was before a change.
fn ended(db: &Connection, project: i64) -> rusqlite::Result<()> {
    db.execute("DELETE FROM change_begun WHERE project = ?1", [project])?;
    Ok(())
}
