//! Orders: what to render, and where it is on its way.

use super::leftovers::give_up_orders;
use super::{Result, Store, changed, found};
use crate::api::types::{OrderSpec, OrderState};
use crate::folder::{DataFolder, RenderFolder};
use rusqlite::{OptionalExtension, Row, TransactionBehavior, params};

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
        // One that cannot be read neither hides the others nor itself.
        Ok(rows
            .into_iter()
            .map(|row| {
                let (id, project) = (row.0, row.1);
                order(row).unwrap_or_else(|e| OrderRow {
                    id,
                    project,
                    spec: OrderSpec::unreadable(),
                    state: OrderState::Failed,
                    spent_s: 0.0,
                    problem: Some(e.to_string()),
                    noise_percent: None,
                    mean_samples: None,
                    picture: None,
                })
            })
            .collect())
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

    /// Claims the order whose turn it is: from then on it is running. One that cannot be read fails, and says so; the next one
    /// has its turn.
    pub fn claim_order(&self) -> Result<Option<OrderRow>> {
        let mut db = self.lock();
        let transaction = db.transaction_with_behavior(TransactionBehavior::Immediate)?;
        let claimed = loop {
            let row = transaction.query_row(
                &format!("SELECT {COLUMNS} FROM render_order WHERE state = ?1 ORDER BY id LIMIT 1"),
                [serde_json::to_string(&OrderState::Queued)?],
                columns,
            );
            let Some(row) = row.optional()? else {
                break None;
            };
            let id = row.0;
            let (state, problem, read) = match order(row) {
                Ok(read) => (OrderState::Running, None, Some(read)),
                Err(e) => (OrderState::Failed, Some(e.to_string()), None),
            };
            transaction.execute(
                "UPDATE render_order SET state = ?2, problem = ?3 WHERE id = ?1",
                params![id, serde_json::to_string(&state)?, problem],
            )?;
            if let Some(mut read) = read {
                read.state = state;
                read.problem = None;
                break Some(read);
            }
        };
        transaction.commit()?;
        Ok(claimed)
    }

    /// Moves an order on, if it still is where it was thought to be; tells whether it was.
    pub fn move_order(
        &self,
        id: i64,
        from: &[OrderState],
        to: OrderState,
        problem: Option<&str>,
    ) -> Result<bool> {
        let from: Vec<String> = (from.iter())
            .map(serde_json::to_string)
            .collect::<std::result::Result<_, _>>()?;
        let rows = self.lock().execute(
            "UPDATE render_order SET state = ?2, problem = ?3
                WHERE id = ?1 AND state IN (SELECT value FROM json_each(?4))",
            params![
                id,
                serde_json::to_string(&to)?,
                problem,
                serde_json::to_string(&from)?
            ],
        )?;
        Ok(rows == 1)
    }

    /// Says something of an order that runs.
    pub fn note_on_order(&self, id: i64, note: &str) -> Result<()> {
        let rows = self.lock().execute(
            "UPDATE render_order SET problem = ?2 WHERE id = ?1",
            params![id, note],
        )?;
        changed(rows, "order", id)
    }

    /// The worker lets a running order go: where it is now, what is to be said, and the seconds that were spent on it.
    pub fn end_order(
        &self,
        id: i64,
        state: OrderState,
        problem: Option<&str>,
        spent_s: f64,
    ) -> Result<()> {
        let rows = self.lock().execute(
            "UPDATE render_order SET state = ?2, problem = ?3, spent_s = spent_s + ?4 WHERE id = ?1",
            params![id, serde_json::to_string(&state)?, problem, spent_s],
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

    /// Removes an order; its files, and those of its packages, are given up.
    pub fn remove_order(&self, id: i64) -> Result<()> {
        let mut db = self.lock();
        let transaction = db.transaction()?;
        give_up_orders(&transaction, "render_order.id = ?1", id)?;
        let rows = transaction.execute("DELETE FROM render_order WHERE id = ?1", [id])?;
        changed(rows, "order", id)?;
        Ok(transaction.commit()?)
    }
}
