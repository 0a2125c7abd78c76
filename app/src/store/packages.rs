//! Packages: what was handed over, and what the file said when it was read back.

use super::leftovers::give_up;
use super::{Result, Store, changed, found, jobs};
use crate::model::jobs::NewJob;
use crate::model::kept;
use crate::model::packages::{CheckInfo, FilmFacts, Package, PackageRequest};
use rusqlite::params;
use serde::{Deserialize, Serialize};

/// What is kept of a package beside its numbers.
#[derive(Serialize, Deserialize)]
struct Record {
    file: String,
    bytes: u64,
    width: u32,
    height: u32,
    pose_heading_deg: f64,
    request: PackageRequest,
    checks: Vec<CheckInfo>,
    reason: String,
    #[serde(default)]
    film: Option<FilmFacts>,
}

impl Store {
    /// Reserves a number for a package of an order and queues its job; gives both their numbers.
    pub fn add_package(&self, order: i64, job: &NewJob) -> Result<(i64, i64)> {
        let mut db = self.lock();
        let transaction = db.transaction()?;
        transaction.execute(
            "INSERT INTO package (render_order, record) VALUES (?1, '')",
            [order],
        )?;
        let id = transaction.last_insert_rowid();
        let job = jobs::add(&transaction, id, job)?;
        transaction.commit()?;
        Ok((id, job))
    }

    /// Tells what a package holds.
    pub fn set_package(&self, p: &Package) -> Result<()> {
        let record = Record {
            file: p.file.clone(),
            bytes: p.bytes,
            width: p.width,
            height: p.height,
            pose_heading_deg: p.pose_heading_deg,
            request: p.request.clone(),
            checks: p.checks.clone(),
            reason: p.reason.clone(),
            film: p.film.clone(),
        };
        let rows = self.lock().execute(
            "UPDATE package SET record = ?2 WHERE id = ?1",
            params![p.id, kept::write(&record)?],
        )?;
        changed(rows, "package", p.id)
    }

    /// A project's packages, newest first.
    pub fn packages(&self, project: i64) -> Result<Vec<Package>> {
        let db = self.lock();
        let mut statement = db.prepare(
            "SELECT k.id, k.render_order, k.record FROM package k JOIN render_order o ON o.id = k.render_order
             WHERE o.project = ?1 AND k.record <> '' ORDER BY k.id DESC",
        )?;
        let rows: Vec<(i64, i64, String)> = statement
            .query_map([project], |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?)))?
            .collect::<rusqlite::Result<_>>()?;
        // One that cannot be read hides no other.
        Ok((rows.into_iter())
            .map(|(id, order, record)| {
                package((id, order, record))
                    .unwrap_or_else(|e| Package::unreadable(id, order, &e.to_string()))
            })
            .collect())
    }

    /// The order that an unfinished package is made from.
    pub fn order_of_package(&self, id: i64) -> Result<i64> {
        let row = self.lock().query_row(
            "SELECT render_order FROM package WHERE id = ?1",
            [id],
            |r| r.get(0),
        );
        found(row, "package", id)
    }

    /// One package.
    pub fn package(&self, id: i64) -> Result<Package> {
        let row = self.lock().query_row(
            "SELECT id, render_order, record FROM package WHERE id = ?1 AND record <> ''",
            [id],
            |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?)),
        );
        package(found(row, "package", id)?)
    }

    /// Removes a package; its files are given up.
    pub fn remove_package(&self, id: i64) -> Result<()> {
        let mut db = self.lock();
        let transaction = db.transaction()?;
        give_up(&transaction, &format!("packages/{id}"))?;
        let rows = transaction.execute("DELETE FROM package WHERE id = ?1", [id])?;
        changed(rows, "package", id)?;
        Ok(transaction.commit()?)
    }
}

fn package((id, order, record): (i64, i64, String)) -> Result<Package> {
    let r: Record = kept::read(&record)?;
    Ok(Package {
        id,
        order,
        file: r.file,
        bytes: r.bytes,
        width: r.width,
        height: r.height,
        pose_heading_deg: r.pose_heading_deg,
        request: r.request,
        checks: r.checks,
        reason: r.reason,
        film: r.film,
    })
}
