//! Orders: what to render, and where it is on its way.

use super::{Result, Store, changed, found};
use crate::api::types::{OrderSpec, OrderState};
use crate::folder::{DataFolder, RenderFolder};
use rusqlite::{Row, params};
use std::collections::BTreeSet;

/// An order as it is kept; strips and masters are told by the files themselves.
#[derive(Clone, Debug)]
pub struct OrderRow {
    /// Number.
    pub id: i64,
    /// Project.
    pub project: i64,
    /// What to render.
    pub spec: OrderSpec,
    /// Where it is.
    pub state: OrderState,
    /// Time spent on rendering, seconds.
    pub spent_s: f64,
    /// Why it failed.
    pub problem: Option<String>,
    /// Noise of the finished picture, percent of the displayed value.
    pub noise_percent: Option<f64>,
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

const COLUMNS: &str =
    "id, project, spec, state, spent_s, problem, noise_percent, mean_samples, picture";

type Columns = (
    i64,
    i64,
    String,
    String,
    f64,
    Option<String>,
    Option<f64>,
    Option<f64>,
    Option<String>,
);

fn columns(r: &Row) -> rusqlite::Result<Columns> {
    Ok((
        r.get(0)?,
        r.get(1)?,
        r.get(2)?,
        r.get(3)?,
        r.get(4)?,
        r.get(5)?,
        r.get(6)?,
        r.get(7)?,
        r.get(8)?,
    ))
}

fn order(columns: Columns) -> Result<OrderRow> {
    let (id, project, spec, state, spent_s, problem, noise_percent, mean_samples, picture) =
        columns;
    Ok(OrderRow {
        id,
        project,
        spec: serde_json::from_str(&spec)?,
        state: serde_json::from_str(&state)?,
        spent_s,
        problem,
        noise_percent,
        mean_samples,
        picture,
    })
}

impl Store {
    /// Adds an order at the end of the queue.
    pub fn add_order(&self, project: i64, spec: &OrderSpec) -> Result<i64> {
        let db = self.lock();
        db.execute(
            "INSERT INTO render_order (project, spec, state) VALUES (?1, ?2, ?3)",
            params![
                project,
                serde_json::to_string(spec)?,
                serde_json::to_string(&OrderState::Queued)?
            ],
        )?;
        Ok(db.last_insert_rowid())
    }

    /// A project's orders, newest first.
    pub fn orders(&self, project: i64) -> Result<Vec<OrderRow>> {
        let db = self.lock();
        let mut statement = db.prepare(&format!(
            "SELECT {COLUMNS} FROM render_order WHERE project = ?1 ORDER BY id DESC"
        ))?;
        let rows: Vec<_> = statement
            .query_map([project], columns)?
            .collect::<rusqlite::Result<_>>()?;
        rows.into_iter().map(order).collect()
    }

    /// One order.
    pub fn order(&self, id: i64) -> Result<OrderRow> {
        let row = self.lock().query_row(
            &format!("SELECT {COLUMNS} FROM render_order WHERE id = ?1"),
            [id],
            columns,
        );
        order(found(row, "order", id)?)
    }

    /// The order whose turn it is.
    pub fn next_order(&self) -> Result<Option<OrderRow>> {
        let row = self.lock().query_row(
            &format!("SELECT {COLUMNS} FROM render_order WHERE state = ?1 ORDER BY id LIMIT 1"),
            [serde_json::to_string(&OrderState::Queued)?],
            columns,
        );
        match row {
            Err(rusqlite::Error::QueryReturnedNoRows) => Ok(None),
            other => Ok(Some(order(other?)?)),
        }
    }

    /// Moves an order on.
    pub fn set_order_state(&self, id: i64, state: OrderState, problem: Option<&str>) -> Result<()> {
        let rows = self.lock().execute(
            "UPDATE render_order SET state = ?2, problem = ?3 WHERE id = ?1",
            params![id, serde_json::to_string(&state)?, problem],
        )?;
        changed(rows, "order", id)
    }

    /// Adds time spent on an order.
    pub fn add_time(&self, id: i64, seconds: f64) -> Result<()> {
        let rows = self.lock().execute(
            "UPDATE render_order SET spent_s = spent_s + ?2 WHERE id = ?1",
            params![id, seconds],
        )?;
        changed(rows, "order", id)
    }

    /// Tells how noisy the finished picture is.
    pub fn set_noise(&self, id: i64, percent: Option<f64>, samples: f64) -> Result<()> {
        let rows = self.lock().execute(
            "UPDATE render_order SET noise_percent = ?2, mean_samples = ?3 WHERE id = ?1",
            params![id, percent, samples],
        )?;
        changed(rows, "order", id)
    }

    /// Tells which picture an order makes.
    pub fn set_order_picture(&self, id: i64, picture: &str) -> Result<()> {
        let rows = self.lock().execute(
            "UPDATE render_order SET picture = ?2 WHERE id = ?1",
            params![id, picture],
        )?;
        changed(rows, "order", id)
    }

    /// The pictures that any order makes or has made.
    pub fn rendered_pictures(&self) -> Result<BTreeSet<String>> {
        let db = self.lock();
        let mut statement =
            db.prepare("SELECT DISTINCT picture FROM render_order WHERE picture IS NOT NULL")?;
        let rows = statement.query_map([], |r| r.get(0))?;
        Ok(rows.collect::<rusqlite::Result<_>>()?)
    }

    /// Noise and mean samples of a finished picture, whichever order made it.
    pub fn noise_of(&self, picture: &str) -> Result<Option<(Option<f64>, f64)>> {
        let row = self.lock().query_row(
            "SELECT noise_percent, mean_samples FROM render_order
                WHERE picture = ?1 AND mean_samples IS NOT NULL LIMIT 1",
            [picture],
            |r| Ok((r.get(0)?, r.get(1)?)),
        );
        match row {
            Err(rusqlite::Error::QueryReturnedNoRows) => Ok(None),
            other => Ok(Some(other?)),
        }
    }

    /// Orders that were being rendered when the server ended go on.
    pub fn requeue_running(&self) -> Result<()> {
        self.lock().execute(
            "UPDATE render_order SET state = ?1 WHERE state = ?2",
            params![
                serde_json::to_string(&OrderState::Queued)?,
                serde_json::to_string(&OrderState::Running)?
            ],
        )?;
        Ok(())
    }

    /// Removes an order.
    pub fn remove_order(&self, id: i64) -> Result<()> {
        let rows = self
            .lock()
            .execute("DELETE FROM render_order WHERE id = ?1", [id])?;
        changed(rows, "order", id)
    }
}
