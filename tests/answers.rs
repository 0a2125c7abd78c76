//! What the page asks for all the time: finished parts, values under the pointer, the queue, names, undo. Each answer is
//! held against a file or a fact beside it.

use crate::support;

use dome_files::exr_picture::ExrStrips;
use serde_json::{Value, json};
use support::{Server, run_fails, scene, small_picture, text, wait_for, with_room};

fn project(server: &Server, id: i64) -> Value {
    server.json("GET", &format!("/api/projects/{id}"), None).1
}

/// The value under the pointer is the master's own, for every pass, read by another way (strip by strip).
#[test]
fn values_under_the_pointer_are_those_of_the_master() {
    let (_folder, server, id) = with_room();
    let id = server.order(
        id,
        json!({"width": 128, "samples": 4, "passes": ["depth", "object-mask", "normal", "noise"]}),
    );
    server.wait_for_order(id, "done");
    let master = server.files_of(id).join("master.exr");
    // By the header's own order of channels: another way than the one that the server takes.
    let mut strips = ExrStrips::open(&master).unwrap();
    let channels: Vec<String> = strips.header.channels.iter().map(|c| c.0.clone()).collect();
    let mut planes: Vec<Vec<f32>> = vec![Vec::new(); channels.len()];
    while let Some(strip) = strips.next_planes() {
        for (all, some) in planes.iter_mut().zip(strip.unwrap().1) {
            all.extend(some);
        }
    }
    let value = |channel: &str, column: u32, row: u32| {
        let i = channels.iter().position(|c| c == channel).unwrap();
        planes[i][(row * 128 + column) as usize]
    };
    assert_eq!(planes[0].len(), 128 * 64);
    let at = |pass: &str, column: u32, row: u32| {
        let (u, v) = (
            (f64::from(column) + 0.5) / 128.0,
            (f64::from(row) + 0.5) / 64.0,
        );
        let path = format!("/api/orders/{id}/passes/{pass}/at?u={u}&v={v}");
        let (status, said) = server.json("GET", &path, None);
        assert_eq!(status, 200, "{said}");
        said.as_str().unwrap().to_owned()
    };
    for (column, row) in [
        (0, 0),
        (127, 0),
        (5, 17),
        (64, 31),
        (64, 32),
        (33, 47),
        (127, 63),
    ] {
        let depth = value("depth.Z", column, row);
        let n = ["normal.X", "normal.Y", "normal.Z"].map(|c| value(c, column, row));
        let wanted = if depth >= 1e10 {
            "nothing there".into()
        } else {
            format!("{depth:.2} m")
        };
        assert_eq!(at("depth", column, row), wanted, "depth at {column}, {row}");
        let wanted = format!("{:.3}, {:.3}, {:.3}", n[0], n[1], n[2]);
        assert_eq!(
            at("normal", column, row),
            wanted,
            "normal at {column}, {row}"
        );
    }
    // The eye stands 1.6 m above the floor: straight down that is what is read, and the floor's name.
    let down = at("depth", 64, 63);
    assert!(
        (down.trim_end_matches(" m").parse::<f64>().unwrap() - 1.6).abs() < 0.011,
        "{down}"
    );
    // Four samples say nothing about their own noise.
    assert_eq!(at("noise", 64, 40), "not told: fewer than 16 samples");
    let names = server
        .json("GET", &format!("/api/orders/{id}/mask"), None)
        .1;
    let seen = at("object-mask", 64, 63);
    assert!(
        names
            .as_array()
            .unwrap()
            .iter()
            .any(|m| m["object"] == seen.as_str()),
        "{seen} in {names}"
    );
    // Places outside, passes that were not made and orders that are not there are told.
    for (path, status) in [
        (format!("/api/orders/{id}/passes/depth/at?u=1.2&v=0.5"), 422),
        (
            format!("/api/orders/{id}/passes/depth/at?u=-0.1&v=0.5"),
            422,
        ),
        (
            format!("/api/orders/{id}/passes/albedo/at?u=0.5&v=0.5"),
            404,
        ),
        (
            format!("/api/orders/{id}/passes/warmth/at?u=0.5&v=0.5"),
            404,
        ),
        ("/api/orders/999/passes/depth/at?u=0.5&v=0.5".into(), 404),
    ] {
        let (found, answer) = server.json("GET", &path, None);
        assert!(
            found == status || (400..500).contains(&found),
            "{path}: {found} {answer}"
        );
        assert!(
            answer["error"].as_str().unwrap().ends_with('.'),
            "{path}: {answer}"
        );
    }
}

/// What is finished of a running order comes as one picture with everything else grey, and agrees with the strips.
#[test]
fn what_is_finished_is_one_picture() {
    let (_folder, server, project_id) = with_room();
    let id = server.order(project_id, json!({"width": 512, "samples": 40}));
    let strips = server.files_of(id).join("strips");
    let finished = || {
        let names = std::fs::read_dir(&strips).map_or(Vec::new(), |d| {
            d.filter_map(|e| e.ok()?.file_name().into_string().ok())
                .collect()
        });
        let mut tops: Vec<u32> = (names.iter())
            .filter_map(|n| n.strip_suffix(".strip")?.parse().ok())
            .collect();
        tops.sort_unstable();
        tops
    };
    let first = wait_for("three strips", || {
        let tops = finished();
        (tops.len() >= 3).then_some(tops)
    });
    assert_eq!(server.ask_job(id, "stop"), 202);
    server.wait_for_order(id, "stopped");
    let tops = finished();
    assert!(tops.starts_with(&first) && tops.len() < 16, "{tops:?}");
    let whole = image::load_from_memory(&server.get(&format!("/api/orders/{id}/finished.jpg")));
    let whole = whole.unwrap().to_rgb8();
    assert_eq!(whole.dimensions(), (512, 256));
    let mean = |rows: std::ops::Range<u32>| {
        let part = image::imageops::crop_imm(&whole, 0, rows.start, 512, rows.len() as u32);
        let part = part.to_image();
        part.iter().map(|&v| f64::from(v)).sum::<f64>() / part.len() as f64
    };
    for top in (0..256).step_by(16) {
        // Two rows at each edge belong to the neighbour's JPEG blocks too.
        let found = mean(top + 2..top + 14);
        if tops.contains(&top) {
            let strip = server.get(&format!("/api/orders/{id}/strips/{top}"));
            let strip = image::load_from_memory(&strip).unwrap().to_rgb8();
            assert_eq!(strip.dimensions(), (512, 16));
            let part = image::imageops::crop_imm(&strip, 0, 2, 512, 12).to_image();
            let wanted = part.iter().map(|&v| f64::from(v)).sum::<f64>() / part.len() as f64;
            assert!(
                (found - wanted).abs() < 1.5,
                "rows at {top}: {found} for {wanted}"
            );
        } else {
            // The grey round pictures, sRGB 119.
            assert!(
                (found - 119.0).abs() < 1.5,
                "rows at {top} are not made: {found}"
            );
            let (status, answer) =
                server.json("GET", &format!("/api/orders/{id}/strips/{top}"), None);
            assert_eq!(status, 404, "{answer}");
        }
    }
}

/// The queue tells of all projects in the order in which they are worked on.
#[test]
fn the_queue_tells_of_every_project() {
    let (_folder, server, first) = with_room();
    let (status, other) = server.bring(
        "/api/projects?file=room.glb&name=North%20wing",
        &scene::room_glb(),
    );
    assert_eq!(status, 200, "{other}");
    let other = other["id"].as_i64().unwrap();
    assert!(server.jobs().is_empty());
    let long = json!({"width": 2048, "samples": 4000});
    let one = server.order(first, long.clone());
    server.wait_for_order(one, "running");
    let two = server.order(other, long.clone());
    let three = server.order(first, long.clone());
    let turns = || -> Vec<_> {
        (server.jobs().iter())
            .map(|j| {
                (
                    j["makes"].as_i64().unwrap(),
                    j["state"].as_str().unwrap().to_owned(),
                )
            })
            .collect()
    };
    let as_told = |told: &[(i64, &str)]| -> Vec<_> {
        told.iter()
            .map(|(id, state)| (*id, (*state).to_owned()))
            .collect()
    };
    assert_eq!(
        turns(),
        as_told(&[(one, "running"), (two, "waiting"), (three, "waiting")])
    );
    assert_eq!(server.jobs()[1]["project"], other);
    assert_eq!(server.jobs()[1]["kind"], "order");
    // The turns can be changed: one comes before another, another is put on hold.
    let job = |order: i64| server.told(order)["job"].clone();
    let change = |order: i64, to: Value| {
        server.json("PATCH", &format!("/api/jobs/{}", job(order)), Some(to))
    };
    assert_eq!(change(three, json!({"before": job(two)})).0, 200);
    assert_eq!(
        turns(),
        as_told(&[(one, "running"), (three, "waiting"), (two, "waiting")])
    );
    assert_eq!(change(three, json!({"held": true})).1["state"], "held");
    // What runs cannot be held, and what is not held cannot be released.
    let (status, answer) = change(one, json!({"held": true}));
    assert_eq!(status, 409, "{answer}");
    assert_eq!(change(two, json!({"held": false})).0, 409);
    // One that may begin in an hour is passed over too; the one after it has its turn.
    let four = server.order(other, long);
    let hour = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH);
    let hour = hour.unwrap().as_secs() + 3600;
    let (status, told) = change(two, json!({"not_before": hour}));
    assert_eq!((status, &told["not_before"]), (200, &json!(hour)));
    assert_eq!(server.ask_job(one, "stop"), 202);
    server.wait_for_order(four, "running");
    assert_eq!(server.told(two)["state"], "waiting");
    // Released, and let go at once, they have their turns in their order.
    assert_eq!(change(three, json!({"held": false})).1["state"], "waiting");
    assert_eq!(
        change(two, json!({"not_before": 0})).1["not_before"],
        Value::Null
    );
    assert_eq!(server.ask_job(four, "stop"), 202);
    server.wait_for_order(three, "running");
    // A project that goes takes its orders along; the other's goes on.
    let (status, _) = server.send("DELETE", &format!("/api/projects/{first}"), b"", &[]);
    assert_eq!(status, 204);
    server.wait_for_order(two, "running");
    assert_eq!(turns(), as_told(&[(two, "running"), (four, "stopped")]));
    for order in [two, four] {
        let (status, _) = server.send("DELETE", &format!("/api/orders/{order}"), b"", &[]);
        assert_eq!(status, 204);
    }
    wait_for("an empty queue", || server.jobs().is_empty().then_some(()));
}

/// Names: kept as typed, without what no name has, and refused with the limit where they are too long.
#[test]
fn projects_are_renamed_with_sense() {
    let (_folder, server, id) = with_room();
    let rename = |name: &str| {
        server.json(
            "PATCH",
            &format!("/api/projects/{id}"),
            Some(json!({"name": name})),
        )
    };
    for name in ["Merlow at dusk", "Kuppel, Süd", "天文台", "a/b: c?"] {
        let (status, changed) = rename(&format!("  {name} "));
        assert_eq!((status, &changed["name"]), (200, &json!(name)), "{changed}");
        assert_eq!(project(&server, id)["name"], name);
    }
    for wrong in ["", "   ", &"x".repeat(500)] {
        let (status, answer) = rename(wrong);
        assert_eq!(status, 422, "{wrong:?}: {answer}");
        assert!(answer["error"].as_str().unwrap().ends_with('.'), "{answer}");
    }
    assert_eq!(
        project(&server, id)["name"],
        "a/b: c?",
        "a refusal changes nothing"
    );
}

/// Which way is up and what the picture is for are settings like all others: undone, redone, and there after a kill.
#[test]
fn up_and_purpose_are_undone_and_survive() {
    let (folder, server, id) = with_room();
    let path = format!("/api/projects/{id}");
    let before = project(&server, id);
    let lowest = |p: &Value| p["scene"]["min"][1].as_f64().unwrap();
    let set = |settings: Value| server.json("PATCH", &path, Some(json!({"settings": settings})));
    let (status, turned) = set(json!({"up": "z"}));
    assert_eq!(status, 200, "{turned}");
    // The file's third axis is now the height.
    let deep = before["scene"]["min"][2].as_f64().unwrap();
    assert!(
        (lowest(&turned) - deep).abs() < 1e-5,
        "{} {deep}",
        lowest(&turned)
    );
    let place = |p: &Value| p["viewpoints"][0]["pose"]["position"].clone();
    assert_eq!(
        place(&turned),
        json!([0.0, -1.4, -1.6]),
        "turned along and stood on the floor"
    );
    let (status, said) = set(json!({"up": "z", "stand": {"purpose": "headset", "stereo": true}}));
    assert_eq!(status, 200, "{said}");
    let undo = |what: &str| {
        let (status, answer) = server.json("POST", &format!("{path}/{what}"), None);
        assert_eq!(status, 200, "{answer}");
        project(&server, id)
    };
    let after = project(&server, id);
    assert_eq!(after["settings"]["stand"]["purpose"], "headset");
    assert_eq!(lowest(&after), lowest(&turned));
    let state = undo("undo");
    assert_eq!(
        state["settings"]["stand"]["purpose"],
        before["settings"]["stand"]["purpose"]
    );
    assert_eq!(lowest(&state), lowest(&turned));
    let state = undo("undo");
    assert_eq!(
        (lowest(&state), place(&state)),
        (lowest(&before), place(&before))
    );
    // What was said can be taken back: the file's own way counts again, and the eye is turned back with the scene.
    set(json!({"up": "z"}));
    let (status, back) = set(json!({"up": null}));
    assert_eq!(status, 200, "{back}");
    assert_eq!(lowest(&back), lowest(&before));
    for (found, wanted) in place(&back)
        .as_array()
        .unwrap()
        .iter()
        .zip([0.0, 1.6, -1.4])
    {
        assert!((found.as_f64().unwrap() - wanted).abs() < 1e-6, "{back}");
    }
    // Steps of one kind within 0.6 s are one, so this is one step or two.
    if place(&undo("undo")) != place(&before) {
        undo("undo");
    }
    assert_eq!(place(&project(&server, id)), place(&before));
    set(json!({"up": "z"}));
    undo("undo");
    let state = undo("redo");
    assert!((lowest(&state) - deep).abs() < 1e-5, "turned again");
    server.kill();
    let server = Server::start(&folder.path().join("data"), false);
    let again = project(&server, id);
    assert_eq!(again["settings"]["up"], "z");
    assert!((lowest(&again) - deep).abs() < 1e-5);
}

/// Bodies: too large, no JSON, the wrong kind, a field too many or missing; each is told and changes nothing.
#[test]
fn bodies_that_make_no_sense_change_nothing() {
    let (_folder, server, id) = with_room();
    let before = project(&server, id);
    let viewpoints = format!("/api/projects/{id}/viewpoints");
    let json_type = [("Content-Type", "application/json")];
    let large = format!("{{\"name\": \"{}\"}}", "x".repeat(9 << 20));
    for (body, status, word) in [
        (large.as_bytes(), 413, "larger"),
        (&b""[..], 422, "again"),
        (b"nonsense", 422, "again"),
        (b"[1, 2", 422, "again"),
        (b"\xff\xfe", 422, "again"),
        (br#"{"name": 5}"#, 422, "name"),
        (
            br#"{"name": "Here", "pose": {"position": [0, "a", 0]}}"#,
            422,
            "pose.position",
        ),
    ] {
        let (found, answer) = server.send("POST", &viewpoints, body, &json_type);
        let answer: Value = serde_json::from_slice(&answer).unwrap();
        assert_eq!(found, status, "{answer}");
        let sentence = answer["error"].as_str().unwrap();
        assert!(
            sentence.contains(word) && sentence.ends_with('.'),
            "{sentence}"
        );
    }
    // Deep nests and vast numbers are no way to take the server down.
    let deep = "[".repeat(100_000);
    assert_eq!(
        server
            .send("POST", &viewpoints, deep.as_bytes(), &json_type)
            .0,
        422
    );
    let mut draft = before["viewpoints"][0].clone();
    for wrong in [json!(1e300), json!(-1e9), Value::Null] {
        draft["pose"]["position"] = json!([0.0, wrong, 0.0]);
        let (status, answer) = server.json("POST", &viewpoints, Some(draft.clone()));
        assert_eq!(status, 422, "{wrong}: {answer}");
    }
    assert_eq!(project(&server, id)["viewpoints"], before["viewpoints"]);
}

/// A page hears of what changed, and only of that; every event has a number, is small, and every strip is told once.
#[test]
fn events_tell_what_changed() {
    let (_folder, server, id) = with_room();
    let events = server.events(None);
    let next = || events.recv_timeout(support::patience()).expect("an event");
    let (start, first) = next();
    assert_eq!(first["kind"], "open", "what is shown has to be asked for");
    let order = server.order(id, json!({"width": 256, "samples": 16}));
    let (mut last, mut shares, mut strips) = (start, Vec::<f64>::new(), Vec::new());
    let mut bytes = 0;
    loop {
        let (number, event) = next();
        assert_eq!(number, last + 1, "one after the other: {event}");
        last = number;
        bytes = bytes.max(event.to_string().len());
        if event["kind"] != "job" {
            continue;
        }
        let job = &event["job"];
        assert_eq!(
            (&job["kind"], &job["makes"]),
            (&json!("order"), &json!(order))
        );
        shares.push(job["progress"].as_f64().unwrap());
        strips.extend(
            event["strips"]
                .as_array()
                .unwrap()
                .iter()
                .map(|s| s[0].as_u64()),
        );
        if job["state"] == "done" {
            break;
        }
    }
    assert!(shares.iter().all(|s| (0.0..=1.0).contains(s)), "{shares:?}");
    assert!(shares.is_sorted(), "progress never falls: {shares:?}");
    assert_eq!(strips, (0..128).step_by(16).map(Some).collect::<Vec<_>>());
    assert!(bytes < 1024, "{bytes}");
    // Then no more comes of it than its end: what is done next is heard soon after.
    let (status, picture) = server.bring("/api/pictures?file=small.png", &small_picture());
    assert_eq!(status, 200, "{picture}");
    let mut after = 0;
    loop {
        let (number, event) = next();
        assert_eq!(number, last + 1, "one after the other: {event}");
        last = number;
        if event["kind"] == "pictures" {
            break;
        }
        after += 1;
        assert!(after <= 6, "{event}");
    }
    // Whoever was away for a moment hears what was missed, and no more; whoever was away for long is told to catch up.
    let (missed, _) = server
        .events(Some(last - 2))
        .recv_timeout(support::patience())
        .unwrap();
    assert_eq!(missed, last - 1);
    let events = server.events(Some(last));
    let change = json!({"name": "Renamed"});
    assert_eq!(
        server
            .json("PATCH", &format!("/api/projects/{id}"), Some(change))
            .0,
        200
    );
    let (number, event) = events.recv_timeout(support::patience()).unwrap();
    assert_eq!(
        (number, event),
        (last + 1, json!({"kind": "project", "project": id}))
    );
    let (number, event) = server
        .events(Some(7))
        .recv_timeout(support::patience())
        .unwrap();
    assert_eq!((number, event["kind"].as_str()), (last + 1, Some("open")));
}

/// The memory limit is a size with a unit, and what is none is told with an example.
#[test]
fn memory_is_told_with_a_unit() {
    let folder = tempfile::tempdir().unwrap();
    let room = support::scene_in(folder.path());
    for (given, said) in [("much", "6G"), ("-3G", "6G"), ("0", "6G")] {
        let limit = format!("--memory={given}");
        let told = run_fails(&["scene", text(&room), &limit], 2);
        assert!(told.contains(said), "{given}: {told}");
    }
    support::run_ok(&["scene", text(&room), "--memory", "500M"]);
}

/// A change that was made on an old state is refused with a sentence; nothing is lost and nothing silently wins.
#[test]
fn changes_on_an_old_state_are_refused() {
    let (_folder, server, id) = with_room();
    let path = format!("/api/projects/{id}");
    let seen = server.json("GET", &path, None).1;
    let mut dimmed = seen["settings"].clone();
    dimmed["draft_stops"] = json!(1.0);
    let mut turned = seen["settings"].clone();
    turned["surroundings"]["turn_deg"] = json!(30.0);
    let change = |settings: &Value, version: &Value| {
        let body = json!({"settings": settings, "version": version});
        server.json("PATCH", &path, Some(body))
    };
    let (status, first) = change(&dimmed, &seen["version"]);
    assert_eq!(status, 200, "{first}");
    assert_ne!(first["version"], seen["version"]);
    let (status, refused) = change(&turned, &seen["version"]);
    assert_eq!(status, 409);
    let said = refused["error"].as_str().unwrap();
    assert!(
        said.contains("changed meanwhile in another window"),
        "{said}"
    );
    let now = server.json("GET", &path, None).1;
    assert_eq!(
        (&now["settings"], &now["version"]),
        (&dimmed, &first["version"])
    );
    // Looked at and done once more.
    dimmed["surroundings"]["turn_deg"] = json!(30.0);
    assert_eq!(change(&dimmed, &now["version"]).0, 200);
    // Viewpoints likewise; undo and redo give versions that nobody has seen.
    let view = now["viewpoints"][0].clone();
    let place = format!("{path}/viewpoints/{}", view["id"]);
    let mut moved = view.clone();
    moved["pose"]["position"] = json!([0.5, 1.6, 0.0]);
    let (status, after) = server.json("PUT", &place, Some(moved.clone()));
    assert_eq!(status, 200, "{after}");
    moved["name"] = json!("Elsewhere");
    let (status, refused) = server.json("PUT", &place, Some(moved.clone()));
    assert_eq!(status, 409, "{refused}");
    assert!(
        refused["error"]
            .as_str()
            .unwrap()
            .contains("The viewpoint Viewpoint 1"),
        "{refused}"
    );
    let undone = server.json("POST", &format!("{path}/undo"), None).1;
    assert_eq!(undone["viewpoints"][0]["pose"], view["pose"]);
    moved["version"] = after["version"].clone();
    assert_eq!(server.json("PUT", &place, Some(moved)).0, 409);
    let versions = [
        &view["version"],
        &after["version"],
        &undone["viewpoints"][0]["version"],
    ];
    assert!(
        versions.windows(2).all(|v| v[0].as_i64() < v[1].as_i64()),
        "{versions:?}"
    );
    // What says nothing of a version, such as a script, is taken as it is.
    assert_eq!(
        server
            .json("PATCH", &path, Some(json!({"settings": turned})))
            .0,
        200
    );
}
