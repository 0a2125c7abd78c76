//! Depth over time, over HTTP: every frame of a way is told as the Depth stage tells its moment, the demo's walk is comfortable in all
//! of them, and eyes are fitted to what is seen.

use crate::support;

use serde_json::{Value, json};
use support::{Server, wait_for};

const PROJECT: &str = "/api/projects/1";

fn demo() -> (tempfile::TempDir, Server) {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), true);
    (folder, server)
}

fn walk(server: &Server) -> Value {
    let project = server.json("GET", PROJECT, None).1;
    project["viewpoints"][4].clone()
}

/// The frames of a viewpoint's way: from the first to the last in steps, as many at a time as may be asked for.
fn frames(server: &Server, viewpoint: &Value, [first, last, step]: [u32; 3]) -> Vec<Value> {
    let mut seen = Vec::new();
    for from in (first..=last).step_by(200 * step as usize) {
        let request = json!({
            "pose": viewpoint["pose"], "rig": viewpoint["rig"], "path": viewpoint["path"], "ride": viewpoint["ride"],
            "first": from, "last": (from + 199 * step).min(last), "step": step, "rate": "30",
        });
        let (status, told) = server.json("POST", &format!("{PROJECT}/depth-frames"), Some(request));
        assert_eq!(status, 200, "{told}");
        seen.extend(told.as_array().unwrap().clone());
    }
    seen
}

fn beyond(frames: &[Value]) -> Vec<&Value> {
    let has = |f: &&Value| !f["offenders"].as_array().unwrap().is_empty();
    frames.iter().filter(has).collect()
}

/// Asks for eyes that fit what was seen, and puts them at the keys.
fn fit(server: &Server, viewpoint: &mut Value, seen: &[Value], nearest: &str) -> Vec<Value> {
    let seen: Vec<Value> = seen
        .iter()
        .map(|f| json!({"time_s": f["time_s"], "nearest_m": f[nearest], "farthest_m": f["farthest_m"]}))
        .collect();
    let request = json!({"path": viewpoint["path"], "rig": viewpoint["rig"], "seen": seen});
    let (status, eyes) = server.json("POST", "/api/depth-fit", Some(request));
    assert_eq!(status, 200, "{eyes}");
    let eyes = eyes.as_array().unwrap().clone();
    let keys = viewpoint["path"]["keys"].as_array_mut().unwrap();
    assert_eq!(keys.len(), eyes.len());
    for (key, eyes) in keys.iter_mut().zip(&eyes) {
        key["separation_m"] = eyes["separation_m"].clone();
        key["converge_m"] = eyes["convergence_m"].clone();
    }
    eyes
}

#[test]
fn the_demos_walk_is_comfortable_in_every_frame() {
    let (_folder, server) = demo();
    let mut viewpoint = walk(&server);
    assert_eq!(viewpoint["name"], "Up the stair");
    // 12 seconds at 30 a second, the first and the last one included.
    let seen = frames(&server, &viewpoint, [0, 360, 1]);
    assert_eq!(seen.len(), 361);
    assert_eq!(seen[360]["frame"], 360);
    assert!((seen[360]["time_s"].as_f64().unwrap() - 12.0).abs() < 1e-9);
    assert!(beyond(&seen).is_empty(), "{:?}", beyond(&seen)[0]);
    for f in &seen {
        let of = |name: &str| f[name].as_f64().unwrap();
        // The rule of thirty (common practice, no source).
        assert!(of("very_nearest_m") >= 30.0 * of("separation_m"), "{f}");
    }
    // It goes up from the floor to the gallery, 2.65 m above it (demo/src/room.rs), past the stair's own post.
    assert!(seen.iter().any(|f| f["nearest"] == "Stair post"));
    let settings = |time_s: f64| {
        let project = server.json("GET", PROJECT, None).1;
        let mut settings = project["settings"].clone();
        settings["time_s"] = json!(time_s);
        let change = json!({"settings": settings, "version": project["version"]});
        assert_eq!(server.json("PATCH", PROJECT, Some(change)).0, 200);
        walk(&server)
    };
    let there = settings(12.0);
    let height = there["pose"]["position"][1].as_f64().unwrap();
    assert!((height - 4.25).abs() < 0.02, "{height}");
    // A moment's depth is told alike, in the scene as it stands then.
    let between = settings(6.0);
    let request = json!({"pose": between["pose"], "rig": between["rig"]});
    let (_, depth) = server.json("POST", &format!("{PROJECT}/depth"), Some(request));
    let frame = &seen[180];
    for (of_frame, of_depth) in [
        (&frame["very_nearest_m"], &depth["very_nearest_m"]),
        (&frame["nearest_m"], &depth["nearest_m"]),
        (&frame["separation_m"], &depth["separation_m"]),
        (&frame["planes_m"]["nearest"], &depth["planes_m"]["nearest"]),
    ] {
        let (a, b) = (of_frame.as_f64().unwrap(), of_depth.as_f64().unwrap());
        assert!((a - b).abs() < 1e-6 * b, "{a} {b}");
    }
    // People's own eyes are too far apart for the stair, and the offenders are told with their frames.
    for key in viewpoint["path"]["keys"].as_array_mut().unwrap() {
        key["separation_m"] = json!(0.063);
    }
    let wide = frames(&server, &viewpoint, [0, 360, 6]);
    let bad = beyond(&wide);
    assert!(bad.len() > 50, "{}", bad.len());
    let offender = &bad[30]["offenders"][0];
    assert_eq!(offender["beyond"], "near");
    // 2 asin(b / 2 Z): the angle between the rays of both eyes.
    let z = offender["distance_m"].as_f64().unwrap();
    let angle = 2.0 * (0.063 / (2.0 * z)).asin().to_degrees();
    assert!(
        (offender["degrees"].as_f64().unwrap() - angle).abs() < 1e-6,
        "{offender}"
    );
    // Fitted to what is seen, they are comfortable again, and not smaller than they must be.
    fit(&server, &mut viewpoint, &wide, "very_nearest_m");
    let fitted = frames(&server, &viewpoint, [0, 360, 6]);
    assert!(beyond(&fitted).is_empty());
    let used = |f: &Value| {
        30.0 * f["separation_m"].as_f64().unwrap() / f["very_nearest_m"].as_f64().unwrap()
    };
    let fullest = fitted.iter().map(used).fold(0.0, f64::max);
    assert!(fullest > 0.95, "{fullest}");
}

/// A flat pair is fitted into the budget of its shot in every frame, though the way leads through a narrow place.
#[test]
fn a_flat_pair_stays_within_its_budget_all_the_way() {
    let (_folder, server) = demo();
    let mut viewpoint = walk(&server);
    viewpoint["rig"]["kind"] = json!("flat");
    for key in viewpoint["path"]["keys"].as_array_mut().unwrap() {
        key["separation_m"] = json!(0.065);
        key["converge_m"] = json!(3.0);
    }
    let seen = frames(&server, &viewpoint, [0, 360, 5]);
    assert!(!beyond(&seen).is_empty());
    let eyes = fit(&server, &mut viewpoint, &seen, "nearest_m");
    let fitted = frames(&server, &viewpoint, [0, 360, 5]);
    let budget = &viewpoint["rig"]["flat"]["budget"];
    let (width, hfov) = (
        budget["final_width"].as_f64().unwrap(),
        viewpoint["rig"]["flat"]["hfov_deg"].as_f64().unwrap(),
    );
    let k = width / (2.0 * (hfov.to_radians() / 2.0).tan());
    let mut fullest = 0.0_f64;
    for f in &fitted {
        let of = |v: &Value| v.as_f64().unwrap_or(f64::INFINITY);
        let (b, c) = (of(&f["separation_m"]), of(&f["convergence_m"]));
        // Nearest and farthest that count stay between the planes of the budget: K b (1/C - 1/Z), of the published off-axis pair.
        let px = |z: f64| k * b * (1.0 / c - 1.0 / z);
        let (near, far) = (px(of(&f["nearest_m"])), px(of(&f["farthest_m"])));
        let (front, back) = (
            px(of(&f["planes_m"]["nearest"])),
            px(of(&f["planes_m"]["farthest"])),
        );
        assert!(near >= front - 1e-3, "{near} {front} {f}");
        if f["planes_m"]["farthest"].is_number() {
            assert!(far <= back + 1e-3, "{far} {back} {f}");
        }
        fullest = fullest.max(near / front);
    }
    assert!(fullest > 0.9, "{fullest}");
    // It never jumps: from frame to frame (here a sixth of a second) by a small part of the whole.
    let apart = |f: &Value| f["separation_m"].as_f64().unwrap();
    let most = eyes.iter().map(apart).fold(0.0, f64::max);
    for two in fitted.windows(2) {
        assert!(
            (apart(&two[1]) - apart(&two[0])).abs() < 0.25 * most,
            "{two:?}"
        );
    }
}

#[test]
fn nonsense_is_refused_and_those_who_ride_are_followed() {
    let (_folder, server) = demo();
    let viewpoint = walk(&server);
    let asked = |part: Value| {
        let mut request = json!({
            "pose": viewpoint["pose"], "rig": viewpoint["rig"], "path": viewpoint["path"],
            "first": 0, "last": 3, "step": 1, "rate": "30",
        });
        for (name, value) in part.as_object().unwrap() {
            request[name] = value.clone();
        }
        server.json("POST", &format!("{PROJECT}/depth-frames"), Some(request))
    };
    for (part, sentence) in [
        (json!({"last": 300}), "301 frames are too many at a time"),
        (json!({"first": 9}), "before they begin"),
        (json!({"rate": "fast"}), "is no frame rate"),
        (json!({"path": {"keys": []}}), "key"),
    ] {
        let (status, told) = asked(part.clone());
        assert_eq!(status, 422, "{part} {told}");
        assert!(told["error"].as_str().unwrap().contains(sentence), "{told}");
    }
    let fit = |seen: Value| {
        let request = json!({"path": viewpoint["path"], "rig": viewpoint["rig"], "seen": seen});
        server.json("POST", "/api/depth-fit", Some(request))
    };
    let at = |t: f64, near: f64| json!({"time_s": t, "nearest_m": near, "farthest_m": null});
    for (seen, sentence) in [
        (json!([]), "check the way first"),
        (json!([at(1.0, 1.0), at(0.5, 1.0)]), "rising moments"),
        (json!([at(0.0, -1.0)]), "distances above 0"),
    ] {
        let (status, told) = fit(seen);
        assert_eq!(status, 422, "{told}");
        assert!(told["error"].as_str().unwrap().contains(sentence), "{told}");
    }
    // On the camera of the visitor's walk, at heading 320 and then 210, 2.9 m from the middle (demo/src/lib.rs), the pier is seen as far.
    let movers = wait_for("the scene's movers", || {
        let project = server.json("GET", PROJECT, None).1;
        project["scene"]["movers"].as_array().cloned()
    });
    let camera = movers
        .iter()
        .find(|m| m["name"] == "Visitor's walk")
        .unwrap();
    let ride = json!({"node": camera["node"], "name": camera["name"], "offset": [0.0, 0.0, 0.0]});
    let pose = json!({"position": [50, 1.6, 50], "heading_deg": 0, "pitch_deg": 0, "roll_deg": 0});
    let (status, told) =
        asked(json!({"path": null, "ride": ride, "pose": pose, "last": 180, "step": 180}));
    assert_eq!(status, 200, "{told}");
    for frame in told.as_array().unwrap() {
        let nearest = frame["very_nearest_m"].as_f64().unwrap();
        assert!((0.5..2.6).contains(&nearest), "{frame}");
    }
}
