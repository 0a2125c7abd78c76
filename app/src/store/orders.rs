//! Orders: what to render, and where it is on its way.

use super::leftovers::give_up_orders;
use super::{Result, Store, StoreError, changed, found, jobs};
use crate::folder::{DataFolder, RenderFolder};
use crate::model::jobs::{JobState, NewJob};
use crate::model::kept;
use crate::model::orders::OrderSpec;
use rusqlite::{Row, params};

/// How noisy a finished picture is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct NoiseTold {
    /// As it was rendered, percent of the displayed value.
    pub percent: Option<f64>,
    /// After denoising.
    pub left_percent: Option<f64>,
    /// Mean number of samples of its pixels.
    pub samples: f64,
}

/// An order as it is kept; strips and masters are told by the files themselves.
#[derive(Clone, Debug)]
pub struct OrderRow {
    /// Number.
    pub id: i64,
    /// Project.
    pub project: i64,
    /// The job that makes it.
    pub job: i64,
    /// What to render.
    pub spec: OrderSpec,
    /// Where it is.
    pub state: JobState,
    /// Time spent on rendering, seconds.
    pub spent_s: f64,
    /// Why it failed.
    pub problem: Option<String>,
    /// Noise of the finished picture as it was rendered, percent of the displayed value.
    pub noise_percent: Option<f64>,
    /// What denoising left of it.
    pub noise_left_percent: Option<f64>,
    /// Mean number of samples of its pixels.
    pub mean_samples: Option<f64>,
    /// Fingerprint of its picture, once it was begun; `order-N` of what was made before fingerprints were kept.
    pub picture: Option<String>,
}

impl OrderRow {
    /// Where its picture's files lie.
    pub fn files(&self, folder: &DataFolder) -> RenderFolder {
        folder.render(self.picture.as_deref())
    }
}

/// Orders with their jobs.
const ORDERS: &str =
    "SELECT o.id, o.project, j.id, j.state, j.spent_s, j.problem, o.noise_percent, o.mean_samples,
    o.picture, o.spec, o.noise_left_percent FROM render_order o JOIN job j ON j.kind = 'order' AND j.makes = o.id";

/// An order, and the sentence that says why its record cannot be read, if so.
fn order(r: &Row) -> rusqlite::Result<(OrderRow, Option<String>)> {
    let state: String = r.get(3)?;
    let (spec, unreadable) = match kept::read(&r.get::<_, String>(9)?) {
        Ok(spec) => (spec, None),
        Err(e) => (
            OrderSpec::unreadable(),
            Some(StoreError::Record(e).to_string()),
        ),
    };
    let order = OrderRow {
        id: r.get(0)?,
        project: r.get(1)?,
        job: r.get(2)?,
        spec,
        state: JobState::of_name(&state).unwrap_or(JobState::Failed),
        spent_s: r.get(4)?,
        problem: r.get(5)?,
        noise_percent: r.get(6)?,
        noise_left_percent: r.get(10)?,
        mean_samples: r.get(7)?,
        picture: r.get(8)?,
    };
    Ok((order, unreadable))
}

impl Store {
    /// Adds an order and queues its job; gives the order's number.
    pub fn add_order(&self, project: i64, spec: &OrderSpec, job: &NewJob) -> Result<i64> {
        let mut db = self.lock();
        let transaction = db.transaction()?;
        transaction.execute(
            "INSERT INTO render_order (project, spec) VALUES (?1, ?2)",
            params![project, kept::write(spec)?],
        )?;
        let id = transaction.last_insert_rowid();
        jobs::add(&transaction, id, job)?;
        transaction.commit()?;
        Ok(id)
    }

    /// The same in place of an order that waits or is held and was not begun: it gets its turn. All of it or nothing; gives the new order's
    /// number.
    pub fn replace_order(
        &self,
        old: i64,
        project: i64,
        spec: &OrderSpec,
        job: &NewJob,
    ) -> Result<i64> {
        let mut db = self.lock();
        let transaction = db.transaction()?;
        let row = transaction.query_row(
            "SELECT j.state, j.place, o.picture FROM render_order o
                JOIN job j ON j.kind = 'order' AND j.makes = o.id WHERE o.id = ?1",
            [old],
            |r| {
                Ok((
                    r.get::<_, String>(0)?,
                    r.get::<_, i64>(1)?,
                    r.get::<_, Option<String>>(2)?,
                ))
            },
        );
        let (state, place, picture) = found(row, "order", old)?;
        let waits = [JobState::Waiting, JobState::Held].map(JobState::name);
        if !waits.contains(&state.as_str()) || picture.is_some() {
            return Err(StoreError::Begun { order: old });
        }
        transaction.execute(
            "INSERT INTO render_order (project, spec) VALUES (?1, ?2)",
            params![project, kept::write(spec)?],
        )?;
        let id = transaction.last_insert_rowid();
        let job = jobs::add(&transaction, id, job)?;
        give_up_orders(&transaction, "render_order.id = ?1", old)?;
        transaction.execute("DELETE FROM render_order WHERE id = ?1", [old])?;
        transaction.execute(
            "UPDATE job SET place = ?2 WHERE id = ?1",
            params![job, place],
        )?;
        transaction.commit()?;
        Ok(id)
    }

    /// The number that the next order gets, if nobody else orders before.
    pub fn next_order(&self) -> Result<i64> {
        Ok((self.lock()).query_row(
            "SELECT coalesce(max(seq), 0) + 1 FROM sqlite_sequence WHERE name = 'render_order'",
            [],
            |r| r.get(0),
        )?)
    }

    /// A project's orders, newest first.
    pub fn orders(&self, project: i64) -> Result<Vec<OrderRow>> {
        let db = self.lock();
        let mut statement =
            db.prepare(&format!("{ORDERS} WHERE o.project = ?1 ORDER BY o.id DESC"))?;
        let rows: Vec<_> =
            (statement.query_map([project], order)?).collect::<rusqlite::Result<_>>()?;
        // One that cannot be read neither hides the others nor itself.
        Ok(rows
            .into_iter()
            .map(|(mut order, unreadable)| {
                if unreadable.is_some() {
                    order.state = JobState::Failed;
                    order.problem = unreadable;
                }
                order
            })
            .collect())
    }

    /// One order.
    pub fn order(&self, id: i64) -> Result<OrderRow> {
        let row = (self.lock()).query_row(&format!("{ORDERS} WHERE o.id = ?1"), [id], order);
        let (order, unreadable) = found(row, "order", id)?;
        unreadable.map_or(Ok(order), |why| Err(StoreError::Unreadable(why)))
    }

    /// The fingerprint of an order's picture, once it was begun.
    pub fn picture_of_order(&self, id: i64) -> Result<Option<String>> {
        let row = self.lock().query_row(
            "SELECT picture FROM render_order WHERE id = ?1",
            [id],
            |r| r.get(0),
        );
        found(row, "order", id)
    }

    /// Remembers which picture an order makes; of a pair also the fingerprints of both eyes' own pictures.
    pub fn set_order_eyes(&self, id: i64, left: &str, right: &str) -> Result<()> {
        let rows = self.lock().execute(
            "UPDATE render_order SET left_eye = ?2, right_eye = ?3 WHERE id = ?1",
            params![id, left, right],
        )?;
        changed(rows, "order", id)
    }

    /// Finished pictures in which an eye's own picture is, newest first: each picture's fingerprint, whether it is the right
    /// eye there, and the seconds that one eye of it took.
    pub fn pictures_with_eye(&self, eye: &str) -> Result<Vec<(String, bool, f64)>> {
        let db = self.lock();
        let mut statement = db.prepare(
            "SELECT o.picture, o.picture <> ?1 AND coalesce(o.left_eye, '') <> ?1,
                j.spent_s / CASE WHEN o.left_eye IS NULL THEN 1 ELSE 2 END FROM render_order o
                JOIN job j ON j.kind = 'order' AND j.makes = o.id
                WHERE j.state = 'done' AND ?1 IN (o.picture, o.left_eye, o.right_eye)
                ORDER BY o.id DESC",
        )?;
        let rows = statement.query_map([eye], |r| Ok((r.get(0)?, r.get(1)?, r.get(2)?)))?;
        Ok(rows.collect::<rusqlite::Result<_>>()?)
    }

    /// Tells how noisy the finished picture is.
    pub fn set_noise(&self, id: i64, told: &NoiseTold) -> Result<()> {
        let rows = self.lock().execute(
            "UPDATE render_order SET noise_percent = ?2, noise_left_percent = ?3, mean_samples = ?4
                WHERE id = ?1",
            params![id, told.percent, told.left_percent, told.samples],
        )?;
        changed(rows, "order", id)
    }

    /// Noise and mean samples of a finished picture, whichever order made it.
    pub fn noise_of(&self, picture: &str) -> Result<Option<NoiseTold>> {
        let row = self.lock().query_row(
            "SELECT noise_percent, noise_left_percent, mean_samples FROM render_order
                WHERE picture = ?1 AND mean_samples IS NOT NULL LIMIT 1",
            [picture],
            |r| {
                Ok(NoiseTold {
                    percent: r.get(0)?,
                    left_percent: r.get(1)?,
                    samples: r.get(2)?,
                })
            },
        );
        match row {
            Err(rusqlite::Error::QueryReturnedNoRows) => Ok(None),
            other => Ok(Some(other?)),
        }
    }

    /// Removes an order; its files, and those of its packages, are given up. Gives its project.
    pub fn remove_order(&self, id: i64) -> Result<i64> {
        let mut db = self.lock();
        let transaction = db.transaction()?;
        let project = transaction.query_row(
            "SELECT project FROM render_order WHERE id = ?1",
            [id],
            |r| r.get(0),
        );
        let project = found(project, "order", id)?;
        give_up_orders(&transaction, "render_order.id = ?1", id)?;
        let rows = transaction.execute("DELETE FROM render_order WHERE id = ?1", [id])?;
        changed(rows, "order", id)?;
        transaction.commit()?;
        Ok(project)
    }
}
