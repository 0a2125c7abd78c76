//! The engine of long work: memory, turns, and that nothing is lost however often the program is killed.

use crate::support;

use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};
use std::io::Cursor;
use std::time::Duration;
use support::choices::{Choices, told};
use support::{Server, scene, small_picture, wait_for, with_room};

/// A PNG with something in every pixel.
fn png(width: u32, height: u32) -> Vec<u8> {
    let mut bytes = Cursor::new(Vec::new());
    image::RgbImage::from_fn(width, height, |x, y| {
        image::Rgb([x as u8, y as u8, (x ^ y) as u8])
    })
    .write_to(&mut bytes, image::ImageFormat::Png)
    .unwrap();
    bytes.into_inner()
}

/// A job that does not fit beside what is under way waits, says so, and goes on by itself; one that never fits fails and
/// says what to do.
#[test]
fn what_does_not_fit_into_memory_waits() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("data");
    let server = Server::start_with(&data, &["--memory", "400M"]);
    let (status, project) = server.upload("room.glb", &scene::room_glb());
    assert_eq!(status, 200, "{project}");
    let project = project["id"].as_i64().unwrap();
    // In memory it takes 134 MB, four bytes a pixel.
    let (status, picture) = server.bring("/api/pictures?file=large.png", &png(8192, 4096));
    assert_eq!(status, 200, "{picture}");
    let order = json!({"shape": "equirect", "width": 16384, "turn": [10, 20, 30], "kernel": "lanczos",
        "format": "png"});
    let path = format!("/api/pictures/{}/convert", picture["id"]);
    let before = server.resident_bytes();
    let (status, conversion) = server.json("POST", &path, Some(order));
    assert_eq!(status, 202, "{conversion}");
    // What is in memory was claimed before.
    wait_for("the picture to be read", || {
        (server.resident_bytes() > before + (100 << 20)).then_some(())
    });
    // 720 rows of 1536 px are denoised at a time: about 330 MB with what is learned of the light.
    let wish = json!({"width": 1536, "samples": 100, "denoise": true});
    let waits = server.order(project, wish);
    let told = wait_for("what it waits for", || {
        let order = server.told(waits);
        order["problem"].is_string().then_some(order)
    });
    assert_eq!(told["state"], "waiting", "{told}");
    let said = told["problem"].as_str().unwrap();
    assert!(
        said.starts_with("Waits for memory") && said.contains("400 MB"),
        "{said}"
    );
    let stop = format!("/api/jobs/{}/stop", conversion["id"]);
    // On a busy machine it may have come to its end by itself meanwhile.
    assert!([202, 409].contains(&server.json("POST", &stop, None).0));
    let running = server.wait_for_order(waits, "running");
    // It may tell of its look at the light, but not of memory any more.
    let said = running["problem"].as_str().unwrap_or_default();
    assert!(!said.contains("memory"), "{said}");
    assert_eq!(server.ask_job(waits, "stop"), 202);
    server.wait_for_order(waits, "stopped");
    let never = server.order(
        project,
        json!({"width": 16384, "samples": 1, "denoise": true}),
    );
    let failed = server.wait_for_order(never, "failed");
    let said = failed["problem"].as_str().unwrap();
    assert!(said.contains("--memory"), "{said}");
}

/// However many are removed at the same time, one place to stand stays.
#[test]
fn removals_side_by_side_leave_a_viewpoint() {
    let (_folder, server, id) = with_room();
    let path = format!("/api/projects/{id}");
    let viewpoints = || {
        let project = server.json("GET", &path, None).1;
        project["viewpoints"].as_array().unwrap().clone()
    };
    let first = viewpoints()[0].clone();
    for _ in 0..5 {
        let copy = format!("{path}/viewpoints/{}/copy", first["id"]);
        assert_eq!(server.json("POST", &copy, None).0, 200);
    }
    let mut answers: Vec<u16> = std::thread::scope(|scope| {
        let removals: Vec<_> = (viewpoints().into_iter())
            .map(|v| {
                let (server, path) = (&server, format!("{path}/viewpoints/{}", v["id"]));
                scope.spawn(move || server.json("DELETE", &path, None).0)
            })
            .collect();
        removals.into_iter().map(|r| r.join().unwrap()).collect()
    });
    answers.sort_unstable();
    assert_eq!(answers, [204, 204, 204, 204, 204, 409]);
    assert_eq!(viewpoints().len(), 1);
}

/// What was ordered, and what it must become.
#[derive(Default)]
struct Ordered {
    orders: BTreeMap<i64, Value>,
    conversions: BTreeMap<i64, Value>,
    packages: BTreeMap<i64, i64>,
    /// Bytes of what was seen finished.
    finished: BTreeMap<String, Vec<u8>>,
    gone: BTreeSet<(&'static str, i64)>,
}

impl Ordered {
    /// Everything that was finished is there with the same bytes, and nothing that was removed has come again.
    fn check(&mut self, server: &Server, project: i64) {
        let now = server
            .json("GET", &format!("/api/projects/{project}"), None)
            .1;
        let pictures = server.json("GET", "/api/pictures", None).1["pictures"].clone();
        let mut seen = Vec::new();
        for order in now["orders"].as_array().unwrap() {
            let id = order["id"].as_i64().unwrap();
            assert!(self.orders.contains_key(&id) && !self.gone.contains(&("order", id)));
            if order["state"] == "done" {
                seen.push(format!("/api/orders/{id}/master.exr"));
            }
            assert_ne!(order["state"], "failed", "{order}");
        }
        assert_eq!(now["orders"].as_array().unwrap().len(), self.orders.len());
        for package in now["packages"].as_array().unwrap() {
            seen.push(format!("/api/packages/{}/download", package["id"]));
        }
        for picture in pictures.as_array().unwrap() {
            let id = picture["id"].as_i64().unwrap();
            assert!(!self.gone.contains(&("picture", id)), "{picture}");
            seen.push(format!("/api/pictures/{id}/download"));
        }
        for path in self.finished.keys() {
            assert!(seen.contains(path), "{path} was finished and is gone");
        }
        for path in seen {
            let bytes = server.get(&path);
            let before = self.finished.entry(path.clone()).or_insert(bytes.clone());
            assert!(*before == bytes, "{path} has other bytes");
        }
    }
}

/// Killed again and again in the middle of orders, conversions, packages, uploads and undo, nothing that was finished is lost,
/// and in the end everything is made with the bytes of an undisturbed program. `OWL_DOME_KILLS` says how often.
#[test]
fn kills_lose_nothing() {
    let (kills, seed) = (
        told("OWL_DOME_KILLS", 5),
        told("OWL_DOME_KILL_SEED", 20_261_128),
    );
    eprintln!("OWL_DOME_KILLS={kills} OWL_DOME_KILL_SEED={seed}");
    let mut choices = Choices(seed);
    let (_folder, server, project) = with_room();
    let data = server.data.clone();
    let (status, source) = server.bring("/api/pictures?file=source.png", &png(1024, 512));
    assert_eq!(status, 200, "{source}");
    let mut server = server;
    let mut ordered = Ordered::default();
    for round in 0..kills {
        for _ in 0..=choices.below(2) {
            act(&server, project, &source["id"], &mut choices, &mut ordered);
        }
        std::thread::sleep(Duration::from_millis(choices.below(1500)));
        server.kill();
        server = Server::start(&data, false);
        eprintln!("kill {round}: {} finished", ordered.finished.len());
        ordered.check(&server, project);
    }
    wait_for("everything to be made", || {
        server.jobs().is_empty().then_some(())
    });
    ordered.check(&server, project);
    // What a program makes that nobody kills.
    let (_folder, quiet, other) = with_room();
    let (_, source) = quiet.bring("/api/pictures?file=source.png", &png(1024, 512));
    for (id, wish) in &ordered.orders {
        let again = quiet.order(other, wish.clone());
        quiet.wait_for_order(again, "done");
        let wanted = quiet.get(&format!("/api/orders/{again}/master.exr"));
        let got = server.get(&format!("/api/orders/{id}/master.exr"));
        assert!(got == wanted, "order {id}, {wish}");
    }
    for (id, wish) in &ordered.conversions {
        let path = format!("/api/pictures/{}/convert", source["id"]);
        let (status, again) = quiet.make(&path, Some(wish.clone()));
        assert_eq!(status, 200, "{again}");
        let wanted = quiet.get(&format!("/api/pictures/{}/download", again["id"]));
        let got = server.get(&format!("/api/pictures/{id}/download"));
        assert!(got == wanted, "picture {id}, {wish}");
    }
    // Nothing lies about that belongs to nobody.
    let folders = |part: &str| std::fs::read_dir(data.join(part)).unwrap().count();
    let pictures = server.json("GET", "/api/pictures", None).1["pictures"].clone();
    wait_for("leftovers to be swept", || {
        let whole = folders("pictures") == pictures.as_array().unwrap().len()
            && folders("packages") == ordered.packages.len();
        whole.then_some(())
    });
    assert_eq!(folders("incoming"), 0);
}

/// Does something at random: orders, conversions, packages, uploads, changes and undo, removals.
fn act(
    server: &Server,
    project: i64,
    source: &Value,
    choices: &mut Choices,
    ordered: &mut Ordered,
) {
    let path = format!("/api/projects/{project}");
    match choices.below(7) {
        0 | 1 => {
            let width = 64 << choices.below(3);
            let wish = json!({"width": width, "samples": 8, "seed": choices.below(4), "denoise": choices.below(3) == 0});
            let id = server.order(project, wish.clone());
            assert!(
                ordered.orders.insert(id, wish).is_none(),
                "order {id} twice"
            );
            assert!(!ordered.gone.contains(&("order", id)));
        }
        2 => {
            let shape = ["cube-3x2", "fisheye:180", "equirect"][choices.below(3) as usize];
            let wish = json!({"shape": shape, "width": 1536, "turn": [choices.below(90), 5, 0],
                "kernel": "lanczos", "format": "png"});
            let convert = format!("/api/pictures/{source}/convert");
            let (status, job) = server.json("POST", &convert, Some(wish.clone()));
            assert_eq!(status, 202, "{job}");
            let id = job["makes"].as_i64().unwrap();
            assert!(
                ordered.conversions.insert(id, wish).is_none(),
                "picture {id} twice"
            );
        }
        3 => {
            let done = ordered
                .orders
                .keys()
                .find(|id| server.told(**id)["state"] == "done");
            let Some(order) = done.copied() else { return };
            let body = json!({"opening_heading_deg": 10, "opening_pitch_deg": 0, "opening_hfov_deg": 75,
                "exposure_stops": 0, "soft": true, "quality": 90});
            let (status, job) =
                server.json("POST", &format!("/api/orders/{order}/packages"), Some(body));
            assert_eq!(status, 202, "{job}");
            let id = job["makes"].as_i64().unwrap();
            assert!(
                ordered.packages.insert(id, order).is_none(),
                "package {id} twice"
            );
        }
        4 => {
            // Cut off by the kill or not: the answer may never come.
            let address = server.address.clone();
            std::thread::spawn(move || {
                let _ = ureq::post(format!("{address}/api/pictures?file=up.png"))
                    .send(&small_picture());
            });
        }
        5 => {
            let mut settings = server.json("GET", &path, None).1["settings"].clone();
            settings["draft_stops"] = json!(choices.below(5));
            let (status, answer) = server.json("PATCH", &path, Some(json!({"settings": settings})));
            assert_eq!(status, 200, "{answer}");
            let (status, _) = server.json("POST", &format!("{path}/undo"), None);
            assert!(status == 200 || status == 409);
        }
        _ => {
            let Some(id) = ordered.orders.keys().next_back().copied() else {
                return;
            };
            // Packages would go with it.
            if ordered.packages.values().any(|order| *order == id) {
                return;
            }
            assert_eq!(
                server.json("DELETE", &format!("/api/orders/{id}"), None).0,
                204
            );
            ordered.orders.remove(&id);
            ordered.gone.insert(("order", id));
            ordered
                .finished
                .remove(&format!("/api/orders/{id}/master.exr"));
        }
    }
}

/// Several viewpoints, shapes and light setups are ordered in one go, all or none, and take the turns that they are given.
#[test]
fn orders_are_placed_together_and_take_turns() {
    let (_folder, server, project) = with_room();
    let path = format!("/api/projects/{project}");
    let told = |path: &str| server.json("GET", path, None).1;
    let viewpoint = told(&path)["viewpoints"][0].clone();
    let mut other = viewpoint.clone();
    other["name"] = json!("Other");
    let (status, other) = server.json("POST", &format!("{path}/viewpoints"), Some(other));
    assert_eq!(status, 200, "{other}");
    let order = |more: Value| {
        let mut common = json!({"viewpoint": 0, "width": 64, "samples": 1, "held": true});
        common
            .as_object_mut()
            .unwrap()
            .extend(more.as_object().unwrap().clone());
        let all = json!({
            "order": common, "viewpoints": [viewpoint["id"], other["id"]],
            "shapes": ["equirect", "cube-3x2"], "setups": [1],
        });
        server.json("POST", &format!("{path}/orders/all"), Some(all))
    };
    // One that cannot be keeps all away: a cube cannot be denoised.
    let (status, refused) = order(json!({"denoise": true}));
    let sentence = refused["error"].as_str().unwrap();
    assert!(
        status == 422 && sentence.contains("as cube-3x2: "),
        "{refused}"
    );
    let same = json!({"first": 0, "last": 1, "step": 1, "rate": "4", "format": "png", "name": "{viewpoint}/{frame}"});
    let (status, refused) = order(json!({"frames": same}));
    assert!(
        status == 422 && refused.to_string().contains("files of the same names"),
        "{refused}"
    );
    assert!(server.jobs().is_empty());
    let (status, placed) = order(json!({}));
    assert_eq!(
        (status, placed.as_array().unwrap().len()),
        (200, 4),
        "{placed}"
    );
    let turns = || -> Vec<Value> { server.jobs().iter().map(|j| j["makes"].clone()).collect() };
    assert_eq!(Value::from(turns()), placed);
    assert!(server.jobs().iter().all(|j| j["state"] == "held"));
    // The last one first.
    let job = |order: &Value| server.told(order.as_i64().unwrap())["job"].clone();
    let change = json!({"before": job(&placed[0])});
    let (status, answer) = server.json(
        "PATCH",
        &format!("/api/jobs/{}", job(&placed[3])),
        Some(change),
    );
    assert_eq!(status, 200, "{answer}");
    assert_eq!(turns(), [3, 0, 1, 2].map(|i: usize| placed[i].clone()));
    assert_eq!(
        server
            .json("PATCH", "/api/jobs", Some(json!({"held": false})))
            .1,
        4
    );
    for order in placed.as_array().unwrap() {
        let told = server.wait_for_order(order.as_i64().unwrap(), "done");
        // A face of a quarter of the sphere's width shows as much: three of 16 px (to whole pixels).
        let width = told["spec"]["width"].as_u64().unwrap();
        match told["spec"]["shape"].as_str() {
            Some("equirect") => assert_eq!(width, 64),
            _ => assert!((48..=66).contains(&width) && width % 3 == 0, "{told}"),
        }
    }
    // Frames of an order that waits are not written twice.
    let mut same = json!({"first": 0, "last": 1, "step": 1, "rate": "4", "format": "png", "name": "twice/{frame}"});
    let wish = |frames: &Value| json!({"viewpoint": viewpoint["id"], "width": 64, "samples": 1, "held": true, "frames": frames});
    let place = |frames: &Value| server.json("POST", &format!("{path}/orders"), Some(wish(frames)));
    assert_eq!(place(&same).0, 200);
    let (status, refused) = place(&same);
    assert!(
        status == 422
            && refused
                .to_string()
                .contains("in the queue writes files of the same names"),
        "{refused}"
    );
    same["name"] = json!("twice/{order}-{frame}");
    assert_eq!(place(&same).0, 200);
}
