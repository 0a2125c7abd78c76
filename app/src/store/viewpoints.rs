//! Viewpoints of projects.

use super::{NEXT_VERSION, Result, Store, StoreError, changed, found};
use crate::model::kept;
use crate::model::paths::ViewpointPath;
use crate::model::places::{NewViewpoint, Pose, Viewpoint};
use crate::model::places::{Opening, Ride};
use crate::model::rigs::Rig;
use rusqlite::{Row, Transaction, TransactionBehavior, params};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// What a viewpoint has beside its pose.
#[derive(Default, Serialize, Deserialize)]
#[serde(default)]
struct More {
    opening: Option<Opening>,
    ride: Option<Ride>,
    path: Option<ViewpointPath>,
    rig: Rig,
}

const COLUMNS: &str = "id, name, pose, unlocked, more, version";

impl Store {
    /// A project's viewpoints in their order.
    pub fn viewpoints(&self, project: i64) -> Result<Vec<Viewpoint>> {
        let db = self.lock();
        let mut statement = db.prepare(&format!(
            "SELECT {COLUMNS} FROM viewpoint WHERE project = ?1 ORDER BY place, id"
        ))?;
        let rows: Vec<_> = statement
            .query_map([project], columns)?
            .collect::<rusqlite::Result<_>>()?;
        Ok(rows.into_iter().map(viewpoint).collect())
    }

    /// One viewpoint of a project.
    pub fn viewpoint(&self, project: i64, id: i64) -> Result<Viewpoint> {
        let row = self.lock().query_row(
            &format!("SELECT {COLUMNS} FROM viewpoint WHERE project = ?1 AND id = ?2"),
            [project, id],
            columns,
        );
        Ok(viewpoint(found(row, "viewpoint", id)?))
    }

    /// Adds a viewpoint after the others.
    pub fn add_viewpoint(&self, project: i64, draft: &NewViewpoint) -> Result<i64> {
        let db = self.lock();
        db.execute(
            "INSERT INTO viewpoint (project, name, pose, unlocked, more, place)
             SELECT ?1, ?2, ?3, ?4, ?5, coalesce(max(place), 0) + 1 FROM viewpoint WHERE project = ?1",
            params![
                project,
                draft.name,
                kept::write(&draft.pose)?,
                draft.unlocked,
                more(draft)?
            ],
        )?;
        Ok(db.last_insert_rowid())
    }

    /// Changes a viewpoint.
    pub fn set_viewpoint(&self, project: i64, id: i64, draft: &NewViewpoint) -> Result<()> {
        let rows = self.lock().execute(
            &format!(
                "UPDATE viewpoint SET name = ?3, pose = ?4, unlocked = ?5, more = ?6, version = {NEXT_VERSION}
                    WHERE project = ?1 AND id = ?2"
            ),
            params![
                project,
                id,
                draft.name,
                kept::write(&draft.pose)?,
                draft.unlocked,
                more(draft)?
            ],
        )?;
        changed(rows, "viewpoint", id)
    }

    /// Puts a viewpoint where what leads it has it by now. Nobody changed it, so whoever saw it before may still change it.
    pub fn settle_viewpoint(&self, project: i64, id: i64, draft: &NewViewpoint) -> Result<()> {
        let rows = self.lock().execute(
            "UPDATE viewpoint SET pose = ?3, more = ?4 WHERE project = ?1 AND id = ?2",
            params![project, id, kept::write(&draft.pose)?, more(draft)?],
        )?;
        changed(rows, "viewpoint", id)
    }

    /// Removes a viewpoint unless it is the last one; orders keep the pose they were given.
    pub fn remove_viewpoint(&self, project: i64, id: i64) -> Result<()> {
        let mut db = self.lock();
        let transaction = db.transaction_with_behavior(TransactionBehavior::Immediate)?;
        let rows = transaction.execute(
            "DELETE FROM viewpoint WHERE project = ?1 AND id = ?2",
            [project, id],
        )?;
        changed(rows, "viewpoint", id)?;
        let left: i64 = transaction.query_row(
            "SELECT count(*) FROM viewpoint WHERE project = ?1",
            [project],
            |r| r.get(0),
        )?;
        if left == 0 {
            return Err(StoreError::LastViewpoint);
        }
        Ok(transaction.commit()?)
    }

    /// Puts a project's viewpoints in an order that names each of them once; refused if it is not as it was `seen` any more.
    pub fn order_viewpoints(&self, project: i64, ids: &[i64], seen: Option<&[i64]>) -> Result<()> {
        let mut db = self.lock();
        let transaction = db.transaction_with_behavior(TransactionBehavior::Immediate)?;
        let now: Vec<i64> = transaction
            .prepare("SELECT id FROM viewpoint WHERE project = ?1 ORDER BY place, id")?
            .query_map([project], |r| r.get(0))?
            .collect::<rusqlite::Result<_>>()?;
        let sorted = |ids: &[i64]| {
            let mut ids = ids.to_vec();
            ids.sort_unstable();
            ids
        };
        if seen.is_some_and(|seen| seen != now) {
            return Err(StoreError::Changed {
                what: "The order of the viewpoints".into(),
            });
        }
        if sorted(ids) != sorted(&now) {
            return Err(StoreError::NotEveryViewpoint);
        }
        for (place, id) in ids.iter().enumerate() {
            transaction.execute(
                "UPDATE viewpoint SET place = ?2 WHERE id = ?1",
                params![id, place as i64 + 1],
            )?;
        }
        Ok(transaction.commit()?)
    }
}

/// Puts exactly these viewpoints in place of a project's own, in this order and with their numbers, in a transaction.
pub(super) fn put_viewpoints(
    transaction: &Transaction,
    project: i64,
    viewpoints: &[Viewpoint],
) -> Result<()> {
    let known: BTreeMap<i64, i64> = transaction
        .prepare("SELECT id, version FROM viewpoint WHERE project = ?1")?
        .query_map([project], |r| Ok((r.get(0)?, r.get(1)?)))?
        .collect::<rusqlite::Result<_>>()?;
    transaction.execute("DELETE FROM viewpoint WHERE project = ?1", [project])?;
    for (place, v) in viewpoints.iter().enumerate() {
        transaction.execute(
            "INSERT INTO viewpoint (id, project, name, pose, unlocked, more, place, version)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, max(?8, CAST(unixepoch('subsec') * 1000 AS INTEGER)))",
            params![
                v.id,
                project,
                v.name,
                kept::write(&v.pose)?,
                v.unlocked,
                more(&NewViewpoint::of(v))?,
                place as i64 + 1,
                known.get(&v.id).map_or(0, |version| version + 1)
            ],
        )?;
    }
    Ok(())
}

fn more(draft: &NewViewpoint) -> Result<String> {
    Ok(kept::write(&More {
        opening: draft.opening,
        ride: draft.ride.clone(),
        path: draft.path.clone(),
        rig: draft.rig.clone(),
    })?)
}

type Columns = (i64, String, String, bool, String, i64);

fn columns(r: &Row) -> rusqlite::Result<Columns> {
    Ok((
        r.get(0)?,
        r.get(1)?,
        r.get(2)?,
        r.get(3)?,
        r.get(4)?,
        r.get(5)?,
    ))
}

/// A viewpoint; what of it cannot be read is said in its name, and hides neither it nor the others.
fn viewpoint((id, mut name, pose, unlocked, more, version): Columns) -> Viewpoint {
    let pose = kept::read(&pose).unwrap_or_else(|_| {
        name += " (its place could not be read: set it anew)";
        Pose::default()
    });
    let more: More = kept::read(&more).unwrap_or_else(|_| {
        name += " (its eyes and path could not be read)";
        More::default()
    });
    Viewpoint {
        id,
        name,
        pose,
        unlocked,
        opening: more.opening,
        ride: more.ride,
        path: more.path,
        rig: more.rig,
        version,
    }
}
