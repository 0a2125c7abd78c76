//! Slurm: an array job with a task a chunk, and a job after it that joins. Everything goes through its own commands.

use crate::work::{Result, WorkError};
use dome_files::atomic;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::path::{Path, PathBuf};
use std::process::Command;

/// How chunks are to be spread.
#[derive(Clone, Debug, Default)]
pub struct Wish {
    /// The program on the nodes; this one's own path if absent.
    pub program: Option<PathBuf>,
    /// The partition; the usual one if absent.
    pub partition: Option<String>,
}

/// What the farm was given.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Sent {
    /// Number of the array job, if there was a chunk to make.
    pub array: Option<u64>,
    /// Number of the job that joins.
    pub join: u64,
}

/// How far the farm's jobs are.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct States {
    /// Tasks that are being done, and on which nodes.
    pub running: Vec<String>,
    /// Tasks that wait.
    pub waiting: usize,
    /// Tasks that failed.
    pub failed: usize,
}

impl States {
    /// Whether something still happens.
    pub fn is_open(&self) -> bool {
        self.waiting > 0 || !self.running.is_empty()
    }

    /// In words.
    pub fn told(&self) -> String {
        let mut nodes = self.running.clone();
        nodes.sort();
        nodes.dedup();
        let running = match self.running.len() {
            0 => "none running".to_owned(),
            n => format!("{n} running on {}", nodes.join(", ")),
        };
        let failed = match self.failed {
            0 => String::new(),
            n => format!(", {n} failed"),
        };
        format!("{running}, {} waiting{failed}", self.waiting)
    }
}

/// Runs one of Slurm's commands and gives what it says.
fn slurm(program: &str, args: &[String]) -> Result<String> {
    let done = Command::new(program).args(args).output().map_err(|e| {
        WorkError::Request(match e.kind() {
            std::io::ErrorKind::NotFound => format!(
                "{program} is not installed, and the farm is asked by it; install Slurm's commands (Debian: apt-get install slurm-client) where the farm is reached."
            ),
            _ => format!("{program} could not be started ({e}); check its installation."),
        })
    })?;
    if done.status.success() {
        return Ok(String::from_utf8_lossy(&done.stdout).into_owned());
    }
    let said = String::from_utf8_lossy(&done.stderr);
    let line = said.lines().find(|l| !l.trim().is_empty());
    Err(WorkError::Request(format!(
        "The farm refused {program}: {}. Check that it can be reached and what it allows.",
        line.unwrap_or("it did not say why")
            .trim()
            .trim_end_matches('.')
    )))
}

/// A word as a shell takes it for one.
fn quoted(word: &Path) -> String {
    format!("'{}'", word.display().to_string().replace('\'', r"'\''"))
}

fn number(told: &str) -> Result<u64> {
    // With several clusters the name of one follows.
    let digits = told.trim().split(';').next().unwrap_or_default();
    digits.parse().map_err(|_| {
        WorkError::Request(format!(
            "The farm answered \"{}\" instead of a job's number; check sbatch.",
            told.trim()
        ))
    })
}

/// Gives the farm the chunks of a bundle, and the joining once they are done.
pub fn submit(root: &Path, order: i64, chunks: &[usize], wish: &Wish) -> Result<Sent> {
    let program = match &wish.program {
        Some(program) => program.clone(),
        None => std::env::current_exe().map_err(|e| {
            WorkError::Request(format!(
                "The program does not know its own path ({e}); name it with --program."
            ))
        })?,
    };
    let script = |name: &str, does: &str| -> Result<String> {
        let text = format!(
            "#!/bin/sh\nexec {} farm {does} {}\n",
            quoted(&program),
            quoted(root)
        );
        let path = root.join(name);
        atomic::write_bytes(&path, text.as_bytes())?;
        Ok(path.display().to_string())
    };
    let log = |name: &str| root.join("log").join(name).display().to_string();
    let common = |name: String, log: String| -> Vec<String> {
        let mut args = vec![
            "--parsable".into(),
            "--requeue".into(),
            "--open-mode=append".into(),
            format!("--job-name={name}"),
            format!("--output={log}"),
            format!("--chdir={}", root.display()),
        ];
        if let Some(partition) = &wish.partition {
            args.push(format!("--partition={partition}"));
        }
        args
    };
    let mut array = None;
    if !chunks.is_empty() {
        let numbers: Vec<u64> = chunks.iter().map(|c| *c as u64).collect();
        let mut args = common(format!("owl-dome-{order}"), log("%a.txt"));
        args.push(format!(
            "--array={}",
            crate::work::frames::ranges(&numbers).replace(' ', "")
        ));
        args.push(script("chunk.sh", "run --chunk \"$SLURM_ARRAY_TASK_ID\"")?);
        array = Some(number(&slurm("sbatch", &args)?)?);
    }
    let mut args = common(format!("owl-dome-{order}-join"), log("join.txt"));
    if let Some(array) = array {
        args.push(format!("--dependency=afterok:{array}"));
        args.push("--kill-on-invalid-dep=yes".into());
    }
    args.push(script("join.sh", "join")?);
    let join = match slurm("sbatch", &args).and_then(|told| number(&told)) {
        Ok(join) => join,
        Err(e) => {
            // Without the joining the chunks are of no use.
            if let Some(array) = array {
                let _ = slurm("scancel", &[array.to_string()]);
            }
            return Err(e);
        }
    };
    Ok(Sent { array, join })
}

/// How far what the farm was given is.
pub fn states(sent: &Sent) -> Result<States> {
    // Only our own: a farm's whole queue may hold many thousands.
    let ids: Vec<String> = (sent.array.iter().chain([&sent.join]))
        .map(u64::to_string)
        .collect();
    let asked = slurm(
        "squeue",
        &["--json".into(), format!("--jobs={}", ids.join(","))],
    );
    let told = match asked {
        Ok(told) => told,
        // It calls jobs wrong that it has forgotten.
        Err(_) => slurm("squeue", &["--json".into()])?,
    };
    let told: Value = serde_json::from_str(&told).map_err(|e| {
        WorkError::Request(format!(
            "squeue answered what is no JSON ({e}); check its version."
        ))
    })?;
    Ok(states_in(&told, sent))
}

/// What an answer of `squeue --json` says of some jobs. States are words, in a list since version 23; numbers may be told as objects.
fn states_in(told: &Value, sent: &Sent) -> States {
    let number = |v: &Value| v.as_u64().or_else(|| v["number"].as_u64());
    let mut states = States::default();
    for job in told["jobs"].as_array().into_iter().flatten() {
        let of = |name: &str| number(&job[name]).filter(|n| *n > 0);
        let ours = [of("array_job_id"), of("job_id")];
        let known = [sent.array, Some(sent.join)];
        if !ours.iter().flatten().any(|id| known.contains(&Some(*id))) {
            continue;
        }
        let state = match &job["job_state"] {
            Value::Array(all) => all.first().and_then(Value::as_str),
            one => one.as_str(),
        };
        match state.unwrap_or_default() {
            "RUNNING" | "COMPLETING" | "CONFIGURING" | "STAGE_OUT" | "SUSPENDED" => {
                let node = job["nodes"].as_str().unwrap_or_default();
                states.running.push(node.to_owned());
            }
            "PENDING" | "REQUEUED" | "REQUEUE_HOLD" | "SPECIAL_EXIT" | "RESIZING" | "SIGNALING" => {
                // An array that waits is one entry for all of its tasks.
                let tasks = job["array_task_string"].as_str().map_or(1, tasks_in);
                states.waiting += tasks;
            }
            "COMPLETED" => {}
            _ => states.failed += 1,
        }
    }
    states
}

/// How many tasks a list like `1-3,7` names.
fn tasks_in(list: &str) -> usize {
    let list = list.split('%').next().unwrap_or_default();
    let count = |part: &str| match part.split_once('-') {
        Some((a, b)) => match (a.parse::<usize>(), b.parse::<usize>()) {
            (Ok(a), Ok(b)) if b >= a => b - a + 1,
            _ => 1,
        },
        None => 1,
    };
    list.split(',').map(count).sum::<usize>().max(1)
}

/// Ends what the farm was given. What is finished stays.
pub fn cancel(sent: &Sent) -> Result<()> {
    let mut ids: Vec<String> = sent.array.iter().map(u64::to_string).collect();
    ids.push(sent.join.to_string());
    slurm("scancel", &ids).map(drop)
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    /// Answers of version 22.05 (states as words) and 23.11 (lists, numbers as objects).
    #[test]
    fn answers_of_both_kinds_are_read() {
        let sent = Sent {
            array: Some(7),
            join: 9,
        };
        let older = json!({"jobs": [
            {"job_id": 7, "array_job_id": 7, "job_state": "PENDING", "array_task_string": "2-4,6", "nodes": ""},
            {"job_id": 8, "array_job_id": 7, "job_state": "RUNNING", "nodes": "n1"},
            {"job_id": 12, "array_job_id": 7, "job_state": "FAILED", "nodes": "n2"},
            {"job_id": 11, "array_job_id": 7, "job_state": "COMPLETED", "nodes": "n2"},
            {"job_id": 9, "array_job_id": 0, "job_state": "PENDING", "nodes": ""},
            {"job_id": 70, "array_job_id": 0, "job_state": "RUNNING", "nodes": "n2"},
        ]});
        let told = states_in(&older, &sent);
        assert_eq!(told.told(), "1 running on n1, 5 waiting, 1 failed");
        assert!(told.is_open());
        let newer = json!({"jobs": [
            {"job_id": 10, "array_job_id": {"set": true, "number": 7}, "job_state": ["RUNNING"], "nodes": "n2"},
            {"job_id": 9, "array_job_id": {"set": true, "number": 0}, "job_state": ["CANCELLED"], "nodes": ""},
        ]});
        assert_eq!(
            states_in(&newer, &sent).told(),
            "1 running on n2, 0 waiting, 1 failed"
        );
        assert!(!states_in(&json!({"jobs": []}), &sent).is_open());
        assert_eq!(tasks_in("0-7%2"), 8);
    }

    #[test]
    fn numbers_and_words_for_the_shell() {
        assert_eq!(number("17;cluster\n").unwrap(), 17);
        assert!(number("sbatch: error").is_err());
        assert_eq!(quoted(Path::new("/a b/it's")), r"'/a b/it'\''s'");
    }
}
