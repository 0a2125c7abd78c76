//! Lights, surroundings, unit, noise and passes over HTTP.

use crate::support;

use serde_json::json;
use support::{Server, scene, with_room};

/// Several sets of light in one project: copied, switched, named, removed, undone; orders say which they are made in.
#[test]
fn light_setups_are_kept_side_by_side() {
    let (_folder, server, project) = with_room();
    let path = format!("/api/projects/{project}");
    let ask = |method: &str, tail: &str, body| server.json(method, &format!("{path}{tail}"), body);
    let names = |p: &serde_json::Value| {
        let others = p["settings"]["other_setups"].as_array().unwrap().iter();
        let mut all: Vec<(u64, String)> = (others.map(|o| &o["setup"]))
            .chain([&p["settings"]["setup"]])
            .map(|s| {
                (
                    s["number"].as_u64().unwrap(),
                    s["name"].as_str().unwrap().into(),
                )
            })
            .collect();
        all.sort();
        all.into_iter()
            .map(|(_, name)| name)
            .collect::<Vec<String>>()
    };
    let (_, noon) = ask("GET", "", None);
    let viewpoint = noon["viewpoints"][0].clone();
    assert_eq!(names(&noon), ["Setup 1"]);
    let (status, evening) = ask("POST", "/setups", Some(json!({"name": "Evening"})));
    assert_eq!(
        (status, names(&evening)),
        (200, vec!["Setup 1".into(), "Evening".into()])
    );
    assert_eq!(
        evening["settings"]["setup"]["number"], 2,
        "the copy is in use"
    );
    let mut settings = evening["settings"].clone();
    settings["surroundings"]["sky"] = json!({"kind": "plain", "colour": [0.3, 0.05, 0.01]});
    settings["exposure_stops"] = json!(1.5);
    // Who forgets the others when changing one loses nothing.
    settings["other_setups"] = json!([]);
    let (status, evening) = ask("PATCH", "", Some(json!({"settings": settings})));
    assert_eq!((status, names(&evening).len()), (200, 2));

    // Back and forth, nothing is lost.
    let (_, back) = ask("POST", "/setups/1/use", None);
    assert_eq!(
        back["settings"]["surroundings"],
        noon["settings"]["surroundings"]
    );
    assert_eq!(back["settings"]["exposure_stops"], 0.0);
    let (_, again) = ask("POST", "/setups/2/use", None);
    assert_eq!(again["settings"], evening["settings"]);
    // Undone and made again like any change of the scene.
    assert_eq!(ask("POST", "/undo", None).1["settings"], back["settings"]);
    assert_eq!(
        ask("POST", "/redo", None).1["settings"],
        evening["settings"]
    );

    // The live picture of either, in its exposure.
    let picture = |setup: Option<u32>| {
        let body = json!({"pose": viewpoint["pose"], "width": 64, "setup": setup}).to_string();
        let (path, json) = (
            format!("{path}/preview"),
            ("Content-Type", "application/json"),
        );
        let (status, bytes) = server.send("POST", &path, body.as_bytes(), &[json]);
        assert_eq!(status, 200);
        let rgb = image::load_from_memory(&bytes).unwrap().to_rgb8();
        let all = rgb.as_raw().iter().map(|v| f64::from(*v));
        all.sum::<f64>() / rgb.as_raw().len() as f64
    };
    // A stop and a half brighter, of which the tone takes some back.
    let (bright, plain) = (picture(None), picture(Some(1)));
    assert!(bright > 1.25 * plain, "{bright} beside {plain}");

    // Orders are made in the one they name, and say so; the others do not travel along.
    let order = |setup: Option<u32>| {
        let body = json!({"viewpoint": viewpoint["id"], "width": 32, "samples": 1, "setup": setup});
        ask("POST", "/orders", Some(body))
    };
    let (status, named) = order(Some(1));
    assert_eq!(status, 200, "{named}");
    assert_eq!(named["spec"]["settings"]["setup"]["name"], "Setup 1");
    assert_eq!(named["spec"]["settings"]["other_setups"], json!([]));
    assert_eq!(
        named["spec"]["settings"]["surroundings"],
        noon["settings"]["surroundings"]
    );
    assert_eq!(
        order(None).1["spec"]["settings"]["setup"]["name"],
        "Evening"
    );

    // Names are checked, and the last one stays.
    let (_, renamed) = ask("PATCH", "/setups/1", Some(json!({"name": " Noon "})));
    assert_eq!(names(&renamed), ["Noon", "Evening"]);
    for (method, tail, body, said) in [
        (
            "PATCH",
            "/setups/1",
            Some(json!({"name": "Evening"})),
            "already",
        ),
        ("POST", "/setups", Some(json!({"name": "Noon"})), "already"),
        ("POST", "/setups", Some(json!({"name": "  "})), "1 to"),
        ("POST", "/setups/7/use", None, "no light setup 7"),
        ("DELETE", "/setups/7", None, "no light setup 7"),
    ] {
        let (status, answer) = ask(method, tail, body);
        let sentence = answer["error"].as_str().unwrap();
        assert!(
            status == 422 && sentence.contains(said),
            "{status} {sentence}"
        );
    }
    assert_eq!(order(Some(7)).0, 422);
    let (_, alone) = ask("DELETE", "/setups/2", None);
    assert_eq!(
        (names(&alone), &alone["settings"]["setup"]["number"]),
        (vec!["Noon".into()], &json!(1))
    );
    let (status, last) = ask("DELETE", "/setups/1", None);
    assert!(
        status == 422 && last["error"].as_str().unwrap().contains("stays"),
        "{last}"
    );
}

/// A surveyed scene at easting 500 km, northing 5,400 km gets an origin near it, which is told and stays; standing, changing
/// the unit and rendering go on from there.
#[test]
fn a_scene_far_from_its_origin_comes_near() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), false);
    let (mut document, binary) = scene::room();
    let far = [500_000.25, 412.0, -5_400_000.5];
    let room = json!({"name": "Survey", "children": [0, 1], "translation": far});
    document["nodes"].as_array_mut().unwrap().push(room);
    document["scenes"][0]["nodes"] = json!([2]);
    let (status, project) = server.upload("survey.glb", &scene::pack(&document, &binary));
    assert_eq!(status, 200, "{project}");
    let origin = project["settings"]["origin"].clone();
    assert_eq!(origin, json!([500_000.0, 412.0, -5_400_001.0]));
    let told = project["scene"]["notices"].to_string();
    assert!(
        told.contains("far from its file's origin") && told.contains("500000 m"),
        "{told}"
    );
    let eye = project["viewpoints"][0]["pose"]["position"].clone();
    assert!(
        eye.as_array()
            .unwrap()
            .iter()
            .all(|v| v.as_f64().unwrap().abs() < 5.0),
        "{eye}"
    );

    let path = format!("/api/projects/{}", project["id"]);
    let floor = format!("{path}/floor?x={}&y={}&z={}", eye[0], eye[1], eye[2]);
    let (_, floor) = server.json("GET", &floor, None);
    assert!(floor["floor_y"].as_f64().unwrap().abs() < 1e-4, "{floor}");
    // The origin is no setting of the page's: a change that does not know it leaves it where it is.
    let change = json!({"settings": {"unit": "foot"}});
    let (status, in_feet) = server.json("PATCH", &path, Some(change));
    assert_eq!(
        (status, &in_feet["settings"]["origin"]),
        (200, &origin),
        "{in_feet}"
    );
    let width = |p: &serde_json::Value| {
        p["scene"]["max"][0].as_f64().unwrap() - p["scene"]["min"][0].as_f64().unwrap()
    };
    assert!((width(&in_feet) / width(&project) - 0.3048).abs() < 1e-4);
    let (_, back) = server.json("POST", &format!("{path}/undo"), None);
    assert_eq!(back["scene"]["min"], project["scene"]["min"]);
    let order = server.order(
        project["id"].as_i64().unwrap(),
        json!({"width": 32, "samples": 1}),
    );
    server.wait_for_order(order, "done");
}

/// Lights, surroundings, unit and moment belong to the project, and orders keep what they were given.
#[test]
fn lights_surroundings_and_unit_are_settings_of_the_project() {
    let (_folder, server, project) = with_room();
    let of_project = format!("/api/projects/{project}");
    let get = |path: &str| server.json("GET", path, None).1;
    let viewpoint = get(&of_project)["viewpoints"][0].clone();
    let lights = get(&format!(
        "{of_project}/lights?viewpoint={}",
        viewpoint["id"]
    ));
    let lamp = &lights[0];
    assert_eq!(
        (&lamp["name"], &lamp["seen"]),
        (&json!("Lamp"), &json!(true))
    );
    // Radiance 40 x (1, 0.9, 0.8) has the luminance 0.2126 + 0.7152 x 0.9 + 0.0722 x 0.8 of 40 (Rec. 709).
    let wanted = 40.0 * (0.2126 + 0.7152 * 0.9 + 0.0722 * 0.8);
    // Numbers of a file without lamps as strong as real ones are shares of white by day.
    let white = f64::from(dome_trace::photometry::DAYLIGHT_WHITE_CD_M2);
    assert!(
        (lamp["measures"][0]["value"].as_f64().unwrap() / white - wanted).abs() < 0.01,
        "{lamp}"
    );
    let key = lamp["key"].as_str().unwrap();

    // The sun by place and date: south at noon, as high as the latitude and the season make it.
    let sun = get("/api/sun?latitude=48&month=6&day=21&hour=12");
    assert!(
        (sun["elevation_deg"].as_f64().unwrap() - 65.44).abs() < 0.05,
        "{sun}"
    );
    assert_eq!(
        server
            .json("GET", "/api/sun?latitude=48&month=2&day=31&hour=12", None)
            .0,
        422
    );

    let settings = json!({
        "surroundings": {"sky": {"kind": "sun", "elevation_deg": 30.0, "heading_deg": 90.0,
            "turbidity": 3.0, "ground": [0.2, 0.2, 0.2], "disc": true}},
        "lights": {key: {"on": true, "stops": 1.5}, "sun": {"on": false, "stops": 0.0}},
        "draft_stops": 2.0,
        "unit": "metre",
        "time_s": 0.0,
    });
    let (status, changed) = server.json("PATCH", &of_project, Some(json!({"settings": settings})));
    assert_eq!(status, 200, "{changed}");
    assert_eq!(changed["settings"]["lights"][key]["stops"], 1.5);
    // Sky and sun stand in the list too.
    let lights = get(&format!(
        "{of_project}/lights?viewpoint={}",
        viewpoint["id"]
    ));
    let names: Vec<_> = (lights.as_array().unwrap().iter())
        .map(|l| {
            (
                l["name"].as_str().unwrap(),
                l["measures"][0]["unit"].as_str().unwrap(),
            )
        })
        .collect();
    assert_eq!(names[1..], [("Sky", "cd/m²"), ("Sun", "lx")]);
    // The draft brightness reaches drafts and no final render.
    let order = |draft: bool| {
        let wish = json!({"viewpoint": viewpoint["id"], "width": 64, "samples": 4, "draft": draft});
        let (status, order) = server.json("POST", &format!("{of_project}/orders"), Some(wish));
        assert_eq!(status, 200, "{order}");
        order
    };
    assert_eq!(order(true)["spec"]["settings"]["draft_stops"], 2.0);
    assert_eq!(order(false)["spec"]["settings"]["draft_stops"], 0.0);

    for wrong in [
        json!({"lights": {"object:999": {"on": false, "stops": 0.0}}}),
        json!({"lights": {key: {"on": true, "stops": 99.0}}}),
        json!({"time_s": -1.0}),
        json!({"surroundings": {"sky": {"kind": "picture", "file": "nothing.exr"}}}),
        json!({"surroundings": {"sky": {"kind": "picture", "file": "../card.jpg"}}}),
    ] {
        let (status, answer) = server.json("PATCH", &of_project, Some(json!({"settings": wrong})));
        assert_eq!(status, 422, "{answer}");
        assert!(answer["error"].as_str().unwrap().ends_with('.'), "{answer}");
    }

    // In inches the room is 0.0254 times as large; the eye stays 1.6 m above the floor.
    let (status, small) = server.json(
        "PATCH",
        &of_project,
        Some(json!({"settings": {"unit": "inch"}})),
    );
    assert_eq!(status, 200, "{small}");
    let height = small["scene"]["max"][1].as_f64().unwrap();
    assert!((height - 3.0 * 0.0254).abs() < 1e-6, "{height}");
    let eye = small["viewpoints"][0]["pose"]["position"][1]
        .as_f64()
        .unwrap();
    assert!((eye - 1.6).abs() < 1e-4, "{eye}");
}

#[test]
fn a_picture_of_surroundings_is_brought_checked_and_used() {
    let (folder, server, project) = with_room();
    let send = |name: &str, bytes: &[u8]| {
        server.bring(
            &format!("/api/projects/{project}/surroundings?file={name}"),
            bytes,
        )
    };
    let picture = image::Rgb32FImage::from_pixel(32, 16, image::Rgb([0.25, 0.5, 1.0]));
    let path = folder.path().join("sky.hdr");
    picture.save(&path).unwrap();
    let (status, brought) = send("evening%20sky.hdr", &std::fs::read(&path).unwrap());
    assert_eq!(status, 200, "{brought}");
    assert_eq!(
        (&brought["file"], &brought["shape"]),
        (&json!("evening sky.hdr"), &json!("latitude-longitude"))
    );
    let settings = json!({"surroundings": {"sky": {"kind": "picture", "file": "evening sky.hdr"},
        "turn_deg": 30.0, "backdrop_stops": 1.0}});
    let of_project = format!("/api/projects/{project}");
    let (status, answer) = server.json("PATCH", &of_project, Some(json!({"settings": settings})));
    assert_eq!(status, 200, "{answer}");
    for (name, bytes, word) in [
        ("sky.txt", &b"hello"[..], "sky.txt"),
        ("sky.hdr", &b"#?RADIANCE\n"[..], "sky.hdr"),
        ("sky.exr", &b"\x76\x2f\x31\x01"[..], "sky.exr"),
    ] {
        let (status, answer) = send(name, bytes);
        let sentence = answer["error"].as_str().unwrap_or_default();
        assert_eq!(status, 422, "{name}: {answer}");
        assert!(
            sentence.contains(word) && sentence.ends_with('.'),
            "{sentence}"
        );
    }
    let odd = image::RgbImage::from_pixel(30, 20, image::Rgb([9; 3]));
    let path = folder.path().join("odd.png");
    odd.save(&path).unwrap();
    let (_, answer) = send("odd.png", &std::fs::read(&path).unwrap());
    assert!(
        answer["error"].as_str().unwrap().contains("30 x 20"),
        "{answer}"
    );
    // A second one of the same name does not take the first one's place: orders may wait for that.
    let path = folder.path().join("sky.hdr");
    let (_, second) = send("evening%20sky.hdr", &std::fs::read(&path).unwrap());
    assert_eq!(second["file"], "evening sky 2.hdr");
    // Nothing wrong stays.
    let kept = folder
        .path()
        .join(format!("data/projects/{project}/surroundings"));
    assert_eq!(std::fs::read_dir(kept).unwrap().count(), 2);
}

#[test]
fn an_order_to_a_noise_with_passes_tells_its_noise_and_shows_its_passes() {
    let (_folder, server, project) = with_room();
    let wish = json!({"viewpoint": 1, "width": 128, "samples": 256, "noise_percent": 9.0,
        "passes": ["depth", "object-mask", "normal", "noise"], "denoise": true});
    let (status, order) = server.json(
        "POST",
        &format!("/api/projects/{project}/orders"),
        Some(wish),
    );
    assert_eq!(status, 200, "{order}");
    let id = order["id"].as_i64().unwrap();
    let done = server.wait_for_order(id, "done");
    let noise = done["noise_percent"].as_f64().unwrap();
    assert!(noise > 0.1 && noise < 48.0, "{done}");
    let left = done["noise_left_percent"].as_f64().unwrap();
    assert!(left > 0.1 && left < 12.0, "{done}");
    let mean = done["mean_samples"].as_f64().unwrap();
    assert!((32.0..=256.0).contains(&mean), "{done}");
    let at = |pass: &str, u: f64, v: f64| {
        server
            .json(
                "GET",
                &format!("/api/orders/{id}/passes/{pass}/at?u={u}&v={v}"),
                None,
            )
            .1
    };
    // Straight down the floor is 1.6 m away; the room's mesh is one object.
    assert_eq!(at("depth", 0.5, 0.9999), "1.60 m");
    assert_eq!(at("object-mask", 0.5, 0.9999), "Room");
    for pass in ["depth", "object-mask", "normal", "noise"] {
        let shown = server.get(&format!("/api/orders/{id}/passes/{pass}/picture.jpg"));
        let shown = image::load_from_memory(&shown).unwrap();
        assert_eq!((shown.width(), shown.height()), (128, 64));
    }
    let own = server.get(&format!("/api/orders/{id}/passes/depth/pass.exr"));
    assert_eq!(&own[..4], [0x76, 0x2f, 0x31, 0x01]);
    let (status, answer) = server.json(
        "GET",
        &format!("/api/orders/{id}/passes/albedo/at?u=0&v=0"),
        None,
    );
    assert_eq!(status, 409, "{answer}");
    for wrong in [
        json!({"viewpoint": 1, "width": 64, "samples": 4, "noise_percent": 0.0}),
        json!({"viewpoint": 1, "width": 64, "samples": 4, "lens": {"fstop": 0.0, "focus_m": 1.0}}),
        json!({"viewpoint": 1, "width": 64, "samples": 4, "clamp": -1.0}),
    ] {
        let answer = server.json(
            "POST",
            &format!("/api/projects/{project}/orders"),
            Some(wrong),
        );
        assert_eq!(answer.0, 422, "{}", answer.1);
    }
}

/// An order in another shape is made in that shape, shown as the sphere it holds and handed over as one.
#[test]
fn an_order_may_have_any_shape() {
    let (folder, server, project) = with_room();
    let viewpoint = server
        .json("GET", &format!("/api/projects/{project}"), None)
        .1["viewpoints"][0]["id"]
        .clone();
    let order = |wish: serde_json::Value| {
        server.json(
            "POST",
            &format!("/api/projects/{project}/orders"),
            Some(wish),
        )
    };
    let (status, estimate) = server.json("GET", "/api/estimate?shape=cube-cross&width=128", None);
    assert_eq!((status, &estimate["height"]), (200, &json!(96)));
    let wish = json!({"viewpoint": viewpoint, "shape": "cube-cross", "width": 128, "samples": 4,
        "passes": ["depth"]});
    let (status, placed) = order(wish);
    assert_eq!(status, 200, "{placed}");
    assert_eq!(placed["spec"]["height"], 96);
    let id = placed["id"].as_i64().unwrap();
    server.wait_for_order(id, "done");
    let size = |path: &str| {
        let picture = image::load_from_memory(&server.get(&format!("/api/orders/{id}/{path}")));
        let picture = picture.unwrap();
        (picture.width(), picture.height())
    };
    assert_eq!(size("flat.jpg"), (128, 96));
    assert_eq!(size("picture.jpg"), (128, 64));
    assert_eq!(size("passes/depth/picture.jpg"), (128, 96));
    // The master says what it is, so that a converter need not be told.
    let master = folder.path().join("master.exr");
    std::fs::write(&master, server.get(&format!("/api/orders/{id}/master.exr"))).unwrap();
    let sphere = folder.path().join("sphere.png");
    support::run_ok(&[
        "convert",
        support::text(&master),
        "-o",
        support::text(&sphere),
        "--to",
        "equirect",
    ]);
    let package = json!({"exposure_stops": 0.0, "soft": false, "quality": 90,
        "opening_heading_deg": 0.0, "opening_pitch_deg": 0.0, "opening_hfov_deg": 80.0});
    let (status, package) = server.make(&format!("/api/orders/{id}/packages"), Some(package));
    assert_eq!(
        (status, &package["width"], &package["height"]),
        (200, &json!(128), &json!(64))
    );
    // A square says nothing of its shape: the master tells it, beside the names of an object mask too.
    let (status, placed) = order(
        json!({"viewpoint": viewpoint, "shape": "fisheye:180", "width": 64,
        "samples": 4, "passes": ["object-mask"]}),
    );
    assert_eq!(status, 200, "{placed}");
    let dome = placed["id"].as_i64().unwrap();
    server.wait_for_order(dome, "done");
    std::fs::write(
        &master,
        server.get(&format!("/api/orders/{dome}/master.exr")),
    )
    .unwrap();
    let header = dome_files::exr_picture::ExrStrips::open(&master)
        .unwrap()
        .header;
    assert_eq!(header.shape().to_string(), "fisheye:180");
    let (_, mask) = server.json("GET", &format!("/api/orders/{dome}/mask"), None);
    let colours = mask.as_array().unwrap();
    let is_colour = |entry: &serde_json::Value| entry["colour"].as_str().unwrap().starts_with('#');
    assert!(
        !colours.is_empty() && colours.iter().all(is_colour),
        "{mask}"
    );
    for (wish, says) in [
        (
            json!({"viewpoint": viewpoint, "shape": "cube-6x1", "width": 100, "samples": 4}),
            "take 96 or 102 px",
        ),
        (
            json!({"viewpoint": viewpoint, "shape": "sphere", "width": 64, "samples": 4}),
            "no shape",
        ),
        (
            json!({"viewpoint": viewpoint, "shape": "octahedral", "width": 64, "samples": 4, "denoise": true}),
            "edges of octahedral meet inside the picture",
        ),
    ] {
        let (status, answer) = order(wish);
        let said = answer["error"].as_str().unwrap_or_default();
        assert!(status == 422 && said.contains(says), "{answer}");
    }
}

/// Widths behind a camera and for a headset: the worked examples of `resolution.rs`, up to whole pairs.
#[test]
fn widths_are_planned() {
    let (_folder, server, _) = with_room();
    let plan = |query: &str| server.json("GET", &format!("/api/width-plan?{query}"), None);
    let (status, told) = plan("width=6032&frame=1920&hfov=90&per_degree=60");
    assert_eq!(status, 200, "{told}");
    // pi x 1920 / tan 45 = 6031.9, twice that at the edges; 60 px per degree x 360.
    assert_eq!(
        (&told["middle"], &told["edges"], &told["headset"]),
        (&json!(6032), &json!(12064), &json!(21600))
    );
    let points = told["sharpness"].as_array().unwrap();
    let last = &points[points.len() - 1];
    assert_eq!(last[0], 45.0);
    assert!((points[0][1].as_f64().unwrap() - 1.0).abs() < 1e-3);
    assert!((last[1].as_f64().unwrap() - 0.5).abs() < 1e-3);
    for wrong in [
        "width=100&frame=0&hfov=90&per_degree=60",
        "width=100&frame=100&hfov=180&per_degree=60",
        "width=100&frame=100&hfov=90&per_degree=nan",
    ] {
        let (status, answer) = plan(wrong);
        let said = answer["error"].as_str().unwrap_or_default();
        assert!(status == 422 && said.ends_with("correct them."), "{answer}");
    }
}
