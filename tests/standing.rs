//! Standing over HTTP and on the command line: undo across restarts, riding, hiding, the preflight, checks.

use crate::support;

use serde_json::{Value, json};
use std::path::Path;
use support::{Server, run, run_fails, run_ok};

const PROJECT: &str = "/api/projects/1";

fn demo(folder: &Path) -> Server {
    Server::start(&folder.join("data"), true)
}

fn get(server: &Server, path: &str) -> Value {
    let (status, answer) = server.json("GET", path, None);
    assert_eq!(status, 200, "{path}: {answer}");
    answer
}

fn post(server: &Server, path: &str, body: Value) -> Value {
    let (status, answer) = server.json("POST", path, Some(body));
    assert_eq!(status, 200, "{path}: {answer}");
    answer
}

fn viewpoint(server: &Server, index: usize) -> Value {
    get(server, PROJECT)["viewpoints"][index].clone()
}

fn pose(at: [f64; 3], heading: f64) -> Value {
    json!({"position": at, "heading_deg": heading, "pitch_deg": 0, "roll_deg": 0})
}

fn names(project: &Value) -> Vec<String> {
    project["viewpoints"]
        .as_array()
        .unwrap()
        .iter()
        .map(|v| v["name"].as_str().unwrap().to_owned())
        .collect()
}

/// Settings and viewpoints of a project; versions are other ones after every change.
fn what_can_be_undone(project: &Value) -> Value {
    let mut viewpoints = project["viewpoints"].clone();
    for v in viewpoints.as_array_mut().unwrap() {
        v["version"] = Value::Null;
    }
    json!([project["settings"], viewpoints])
}

#[test]
fn every_change_can_be_undone_across_a_kill() {
    let folder = tempfile::tempdir().unwrap();
    let server = demo(folder.path());
    let came = get(&server, PROJECT);
    assert_eq!((&came["undo"], &came["redo"]), (&Value::Null, &Value::Null));
    assert_eq!(server.json("POST", &format!("{PROJECT}/undo"), None).0, 409);
    let first = came["viewpoints"][0]["id"].as_i64().unwrap();
    // Move, copy, order, bring an object, hide a lamp.
    let mut moved = came["viewpoints"][0].clone();
    moved["pose"]["position"][0] = json!(2.25);
    let path = format!("{PROJECT}/viewpoints/{first}");
    assert_eq!(server.json("PUT", &path, Some(moved)).0, 200);
    let copied = post(
        &server,
        &format!("{PROJECT}/viewpoints/{first}/copy"),
        json!({}),
    );
    assert_eq!(names(&copied)[5], "Under the dome 2");
    let ids: Vec<i64> = copied["viewpoints"]
        .as_array()
        .unwrap()
        .iter()
        .rev()
        .map(|v| v["id"].as_i64().unwrap())
        .collect();
    let path = format!("{PROJECT}/viewpoint-order");
    let (status, ordered) = server.json("PUT", &path, Some(json!({"ids": ids})));
    assert_eq!(
        (status, names(&ordered)[0].as_str()),
        (200, "Under the dome 2")
    );
    // On an old order it is refused: somebody else's moves are not lost.
    let old: Vec<i64> = ids.iter().rev().copied().collect();
    let (status, refused) = server.json("PUT", &path, Some(json!({"ids": old, "seen": old})));
    assert_eq!(status, 409, "{refused}");
    let (status, _) = server.json("PUT", &path, Some(json!({"ids": ids, "seen": ids})));
    assert_eq!(status, 200);
    let (status, refused) = server.json("PUT", &path, Some(json!({"ids": ids[1..]})));
    assert!(
        status == 422
            && refused["error"]
                .as_str()
                .unwrap()
                .contains("every viewpoint")
    );
    let eye = pose([1.55, 1.6, 1.75], 315.0);
    let seen = get(
        &server,
        &format!("{PROJECT}/look?x=1.55&y=1.6&z=1.75&heading=318&pitch=-10"),
    );
    let brought = post(
        &server,
        &format!("{PROJECT}/move"),
        json!({"pose": eye, "objects": [seen["object"]], "heading_deg": 200.0, "distance_m": 2.0, "face": true}),
    );
    assert_eq!(brought["settings"]["moves"].as_array().unwrap().len(), 1);
    assert_eq!(brought["undo"], "Move an object");
    let scene_file = folder.path().join("data/projects/1/scene/merlow.glb");
    assert_eq!(std::fs::read(&scene_file).unwrap(), merlow::build());
    // A kill loses none of it; five steps back lead to where it began.
    let data = server.data.clone();
    server.kill();
    let server = Server::start(&data, true);
    assert_eq!(get(&server, PROJECT)["settings"], brought["settings"]);
    let mut project = Value::Null;
    for label in [
        "Move an object",
        "Order viewpoints",
        "Copy Under the dome 2",
        "Move Under the dome",
    ] {
        assert_eq!(get(&server, PROJECT)["undo"], label);
        project = post(&server, &format!("{PROJECT}/undo"), json!({}));
    }
    assert_eq!(what_can_be_undone(&project), what_can_be_undone(&came));
    assert_eq!(project["undo"], Value::Null);
    for _ in 0..4 {
        project = post(&server, &format!("{PROJECT}/redo"), json!({}));
    }
    assert_eq!(what_can_be_undone(&project), what_can_be_undone(&brought));
    // A new change ends what could be done again.
    post(&server, &format!("{PROJECT}/undo"), json!({}));
    post(
        &server,
        &format!("{PROJECT}/viewpoints/{first}/copy"),
        json!({}),
    );
    assert_eq!(get(&server, PROJECT)["redo"], Value::Null);
}

#[test]
fn a_viewpoint_rides_on_the_scenes_camera() {
    let folder = tempfile::tempdir().unwrap();
    let server = demo(folder.path());
    let scene = get(&server, PROJECT)["scene"].clone();
    let mover = &scene["movers"][0];
    assert!(mover["camera"] == true && mover["name"] == scene["cameras"][0]["name"]);
    let ride = json!({"node": mover["node"], "name": "", "offset": [0.0, 0.1, 0.0]});
    let draft =
        json!({"name": "Walk", "pose": pose([0.0; 3], 40.0), "unlocked": false, "ride": ride});
    let made = post(&server, &format!("{PROJECT}/viewpoints"), draft);
    let at = |v: &Value, i: usize| v["pose"]["position"][i].as_f64().unwrap();
    let now = |i: usize| mover["now"][i].as_f64().unwrap();
    assert!((at(&made, 0) - now(0)).abs() < 1e-9 && (at(&made, 1) - now(1) - 0.1).abs() < 1e-9);
    assert_eq!(made["ride"]["name"], "Visitor's walk");
    // It looks to 40 degrees and sets out to about 230.
    let travels = |server: &Server| {
        get(server, &format!("{PROJECT}/preflight"))
            .as_array()
            .unwrap()
            .iter()
            .find(|f| f["rule"] == "travel")
            .cloned()
    };
    // At the very start it hardly moves; in the middle of the walk it goes south-west.
    let settings = |time: f64| {
        let mut settings = get(&server, PROJECT)["settings"].clone();
        settings["time_s"] = json!(time);
        let (status, answer) = server.json("PATCH", PROJECT, Some(json!({"settings": settings})));
        assert_eq!(status, 200, "{answer}");
        answer
    };
    let later = settings(6.0);
    let walked = later["viewpoints"][5].clone();
    // Half-way of the eased walk: heading 265 at 2.9 m (demo/src/lib.rs).
    let (sin, cos) = 265f64.to_radians().sin_cos();
    assert!((at(&walked, 0) - 2.9 * sin).abs() < 1e-4 && (at(&walked, 2) + 2.9 * cos).abs() < 1e-4);
    assert!((at(&walked, 1) - 1.7).abs() < 1e-5 && walked["pose"]["heading_deg"] == 40.0);
    let finding = travels(&server).expect("it looks where it does not go");
    let fix = &finding["fix"]["pose"]["heading_deg"];
    // The round way is made of straight pieces of 7 degrees.
    assert!((fix.as_f64().unwrap() - 175.0).abs() < 4.0, "{finding}");
    // Dragged aside, it keeps its new offset on the way.
    let mut aside = walked.clone();
    aside["pose"]["position"][0] = json!(at(&walked, 0) + 0.5);
    aside["pose"]["heading_deg"] = fix.clone();
    let id = walked["id"].as_i64().unwrap();
    let (status, aside) = server.json("PUT", &format!("{PROJECT}/viewpoints/{id}"), Some(aside));
    assert_eq!(status, 200, "{aside}");
    assert!((aside["ride"]["offset"][0].as_f64().unwrap() - 0.5).abs() < 1e-6);
    assert!(travels(&server).is_none());
    let home = settings(0.0)["viewpoints"][5].clone();
    assert!((at(&home, 0) - now(0) - 0.5).abs() < 1e-4, "{home}");
    // What does not move carries nobody.
    let wrong = json!({"name": "W", "pose": pose([0.0; 3], 0.0), "unlocked": false,
        "ride": {"node": 0, "name": "Floor boards", "offset": [0.0, 0.0, 0.0]}});
    let (status, refused) = server.json("POST", &format!("{PROJECT}/viewpoints"), Some(wrong));
    assert!(status == 422 && refused["error"].as_str().unwrap().contains("does not move"));
}

#[test]
fn what_is_round_a_place_is_told_and_the_remedy_helps() {
    let folder = tempfile::tempdir().unwrap();
    let server = demo(folder.path());
    let around = |at: [f64; 3]| {
        post(
            &server,
            &format!("{PROJECT}/viewpoints/1/clearance"),
            pose(at, 0.0),
        )
    };
    let rules = |c: &Value| -> Vec<String> {
        let all = c["findings"].as_array().unwrap();
        all.iter()
            .map(|f| f["rule"].as_str().unwrap().into())
            .collect()
    };
    let pier = around([0.0, 1.0, 0.0]);
    assert_eq!(pier["findings"][0]["rule"], "inside");
    assert!(
        pier["findings"][0]["what"]
            .as_str()
            .unwrap()
            .contains("Pier")
    );
    let out: [f64; 3] =
        serde_json::from_value(pier["findings"][0]["fix"]["pose"]["position"].clone()).unwrap();
    let clear = around(out);
    assert!(!rules(&clear).contains(&"inside".into()), "{clear}");
    // Above the desk: the floor is the floor, and the desk is furniture.
    let seen = get(&server, &format!("{PROJECT}/starts"));
    assert!(seen.as_array().unwrap().len() >= 2, "{seen}");
    assert_eq!(seen[0]["floor"], "Floor boards");
    assert!((seen[0]["above_m"].as_f64().unwrap() - 1.6).abs() < 1e-6);
    let best: [f64; 3] = serde_json::from_value(seen[0]["pose"]["position"].clone()).unwrap();
    let middle = around(best);
    assert!(
        middle["nearest"]["distance_m"].as_f64().unwrap() > 1.5,
        "{middle}"
    );
    assert_eq!(middle["ring"].as_array().unwrap().len(), 120);
    let notes = middle["findings"].as_array().unwrap();
    assert!(notes.iter().all(|f| f["level"] == "note"), "{middle}");
    // Lights in sight, one hidden: it has no share any more and is still listed.
    let shares = || {
        post(
            &server,
            &format!("{PROJECT}/shares"),
            viewpoint(&server, 0)["pose"].clone(),
        )
    };
    let before = shares();
    let lamp = before
        .as_array()
        .unwrap()
        .iter()
        .find(|s| s["light"] == true)
        .unwrap()
        .clone();
    let mut settings = get(&server, PROJECT)["settings"].clone();
    settings["lights"][lamp["key"].as_str().unwrap()] =
        json!({"on": true, "stops": 0.0, "unseen": true});
    assert_eq!(
        server
            .json("PATCH", PROJECT, Some(json!({"settings": settings})))
            .0,
        200
    );
    let after = shares();
    let hidden = after
        .as_array()
        .unwrap()
        .iter()
        .find(|s| s["name"] == lamp["name"])
        .unwrap();
    assert!(
        hidden["hidden"] == true && hidden["share"] == 0.0,
        "{hidden}"
    );
    let total: f64 = before
        .as_array()
        .unwrap()
        .iter()
        .map(|s| s["share"].as_f64().unwrap())
        .sum();
    assert!(total > 0.9 && total <= 1.0, "{total}");
    // The gallery sees the room below it, not the terrace behind the wall.
    let lines = get(&server, &format!("{PROJECT}/sight-lines"));
    let line = |a: i64, b: i64| {
        let all = lines.as_array().unwrap();
        all.iter()
            .find(|l| l["from"] == a && l["to"] == b)
            .unwrap()
            .clone()
    };
    assert_eq!(line(1, 3)["between"], Value::Null);
    assert!(line(3, 4)["between"].is_string(), "{lines}");
    // Numbers that are none are refused in a sentence.
    for bad in [
        "look?x=a&y=1&z=1&heading=0&pitch=0",
        "plan?y=NaN&scale=20&x0=0&z0=0&x1=1&z1=1",
    ] {
        let (status, _) = server.json("GET", &format!("{PROJECT}/{bad}"), None);
        assert!((400..=422).contains(&status), "{bad}: {status}");
    }
}

#[test]
fn plans_and_sections_come_as_vectors() {
    let folder = tempfile::tempdir().unwrap();
    let server = demo(folder.path());
    let area = "x0=-8&z0=-8&x1=8&z1=8";
    let points = |plan: &Value| -> usize {
        let solids = plan["solids"].as_array().unwrap().iter();
        solids
            .flat_map(|s| s.as_array().unwrap())
            .map(|ring| ring.as_array().unwrap().len() / 2)
            .sum()
    };
    let coarse = get(&server, &format!("{PROJECT}/plan?y=1.1&scale=5&{area}"));
    let fine = get(&server, &format!("{PROJECT}/plan?y=1.1&scale=400&{area}"));
    assert!(
        points(&fine) > 2 * points(&coarse),
        "{} {}",
        points(&fine),
        points(&coarse)
    );
    // The wall is 0.45 m thick and round: solids reach from its inner to its outer radius.
    let radii: Vec<f64> = fine["solids"]
        .as_array()
        .unwrap()
        .iter()
        .flat_map(|s| s[0].as_array().unwrap().chunks(2))
        .map(|p| p[0].as_f64().unwrap().hypot(p[1].as_f64().unwrap()))
        .collect();
    for face in [5.6, 6.05] {
        let on = radii.iter().filter(|r| (**r - face).abs() < 0.003).count();
        assert!(on > 40, "{on} points at {face} m");
    }
    let section = get(
        &server,
        &format!("{PROJECT}/section?ax=0&az=0&bx=1&bz=0&scale=60&x0=-8&z0=-1&x1=8&z1=12"),
    );
    assert!(points(&section) > 50);
    let (status, png) = server.send(
        "GET",
        &format!("{PROJECT}/section.png?ax=0&az=0&bx=1&bz=0&width=200&x0=-8&z0=-1&x1=8&z1=12"),
        &[],
        &[],
    );
    let picture = image::load_from_memory(&png).unwrap();
    assert_eq!((status, picture.width(), picture.height()), (200, 200, 163));
    let (_, jpeg) = server.send(
        "GET",
        &format!("{PROJECT}/start.jpg?x=1&y=1.6&z=1&heading=0"),
        &[],
        &[],
    );
    assert_eq!(image::load_from_memory(&jpeg).unwrap().width(), 256);
}

#[test]
fn checks_say_what_would_spoil_a_render_and_end_with_3_when_it_stops() {
    let folder = tempfile::tempdir().unwrap();
    let scene = folder.path().join("merlow.glb");
    std::fs::write(&scene, merlow::build()).unwrap();
    let scene = scene.to_str().unwrap();
    let json = |args: &[&str], status: i32| -> Vec<Value> {
        let out = run(&[&["check"], args, &["--json"]].concat());
        let told = String::from_utf8(out.stdout).unwrap();
        assert_eq!(out.status.code(), Some(status), "{args:?}: {told}");
        serde_json::from_str(&told).unwrap()
    };
    let rules = |found: &[Value]| -> Vec<String> {
        found
            .iter()
            .map(|f| f["rule"].as_str().unwrap().into())
            .collect()
    };
    let good = ["--at", "-2.94,1.6,-0.5", "--width", "8192", "--noise", "4"];
    let fine = json(&[&[scene], &good[..]].concat(), 0);
    assert!(fine.iter().all(|f| f["level"] == "note"), "{fine:?}");
    let bad = [
        scene,
        "--at",
        "0,1,0",
        "--pitch",
        "12",
        "--roll",
        "3",
        "--width",
        "3840",
        "--height",
        "2160",
        "--clay",
        "--eye-separation",
        "6300",
    ];
    let found = json(&bad, 3);
    for rule in ["inside", "tilt", "roll", "ratio", "clay", "unit-slip"] {
        assert!(rules(&found).contains(&rule.into()), "{rule}: {found:?}");
    }
    for f in &found {
        for key in ["rule", "level", "what", "where", "remedy"] {
            assert!(f[key].as_str().is_some_and(|t| !t.is_empty()), "{f}");
        }
    }
    assert_eq!(found[0]["level"], "stop");
    let exists = folder.path().join("out.exr");
    std::fs::write(&exists, b"").unwrap();
    let clash = json(
        &[
            scene,
            "--at",
            "-2.94,1.6,-0.5",
            "-o",
            exists.to_str().unwrap(),
            "--for",
            "headset",
        ],
        0,
    );
    let told = rules(&clash);
    assert!(
        told.contains(&"name-clash".into()) && told.contains(&"size".into()),
        "{told:?}"
    );
    let black = json(&[scene, "--at", "8.6,1.45,-0.6", "--sky", "plain:0,0,0"], 0);
    assert!(rules(&black).contains(&"surroundings".into()), "{black:?}");
    // For people it says the same in lines.
    let text = run_ok(&["check", scene, "--at", "1.9,1.25,2.35"]);
    assert!(
        text.contains("warn") && text.contains("[over-furniture]"),
        "{text}"
    );
    // A project, beside the server that has it open.
    let server = demo(folder.path());
    let id = viewpoint(&server, 0)["id"].as_i64().unwrap();
    let order = json!({"viewpoint": id, "width": 1024, "samples": 4, "draft": true, "clay": true});
    let order = post(&server, &format!("{PROJECT}/orders"), order);
    server.ask_job(&order["id"], "stop");
    let data = server.data.to_str().unwrap();
    let found = json(&["--data", data, "--project", "Merlow Observatory"], 0);
    let told = rules(&found);
    assert!(told.contains(&"over-furniture".into()), "{told:?}");
    let (_, same) = server.json("GET", &format!("{PROJECT}/preflight"), None);
    assert_eq!(same.as_array().unwrap().len(), found.len());
    let message = run_fails(&["check", "--data", data, "--project", "Elsewhere"], 1);
    assert!(message.contains("Merlow Observatory"), "{message}");
    run_fails(&["check"], 2);
    run_fails(&["check", "nowhere.glb"], 1);
}
