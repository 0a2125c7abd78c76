//! `owl-dome work`: a worker beside the server.

use super::Outcome;
use crate::folder::DataFolder;
use crate::model::jobs::JobState;
use crate::work::App;
use clap::Args;
use std::collections::BTreeMap;
use std::path::PathBuf;
use std::time::Duration;

/// How often is told what happens.
const TOLD_EVERY: Duration = Duration::from_millis(500);

#[derive(Args)]
pub(super) struct WorkArgs {
    /// The data folder, which a server may use at the same time
    #[arg(long, value_name = "DIR", default_value = "data")]
    data: PathBuf,
    /// The folder for frames, as the server was told; untold, the server's own
    #[arg(long, value_name = "DIR")]
    out: Option<PathBuf>,
    /// End when nothing waits any more
    #[arg(long)]
    until_empty: bool,
}

pub(super) fn run(args: &WorkArgs) -> Outcome {
    let folder = DataFolder::look(&args.data)?.with_servers_out(args.out.as_deref())?;
    let app = App::work_on(folder)?;
    eprintln!(
        "Working on the queue of {}. Ctrl-C ends this worker; what it has begun is gone on with by others within a minute.",
        args.data.display()
    );
    // What was told of this worker's jobs.
    let mut told: BTreeMap<i64, u32> = BTreeMap::new();
    loop {
        std::thread::sleep(TOLD_EVERY);
        let running = app.jobs.all_running();
        let open = app.store.open_jobs()?;
        // What is on hold waits for people, and what others do is theirs.
        let idle = running.is_empty() && !open.iter().any(|j| j.state == JobState::Waiting);
        for running in &running {
            let percent = (100.0 * running.progress().0) as u32 / 10 * 10;
            let job = &running.job;
            if told.insert(job.id, percent) != Some(percent) {
                eprintln!("{}: {percent} %", job.what);
            }
        }
        // Nothing ran before this is asked: whatever ended is among it.
        for id in app.jobs.take_ended() {
            told.remove(&id);
            if let Ok(job) = app.store.job(id) {
                let problem = job.problem.map_or_else(String::new, |p| format!(" ({p})"));
                eprintln!("{}: {}{problem}", job.what, job.state.name());
            }
        }
        if args.until_empty && idle {
            return Ok(());
        }
    }
}
