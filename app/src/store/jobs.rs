//! Jobs: whose turn it is, who does it, how it ended. Every change of state is compare-and-set.

use super::{Result, Store, StoreError, changed, found};
use crate::model::jobs::{Job, JobKind, JobState, Lane, NewJob};
use rusqlite::{Connection, Row, TransactionBehavior, params};

const COLUMNS: &str = "id, kind, project, makes, asked, what, state, place, not_before, attempts, \
    memory, disk, spent_s, problem, ended, progress, remaining_s, on_farm";

/// A row whose kind or state this version does not know is none of its jobs.
fn job(r: &Row) -> rusqlite::Result<Option<Job>> {
    let (kind, state): (String, String) = (r.get(1)?, r.get(6)?);
    let (Some(kind), Some(state)) = (JobKind::of_name(&kind), JobState::of_name(&state)) else {
        return Ok(None);
    };
    Ok(Some(Job {
        id: r.get(0)?,
        kind,
        project: r.get(2)?,
        makes: r.get(3)?,
        asked: r.get(4)?,
        what: r.get(5)?,
        state,
        place: r.get(7)?,
        not_before: r.get(8)?,
        attempts: r.get(9)?,
        memory: r.get::<_, i64>(10)?.unsigned_abs(),
        disk: r.get::<_, i64>(11)?.unsigned_abs(),
        spent_s: r.get(12)?,
        problem: r.get(13)?,
        ended: r.get(14)?,
        written: (r.get(15)?, r.get(16)?),
        on_farm: r.get(17)?,
    }))
}

/// Queues a job at the end.
pub(super) fn add(db: &Connection, makes: i64, new: &NewJob) -> Result<i64> {
    let bytes = |b: u64| i64::try_from(b).unwrap_or(i64::MAX);
    db.execute(
        "INSERT INTO job (kind, project, makes, asked, what, state, place, memory, disk, on_farm) VALUES
            (?1, ?2, ?3, ?4, ?5, ?8, (SELECT coalesce(max(place), 0) + 1 FROM job), ?6, ?7, ?9)",
        params![
            new.kind.name(),
            new.project,
            makes,
            new.asked,
            new.what,
            bytes(new.memory),
            bytes(new.disk),
            if new.held {
                JobState::Held
            } else {
                JobState::Waiting
            }
            .name(),
            new.on_farm
        ],
    )?;
    Ok(db.last_insert_rowid())
}

/// The condition that a job is on a lane.
fn on_lane(lane: Lane) -> String {
    let kinds = match lane {
        Lane::Farm => Lane::Renders,
        lane => lane,
    };
    let names: Vec<String> = (JobKind::ALL.iter())
        .filter(|k| k.lane() == kinds)
        .map(|k| format!("'{}'", k.name()))
        .collect();
    let farm = u8::from(lane == Lane::Farm);
    format!("kind IN ({}) AND on_farm = {farm}", names.join(", "))
}

/// Who may be claimed now: what waits and may begin, and what was lost by a worker whose lease has run out.
const FREE: &str =
    "((state = 'waiting' AND coalesce(not_before, 0) <= ?1) OR (state = 'running' AND lease < ?1))";

/// So many jobs of a lane are looked at for one that there is memory for.
const LOOKED_AT: u32 = 32;

impl Store {
    /// The next jobs of a lane that may begin at a time (Unix seconds), in the order of their turns. What was begun again and
    /// again without an end, because the program ended first, goes behind the others: if it is to blame, they do not wait
    /// for it for ever.
    pub fn next_jobs(&self, lane: Lane, now: i64) -> Result<Vec<Job>> {
        let sql = format!(
            "SELECT {COLUMNS} FROM job WHERE {} AND {FREE}
                ORDER BY max(attempts - 2, 0), place LIMIT {LOOKED_AT}",
            on_lane(lane)
        );
        let db = self.lock();
        let mut statement = db.prepare(&sql)?;
        let jobs = (statement.query_map([now], job)?).collect::<rusqlite::Result<Vec<_>>>()?;
        Ok(jobs.into_iter().flatten().collect())
    }

    /// Claims a job for a worker until a time, if it is still free; tells whether it was.
    pub fn claim_job(&self, id: i64, worker: &str, now: i64, until: i64) -> Result<bool> {
        let rows = self.lock().execute(
            &format!(
                "UPDATE job SET state = 'running', worker = ?3, lease = ?4, attempts = attempts + 1, problem = NULL
                    WHERE id = ?2 AND {FREE}"
            ),
            params![now, id, worker, until],
        )?;
        Ok(rows == 1)
    }

    /// A worker goes on with its job until a later time, and writes down how far it is; false if it is not its job any more.
    pub fn renew_lease(
        &self,
        id: i64,
        worker: &str,
        until: i64,
        (share, left): (f64, Option<f64>),
    ) -> Result<bool> {
        let rows = self.lock().execute(
            "UPDATE job SET lease = ?3, progress = ?4, remaining_s = ?5
                WHERE id = ?1 AND worker = ?2 AND state = 'running'",
            params![id, worker, until, share, left],
        )?;
        Ok(rows == 1)
    }

    /// Puts all orders that are not done on the lane where they are made now: on a farm's, if there is one, but for those that are
    /// to be made here.
    pub fn settle_lanes(&self, farm: bool) -> Result<()> {
        self.lock().execute(
            "UPDATE job SET on_farm = ?1 AND NOT coalesce((SELECT json_extract(spec, '$.here')
                FROM render_order WHERE id = makes AND json_valid(spec)), 0)
                WHERE kind = 'order' AND state <> 'done'",
            [farm],
        )?;
        Ok(())
    }

    /// Has an order made here or by a farm, unless it is being made or is done; tells whether.
    pub fn set_lane(&self, job: &Job, on_farm: bool) -> Result<bool> {
        let mut db = self.lock();
        let transaction = db.transaction_with_behavior(TransactionBehavior::Immediate)?;
        let rows = transaction.execute(
            "UPDATE job SET on_farm = ?2
                WHERE id = ?1 AND kind = 'order' AND state NOT IN ('running', 'done')",
            params![job.id, on_farm],
        )?;
        if rows == 1 {
            transaction.execute(
                "UPDATE render_order SET spec = json_set(spec, '$.here', json(?2)) WHERE id = ?1",
                params![job.makes, if on_farm { "false" } else { "true" }],
            )?;
        }
        transaction.commit()?;
        Ok(rows == 1)
    }

    /// A job came forward: what was tried before in vain does not count any more.
    pub fn came_forward(&self, id: i64) -> Result<()> {
        (self.lock()).execute("UPDATE job SET attempts = 1 WHERE id = ?1", [id])?;
        Ok(())
    }

    /// A worker lets its job go: where it is now, what is to be said, and the seconds that were spent. False if it was not its
    /// job any more, or is gone.
    pub fn end_job(
        &self,
        id: i64,
        worker: &str,
        state: JobState,
        problem: Option<&str>,
        spent_s: f64,
    ) -> Result<bool> {
        let rows = self.lock().execute(
            "UPDATE job SET state = ?3, problem = ?4, spent_s = spent_s + ?5, attempts = 0,
                worker = NULL, lease = NULL, progress = NULL, remaining_s = NULL, ended = unixepoch()
                WHERE id = ?1 AND worker = ?2 AND state = 'running'",
            params![id, worker, state.name(), problem, spent_s],
        )?;
        Ok(rows == 1)
    }

    /// Moves a job on, if it still is where it was thought to be; tells whether it was. It begins afresh.
    pub fn move_job(
        &self,
        id: i64,
        from: &[JobState],
        to: JobState,
        problem: Option<&str>,
    ) -> Result<bool> {
        let from: Vec<&str> = from.iter().map(|s| s.name()).collect();
        let rows = self.lock().execute(
            "UPDATE job SET state = ?2, problem = ?3, attempts = 0, worker = NULL, lease = NULL,
                progress = NULL, remaining_s = NULL, ended = CASE ?2 WHEN 'stopped' THEN unixepoch() END
                WHERE id = ?1 AND state IN (SELECT value FROM json_each(?4))",
            params![id, to.name(), problem, serde_json::to_string(&from)?],
        )?;
        Ok(rows == 1)
    }

    /// Says something about a job.
    pub fn note_on_job(&self, id: i64, note: Option<&str>) -> Result<()> {
        let rows = (self.lock()).execute(
            "UPDATE job SET problem = ?2 WHERE id = ?1",
            params![id, note],
        )?;
        changed(rows, "job", id)
    }

    /// A job may not begin before a time (Unix seconds).
    pub fn set_not_before(&self, id: i64, not_before: Option<i64>) -> Result<()> {
        let rows = self.lock().execute(
            "UPDATE job SET not_before = ?2 WHERE id = ?1",
            params![id, not_before],
        )?;
        changed(rows, "job", id)
    }

    /// Puts a job right before another one, or at the end.
    pub fn place_job(&self, id: i64, before: Option<i64>) -> Result<()> {
        let mut db = self.lock();
        let transaction = db.transaction_with_behavior(TransactionBehavior::Immediate)?;
        let place: i64 = match before {
            Some(other) => {
                let place =
                    transaction
                        .query_row("SELECT place FROM job WHERE id = ?1", [other], |r| r.get(0));
                let place = found(place, "job", other)?;
                transaction.execute(
                    "UPDATE job SET place = place + 1 WHERE place >= ?1",
                    [place],
                )?;
                place
            }
            None => transaction.query_row("SELECT max(place) + 1 FROM job", [], |r| {
                Ok(r.get::<_, Option<i64>>(0)?.unwrap_or(1))
            })?,
        };
        let rows = transaction.execute(
            "UPDATE job SET place = ?2 WHERE id = ?1",
            params![id, place],
        )?;
        changed(rows, "job", id)?;
        Ok(transaction.commit()?)
    }

    /// Jobs that are not done, in the order of their turns.
    pub fn open_jobs(&self) -> Result<Vec<Job>> {
        let db = self.lock();
        let mut statement = db.prepare(&format!(
            "SELECT {COLUMNS} FROM job WHERE state <> 'done' ORDER BY state <> 'running', place"
        ))?;
        let rows: Vec<Option<Job>> =
            (statement.query_map([], job)?).collect::<rusqlite::Result<_>>()?;
        Ok(rows.into_iter().flatten().collect())
    }

    /// One job.
    pub fn job(&self, id: i64) -> Result<Job> {
        let sql = format!("SELECT {COLUMNS} FROM job WHERE id = ?1");
        let row = self.lock().query_row(&sql, [id], job);
        found(row, "job", id)?.ok_or(StoreError::Missing { what: "job", id })
    }

    /// Jobs whose worker is gone wait again.
    pub fn release_jobs(&self, alive: impl Fn(&str) -> bool) -> Result<()> {
        let db = self.lock();
        let mut statement =
            db.prepare("SELECT id, coalesce(worker, '') FROM job WHERE state = 'running'")?;
        let held: Vec<(i64, String)> = (statement.query_map([], |r| Ok((r.get(0)?, r.get(1)?)))?)
            .collect::<rusqlite::Result<_>>()?;
        for (id, worker) in held.iter().filter(|(_, worker)| !alive(worker)) {
            db.execute(
                "UPDATE job SET state = 'waiting', worker = NULL, lease = NULL
                    WHERE id = ?1 AND state = 'running' AND coalesce(worker, '') = ?2",
                params![id, worker],
            )?;
        }
        Ok(())
    }

    /// Who does a job that is being done.
    pub fn worker_of(&self, id: i64) -> Result<Option<String>> {
        let sql = "SELECT worker FROM job WHERE id = ?1 AND state = 'running'";
        match self.lock().query_row(sql, [id], |r| r.get(0)) {
            Err(rusqlite::Error::QueryReturnedNoRows) => Ok(None),
            other => Ok(other?),
        }
    }

    /// Jobs that are being done, with who does each.
    pub fn jobs_in_work(&self) -> Result<Vec<(i64, String)>> {
        let db = self.lock();
        let mut statement =
            db.prepare("SELECT id, coalesce(worker, '') FROM job WHERE state = 'running'")?;
        let rows = statement.query_map([], |r| Ok((r.get(0)?, r.get(1)?)))?;
        Ok(rows.collect::<rusqlite::Result<_>>()?)
    }

    /// Jobs that ended at a time (Unix seconds) or later, the last one first.
    pub fn ended_jobs(&self, since: i64) -> Result<Vec<Job>> {
        let db = self.lock();
        let mut statement = db.prepare(&format!(
            "SELECT {COLUMNS} FROM job WHERE ended >= ?1 AND state IN ('done', 'failed', 'stopped')
                ORDER BY ended DESC, id DESC LIMIT 1000"
        ))?;
        let rows: Vec<Option<Job>> =
            (statement.query_map([since], job)?).collect::<rusqlite::Result<_>>()?;
        Ok(rows.into_iter().flatten().collect())
    }

    /// Space on disk that jobs which are not over still need at most, but for one of them, bytes. `written` tells how much one
    /// has written already.
    pub fn disk_spoken_for(&self, written: impl Fn(&Job) -> u64) -> Result<u64> {
        Ok((self.open_jobs()?.iter())
            .filter(|j| !j.state.is_over())
            .map(|j| j.disk.saturating_sub(written(j)))
            .sum())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::orders::OrderSpec;

    fn store() -> (tempfile::TempDir, Store, [i64; 3]) {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(&folder.path().join("owl-dome.db")).unwrap();
        let new = |kind| NewJob {
            kind,
            project: None,
            asked: "{}".into(),
            what: "A picture".into(),
            held: false,
            memory: 5,
            disk: 100,
            on_farm: false,
        };
        let jobs = [JobKind::Conversion, JobKind::Mending, JobKind::Assembly]
            .map(|kind| store.add_picture(&new(kind)).unwrap().1);
        (folder, store, jobs)
    }

    fn turn(store: &Store, now: i64) -> Option<i64> {
        let next = store.next_jobs(Lane::Pictures, now).unwrap();
        next.first().map(|j| j.id)
    }

    /// A job that may be what ends the program again and again does not keep the others from their turn.
    #[test]
    fn what_was_begun_in_vain_goes_behind_the_others() {
        let (_folder, store, [first, second, _]) = store();
        for now in [100, 200] {
            assert_eq!(turn(&store, now), Some(first));
            assert!(store.claim_job(first, "a", now, now + 60).unwrap());
        }
        assert!(store.claim_job(first, "a", 300, 360).unwrap());
        assert_eq!(turn(&store, 400), Some(second));
        // Once it came forward it has its place again.
        store.came_forward(first).unwrap();
        assert_eq!(turn(&store, 400), Some(first));
    }

    #[test]
    fn a_job_has_one_worker_and_a_lost_one_is_taken_over() {
        let (_folder, store, [first, second, _]) = store();
        assert_eq!(turn(&store, 0), Some(first));
        for other in [Lane::Renders, Lane::Farm, Lane::Packages] {
            assert_eq!(store.next_jobs(other, 0).unwrap(), []);
        }
        assert!(store.claim_job(first, "a", 100, 130).unwrap());
        // Nobody else gets it while the lease holds, and the next one has its turn.
        assert!(!store.claim_job(first, "b", 120, 150).unwrap());
        assert_eq!(turn(&store, 120), Some(second));
        assert!(store.renew_lease(first, "a", 160, (0.5, None)).unwrap());
        assert_eq!(store.job(first).unwrap().written, (Some(0.5), None));
        assert_eq!(turn(&store, 150), Some(second));
        // The lease ran out: another worker has it, and the lost one's word counts no more.
        assert_eq!(turn(&store, 161), Some(first));
        assert!(store.claim_job(first, "b", 161, 191).unwrap());
        assert!(!store.renew_lease(first, "a", 200, (0.5, None)).unwrap());
        assert!(
            !store
                .end_job(first, "a", JobState::Done, None, 3.0)
                .unwrap()
        );
        let job = store.job(first).unwrap();
        assert_eq!(
            (job.state, job.attempts, job.spent_s),
            (JobState::Running, 2, 0.0)
        );
        assert!(
            store
                .end_job(first, "b", JobState::Done, Some("said"), 4.0)
                .unwrap()
        );
        let job = store.job(first).unwrap();
        assert_eq!((job.state, job.spent_s), (JobState::Done, 4.0));
        // An end is an end: it cannot come twice.
        assert!(
            !store
                .end_job(first, "b", JobState::Failed, None, 1.0)
                .unwrap()
        );
    }

    #[test]
    fn places_holds_and_times_decide_whose_turn_it_is() {
        let (_folder, store, [first, second, third]) = store();
        store.place_job(third, Some(first)).unwrap();
        let order = |store: &Store| -> Vec<i64> {
            store.open_jobs().unwrap().iter().map(|j| j.id).collect()
        };
        assert_eq!(order(&store), [third, first, second]);
        store.place_job(third, Some(second)).unwrap();
        assert_eq!(order(&store), [first, third, second]);
        store.place_job(first, None).unwrap();
        assert_eq!(order(&store), [third, second, first]);
        assert!(
            store
                .move_job(third, &[JobState::Waiting], JobState::Held, None)
                .unwrap()
        );
        assert_eq!(turn(&store, 50), Some(second));
        store.set_not_before(second, Some(60)).unwrap();
        assert_eq!(turn(&store, 59), Some(first));
        assert_eq!(turn(&store, 60), Some(second));
        // What is not where it was thought to be stays.
        assert!(
            !store
                .move_job(third, &[JobState::Waiting], JobState::Stopped, None)
                .unwrap()
        );
        assert_eq!(store.job(third).unwrap().state, JobState::Held);
        assert!(store.place_job(99, None).is_err() && store.place_job(first, Some(99)).is_err());
    }

    #[test]
    fn disk_is_spoken_for_by_what_is_not_over() {
        let (_folder, store, [first, second, third]) = store();
        assert_eq!(store.disk_spoken_for(|_| 0).unwrap(), 300);
        assert!(store.claim_job(first, "a", 0, 30).unwrap());
        let written = |j: &Job| if j.id == first { 70 } else { 0 };
        assert_eq!(store.disk_spoken_for(written).unwrap(), 230);
        assert!(
            store
                .end_job(first, "a", JobState::Failed, None, 0.0)
                .unwrap()
        );
        assert!(
            store
                .move_job(second, &[JobState::Waiting], JobState::Stopped, None)
                .unwrap()
        );
        assert!(
            store
                .move_job(third, &[JobState::Waiting], JobState::Held, None)
                .unwrap()
        );
        assert_eq!(store.disk_spoken_for(|_| 0).unwrap(), 100);
        // A kill gives back what was running.
        assert!(
            store
                .move_job(first, &[JobState::Failed], JobState::Waiting, None)
                .unwrap()
        );
        assert!(store.claim_job(first, "a", 0, i64::MAX).unwrap());
        store.release_jobs(|worker| worker == "a").unwrap();
        assert_eq!(store.job(first).unwrap().state, JobState::Running);
        store.release_jobs(|_| false).unwrap();
        assert_eq!(store.job(first).unwrap().state, JobState::Waiting);
    }

    /// An order is made by the farm or here, as it says and as there is one; what cannot be read keeps nobody from starting.
    #[test]
    fn orders_are_on_the_lane_where_they_are_made() {
        let (_folder, store, _) = store();
        let project = store.add_project("Merlow", 0).unwrap();
        let order = |here: bool| {
            let spec = OrderSpec {
                here,
                ..OrderSpec::unreadable()
            };
            let new = NewJob {
                kind: JobKind::Order,
                project: Some(project),
                asked: String::new(),
                what: "Gallery".into(),
                held: false,
                memory: 0,
                disk: 0,
                on_farm: false,
            };
            let id = store.add_order(project, &spec, &new).unwrap();
            (id, store.order(id).unwrap().job)
        };
        let on = |lane| -> Vec<i64> {
            let jobs = store.next_jobs(lane, 0).unwrap();
            jobs.into_iter().map(|j| j.id).collect()
        };
        let (usual, here, broken) = (order(false), order(true), order(false));
        (store.lock())
            .execute(
                "UPDATE render_order SET spec = '{\"width\": 3' WHERE id = ?1",
                [broken.0],
            )
            .unwrap();
        assert_eq!(on(Lane::Renders), [usual.1, here.1, broken.1]);
        store.settle_lanes(true).unwrap();
        assert_eq!(on(Lane::Farm), [usual.1, broken.1]);
        assert_eq!(on(Lane::Renders), [here.1]);
        // What an order says of itself stays when the server starts again.
        assert!(store.set_lane(&store.job(usual.1).unwrap(), false).unwrap());
        assert!(store.order(usual.0).unwrap().spec.here);
        store.settle_lanes(true).unwrap();
        assert_eq!(on(Lane::Renders), [usual.1, here.1]);
        // What is being made stays where it is.
        assert!(store.claim_job(here.1, "a", 0, 60).unwrap());
        assert!(!store.set_lane(&store.job(here.1).unwrap(), true).unwrap());
        store.settle_lanes(false).unwrap();
        assert!(on(Lane::Farm).is_empty());
    }

    /// What a job makes takes it along when it is removed.
    #[test]
    fn a_job_goes_with_what_it_makes() {
        let (_folder, store, [first, ..]) = store();
        let makes = store.job(first).unwrap().makes;
        store.remove_picture(makes).unwrap();
        assert!(matches!(store.job(first), Err(StoreError::Missing { .. })));
        assert_eq!(store.open_jobs().unwrap().len(), 2);
    }
}
