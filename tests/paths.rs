//! Viewpoints on a path, over HTTP: where they are at which moment, what is told of the way, undo, restart, nonsense.

use crate::support;

use glam::DVec3;
use serde_json::{Value, json};
use support::Server;
use support::moving::{LAMP_GOES, MOVES_S, WALK, moving_room};
use support::scene::LAMP;

/// A server with the room in which a lamp and a camera move.
fn with_moving_room() -> (tempfile::TempDir, Server) {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), false);
    let root = glam::DMat4::IDENTITY.to_cols_array();
    let (status, project) = server.upload("room.glb", &moving_room(root));
    assert_eq!(status, 200, "{project}");
    (folder, server)
}

fn first(server: &Server) -> Value {
    server.json("GET", "/api/projects/1", None).1["viewpoints"][0].clone()
}

fn place(v: &Value) -> DVec3 {
    let p: Vec<f64> = serde_json::from_value(v.clone()).unwrap();
    DVec3::from_slice(&p)
}

fn draft(path: &Value) -> Value {
    json!({
        "name": "Walker", "unlocked": false, "path": path,
        "pose": {"position": [0, 1.5, 0], "heading_deg": 30, "pitch_deg": 0, "roll_deg": 0},
    })
}

fn put(server: &Server, path: &Value) -> (u16, Value) {
    let id = &first(server)["id"];
    server.json(
        "PUT",
        &format!("/api/projects/1/viewpoints/{id}"),
        Some(draft(path)),
    )
}

fn go_to(server: &Server, time_s: f64) {
    let project = server.json("GET", "/api/projects/1", None).1;
    let mut settings = project["settings"].clone();
    settings["time_s"] = json!(time_s);
    let change = json!({"settings": settings, "version": project["version"]});
    let (status, answer) = server.json("PATCH", "/api/projects/1", Some(change));
    assert_eq!(status, 200, "{answer}");
}

/// Along a straight way from here to there in two seconds.
fn straight() -> Value {
    json!({"keys": [
        {"time_s": 0, "position": [-2.0, 1.5, 2.0], "on": "straight", "separation_m": 0.06},
        {"time_s": 2, "position": [2.0, 1.5, 1.0], "separation_m": 0.02},
    ]})
}

#[test]
fn a_viewpoint_is_where_its_path_has_it_at_the_moment() {
    let (_folder, server) = with_moving_room();
    let (status, put_on) = put(&server, &straight());
    assert_eq!(status, 200, "{put_on}");
    let near = |v: &Value, p: [f64; 3]| place(&v["pose"]["position"]).distance(p.into()) < 1e-6;
    // It goes where the path begins, whatever place was sent, and keeps its heading: no key says one.
    let v = first(&server);
    assert!(
        near(&v, [-2.0, 1.5, 2.0]) && v["pose"]["heading_deg"] == 30.0,
        "{v}"
    );
    let seen = v["version"].clone();
    go_to(&server, 0.5);
    let v = first(&server);
    assert!(near(&v, [-1.0, 1.5, 1.75]), "{v}");
    let apart = v["rig"]["separation_m"].as_f64().unwrap();
    assert!((apart - 0.05).abs() < 1e-9, "{v}");
    // Time goes by, and nobody changed the viewpoint: what was seen of it before may still be changed.
    assert_eq!(v["version"], seen);
    go_to(&server, 60.0);
    assert!(
        near(&first(&server), [2.0, 1.5, 1.0]),
        "it rests at its end"
    );
    // All of it is undone and survives a restart.
    // Two changes of the moment may be one step: they come one right after the other.
    let mut steps = 0;
    while !first(&server)["path"].is_null() {
        assert_eq!(server.json("POST", "/api/projects/1/undo", None).0, 200);
        steps += 1;
    }
    assert!((2..=3).contains(&steps), "{steps}");
    for _ in 0..steps {
        assert_eq!(server.json("POST", "/api/projects/1/redo", None).0, 200);
    }
    let data = server.data.clone();
    let before = first(&server);
    server.kill();
    let server = Server::start(&data, false);
    assert_eq!(first(&server), before);
    assert!(near(&first(&server), [2.0, 1.5, 1.0]));
    assert_eq!(before["path"]["keys"][0]["on"], "straight");
    // An order is a still of this moment, with the eyes that the path has by now.
    let order = server.order(
        1,
        json!({"viewpoint_number": before["id"], "viewpoint": "Walker", "pose": before["pose"], "rig": before["rig"],
               "width": 64, "height": 32, "samples": 1, "seed": 0}),
    );
    server.wait_for_order(order, "done");
    // Another unit takes the path along.
    let project = server.json("GET", "/api/projects/1", None).1;
    let mut settings = project["settings"].clone();
    settings["unit"] = json!("foot");
    let change = json!({"settings": settings, "version": project["version"]});
    assert_eq!(server.json("PATCH", "/api/projects/1", Some(change)).0, 200);
    let key = place(&first(&server)["path"]["keys"][1]["position"]);
    assert!(
        (key.x - 2.0 * 0.3048).abs() < 1e-6 && (key.z - 0.3048).abs() < 1e-6,
        "{key}"
    );
}

/// What is told of a way: its length and speed, where it leads, what is near at each moment in a scene that moves meanwhile.
#[test]
fn what_a_path_does_to_people_is_told() {
    let (_folder, server) = with_moving_room();
    let look = |path: &Value| {
        let request = json!({"path": path, "pose": draft(path)["pose"]});
        let (status, told) = server.json("POST", "/api/projects/1/path", Some(request));
        assert_eq!(status, 200, "{told}");
        told
    };
    let told = look(&straight());
    let length = DVec3::new(4.0, 0.0, -1.0).length();
    let n = |v: &Value| v.as_f64().unwrap();
    assert!(
        (n(&told["length_m"]) - length).abs() < 1e-6,
        "{}",
        told["length_m"]
    );
    let moments = told["moments"].as_array().unwrap();
    for m in moments {
        assert!(
            (n(&m["speed_m_s"]) - length / 2.0).abs() < 0.01 * length,
            "{m}"
        );
    }
    // To the right and a little ahead: atan2(4, 1).
    let travel = 4f64.atan2(1.0).to_degrees();
    for way in told["travel_at_keys_deg"].as_array().unwrap() {
        assert!((n(way) - travel).abs() < 0.1, "{way}");
    }
    let rules: Vec<_> = (told["findings"].as_array().unwrap().iter())
        .map(|f| f["rule"].as_str().unwrap().to_owned())
        .collect();
    // 2.06 m/s is more than walking; it travels 46 degrees aside, which is borne.
    assert_eq!(rules, ["fast"]);
    // The lamp comes towards a place at which the eye stands: the nearest distance is that of the lamp as it is by then.
    let still = json!({"keys": [
        {"time_s": 0, "position": [-0.4, 1.78, -1.2]},
        {"time_s": MOVES_S, "position": [-0.4, 1.78, -1.2]},
    ]});
    let told = look(&still);
    for near in told["near"].as_array().unwrap() {
        let share = n(&near["time_s"]) / MOVES_S;
        let lamp = DVec3::from(LAMP).lerp(LAMP_GOES.into(), share);
        let far = lamp.distance(DVec3::new(-0.4, 1.78, -1.2));
        if near["object"] == "Lamp" {
            // The lamp is a box of 10 cm: its nearest point is between its side and its corner nearer than its middle.
            let nearest = n(&near["nearest_m"]);
            assert!((0.049..0.088).contains(&(far - nearest)), "{near}, {far}");
        } else {
            assert!(n(&near["nearest_m"]) < far, "{near}");
        }
    }
    assert!(
        told["near"]
            .as_array()
            .unwrap()
            .iter()
            .any(|n| n["object"] == "Lamp")
    );
    assert_eq!(told["travel_at_keys_deg"], Value::Null, "it goes nowhere");
    // Two eyes near the lamp: too far apart as they are, and what would be comfortable at each key.
    let mut rig = first(&server)["rig"].clone();
    rig["kind"] = json!("panoramic");
    let request = json!({"path": still, "pose": draft(&still)["pose"], "rig": rig});
    let told_of_eyes = server.json("POST", "/api/projects/1/path", Some(request)).1;
    let rules = told_of_eyes["findings"].to_string();
    assert!(rules.contains("close"), "{rules}");
    assert_eq!(told["fitted_separations_m"], Value::Null);
    let least = (told["near"].as_array().unwrap().iter())
        .map(|near| n(&near["nearest_m"]))
        .fold(f64::INFINITY, f64::min);
    for fitted in told_of_eyes["fitted_separations_m"].as_array().unwrap() {
        assert!((n(fitted) * 30.0 - least).abs() < 1e-6, "{fitted}, {least}");
    }
    // A gentle start leads somewhere all the same.
    let mut gentle = straight();
    gentle["ease_in_s"] = json!(0.5);
    gentle["ease_out_s"] = json!(0.5);
    gentle["constant_speed"] = json!(true);
    let told = look(&gentle);
    assert!(
        (n(&told["travel_at_keys_deg"][0]) - travel).abs() < 0.1,
        "{told}"
    );
    assert!(n(&told["moments"][0]["speed_m_s"]) < 0.01);
    assert!((n(&told["key_moments_s"][1]) - 2.0).abs() < 1e-6);
}

/// The way of a camera as keys, within a centimetre at every moment, in front of it and with its turning.
#[test]
fn the_way_of_a_node_becomes_keys() {
    let (_folder, server) = with_moving_room();
    let project = server.json("GET", "/api/projects/1", None).1;
    let movers = project["scene"]["movers"].as_array().unwrap().clone();
    let walk = movers.iter().find(|m| m["name"] == "Walk").unwrap();
    let ask = |offset: [f64; 3], turn: bool| {
        let request = json!({"node": walk["node"], "offset": offset, "turn_along": turn});
        let (status, path) = server.json("POST", "/api/projects/1/path-of-node", Some(request));
        assert_eq!(status, 200, "{path}");
        path
    };
    let path = ask([0.0; 3], true);
    let keys = path["keys"].as_array().unwrap();
    assert_eq!(keys.len(), 2, "a straight even way needs no more: {path}");
    assert!(
        place(&keys[1]["position"]).distance(WALK[1].into()) < 1e-5,
        "{path}"
    );
    assert!(
        (keys[1]["heading_deg"].as_f64().unwrap() - 60.0).abs() < 1e-3,
        "{path}"
    );
    // A place in front of a camera that turns goes in a bow, which needs more keys and has them.
    let path = ask([0.0, 0.0, -1.5], false);
    assert_eq!(path["keys"][0]["heading_deg"], Value::Null);
    assert!(path["keys"].as_array().unwrap().len() > 2);
    put(&server, &path);
    for i in 0..=16 {
        let share = f64::from(i) / 16.0;
        go_to(&server, MOVES_S * share);
        let turn = (60.0 * share).to_radians();
        let camera = DVec3::from(WALK[0]).lerp(WALK[1].into(), share);
        let wanted = camera + 1.5 * DVec3::new(turn.sin(), 0.0, -turn.cos());
        let found = place(&first(&server)["pose"]["position"]);
        assert!(
            found.distance(wanted) < 0.011,
            "at {share}: {found}, not {wanted}"
        );
    }
}

#[test]
fn nonsense_is_refused_in_a_sentence() {
    let (_folder, server) = with_moving_room();
    let before = first(&server);
    let at = |time_s: f64| json!({"time_s": time_s, "position": [0, 1.5, 0]});
    for (path, said) in [
        (json!({"keys": []}), "at least one key"),
        (json!({"keys": [at(1.0), at(1.0)]}), "Key 2"),
        (json!({"keys": [at(-1.0)]}), "moment of key 1"),
        (
            json!({"keys": [{"time_s": 0, "position": [1e300, 0, 0]}]}),
            "position of key 1",
        ),
        (json!({"keys": [at(0.0)], "ease_in_s": -2}), "gently"),
        (
            json!({"keys": [at(0.0)], "above_floor_m": 0}),
            "above the floor",
        ),
        (
            json!({"keys": [{"time_s": 0, "positoin": [0, 0, 0]}]}),
            "positoin",
        ),
        (json!("round"), "path"),
    ] {
        let (status, told) = put(&server, &path);
        let why = told["error"].as_str().unwrap_or_default().to_owned();
        assert!(
            (400..500).contains(&status) && why.contains(said),
            "{path}: {status} {told}"
        );
        let (status, _) = server.json(
            "POST",
            "/api/projects/1/path",
            Some(json!({"path": path, "pose": draft(&path)["pose"]})),
        );
        assert!((400..500).contains(&status), "{path}");
    }
    assert_eq!(first(&server), before);
    let node = json!({"node": 9999, "offset": [0, 0, 0], "turn_along": false});
    let (status, told) = server.json("POST", "/api/projects/1/path-of-node", Some(node));
    assert!(
        (400..500).contains(&status) && told["error"].as_str().unwrap().contains("does not move"),
        "{told}"
    );
    let preview = json!({"pose": before["pose"], "width": 64, "quick": true, "moment_s": -1.0});
    let (status, told) = server.json("POST", "/api/projects/1/preview", Some(preview));
    assert!(
        (400..500).contains(&status) && told["error"].as_str().unwrap().contains("moment"),
        "{told}"
    );
}

/// Where the path says how far apart the eyes are, changing that changes the key of the moment; between keys it is refused with the times
/// of the keys, and nothing is changed.
#[test]
fn eyes_that_a_path_sets_are_changed_at_its_keys() {
    let (_folder, server) = with_moving_room();
    let (status, put_on) = put(&server, &straight());
    assert_eq!(status, 200, "{put_on}");
    let change = |separation: f64| {
        let mut viewpoint = first(&server);
        viewpoint["rig"]["kind"] = json!("panoramic");
        viewpoint["rig"]["separation_m"] = json!(separation);
        let path = format!("/api/projects/1/viewpoints/{}", viewpoint["id"]);
        server.json("PUT", &path, Some(viewpoint))
    };
    let (status, answer) = change(0.05);
    assert_eq!(status, 200, "{answer}");
    let v = first(&server);
    let keys = |v: &Value| [0, 1].map(|i| v["path"]["keys"][i]["separation_m"].clone());
    assert_eq!(keys(&v), [json!(0.05), json!(0.02)]);
    assert_eq!(v["rig"]["separation_m"], 0.05);
    go_to(&server, 1.0);
    let (status, answer) = change(0.07);
    assert_eq!(status, 409, "{answer}");
    assert!(
        answer["error"]
            .to_string()
            .contains("the time of a key (0.00, 2.00 s)"),
        "{answer}"
    );
    assert_eq!(keys(&first(&server)), [json!(0.05), json!(0.02)]);
    go_to(&server, 2.0);
    let (status, answer) = change(0.03);
    assert_eq!(status, 200, "{answer}");
    assert_eq!(keys(&first(&server)), [json!(0.05), json!(0.03)]);
}
