//! The engine of all long work: whose turn it is, that one worker does it, and how it ends.

use super::asked::{JobChange, JobsChange};
use super::masters;
use super::running::{Ended, Running};
use super::told::Event;
use super::{
    App, Result, WorkError, frame_orders, meanwhile::meanwhile, package, picture_jobs, rendering,
};
use crate::model::jobs::{Job, JobKind, JobState, Lane};
use crate::store::{Store, StoreError};
use dome_files::budget::{self, Claim};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant, SystemTime, UNIX_EPOCH};

/// How often is told how far a job is.
const TOLD_EVERY: Duration = Duration::from_millis(500);
/// How long a claim holds without being renewed, seconds.
const LEASE_S: i64 = 60;
/// How often it is renewed, and how far the work is written down: whoever stops or removes it elsewhere is heard as soon.
const RENEWED_EVERY: Duration = Duration::from_secs(2);
/// Ended jobs that are remembered for whoever asks.
const MOST_REMEMBERED: usize = 1000;
/// How often is looked at what other programs do.
const OTHERS_EVERY: Duration = Duration::from_secs(1);
/// How long a worker with nothing to do waits before it looks again: a job may have been given a time to begin.
const LOOKED_EVERY: Duration = Duration::from_secs(2);
/// How long is waited before something is tried again that failed, the first time.
const FIRST_PAUSE: Duration = Duration::from_secs(1);
/// How often a job may be begun without coming forward before it is given up: it may be what ends the program.
const MOST_ATTEMPTS: u32 = 20;

/// The state of the queue beside the database.
pub struct Jobs {
    /// This program's name among workers.
    worker: String,
    running: Mutex<Vec<Arc<Running>>>,
    wake: Condvar,
    /// How often something may have come to do.
    calls: Mutex<u64>,
    /// Jobs that wait for memory, and what is said of them.
    short_of_memory: Mutex<Vec<(i64, String)>>,
    /// Jobs that ended here, until somebody asks; the last ones of many.
    ended: Mutex<Vec<i64>>,
}

impl Default for Jobs {
    fn default() -> Self {
        let started = SystemTime::now().duration_since(UNIX_EPOCH);
        let started = started.unwrap_or_default().as_millis();
        Self {
            worker: format!("{}{started}", worker_mark(std::process::id())),
            running: Mutex::default(),
            wake: Condvar::new(),
            calls: Mutex::new(0),
            short_of_memory: Mutex::default(),
            ended: Mutex::default(),
        }
    }
}

/// How the names of a process's workers begin.
fn worker_mark(process: u32) -> String {
    format!("{process}-")
}

/// Whether the program that a worker belongs to still runs on this machine. One that cannot be told is taken for running: its claim
/// runs out by itself.
pub fn is_alive(worker: &str) -> bool {
    let process = worker.split_once('-').and_then(|(p, _)| p.parse().ok());
    let Some(process) = process.filter(|p: &u32| *p != std::process::id()) else {
        return false;
    };
    let here = std::path::Path::new("/proc/self").exists();
    !here || std::path::Path::new(&format!("/proc/{process}")).exists()
}

/// Seconds since 1970, by which jobs are claimed.
pub fn now() -> i64 {
    let since = SystemTime::now().duration_since(UNIX_EPOCH);
    since.map_or(0, |d| i64::try_from(d.as_secs()).unwrap_or(i64::MAX))
}

fn open<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Jobs {
    /// A job that is being done.
    pub fn running(&self, id: i64) -> Option<Arc<Running>> {
        open(&self.running).iter().find(|r| r.job.id == id).cloned()
    }

    /// All jobs that are being done here.
    pub fn all_running(&self) -> Vec<Arc<Running>> {
        open(&self.running).clone()
    }

    /// Jobs that ended here since this was last asked.
    pub fn take_ended(&self) -> Vec<i64> {
        std::mem::take(&mut open(&self.ended))
    }

    /// The render that is under way on this machine.
    pub fn rendering(&self) -> Option<Arc<Running>> {
        (open(&self.running).iter())
            .find(|r| r.job.lane() == Lane::Renders)
            .cloned()
    }

    /// Whether a job uses the files of a rendered picture.
    pub(super) fn is_using(&self, picture: &str) -> bool {
        open(&self.running).iter().any(|r| r.is_using(picture))
    }

    /// Tells the workers that there may be something to do.
    pub fn wake(&self) {
        *open(&self.calls) += 1;
        self.wake.notify_all();
    }

    /// Stops what is being done and was removed.
    pub fn stop_removed(&self, store: &Store) {
        for running in open(&self.running).iter() {
            if matches!(store.job(running.job.id), Err(StoreError::Missing { .. })) {
                running.control.stop();
            }
        }
    }

    /// What is said of a job that waits for memory.
    pub(super) fn short_of_memory(&self, id: i64) -> Option<String> {
        let waiting = open(&self.short_of_memory);
        (waiting.iter().find(|w| w.0 == id)).map(|w| w.1.clone())
    }

    /// Waits until somebody calls, or for a while; `heard` are the calls that were heard before.
    fn wait(&self, heard: &mut u64) {
        let calls = open(&self.calls);
        let (calls, _) = (self.wake)
            .wait_timeout_while(calls, LOOKED_EVERY, |calls| *calls == *heard)
            .unwrap_or_else(PoisonError::into_inner);
        *heard = *calls;
    }

    /// The next job of a lane with the memory for it, claimed. From then on a stop finds it here. One that there is no memory
    /// for lets smaller ones go first, and is the first to be asked again.
    fn claim(&self, app: &App, lane: Lane) -> Result<Option<(Arc<Running>, Result<Claim>)>> {
        for next in app.store.next_jobs(lane, now())? {
            let memory = match self.memory_for(app, &next) {
                Memory::Here(claim) => Ok(claim),
                Memory::Never(why) => Err(why),
                Memory::Later => continue,
            };
            let mut running = open(&self.running);
            if !(app.store).claim_job(next.id, &self.worker, now(), now() + LEASE_S)? {
                return Ok(None);
            }
            let claimed = Arc::new(Running::new(app.store.job(next.id)?));
            running.push(Arc::clone(&claimed));
            return Ok(Some((claimed, memory)));
        }
        Ok(None)
    }

    /// The memory that a job takes beside what readers claim by themselves; where it is short, caches give way first.
    fn memory_for(&self, app: &App, job: &Job) -> Memory {
        let claim = || budget::claim(job.memory, &job.what);
        let found = claim().or_else(|_| {
            app.scenes.forget_idle();
            claim()
        });
        let mut waiting = open(&self.short_of_memory);
        let known = waiting.iter().any(|w| w.0 == job.id);
        waiting.retain(|w| w.0 != job.id);
        match found {
            Ok(claim) => Memory::Here(claim),
            Err(e) if open(&self.running).is_empty() => Memory::Never(e.into()),
            Err(_) => {
                waiting.push((job.id, waits_for_memory(job.memory)));
                drop(waiting);
                if !known {
                    app.tell_job(job.id);
                }
                Memory::Later
            }
        }
    }
}

/// Whether there is memory for a job.
enum Memory {
    Here(Claim),
    Later,
    /// Not even alone.
    Never(WorkError),
}

fn waits_for_memory(needed: u64) -> String {
    format!(
        "Waits for memory: it needs {}, and {} of {} are free. It goes on by itself.",
        budget::told(needed),
        budget::told(budget::limit().saturating_sub(budget::used())),
        budget::told(budget::limit())
    )
}

/// Starts the workers, one a lane.
pub fn start(app: &Arc<App>) {
    for lane in (Lane::ALL.into_iter()).filter(|lane| *lane != Lane::Farm || app.farm.is_some()) {
        let app = Arc::clone(app);
        std::thread::spawn(move || {
            // Threads of its own, so that live pictures never wait behind a strip.
            let pool = rayon::ThreadPoolBuilder::new()
                .thread_name(|i| format!("job-{i}"))
                .build();
            let (mut heard, mut failures) = (0, 0);
            loop {
                match app.jobs.claim(&app, lane) {
                    Ok(Some((running, memory))) => {
                        let work = || match &pool {
                            Ok(pool) => pool.install(|| run(&app, &running, memory, make)),
                            Err(_) => run(&app, &running, memory, make),
                        };
                        failures = if work() { 0 } else { failures + 1 };
                        if failures > 0 {
                            std::thread::sleep(pause(failures));
                        }
                    }
                    Ok(None) => app.jobs.wait(&mut heard),
                    // The database is locked, or its disk is full: later it may not be.
                    Err(_) => std::thread::sleep(FIRST_PAUSE),
                }
            }
        });
    }
}

/// How long is waited before something is tried again that failed so many times in a row: longer each time, up to half a
/// minute.
fn pause(failures: u32) -> Duration {
    FIRST_PAUSE * (1 << failures.saturating_sub(1).min(5)).min(30)
}

/// Makes what a job is there to make.
fn make(app: &Arc<App>, running: &Running) -> Result<Ended> {
    match running.job.kind {
        JobKind::Order => rendering::run(app, running),
        JobKind::Package => package::make(app, running),
        JobKind::Conversion | JobKind::Assembly | JobKind::Mending => {
            picture_jobs::run(app, running)
        }
    }
}

/// Does a claimed job, by `make`, and writes down how it ended; false if it has to wait for room or memory.
fn run(
    app: &Arc<App>,
    running: &Arc<Running>,
    memory: Result<Claim>,
    make: impl Fn(&Arc<App>, &Running) -> Result<Ended> + Sync,
) -> bool {
    let id = running.job.id;
    app.tell_job(id);
    let renewed = Mutex::new(Instant::now());
    let tell = || {
        app.tell_job(id);
        let mut renewed = open(&renewed);
        if renewed.elapsed() > RENEWED_EVERY {
            *renewed = Instant::now();
            // Whoever lost a job to another worker, or to its removal, stops.
            let far = running.progress();
            let lease = (app.store).renew_lease(id, &app.jobs.worker, now() + LEASE_S, far);
            if matches!(lease, Ok(false)) {
                running.control.stop();
            }
        }
    };
    let work = || {
        let _memory = memory?;
        if running.job.attempts > MOST_ATTEMPTS {
            return Err(WorkError::Conflict(format!(
                "It was begun {MOST_ATTEMPTS} times, and each time the program ended before it came forward. Resume tries it again."
            )));
        }
        make(app, running)
    };
    let outcome = catch_unwind(AssertUnwindSafe(|| meanwhile(TOLD_EVERY, tell, work)))
        .unwrap_or_else(|panic| Err(WorkError::Broke(said(&*panic))));
    end(app, running, outcome)
}

/// What a panic said, on one line.
fn said(panic: &(dyn std::any::Any + Send)) -> String {
    let text = (panic.downcast_ref::<String>().map(String::as_str))
        .or_else(|| panic.downcast_ref::<&str>().copied());
    let line = text.and_then(|t| t.lines().next());
    line.unwrap_or("no reason is known")
        .chars()
        .take(160)
        .collect()
}

/// What is said of a job that waits for room on the disk.
const NO_ROOM: &str = "The disk of the data folder is full. What is finished is kept, and it goes on by itself when there is room.";

/// Writes down how a job ended, however long the database or its disk keep one waiting. False if there was no room for its
/// work, so that it waits for its turn again.
fn end(app: &App, running: &Running, outcome: Result<Ended>) -> bool {
    let id = running.job.id;
    let alone = open(&app.jobs.running).len() == 1;
    let (state, problem) = match outcome {
        Ok(Ended::Done(note)) => {
            let said = running.remarks().into_iter().chain(note);
            let said: Vec<String> = said.collect();
            (JobState::Done, (!said.is_empty()).then(|| said.join(" ")))
        }
        Ok(Ended::Stopped) => (JobState::Stopped, None),
        Ok(Ended::Held(why)) => (JobState::Held, Some(why)),
        Err(_) if running.control.is_stopped() => (JobState::Stopped, None),
        Err(e) if e.is_disk_full() => (JobState::Waiting, Some(NO_ROOM.to_owned())),
        // What others hold now will be free later.
        Err(e) if !alone && e.memory_needed().is_some() => {
            let needed = e.memory_needed().unwrap_or(0);
            (JobState::Waiting, Some(waits_for_memory(needed)))
        }
        Err(e) => (JobState::Failed, Some(e.to_string())),
    };
    let spent = running.spent_s();
    if let (JobState::Waiting, Some(note)) = (state, &problem) {
        // A full disk has no room for the sentence either.
        running.set_note(note);
        app.tell_job(id);
    }
    let mut failures = 0;
    // One that was removed meanwhile, or lost to another worker, needs no state.
    while let Err(_busy_or_full) =
        (app.store).end_job(id, &app.jobs.worker, state, problem.as_deref(), spent)
    {
        failures += 1;
        std::thread::sleep(pause(failures));
    }
    {
        let mut ended = open(&app.jobs.ended);
        ended.truncate(MOST_REMEMBERED);
        ended.push(id);
    }
    open(&app.jobs.running).retain(|r| r.job.id != id);
    app.tell_job_with(id, running.take_untold());
    app.sweep();
    // Other lanes may have waited for its memory.
    app.jobs.wake();
    state != JobState::Waiting
}

/// Moves a job on and tells it.
fn moved(app: &App, id: i64, from: &[JobState], to: JobState) -> Result<bool> {
    let moved = app.store.move_job(id, from, to, None)?;
    if moved {
        app.tell_job(id);
        app.jobs.wake();
    }
    Ok(moved)
}

/// Stops a job that waits, is held or runs.
pub fn stop(app: &App, id: i64) -> Result<()> {
    let before = app.store.job(id)?.state;
    // One that waits is stopped before a worker can claim it, or the worker has it: there is nothing between.
    if moved(
        app,
        id,
        &[JobState::Waiting, JobState::Held],
        JobState::Stopped,
    )? {
        return Ok(());
    }
    match app.jobs.running(id) {
        Some(running) => running.control.stop(),
        // Another program does it, and hears of it when it next writes down how far it is.
        None if before == JobState::Running && app.store.worker_of(id)?.is_some() => {
            moved(app, id, &[JobState::Running], JobState::Stopped)?;
        }
        // It ended while this was asked.
        None if before == JobState::Running => {}
        None => {
            return Err(refused(
                "It is neither waiting nor running; there is nothing to stop.",
            ));
        }
    }
    Ok(())
}

/// Lets a stopped or failed job go on from what is finished, and makes a picture again whose master is gone or damaged.
pub fn resume(app: &App, id: i64) -> Result<()> {
    let job = app.store.job(id)?;
    let mut from = vec![JobState::Stopped, JobState::Failed];
    let gone = |order| -> Result<bool> {
        let row = app.store.order(order)?;
        Ok(match &row.spec.frames {
            Some(_) => frame_orders::missing(app, &row).is_some(),
            None => !masters::is_whole(&row.files(&app.folder))?,
        })
    };
    if job.kind == JobKind::Order && job.state == JobState::Done && gone(job.makes)? {
        from.push(JobState::Done);
    }
    if moved(app, id, &from, JobState::Waiting)? {
        return Ok(());
    }
    Err(refused("It is not stopped; there is nothing to resume."))
}

/// Puts a waiting job aside, or lets it wait again.
fn hold(app: &App, id: i64, held: bool) -> Result<()> {
    let (from, to) = match held {
        true => (JobState::Waiting, JobState::Held),
        false => (JobState::Held, JobState::Waiting),
    };
    if moved(app, id, &[from], to)? {
        return Ok(());
    }
    app.store.job(id)?;
    Err(refused(if held {
        "Only what waits can be put on hold; stop what is running."
    } else {
        "It is not on hold; there is nothing to let go."
    }))
}

/// Puts all orders aside that wait, or lets all go, by choice not before a time. Gives how many.
pub fn change_all(app: &App, change: &JobsChange) -> Result<usize> {
    let jobs = app.store.open_jobs()?;
    let mut changed = 0;
    for job in jobs.iter().filter(|j| j.kind.lane() == Lane::Renders) {
        if change.project.is_some_and(|p| job.project != Some(p)) {
            continue;
        }
        let open = matches!(job.state, JobState::Waiting | JobState::Held);
        if let Some(at) = change.not_before.filter(|_| open) {
            app.store.set_not_before(job.id, (at > 0).then_some(at))?;
        }
        let (from, to) = match change.held {
            true => (JobState::Waiting, JobState::Held),
            false => (JobState::Held, JobState::Waiting),
        };
        changed += usize::from(app.store.move_job(job.id, &[from], to, None)?);
    }
    app.tell(Event::Jobs);
    app.jobs.wake();
    Ok(changed)
}

/// Tells of what other programs do, as long as the server runs.
pub fn watch_others(app: &Arc<App>) {
    let app = Arc::downgrade(app);
    std::thread::spawn(move || {
        let mut known: Vec<i64> = Vec::new();
        while let Some(app) = app.upgrade() {
            let in_work = app.store.jobs_in_work().unwrap_or_default();
            let others: Vec<i64> = (in_work.into_iter())
                .filter(|(_, worker)| *worker != app.jobs.worker)
                .map(|(id, _)| id)
                .collect();
            // Those that are no longer among them have ended.
            let ended = known.iter().filter(|id| !others.contains(id));
            others.iter().chain(ended).for_each(|id| app.tell_job(*id));
            known = others;
            drop(app);
            std::thread::sleep(OTHERS_EVERY);
        }
    });
}

/// Changes a job's turn: whether it is on hold, before which other one it comes, when it may begin.
pub fn change(app: &App, id: i64, change: &JobChange) -> Result<()> {
    app.store.job(id)?;
    if let Some(held) = change.held {
        hold(app, id, held)?;
    }
    match change.before {
        Some(0) => app.store.place_job(id, None)?,
        Some(other) => app.store.place_job(id, Some(other))?,
        None => {}
    }
    if let Some(at) = change.not_before {
        app.store.set_not_before(id, (at > 0).then_some(at))?;
    }
    if let Some(here) = change.here {
        made(app, id, here)?;
    }
    app.tell(Event::Jobs);
    app.jobs.wake();
    Ok(())
}

/// Has an order made on this machine, or by the farm.
fn made(app: &App, id: i64, here: bool) -> Result<()> {
    if !here && app.farm.is_none() {
        return Err(refused(
            "There is no farm here; start the server with --farm and --shared.",
        ));
    }
    let job = app.store.job(id)?;
    let idle = !matches!(job.state, JobState::Running | JobState::Done);
    if let Some(farm) = app.farm.as_ref().filter(|_| here && job.on_farm && idle) {
        farm.come_home(app, &app.store.order(job.makes)?)?;
    }
    if app.store.set_lane(&job, !here)? {
        app.tell_job(id);
        return Ok(());
    }
    Err(refused(
        "Only an order that waits, is on hold or was stopped can be made elsewhere; stop it first, what is finished is kept.",
    ))
}

fn refused(sentence: &str) -> WorkError {
    WorkError::Conflict(sentence.into())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pauses_grow_and_end() {
        let told: Vec<u64> = (1..9).map(|n| pause(n).as_secs()).collect();
        assert_eq!(told, [1, 2, 4, 8, 16, 30, 30, 30]);
    }

    /// An application whose jobs nobody does but the test.
    fn idle() -> (tempfile::TempDir, Arc<App>) {
        let folder = tempfile::tempdir().unwrap();
        let data = crate::folder::DataFolder::open(folder.path()).unwrap();
        let store = Store::open(&data.database()).unwrap();
        (folder, Arc::new(App::with(data, store)))
    }

    fn conversion(app: &App, memory: u64) -> i64 {
        let new = crate::model::jobs::NewJob {
            kind: JobKind::Conversion,
            project: None,
            asked: "{}".into(),
            what: "A picture".into(),
            held: false,
            memory,
            disk: 0,
            on_farm: false,
        };
        app.store.add_picture(&new).unwrap().1
    }

    /// A job that breaks, wherever it is, is failed with a sentence, and the next one is done.
    #[test]
    fn a_job_that_breaks_fails_alone() {
        let (_folder, app) = idle();
        let (first, second) = (conversion(&app, 0), conversion(&app, 0));
        let (running, memory) = app.jobs.claim(&app, Lane::Pictures).unwrap().unwrap();
        assert_eq!(running.job.id, first);
        assert!(run(&app, &running, memory, |_, running| {
            running.share(0.5);
            panic!("a row of {} pixels\nand more", 7)
        }));
        let told = app.store.job(first).unwrap();
        assert_eq!(told.state, JobState::Failed);
        let problem = told.problem.unwrap();
        assert!(
            problem.contains("a row of 7 pixels") && problem.ends_with('.'),
            "{problem}"
        );
        assert!(!problem.contains('\n') && app.jobs.running(first).is_none());

        let (running, memory) = app.jobs.claim(&app, Lane::Pictures).unwrap().unwrap();
        assert_eq!(running.job.id, second);
        assert!(run(&app, &running, memory, |_, _| Ok(Ended::Done(None))));
        assert_eq!(app.store.job(second).unwrap().state, JobState::Done);
        assert!(app.jobs.claim(&app, Lane::Pictures).unwrap().is_none());
    }

    /// One that there is no memory for beside others waits, says so, and smaller ones go first.
    #[test]
    fn a_small_job_goes_before_one_that_waits_for_memory() {
        let (_folder, app) = idle();
        let (now, huge, small) = (
            conversion(&app, 0),
            conversion(&app, 1 << 60),
            conversion(&app, 0),
        );
        let (running, memory) = app.jobs.claim(&app, Lane::Pictures).unwrap().unwrap();
        assert_eq!(running.job.id, now);
        // As if that one ran in another lane.
        let (next, _) = app.jobs.claim(&app, Lane::Pictures).unwrap().unwrap();
        assert_eq!(next.job.id, small);
        let said = app.jobs.short_of_memory(huge).unwrap();
        assert!(said.contains("goes on by itself"), "{said}");
        for (running, memory) in [(running, memory), (next, Ok(Claim::default()))] {
            assert!(run(&app, &running, memory, |_, _| Ok(Ended::Done(None))));
        }
        // Alone it is told that it never fits.
        let (running, memory) = app.jobs.claim(&app, Lane::Pictures).unwrap().unwrap();
        assert_eq!(running.job.id, huge);
        assert!(run(&app, &running, memory, |_, _| panic!(
            "begun without memory"
        )));
        let problem = app.store.job(huge).unwrap().problem.unwrap();
        assert!(problem.contains("--memory"), "{problem}");
    }

    #[test]
    fn a_panic_is_told_on_one_line() {
        let broken = |f: fn()| said(&*catch_unwind(f).unwrap_err());
        assert_eq!(broken(|| panic!("one\ntwo")), "one");
        assert_eq!(broken(|| panic!("row {}", 3)), "row 3");
        assert_eq!(broken(|| std::panic::panic_any(5)), "no reason is known");
    }
}
