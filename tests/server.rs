//! The server over HTTP: refusals, endurance, and that a cut-off render ends with the same bytes.

use crate::support;

use serde_json::{Value, json};
use support::{Server, run_fails, wait_for, with_room};

#[test]
fn a_render_cut_off_by_kill_ends_with_the_same_bytes() {
    let undisturbed = {
        let (_folder, server, project) = with_room();
        let quiet = server.order(project, json!({"width": 256, "samples": 16}));
        server.wait_for_order(quiet, "done");
        std::fs::read(server.files_of(quiet).join("master.exr")).unwrap()
    };
    let (folder, server, project) = with_room();
    let data = folder.path().join("data");
    let cut = server.order(project, json!({"width": 256, "samples": 16}));
    let files = server.files_of(cut);
    let strips = files.join("strips");
    let finished = || support::strips_there(&strips);
    wait_for("two finished strips", || (finished() >= 2).then_some(()));
    server.kill();
    let kept = finished();
    assert!((2..8).contains(&kept), "{kept} of 8 strips were there");
    let stamp = |name: &str| {
        std::fs::metadata(strips.join(name))
            .unwrap()
            .modified()
            .unwrap()
    };
    let first = stamp("000000.strip");
    // The second strip is damaged as by a bad disk: it must be found out and made again.
    let second = strips.join("000016.strip");
    let mut bytes = std::fs::read(&second).unwrap();
    let last = bytes.len() - 1;
    bytes[last] ^= 1;
    std::fs::write(&second, bytes).unwrap();

    let server = Server::start(&data, true); // with projects there, the demo is not added
    assert_eq!(
        server
            .json("GET", "/api/projects", None)
            .1
            .as_array()
            .unwrap()
            .len(),
        1
    );
    if strips.exists() {
        assert_eq!(
            stamp("000000.strip"),
            first,
            "a finished strip was made again"
        );
    }
    let done = server.wait_for_order(cut, "done");
    assert_eq!(
        (&done["progress"], &done["strips"]),
        (&json!(1.0), &json!([]))
    );
    assert_eq!(
        std::fs::read(files.join("master.exr")).unwrap(),
        undisturbed
    );
}

#[test]
fn an_order_can_be_stopped_and_gone_on_with() {
    let (_folder, server, project) = with_room();
    let long = server.order(project, json!({"width": 1024, "samples": 64}));
    let waiting = server.order(project, json!({"width": 64, "samples": 1}));
    server.wait_for_order(long, "running");
    assert_eq!(
        server
            .json("GET", &format!("/api/orders/{waiting}"), None)
            .1["state"],
        "waiting"
    );
    let early = wait_for("a strip", || {
        let o = server.json("GET", &format!("/api/orders/{long}"), None).1;
        (!o["strips"].as_array().unwrap().is_empty()).then_some(o)
    });
    let progress = early["progress"].as_f64().unwrap();
    assert!(
        progress > 0.0 && progress < 1.0 && early["remaining_s"].as_f64().unwrap() > 0.0,
        "{early}"
    );
    assert_eq!(server.ask_job(long, "stop"), 202);
    let stopped = server.wait_for_order(long, "stopped");
    assert!(!stopped["strips"].as_array().unwrap().is_empty());
    let strip = server.get(&format!("/api/orders/{long}/strips/0"));
    let strip = image::load_from_memory(&strip).unwrap();
    assert_eq!((strip.width(), strip.height()), (1024, 16));
    // The next one has its turn meanwhile.
    server.wait_for_order(waiting, "done");
    assert_eq!(server.ask_job(long, "resume"), 202);
    wait_for("it to go on", || {
        let o = server.json("GET", &format!("/api/orders/{long}"), None).1;
        (o["state"] == "running").then_some(())
    });
    // What is not finished cannot be handed over.
    let body = json!({"opening_heading_deg": 0, "opening_pitch_deg": 0, "opening_hfov_deg": 75, "exposure_stops": 0, "soft": true, "quality": 90});
    let (status, answer) = server.make(&format!("/api/orders/{long}/packages"), Some(body));
    assert_eq!(status, 409, "{answer}");
    let files = server.files_of(long);
    assert!(files.exists());
    assert_eq!(
        server
            .json("DELETE", &format!("/api/orders/{long}"), None)
            .0,
        204
    );
    wait_for("its files to go", || (!files.exists()).then_some(()));
    assert_eq!(
        server.json("GET", &format!("/api/orders/{long}"), None).0,
        404
    );
}

#[test]
fn a_package_is_checked_and_downloads_in_ranges() {
    let (_folder, server, project) = with_room();
    let id = server.order(project, json!({"width": 128, "samples": 2}));
    server.wait_for_order(id, "done");
    let ask = |heading: Value, quality: u32| {
        let body = json!({"opening_heading_deg": heading, "opening_pitch_deg": -4, "opening_hfov_deg": 70, "exposure_stops": 0.5, "soft": false, "quality": quality});
        server.make(&format!("/api/orders/{id}/packages"), Some(body))
    };
    let (status, made) = ask(json!(-30), 92);
    assert_eq!(status, 200, "{made}");
    assert!(
        made["checks"]
            .as_array()
            .unwrap()
            .iter()
            .all(|c| c["fine"] == true),
        "{made}"
    );
    let path = format!("/api/packages/{}/download", made["id"]);
    let whole = server.get(&path);
    assert_eq!(whole.len() as u64, made["bytes"].as_u64().unwrap());
    let (status, part) = server.send("GET", &path, b"", &[("Range", "bytes=10-19")]);
    assert_eq!((status, &part[..]), (206, &whole[10..20]));
    assert_eq!(
        server
            .send("GET", &path, b"", &[("Range", "bytes=99999999-")])
            .0,
        416
    );
    let file = tempfile::NamedTempFile::with_suffix(".jpg").unwrap();
    std::fs::write(file.path(), &whole).unwrap();
    assert_eq!(
        support::exiftool(file.path())["InitialViewHeadingDegrees"],
        330
    );
    assert_eq!(ask(json!(0), 0).0, 422);
    assert_eq!(ask(Value::Null, 90).0, 422);
    // The master's own download.
    let master = server.get(&format!("/api/orders/{id}/master.exr"));
    assert_eq!(&master[..4], &[0x76, 0x2f, 0x31, 0x01]); // OpenEXR's magic number
}

#[test]
fn wrong_uploads_get_one_sentence_and_leave_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), false);
    let glb = support::scene::room_glb();
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    zip.start_file("../../climb.glb", zip::write::SimpleFileOptions::default())
        .unwrap();
    std::io::Write::write_all(&mut zip, &glb).unwrap();
    let climbing = zip.finish().unwrap().into_inner();
    for (file, bytes, word) in [
        ("photo.jpg", &b"\xff\xd8\xff"[..], "photo.jpg"),
        ("scene.gltf", b"{}", ".zip"),
        ("scene.obj", b"v 0 0 0", "no triangles"),
        ("empty.glb", b"", "empty"),
        ("cut.glb", &glb[..200], "bytes"),
        ("climb.zip", &climbing, "leads out"),
        ("..%2F..%2Fx.glb", b"no", "x.glb"),
    ] {
        let (status, answer) = server.upload(file, bytes);
        let sentence = answer["error"].as_str().unwrap_or_default();
        assert_eq!(status, 422, "{file}: {answer}");
        assert!(sentence.contains(word), "{file}: {sentence}");
        assert!(
            sentence.ends_with('.') && sentence.lines().count() == 1,
            "{sentence}"
        );
    }
    assert_eq!(server.json("GET", "/api/projects", None).1, json!([]));
    for folder in ["projects", "incoming"] {
        let left: Vec<_> = std::fs::read_dir(server.data.join(folder))
            .unwrap()
            .collect();
        assert!(left.is_empty(), "{folder}: {left:?}");
    }
    // A zip with a glTF and its buffer beside it is taken.
    let (mut document, binary) = support::scene::room();
    document["buffers"][0]["uri"] = json!("the%20data.bin");
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, bytes) in [
        ("room/scene.gltf", document.to_string().as_bytes()),
        ("room/the data.bin", &binary),
    ] {
        zip.start_file(name, zip::write::SimpleFileOptions::default())
            .unwrap();
        std::io::Write::write_all(&mut zip, bytes).unwrap();
    }
    let (status, project) = server.upload("room.zip", &zip.finish().unwrap().into_inner());
    assert_eq!(
        (status, &project["scene"]["triangles"]),
        (200, &json!(24)),
        "{project}"
    );
    assert_eq!(project["scene"]["objects"][1]["light"], true);
}

#[test]
fn requests_that_make_no_sense_are_refused_in_one_shape() {
    let (_folder, server, project) = with_room();
    let at = |path: &str| format!("/api/projects/{project}{path}");
    let pose = json!({"position": [0, 1.6, 0], "heading_deg": 370, "pitch_deg": 5, "roll_deg": 5});
    let draft = |pose: &Value, name: &str, unlocked: bool| json!({"name": name, "pose": pose, "unlocked": unlocked});
    // Level is kept by the server, too.
    let (_, made) = server.json("POST", &at("/viewpoints"), Some(draft(&pose, "A", false)));
    assert_eq!(
        (
            &made["pose"]["heading_deg"],
            &made["pose"]["pitch_deg"],
            &made["pose"]["roll_deg"]
        ),
        (&json!(10.0), &json!(0.0), &json!(0.0))
    );
    let (_, tilted) = server.json("POST", &at("/viewpoints"), Some(draft(&pose, "B", true)));
    assert_eq!(tilted["pose"]["pitch_deg"], 5.0);
    let far = json!({"position": [1e300, 0, 0], "heading_deg": 0, "pitch_deg": 0, "roll_deg": 0});
    let viewpoint = &made["id"];
    let order = |width: i64, samples: i64| {
        Some(json!({"viewpoint": viewpoint, "width": width, "samples": samples}))
    };
    let refusals = [
        (
            "POST",
            at("/viewpoints"),
            Some(draft(&far, "C", false)),
            422,
        ),
        (
            "POST",
            at("/viewpoints"),
            Some(draft(&pose, "  ", false)),
            422,
        ),
        ("POST", at("/viewpoints"), Some(json!({"name": 5})), 422),
        ("POST", at("/orders"), order(1023, 4), 422),
        ("POST", at("/orders"), order(200_000, 4), 422),
        ("POST", at("/orders"), order(-2, 4), 422),
        ("POST", at("/orders"), order(1024, 0), 422),
        (
            "POST",
            at("/orders"),
            Some(json!({"viewpoint": 999, "width": 64, "samples": 1})),
            404,
        ),
        (
            "PATCH",
            at(""),
            Some(
                json!({"settings": {"surroundings": {"sky": {"kind": "plain", "colour": [-1, 0, 0]}}}}),
            ),
            422,
        ),
        ("PATCH", at(""), Some(json!({"name": ""})), 422),
        (
            "GET",
            at("/plan?y=1&scale=20&x0=5&z0=0&x1=1&z1=1"),
            None,
            422,
        ),
        ("GET", at("/floor?x=NaN&y=0&z=0"), None, 422),
        ("GET", "/api/projects/77".into(), None, 404),
        ("GET", "/api/nothing".into(), None, 404),
        ("GET", "/assets/missing.js".into(), None, 404),
        ("GET", "/project/../../etc/passwd".into(), None, 404),
        ("POST", "/api/jobs/5/stop".into(), None, 404),
        ("GET", "/api/orders/1/strips/0".into(), None, 404),
    ];
    for (method, path, body, status) in refusals {
        let (found, answer) = server.json(method, &path, body);
        assert_eq!(found, status, "{method} {path}: {answer}");
        assert!(
            answer["error"].as_str().is_some_and(|s| s.ends_with('.')),
            "{method} {path}: {answer}"
        );
    }
    // Nothing of that was ordered, and the last viewpoint stays.
    let state = server.json("GET", &at(""), None).1;
    assert_eq!(state["orders"], json!([]));
    for v in state["viewpoints"].as_array().unwrap() {
        server.json("DELETE", &at(&format!("/viewpoints/{}", v["id"])), None);
    }
    assert_eq!(
        server.json("GET", &at(""), None).1["viewpoints"]
            .as_array()
            .unwrap()
            .len(),
        1
    );
}

#[test]
fn foreign_pages_are_refused() {
    let (_folder, server, _) = with_room();
    let own = server.address.clone();
    let status = |headers: &[(&str, &str)]| server.send("GET", "/api/projects", b"", headers).0;
    assert_eq!(status(&[]), 200);
    assert_eq!(status(&[("Origin", &own)]), 200);
    for foreign in [
        ("Host", "evil.test"),
        ("Origin", "http://evil.test"),
        ("Origin", "null"),
        ("Origin", "https://127.0.0.1"),
    ] {
        assert_eq!(status(&[foreign]), 403, "{foreign:?}");
    }
    let (status, _) = server.send(
        "DELETE",
        "/api/projects/1",
        b"",
        &[("Origin", "http://evil.test")],
    );
    assert_eq!(status, 403);
    assert_eq!(server.json("GET", "/api/projects/1", None).0, 200);
}

#[test]
fn data_stay_and_belong_to_one_server() {
    let (folder, server, project) = with_room();
    let data = folder.path().join("data");
    let message = run_fails(
        &["serve", "--port", "0", "--data", data.to_str().unwrap()],
        1,
    );
    assert!(message.contains("already uses"), "{message}");
    server.json(
        "PATCH",
        &format!("/api/projects/{project}"),
        Some(json!({"name": "Kept"})),
    );
    server.kill();
    let server = Server::start(&data, false);
    let kept = server
        .json("GET", &format!("/api/projects/{project}"), None)
        .1;
    assert_eq!(
        (&kept["name"], &kept["scene"]["file"]),
        (&json!("Kept"), &json!("room.glb"))
    );
    assert_eq!(
        server
            .json("DELETE", &format!("/api/projects/{project}"), None)
            .0,
        204
    );
    assert!(!data.join(format!("projects/{project}")).exists());
}

#[test]
fn plan_floor_and_live_picture_come_from_the_scene() {
    let (_folder, server, project) = with_room();
    let at = |path: &str| format!("/api/projects/{project}{path}");
    // The room is one box turned outwards: its four walls, cut at 1 m, are one closed line of 24 m.
    let plan = server
        .json("GET", &at("/plan?y=1&scale=40&x0=-9&z0=-9&x1=9&z1=9"), None)
        .1;
    assert_eq!(plan["solids"], json!([]));
    let walls: Vec<f64> = serde_json::from_value(plan["lines"][0]["points"].clone()).unwrap();
    let corners = walls.len() / 2;
    let length: f64 = (0..corners)
        .map(|i| {
            let next = (i + 1) % corners;
            (walls[2 * next] - walls[2 * i]).hypot(walls[2 * next + 1] - walls[2 * i + 1])
        })
        .sum();
    assert_eq!(
        (corners, plan["lines"][0]["closed"].as_bool()),
        (4, Some(true))
    );
    assert!((length - 24.0).abs() < 1e-3, "{length}");
    let floor = server.json("GET", &at("/floor?x=1&y=1.6&z=1"), None).1;
    assert!(
        floor["floor_y"].as_f64().unwrap().abs() < 1e-6 && floor["object"] == "Room",
        "{floor}"
    );
    let void = server.json("GET", &at("/floor?x=50&y=1.6&z=1"), None).1;
    assert_eq!(void["floor_y"], Value::Null);
    let png = server.get(&at("/plan.png?y=2&x0=-4&z0=-4&x1=4&z1=4&width=100"));
    assert_eq!(
        image::load_from_memory(&png)
            .unwrap()
            .to_luma8()
            .dimensions(),
        (100, 100)
    );
    let live = |width: u32| {
        let body = json!({"pose": {"position": [0, 1.6, 0], "heading_deg": 0, "pitch_deg": 0, "roll_deg": 0}, "width": width});
        let (status, jpeg) = server.send(
            "POST",
            &at("/preview"),
            body.to_string().as_bytes(),
            &[("Content-Type", "application/json")],
        );
        assert_eq!(status, 200);
        image::load_from_memory(&jpeg).unwrap().to_rgb8()
    };
    let first = live(192);
    assert_eq!(first.dimensions(), (192, 96));
    // Asked again it is better: the same view, other samples added.
    let second = live(192);
    assert_ne!(first, second);
}

/// A busy machine may be spared: live pictures rest after the samples that the server was started with, and say so.
#[test]
fn live_pictures_rest_when_asked_to() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start_with(&folder.path().join("data"), &["--live-samples", "3"]);
    let (status, project) = server.upload("room.glb", &support::scene::room_glb());
    assert_eq!(status, 200, "{project}");
    let path = format!("/api/projects/{}/preview", project["id"]);
    let body = json!({"pose": {"position": [0, 1.6, 0], "heading_deg": 0, "pitch_deg": 0, "roll_deg": 0}, "width": 192});
    let kind = [("Content-Type", "application/json")];
    let ask = || {
        let answer = server.answered("POST", &path, body.to_string().as_bytes(), &kind);
        let told = |name: &str| {
            let text = answer.headers()[name].to_str().unwrap();
            text.parse::<u32>().unwrap()
        };
        let counts = (told("X-Samples"), told("X-Enough"));
        let jpeg = answer.into_body().read_to_vec().unwrap();
        (counts, jpeg)
    };
    let rested = wait_for("a picture that rests", || {
        let ((samples, enough), jpeg) = ask();
        assert!(samples <= 3 && enough == 3, "{samples} of {enough}");
        (samples == enough).then_some(jpeg)
    });
    assert!(ask() == ((3, 3), rested), "it went on");
    for wrong in ["0", "257", "some"] {
        let args = ["serve", "--port", "0", "--live-samples", wrong];
        let sentence = run_fails(&args, 2);
        assert!(sentence.contains("--live-samples"), "{sentence}");
    }
}
