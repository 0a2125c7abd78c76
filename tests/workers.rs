//! Several programs on one queue: each job is done once, a lost worker costs nothing that is finished, and the server may come and go.

use crate::support;

use serde_json::{Value, json};
use std::io::Read;
use std::path::Path;
use std::process::{Child, Stdio};
use support::{Server, owl_dome, run_fails, text, wait_for, with_room};

/// A worker on a data folder; `more` are its options.
fn worker(data: &Path, more: &[&str]) -> Child {
    owl_dome()
        .args(["work", "--data", text(data)])
        .args(more)
        .stdout(Stdio::null())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap()
}

/// What a worker said until its end.
fn said(mut worker: Child) -> String {
    let mut text = String::new();
    (worker.stderr.take().unwrap())
        .read_to_string(&mut text)
        .unwrap();
    assert!(worker.wait().unwrap().success(), "{text}");
    text
}

/// The room's server without workers of its own.
fn idle() -> (tempfile::TempDir, Server, i64) {
    let (folder, server, project) = with_room();
    let data = server.data.clone();
    server.kill();
    (folder, Server::start_with(&data, &["--no-work"]), project)
}

fn job_of(server: &Server, order: i64) -> Value {
    server.told(order)["job"].clone()
}

#[test]
fn two_workers_share_a_queue() {
    let (_folder, server, project) = idle();
    let orders: Vec<i64> = (1..=6)
        .map(|seed| server.order(project, json!({"width": 64, "samples": 8, "seed": seed})))
        .collect();
    // Nobody works: they wait.
    assert!(server.jobs().iter().all(|j| j["state"] == "waiting"));
    let workers = [0, 1].map(|_| worker(&server.data, &["--until-empty"]));
    let told = workers.map(said);
    let done: usize = told.iter().map(|t| t.matches(": done").count()).sum();
    assert_eq!(done, 6, "{told:?}");
    for order in orders {
        let order = server.wait_for_order(order, "done");
        assert_eq!(order["progress"], 1.0, "{order}");
    }
    // What happened is told, the last one first, with the noise reached and the time taken.
    let ended = server.json("GET", "/api/jobs/ended?since=0", None).1;
    let ended = ended.as_array().unwrap();
    assert_eq!(ended.len(), 6);
    for pair in ended.windows(2) {
        assert!(pair[0]["ended"].as_i64() >= pair[1]["ended"].as_i64());
    }
    assert!(ended[0]["mean_samples"] == 8.0 && ended[0]["spent_s"].is_number());
    let later = ended[0]["ended"].as_i64().unwrap() + 1;
    let none = server.json("GET", &format!("/api/jobs/ended?since={later}"), None);
    assert_eq!(none.1, json!([]));
}

/// A job that takes a while: many strips.
fn long(server: &Server, project: i64, seed: u32) -> i64 {
    server.order(project, json!({"width": 256, "samples": 24, "seed": seed}))
}

#[test]
fn the_server_comes_and_goes_while_a_worker_works() {
    let (_folder, server, project) = idle();
    let order = long(&server, project, 1);
    let mut first = worker(&server.data, &[]);
    let strips = |server: &Server| {
        let strips = server.told(order)["strips"].clone();
        strips.as_array().map_or(0, Vec::len)
    };
    wait_for("a strip", || (strips(&server) > 0).then_some(()));
    let share = |server: &Server| {
        let path = format!("/api/jobs/{}", job_of(server, order));
        server.json("GET", &path, None).1["progress"].as_f64()
    };
    wait_for("how far it is", || (share(&server)? > 0.0).then_some(()));
    // The server is killed and started: the worker keeps its job.
    let data = server.data.clone();
    server.kill();
    let server = Server::start_with(&data, &["--no-work"]);
    assert_eq!(server.told(order)["state"], "running");
    // The worker is killed, and the server started again: another one goes on from what is finished.
    first.kill().unwrap();
    first.wait().unwrap();
    let before = strips(&server);
    assert!(before > 0);
    server.kill();
    let server = Server::start_with(&data, &["--no-work"]);
    assert_eq!(server.told(order)["state"], "waiting");
    assert!(strips(&server) >= before);
    said(worker(&data, &["--until-empty"]));
    server.wait_for_order(order, "done");
    // The same bytes as those of one that was left in peace, by the server itself.
    let master = std::fs::read(server.files_of(order).join("master.exr")).unwrap();
    server.kill();
    let (_other, calm, project) = with_room();
    let again = long(&calm, project, 1);
    calm.wait_for_order(again, "done");
    let wanted = std::fs::read(calm.files_of(again).join("master.exr")).unwrap();
    assert!(master == wanted);
}

#[test]
fn a_worker_hears_of_stops_and_holds() {
    let (_folder, server, project) = idle();
    let orders = [1, 2].map(|seed| long(&server, project, seed));
    let hold = |held: bool| {
        let change = json!({"held": held, "project": project});
        let (status, count) = server.json("PATCH", "/api/jobs", Some(change));
        assert_eq!(status, 200, "{count}");
        count
    };
    assert_eq!(hold(true), 2);
    assert_eq!(hold(true), 0);
    // What is on hold is not begun, and a worker that shall end then ends.
    assert!(!said(worker(&server.data, &["--until-empty"])).contains("done"));
    assert_eq!(hold(false), 2);
    let mut worker = worker(&server.data, &[]);
    wait_for("the first to be begun", || {
        (server.told(orders[0])["state"] == "running").then_some(())
    });
    assert_eq!(server.ask_job(orders[0], "stop"), 202);
    assert_eq!(server.told(orders[0])["state"], "stopped");
    // The worker has its hands free for the other one.
    server.wait_for_order(orders[1], "done");
    assert_eq!(server.told(orders[0])["state"], "stopped");
    assert_eq!(server.ask_job(orders[0], "resume"), 202);
    server.wait_for_order(orders[0], "done");
    worker.kill().unwrap();
    worker.wait().unwrap();
    // Not before an hour: it waits till then.
    let later = server.order(project, json!({"width": 32, "samples": 1, "seed": 9}));
    let change = json!({"held": false, "not_before": 4_102_444_800i64});
    assert_eq!(server.json("PATCH", "/api/jobs", Some(change)).0, 200);
    let told = server
        .json(
            "GET",
            &format!("/api/jobs/{}", job_of(&server, later)),
            None,
        )
        .1;
    assert_eq!(told["not_before"], 4_102_444_800i64, "{told}");
}

#[test]
fn a_worker_without_a_folder_says_so() {
    let folder = tempfile::tempdir().unwrap();
    let said = run_fails(&["work", "--data", text(folder.path())], 1);
    assert!(said.contains("is no data folder of Owl Dome"), "{said}");
    // Nor does one write where its server does not.
    let (_room, server, _) = idle();
    let other = [
        "work",
        "--data",
        text(&server.data),
        "--out",
        text(folder.path()),
    ];
    let said = run_fails(&other, 1);
    assert!(
        said.contains("writes into") && said.contains(text(folder.path())),
        "{said}"
    );
}
