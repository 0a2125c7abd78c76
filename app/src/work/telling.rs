//! What is told of jobs and orders: what the database says, and what is known of those that are being done.

use super::frame_orders;
use super::outputs;
use super::rendering::finished_strips;
use super::told::Event;
use super::told::jobs::JobInfo;
use super::told::jobs::Order;
use super::{App, Result};
use crate::model::jobs::{Job, JobKind, JobState};
use crate::store::OrderRow;

/// What is said of an order whose finished picture was taken away.
const MASTER_GONE: &str =
    "The file of its master is gone from the data folder; Resume makes it again.";
/// All strips rendered is not yet a file on disk.
const UNTIL_WRITTEN: f64 = 0.99;

impl App {
    /// A job with everything that is not in the database.
    pub fn describe_job(&self, job: Job) -> JobInfo {
        let running = self.jobs.running(job.id);
        let (progress, remaining_s) = match &running {
            Some(running) => {
                let (share, left) = running.progress();
                (share * UNTIL_WRITTEN, left)
            }
            None if job.state == JobState::Done => (1.0, None),
            // Another program does it.
            None if job.state == JobState::Running => {
                let (share, left) = job.written;
                (share.unwrap_or(0.0) * UNTIL_WRITTEN, left)
            }
            None => (0.0, None),
        };
        let (noise_percent, mean_samples) = running.as_ref().map_or((None, None), |r| r.noise());
        let under_way = running.as_ref().and_then(|r| r.under_way());
        let frames = (running.as_ref()).and_then(|r| {
            let row = (job.kind == JobKind::Order)
                .then(|| self.store.order(job.makes).ok())
                .flatten()?;
            Some(frame_orders::told(self, &row, Some(r))?.0)
        });
        let said = match &running {
            Some(running) => running.note(),
            None if job.state == JobState::Waiting => self.jobs.short_of_memory(job.id),
            None => None,
        };
        JobInfo {
            id: job.id,
            kind: job.kind,
            project: job.project,
            makes: job.makes,
            what: job.what,
            state: job.state,
            not_before: job.not_before,
            ended: job.ended,
            on_farm: (job.kind == JobKind::Order && self.farm.is_some()).then_some(job.on_farm),
            attempts: job.attempts,
            progress,
            remaining_s,
            spent_s: job.spent_s + running.map_or(0.0, |r| r.spent_s()),
            noise_percent,
            mean_samples,
            under_way,
            frames,
            problem: said.or(job.problem),
        }
    }

    /// What ended at a time (Unix seconds) or later, with the noise of what was rendered.
    pub fn ended_jobs(&self, since: i64) -> Result<Vec<JobInfo>> {
        let jobs = self.store.ended_jobs(since)?;
        let told = |job: Job| {
            let order = (job.kind == JobKind::Order).then(|| self.store.order(job.makes).ok());
            let order = order.flatten();
            let mut info = self.describe_job(job);
            if let Some(order) = order {
                info.noise_percent = order.noise_left_percent.or(order.noise_percent);
                info.mean_samples = order.mean_samples;
            }
            info
        };
        Ok(jobs.into_iter().map(told).collect())
    }

    /// Jobs that are not done, in the order of their turns.
    pub fn open_jobs(&self) -> Result<Vec<JobInfo>> {
        let jobs = self.store.open_jobs()?;
        Ok(jobs.into_iter().map(|j| self.describe_job(j)).collect())
    }

    /// An order with everything that is not in the database.
    pub fn describe_order(&self, row: OrderRow) -> Order {
        let running = self.jobs.running(row.job);
        let files = row.files(&self.folder);
        let master = std::fs::metadata(files.master()).ok().map(|m| m.len());
        let (frames, missing) = match frame_orders::told(self, &row, running.as_deref()) {
            Some((frames, missing)) => (Some(frames), missing),
            None => (None, master.is_none().then(|| MASTER_GONE.to_owned())),
        };
        let done = row.state == JobState::Done && missing.is_none();
        let (state, problem) = match row.state {
            JobState::Done if !done => (JobState::Failed, missing),
            state => (state, row.problem),
        };
        let said = match &running {
            Some(running) => running.note(),
            None if state == JobState::Waiting => self.jobs.short_of_memory(row.job),
            None => None,
        };
        let strips = if done || frames.is_some() {
            Vec::new()
        } else {
            finished_strips(&files, &row.spec)
        };
        let (progress, remaining_s) = match &running {
            Some(running) => {
                let (share, left) = running.progress();
                (share * UNTIL_WRITTEN, left)
            }
            None if done => (1.0, None),
            None if frames.is_some() => {
                let share = (frames.as_ref())
                    .map_or(0.0, |f| f64::from(f.done) / f64::from(f.total.max(1)));
                (share * UNTIL_WRITTEN, None)
            }
            None => {
                let rows: u32 = strips.iter().map(|s| s.1).sum();
                let share = f64::from(rows) / f64::from(row.spec.height.max(1));
                (share * UNTIL_WRITTEN, None)
            }
        };
        let (noise_percent, mean_samples) = match &running {
            Some(running) => running.noise(),
            None => (row.noise_percent, row.mean_samples),
        };
        let out_file = outputs::still_file(row.id, &row.spec).ok().flatten();
        Order {
            out_file: out_file.map(|f| self.folder.out().join(f).display().to_string()),
            id: row.id,
            project: row.project,
            job: row.job,
            spec: row.spec,
            state,
            progress,
            strips,
            under_way: running.as_ref().and_then(|r| r.under_way()),
            remaining_s,
            noise_percent,
            noise_left_percent: row.noise_left_percent.filter(|_| done),
            mean_samples,
            spent_s: row.spent_s + running.map_or(0.0, |r| r.spent_s()),
            frames,
            master_bytes: master.filter(|_| done),
            problem: said.or(problem),
            picture: row.picture,
        }
    }

    /// Tells how far a job is.
    pub fn tell_job(&self, id: i64) {
        let strips = self.jobs.running(id).map(|r| r.take_untold());
        self.tell_job_with(id, strips.unwrap_or_default());
    }

    /// Tells how far a job is, and which strips of its picture were finished since the last time.
    pub(super) fn tell_job_with(&self, id: i64, strips: Vec<(u32, u32)>) {
        let Ok(job) = self.store.job(id) else {
            return;
        };
        let job = Box::new(self.describe_job(job));
        self.tell(Event::Job { job, strips });
    }

    /// A job was queued: it is told, and a worker may begin.
    pub(super) fn queued(&self, id: i64) -> Result<JobInfo> {
        let job = self.describe_job(self.store.job(id)?);
        self.tell_job(id);
        self.jobs.wake();
        Ok(job)
    }
}
