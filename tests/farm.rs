//! Orders that a farm makes, with real Slurm on this machine: tasks are killed, a node is lost, and the bytes are those of one machine.

#[path = "support/slurm.rs"]
mod slurm;
use crate::support;

use serde_json::{Value, json};
use slurm::{Slurm, kill, processes};
use std::path::{Path, PathBuf};
use std::process::Output;
use support::walk::{frames, wish, with_walk};
use support::{Server, owl_dome, run, run_fails, run_ok, text, wait_for};

/// A command of the program for whom the farm is there.
fn on(slurm: &Slurm, args: &[&str]) -> Output {
    let mut command = owl_dome();
    command.args(args).env("SLURM_CONF", slurm.config());
    command.output().unwrap()
}

fn said(slurm: &Slurm, args: &[&str]) -> String {
    let done = on(slurm, args);
    assert!(
        done.status.success(),
        "{args:?}: {}",
        String::from_utf8_lossy(&done.stderr)
    );
    String::from_utf8(done.stdout).unwrap()
}

fn status(slurm: &Slurm, bundle: &Path) -> Value {
    serde_json::from_str(&said(slurm, &["farm", "status", text(bundle), "--json"])).unwrap()
}

/// Tasks of a bundle that run just now.
fn tasks(bundle: &Path) -> Vec<u32> {
    let root = text(bundle).to_owned();
    // The program and not the shell that began it.
    processes(|line| {
        line.contains(" farm run ") && line.contains(&root) && line.contains(" --chunk ")
    })
}

/// Waits until the farm has nothing more to do; what it holds back after a lost node is let go at once.
fn until_idle(slurm: &Slurm, bundle: &Path) -> Value {
    wait_for("the farm", || {
        let told = status(slurm, bundle);
        let farm = &told["farm"];
        if farm["waiting"] != 0 {
            for line in slurm
                .ask("squeue", &["-h", "-r", "-t", "PD", "-o", "%i"])
                .lines()
            {
                let id = line.trim();
                let job = format!("jobid={id}");
                slurm.ask("scontrol", &["update", &job, "StartTime=now"]);
                slurm.ask("scontrol", &["release", id]);
            }
        }
        let idle = farm["waiting"] == 0 && farm["running"] == json!([]);
        idle.then_some(told)
    })
}

/// The bundle that was given to the farm, in the shared folder.
fn sent_bundle(shared: &Path) -> PathBuf {
    wait_for("a bundle", || {
        let mut all = std::fs::read_dir(shared).unwrap().flatten();
        all.find(|e| e.path().join("farm.json").exists())
            .map(|e| e.path())
    })
}

/// Says where an order is to be made.
fn place(server: &Server, order: i64, here: bool) -> (u16, Value) {
    let job = server.told(order)["job"].as_i64().unwrap();
    let path = format!("/api/jobs/{job}");
    server.json("PATCH", &path, Some(json!({"here": here})))
}

/// Twelve frames: one task is killed, one node is lost in the middle, and every byte is that of a single machine.
#[test]
fn frames_of_a_farm_are_those_of_one_machine() {
    let mut slurm = Slurm::start();
    let (folder, server) = with_walk();
    let ask = |name: &str, held: bool| {
        let mut wish = wish(frames(11, &format!("{name}/{{frame}}"), json!({})));
        wish["width"] = json!(128);
        wish["samples"] = json!(48);
        wish["held"] = json!(held);
        server.order(1, wish)
    };
    let order = ask("farm", true);
    let bundle = folder.path().join("shared");
    let data = text(&server.data).to_owned();
    let number = order.to_string();
    let told = run_ok(&[
        "bundle",
        "--data",
        &data,
        "--order",
        &number,
        "-o",
        text(&bundle),
    ]);
    assert!(told.contains("in 12 chunks"), "{told}");
    assert_eq!(server.told(order)["state"], "held");
    said(&slurm, &["farm", "submit", text(&bundle)]);
    // A task is killed: its chunk is lost, and nothing else.
    let victim = wait_for("a task", || tasks(&bundle).first().copied());
    kill(victim);
    // A node is lost with whatever runs on it.
    wait_for("a task on the second node", || {
        let running = status(&slurm, &bundle)["farm"]["running"].clone();
        let there = running.as_array()?.iter().any(|n| n == "n2");
        there.then_some(())
    });
    slurm.lose("n2");
    slurm.bring_back("n2");
    until_idle(&slurm, &bundle);
    // What failed for good is given to the farm again, and nothing else.
    let again = said(&slurm, &["farm", "submit", text(&bundle)]);
    assert!(again.contains("oined by job"), "{again}");
    let told = until_idle(&slurm, &bundle);
    assert_eq!(
        (&told["done"], &told["total"]),
        (&json!(12), &json!(12)),
        "{told}"
    );
    // Attempts that died leave nothing among the frames.
    assert_eq!(
        std::fs::read_dir(bundle.join("out/farm")).unwrap().count(),
        12
    );
    let came = said(&slurm, &["farm", "collect", text(&bundle), "--data", &data]);
    assert!(came.starts_with("12 files came home"), "{came}");
    let told = server.wait_for_order(order, "done");
    assert_eq!(told["frames"]["done"], 12, "{told}");
    // Nothing was rendered here.
    assert_eq!(told["noise_percent"], Value::Null, "{told}");
    let calm = ask("calm", false);
    server.wait_for_order(calm, "done");
    for frame in 0..12 {
        let read = |name: &str| {
            std::fs::read(server.data.join(format!("out/{name}/{frame}.exr"))).unwrap()
        };
        assert!(read("farm") == read("calm"), "frame {frame}");
    }
}

/// A still in eight parts, made by a server whose orders a farm makes: true progress, a stop, and the bytes of one machine.
#[test]
fn a_still_in_parts_comes_into_the_same_queue() {
    let slurm = Slurm::start();
    let (folder, server) = with_walk();
    let still = json!({"width": 256, "samples": 32, "seed": 3, "denoise": true});
    let calm = server.order(1, still.clone());
    server.wait_for_order(calm, "done");
    let wanted = std::fs::read(server.files_of(calm).join("master.exr")).unwrap();
    let removed = server.json("DELETE", &format!("/api/orders/{calm}"), None);
    assert_eq!(removed.0, 204);
    let data = server.data.clone();
    server.kill();
    let shared = folder.path().join("shared");
    std::fs::create_dir(&shared).unwrap();
    let options = ["--farm", "slurm", "--shared", text(&shared)];
    let config = slurm.config();
    let server = Server::start_in(&data, &options, &[("SLURM_CONF", text(&config))]);
    let order = server.order(1, still.clone());
    let bundle = sent_bundle(&shared);
    wait_for("what the farm does", || {
        let told = server.told(order);
        let note = told["problem"].as_str()?;
        note.contains("On the farm: ").then_some(())
    });
    // Stopped here, it ends there; resumed, it goes on from what is finished.
    wait_for("a part", || {
        let told = server.told(order);
        (told["progress"].as_f64()? > 0.0).then_some(())
    });
    assert_eq!(server.ask_job(order, "stop"), 202);
    server.wait_for_order(order, "stopped");
    wait_for("the farm to be empty", || {
        let told = status(&slurm, &bundle);
        (told["farm"]["running"] == json!([]) && told["farm"]["waiting"] == 0).then_some(())
    });
    let before = status(&slurm, &bundle)["done"].as_u64().unwrap();
    // Taken back and sent again half-made, its parts wait where they are.
    for here in [true, false] {
        let (code, told) = place(&server, order, here);
        assert!(code == 200 && told["on_farm"] == !here, "{told}");
    }
    assert_eq!(status(&slurm, &bundle)["done"], before);
    assert_eq!(server.ask_job(order, "resume"), 202);
    let told = server.wait_for_order(order, "done");
    assert!(before >= 1 && told["problem"] == Value::Null, "{told}");
    let master = std::fs::read(server.files_of(order).join("master.exr")).unwrap();
    assert!(master == wanted);
    assert!(
        !bundle.exists(),
        "it is home, and the bundle of no more use"
    );
    // What is there is not asked for again: the farm gets no job for the same picture.
    let next = || {
        let told = slurm.ask("scontrol", &["show", "config"]);
        let line = told.lines().find(|l| l.starts_with("NEXT_JOB_ID"));
        line.map(str::to_owned).unwrap()
    };
    let jobs = next();
    let again = server.order(1, still.clone());
    server.wait_for_order(again, "done");
    assert_eq!(next(), jobs);
    // What the farm loses for good is made here, which is said, and its logs are kept.
    let mut other = still;
    other["seed"] = json!(4);
    let lost = server.order(1, other.clone());
    let bundle = sent_bundle(&shared);
    let victim = wait_for("a task", || tasks(&bundle).first().copied());
    kill(victim);
    let told = server.wait_for_order(lost, "done");
    let said = told["problem"].as_str().unwrap_or_default();
    assert!(
        said.contains("The farm did not make 1 of 8 chunks"),
        "{told}"
    );
    let (_, logs) = said
        .split_once("its logs are in ")
        .expect("where its logs are");
    let logs = std::fs::read_dir(logs.split(". ").next().unwrap().trim_end_matches('.'));
    assert!(logs.is_ok_and(|l| l.count() >= 8), "{said}");
    server.kill();
    let alone = Server::start_in(&data, &[], &[]);
    other["here"] = json!(true);
    let calm = std::fs::read(alone.files_of(lost).join("master.exr")).unwrap();
    alone.json("DELETE", &format!("/api/orders/{lost}"), None);
    let calm_order = alone.order(1, other);
    alone.wait_for_order(calm_order, "done");
    assert!(std::fs::read(alone.files_of(calm_order).join("master.exr")).unwrap() == calm);
}

/// Where an order is made is its own affair: what is to be made here does not wait for the farm, and one goes to and fro with what is
/// finished of it.
#[test]
fn an_order_is_made_where_it_says() {
    let slurm = Slurm::start();
    let nodes = |state: &str| {
        let state = format!("state={state}");
        slurm.ask(
            "scontrol",
            &["update", "nodename=n1,n2", &state, "reason=test"],
        );
    };
    let (folder, server) = with_walk();
    let data = server.data.clone();
    // Without a farm everything is made here.
    let still = |seed: u32, more: Value| {
        let mut still = json!({"width": 64, "samples": 1, "seed": seed});
        still
            .as_object_mut()
            .unwrap()
            .extend(more.as_object().unwrap().clone());
        still
    };
    let of = |server: &Server, order: i64| {
        let job = server.told(order)["job"].as_i64().unwrap();
        server.json("GET", &format!("/api/jobs/{job}"), None).1["on_farm"].clone()
    };
    let early = server.order(1, still(1, json!({"held": true})));
    assert_eq!(of(&server, early), Value::Null);
    let (code, why) = place(&server, early, false);
    assert!(
        code == 409 && why["error"].as_str().unwrap().contains("no farm"),
        "{why}"
    );
    server.kill();
    let shared = folder.path().join("shared");
    std::fs::create_dir(&shared).unwrap();
    let config = slurm.config();
    let options = ["--farm", "slurm", "--shared", text(&shared)];
    let server = Server::start_in(&data, &options, &[("SLURM_CONF", text(&config))]);
    // What waited when there was none is the farm's now, and one says that it is not.
    assert_eq!(of(&server, early), true);
    let (code, told) = place(&server, early, true);
    assert!(code == 200 && told["on_farm"] == false, "{told}");
    nodes("drain");
    let mut wish = wish(frames(5, "to and fro/{frame}", json!({})));
    wish["width"] = json!(128);
    wish["samples"] = json!(48);
    let walk = server.order(1, wish);
    wait_for("the farm", || {
        let told = server.told(walk);
        let note = told["problem"].as_str()?;
        note.contains("none running, 7 waiting").then_some(())
    });
    // The farm rests, and this one is made meanwhile.
    let here = server.order(1, still(2, json!({"here": true})));
    server.wait_for_order(here, "done");
    assert_eq!(server.told(walk)["state"], "running");
    let (code, why) = place(&server, walk, true);
    assert!(
        code == 409 && why["error"].as_str().unwrap().contains("stop it first"),
        "{why}"
    );
    nodes("resume");
    let mut bundles = std::fs::read_dir(&shared).unwrap().flatten();
    let bundle = bundles.next().unwrap().path();
    wait_for("a frame of the farm", || {
        (server.told(walk)["progress"].as_f64()? > 0.0).then_some(())
    });
    nodes("drain");
    assert_eq!(server.ask_job(walk, "stop"), 202);
    server.wait_for_order(walk, "stopped");
    wait_for("the farm to be empty", || {
        let told = status(&slurm, &bundle);
        (told["farm"]["running"] == json!([]) && told["farm"]["waiting"] == 0).then_some(())
    });
    let done = status(&slurm, &bundle)["done"].as_u64().unwrap();
    assert!((1..=6).contains(&done), "{done}");
    // Taken back, what the farm finished is there before anything is made here.
    let (code, told) = place(&server, walk, true);
    assert!(code == 200 && told["on_farm"] == false, "{told}");
    let home = || {
        std::fs::read_dir(data.join("out/to and fro"))
            .unwrap()
            .count() as u64
    };
    assert_eq!(home(), done);
    assert_eq!(server.ask_job(walk, "resume"), 202);
    server.wait_for_order(walk, "done");
    assert_eq!(home(), 6);
    assert!(!bundle.exists(), "the farm has nothing more of it");
    let (code, why) = place(&server, walk, false);
    assert_eq!(code, 409, "what is done was made: {why}");
    // An order that is removed leaves nothing on the farm either.
    let gone = server.order(1, still(3, json!({})));
    wait_for("its bundle", || {
        let mut all = std::fs::read_dir(&shared).unwrap().flatten();
        all.any(|e| e.path().join("farm.json").exists())
            .then_some(())
    });
    assert_eq!(
        server
            .json("DELETE", &format!("/api/orders/{gone}"), None)
            .0,
        204
    );
    wait_for("an empty shared folder", || {
        (std::fs::read_dir(&shared).unwrap().count() == 0).then_some(())
    });
    // A server without a farm makes here what was meant for it.
    let late = server.order(1, still(4, json!({"held": true})));
    assert_eq!(of(&server, late), true);
    server.kill();
    let server = Server::start_in(&data, &[], &[]);
    let job = server.told(late)["job"].as_i64().unwrap();
    server.json(
        "PATCH",
        &format!("/api/jobs/{job}"),
        Some(json!({"held": false})),
    );
    server.wait_for_order(late, "done");
}

/// Where Slurm is missing, or a bundle is none, one sentence says so.
#[test]
fn what_is_missing_is_told() {
    let (folder, server) = with_walk();
    let data = text(&server.data).to_owned();
    let order = server.order(1, json!({"width": 64, "samples": 1, "held": true}));
    let bundle = folder.path().join("bundle");
    let number = order.to_string();
    let make = [
        "bundle",
        "--data",
        &data,
        "--order",
        &number,
        "-o",
        text(&bundle),
    ];
    run_ok(&make);
    let why = run_fails(&make, 1);
    assert!(why.contains("holds a bundle already"), "{why}");
    let mut command = owl_dome();
    let done = command
        .args(["farm", "submit", text(&bundle)])
        .env("PATH", "/nowhere")
        .output()
        .unwrap();
    let why = String::from_utf8(done.stderr).unwrap();
    assert!(
        !done.status.success()
            && why.contains("sbatch is not installed")
            && why.lines().count() == 1,
        "{why}"
    );
    for (args, said) in [
        (vec!["farm", "status", &data], "is no bundle"),
        (
            vec!["farm", "cancel", text(&bundle)],
            "was not given to the farm",
        ),
        (
            vec!["farm", "run", text(&bundle), "--chunk", "99"],
            "There is no chunk 99",
        ),
        (vec!["farm", "join", text(&bundle)], "are not there yet"),
    ] {
        let why = run_fails(&args, 1);
        assert!(why.contains(said), "{why}");
    }
    // What is being made here is not made elsewhere as well.
    let busy = server.order(1, json!({"width": 512, "samples": 4000, "seed": 9}));
    server.wait_for_order(busy, "running");
    let number = busy.to_string();
    let beside = folder.path().join("beside");
    let why = run_fails(
        &[
            "bundle",
            "--data",
            &data,
            "--order",
            &number,
            "-o",
            text(&beside),
        ],
        1,
    );
    assert!(
        why.contains("is being made just now; stop it first"),
        "{why}"
    );
    assert!(!beside.exists());
    assert_eq!(server.ask_job(busy, "stop"), 202);
    // By hand, without any farm: every chunk, the joining, and home.
    for chunk in 0..2 {
        let done = run(&["farm", "run", text(&bundle), "--chunk", &chunk.to_string()]);
        let said = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(done.status.success(), "{said}");
        // What was looked at when it was bundled is not looked at by each of them.
        assert!(said.contains("is taken from"), "{said}");
    }
    run_ok(&["farm", "join", text(&bundle)]);
    run_ok(&["farm", "collect", text(&bundle), "--data", &data]);
    server.wait_for_order(order, "done");
}
