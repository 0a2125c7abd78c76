//! Films of an order's frames, over HTTP: made, marked, heard, read back by others, and what is refused.

use crate::support;

use rusqlite::Connection;
use serde_json::{Value, json};
use support::decoded::{mean_error, pictures};
use support::sound::wav;
use support::walk::{frames, wish, with_walk};
use support::{Server, outside, run_ok, samples, text, wait_for};

/// What is asked of a film, with all defaults but those that are told.
fn asked(film: Value) -> Value {
    json!({
        "opening_heading_deg": 75, "opening_pitch_deg": -5, "opening_hfov_deg": 80,
        "exposure_stops": 0, "soft": false, "quality": 92, "film": film,
    })
}

/// Frames that are done; gives their order's number.
fn made(server: &Server, asked: Value) -> i64 {
    let order = server.order(1, wish(asked));
    server.wait_for_order(order, "done");
    order
}

/// What ffprobe says of a film's streams.
fn probed(server: &Server, package: &Value) -> Value {
    let file = server
        .data
        .join(format!("packages/{}", package["id"]))
        .join(package["file"].as_str().unwrap());
    let told = outside(
        "ffprobe",
        &[
            "-v",
            "error",
            "-count_frames",
            "-show_streams",
            "-of",
            "json",
            text(&file),
        ],
    );
    serde_json::from_str(&told).unwrap()
}

fn make(server: &Server, order: i64, film: Value) -> Value {
    let path = format!("/api/orders/{order}/packages");
    let (status, package) = server.make(&path, Some(asked(film)));
    assert_eq!(status, 200, "{package}");
    let wrong: Vec<_> = package["checks"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|c| c["fine"] != true)
        .collect();
    assert!(wrong.is_empty(), "{wrong:?}");
    package
}

/// From frames to a film that plays as fast as things move, says that it is a sphere and where to look first, and is heard.
#[test]
fn frames_become_a_film_that_others_read() {
    let (_folder, server) = with_walk();
    let order = made(&server, frames(7, "walk/{frame}", json!({"format": "png"})));
    let (status, name) = server.bring("/api/projects/1/sounds?file=Foot%20steps.wav", &wav(2, 3.0));
    assert_eq!((status, &name), (200, &json!("Foot steps.wav")));
    let package = make(
        &server,
        order,
        json!({"codec": "h264", "sound": "Foot steps.wav"}),
    );
    assert_eq!(
        (
            &package["film"]["frames"],
            &package["film"]["seconds"],
            &package["film"]["rate"]
        ),
        (&json!(8), &json!(2.0), &json!("4")),
        "{package}"
    );
    assert_eq!(package["file"], "Test - Walker - 64 px.mp4");
    let told = probed(&server, &package);
    let stream = |kind: &str| {
        let all = told["streams"].as_array().unwrap();
        all.iter()
            .find(|s| s["codec_type"] == kind)
            .unwrap()
            .clone()
    };
    let (video, audio) = (stream("video"), stream("audio"));
    assert_eq!(
        (
            &video["nb_read_frames"],
            &video["r_frame_rate"],
            &video["codec_name"]
        ),
        (&json!("8"), &json!("4/1"), &json!("h264"))
    );
    let sides: Vec<_> = (video["side_data_list"].as_array().unwrap().iter())
        .map(|s| s["side_data_type"].as_str().unwrap())
        .collect();
    assert!(sides.contains(&"Spherical Mapping"), "{sides:?}");
    assert_eq!(
        (&audio["codec_name"], &audio["channels"]),
        (&json!("aac"), &json!(2))
    );
    // As long as the pictures, within a packet of sound (1024 samples).
    let lasts: f64 = audio["duration"].as_str().unwrap().parse().unwrap();
    assert!((lasts - 2.0).abs() < 0.03, "{lasts}");
    // The page plays it by parts: a range is a part, with its place in the whole.
    let path = format!("/api/packages/{}/film", package["id"]);
    let whole = server.get(&path);
    assert_eq!(whole.len() as u64, package["bytes"].as_u64().unwrap());
    let (status, part) = server.send("GET", &path, &[], &[("Range", "bytes=100-199")]);
    assert!(status == 206 && part == whole[100..200]);
    // Heading 75 as the viewpoint looks to 30.
    let file = server.data.join(format!(
        "packages/{}/{}",
        package["id"],
        package["file"].as_str().unwrap()
    ));
    let read = support::exiftool(&file);
    assert_eq!(read["InitialViewHeadingDegrees"], 45, "{read}");
}

/// Every third frame makes a film as long as what happens; both eyes of an OpenEXR are laid one above the other on the way.
#[test]
fn fewer_frames_and_two_eyes() {
    let (_folder, server) = with_walk();
    let third = json!({"format": "jpeg", "rate": "12", "step": 3});
    let order = made(&server, frames(21, "third/{frame}", third));
    let package = make(&server, order, json!({"codec": "h265"}));
    assert_eq!(
        (
            &package["film"]["frames"],
            &package["film"]["seconds"],
            &package["film"]["rate"]
        ),
        (&json!(8), &json!(2.0), &json!("4")),
        "{package}"
    );
    let viewpoint = server.json("GET", "/api/projects/1", None).1["viewpoints"][0].clone();
    let mut draft = viewpoint.clone();
    draft["rig"]["kind"] = json!("panoramic");
    let path = format!("/api/projects/1/viewpoints/{}", viewpoint["id"]);
    assert_eq!(server.json("PUT", &path, Some(draft)).0, 200);
    let order = made(&server, frames(3, "eyes/{frame}", json!({})));
    let package = make(&server, order, json!({"codec": "prores"}));
    assert_eq!(
        (
            &package["film"]["stereo"],
            &package["height"],
            &package["film"]["bounds"]
        ),
        (
            &json!("top-bottom"),
            &json!(64),
            &json!([0.0, 0.0, 0.0, 0.0])
        ),
        "{package}"
    );
    assert!(package["file"].as_str().unwrap().ends_with(".mov"));
    // The upper half is the left eye: the OpenEXR's own colours, as the screen has them.
    let film = server.data.join(format!(
        "packages/{}/{}",
        package["id"],
        package["file"].as_str().unwrap()
    ));
    let decoded = &pictures(&film, (64, 64))[0];
    let tone = dome_imaging::Tone::default();
    let eye = |channels| tone.to_srgb8(&samples(&server.data.join("out/eyes/0.exr"), channels));
    let left = eye(["R", "G", "B"]);
    let right = eye(["right.R", "right.G", "right.B"]);
    let (above, below) = decoded.split_at(64 * 32 * 3);
    // Colours are shared by two pixels of noise each (4:2:2), so they are near and not equal; the other eye is far.
    let near = mean_error(above, &left).max(mean_error(below, &right));
    let far = mean_error(above, &right).min(mean_error(below, &left));
    assert!(
        near < 8.0 && far > 1.5 * near,
        "mean errors {near} and {far} of 255"
    );
}

/// Frames of several files are films too: eyes of their own lie one above the other, and six faces become the sphere.
#[test]
fn frames_of_several_files_become_one_picture() {
    let (_folder, server) = with_walk();
    let mut six = wish(frames(1, "six/{frame}/{face}", json!({"format": "png"})));
    six["shape"] = json!("cube-faces");
    six["width"] = json!(32);
    let six = server.order(1, six);
    server.wait_for_order(six, "done");
    let package = make(&server, six, json!({"codec": "prores"}));
    let film = &package["film"];
    assert_eq!(
        (&film["frames"], &film["stereo"], &film["bounds"]),
        (&json!(2), &json!("mono"), &json!([0.0, 0.0, 0.0, 0.0])),
        "{package}"
    );
    assert_eq!(
        (&package["width"], &package["height"]),
        (&json!(128), &json!(64))
    );
    let file = |package: &Value| {
        let name = package["file"].as_str().unwrap();
        server
            .data
            .join(format!("packages/{}/{name}", package["id"]))
    };
    // The sphere of these faces, as the command makes it.
    let sphere = server.data.join("sphere.png");
    let faces = ["left", "front", "right", "back", "up", "down"]
        .map(|name| server.data.join(format!("out/six/1/{name}.png")));
    let mut convert = vec!["convert", "-o", text(&sphere), "--to", "equirect"];
    convert.extend(faces.iter().map(|f| text(f)));
    run_ok(&convert);
    let sphere = image::open(&sphere).unwrap().to_rgb8();
    let decoded = &pictures(&file(&package), (128, 64));
    // The picture is full of noise, which the encoding blurs; the other frame has another one.
    let (near, far) = (
        mean_error(&decoded[1], &sphere),
        mean_error(&decoded[0], &sphere),
    );
    assert!(
        near < 8.0 && far > 1.5 * near,
        "mean errors {near} and {far} of 255"
    );
    let viewpoint = server.json("GET", "/api/projects/1", None).1["viewpoints"][0].clone();
    let mut draft = viewpoint.clone();
    draft["rig"]["kind"] = json!("panoramic");
    let path = format!("/api/projects/1/viewpoints/{}", viewpoint["id"]);
    assert_eq!(server.json("PUT", &path, Some(draft)).0, 200);
    let order = made(
        &server,
        frames(1, "{eye}/{frame}", json!({"format": "png"})),
    );
    let package = make(&server, order, json!({"codec": "prores"}));
    assert_eq!(package["film"]["stereo"], "top-bottom", "{package}");
    let decoded = &pictures(&file(&package), (64, 64))[0];
    let (above, below) = decoded.split_at(64 * 32 * 3);
    let eye = |name: &str| {
        let path = server.data.join(format!("out/{name}/0.png"));
        image::open(path).unwrap().to_rgb8().into_raw()
    };
    let near = mean_error(above, &eye("left")).max(mean_error(below, &eye("right")));
    let far = mean_error(above, &eye("right")).min(mean_error(below, &eye("left")));
    assert!(
        near < 8.0 && far > 1.5 * near,
        "mean errors {near} and {far} of 255"
    );
    // The right eye first is what players take for the left one.
    let swapped = json!({"format": "png", "packing": "top-bottom:right-first"});
    let order = made(&server, frames(1, "swapped/{frame}", swapped));
    let path = format!("/api/orders/{order}/packages");
    let (status, why) = server.json("POST", &path, Some(asked(json!({"codec": "h264"}))));
    let why = why["error"].as_str().unwrap_or_default();
    assert!(
        status == 422 && why.contains("The right eye lies first"),
        "{why}"
    );
}

/// What is no film is one sentence, a film that is stopped or killed leaves nothing half, and goes on.
#[test]
fn films_are_refused_stopped_and_made_again() {
    let (_folder, server) = with_walk();
    let still = server.order(1, json!({"width": 64, "samples": 1}));
    server.wait_for_order(still, "done");
    let order = made(&server, frames(3, "a/{frame}", json!({"format": "png"})));
    let sound = |file: &str, bytes: &[u8]| {
        server
            .bring(&format!("/api/projects/1/sounds?file={file}"), bytes)
            .1
    };
    assert!(
        sound("a.wav", b"RIFFnot")
            .to_string()
            .contains("a.wav is no WAV")
    );
    assert!(
        sound("b.wav", &wav(6, 0.1))
            .to_string()
            .contains("6 channels")
    );
    let cases = [
        (still, json!({"codec": "h264"}), "this order is one picture"),
        (
            order,
            json!({"codec": "theora"}),
            "none of h264, h265, av1 and prores",
        ),
        (
            order,
            json!({"codec": "h264", "quality": 99}),
            "between 0 and 63",
        ),
        (
            order,
            json!({"codec": "h264", "sound": "../a.wav"}),
            "There is no sound",
        ),
        (order, Value::Null, "make a film of them"),
    ];
    for (order, film, said) in cases {
        let path = format!("/api/orders/{order}/packages");
        let (status, answer) = server.json("POST", &path, Some(asked(film)));
        let sentence = answer["error"].as_str().unwrap_or_default();
        assert!(
            status == 422 && sentence.contains(said),
            "{said}: {status} {answer}"
        );
    }
    // A frame that is broken is named.
    let frame = server.data.join("out/a/2.png");
    let good = std::fs::read(&frame).unwrap();
    std::fs::write(&frame, &good[..good.len() / 2]).unwrap();
    let path = format!("/api/orders/{order}/packages");
    let job = server
        .json("POST", &path, Some(asked(json!({"codec": "h264"}))))
        .1;
    let job = server.wait_for_job(&job["id"]);
    assert_eq!(job["state"], "failed", "{job}");
    std::fs::write(&frame, good).unwrap();
    // Killed while it waits or is made, it is made after the start.
    let resumed = format!("/api/jobs/{}/resume", job["id"]);
    server.json("POST", &resumed, None);
    let data = server.data.clone();
    server.kill();
    let server = Server::start(&data, false);
    let package = wait_for("the film", || {
        let project = server.json("GET", "/api/projects/1", None).1;
        project["packages"].as_array()?.first().cloned()
    });
    assert_eq!(package["film"]["frames"], 4, "{package}");
    let folder = data.join(format!("packages/{}", package["id"]));
    let left: Vec<_> = std::fs::read_dir(folder).unwrap().flatten().collect();
    assert_eq!(left.len(), 1, "{left:?}");
    // Killed after the film was there whole and before its job was told done: it can be had at once, and is not made again.
    server.wait_for_job(&job["id"]);
    server.kill();
    let film = left[0].path();
    let bytes = std::fs::read(&film).unwrap();
    let written = || std::fs::metadata(&film).unwrap().modified().unwrap();
    let before = written();
    let database = Connection::open(data.join("owl-dome.db")).unwrap();
    let sql = "UPDATE job SET state = 'running', worker = 'of a killed server', ended = NULL WHERE kind = 'package'";
    assert_eq!(database.execute(sql, []).unwrap(), 1);
    drop(database);
    let server = Server::start(&data, false);
    let download = format!("/api/packages/{}/download", package["id"]);
    assert!(server.get(&download) == bytes);
    let job = server.wait_for_job(&job["id"]);
    assert_eq!(
        (&job["state"], written()),
        (&json!("done"), before),
        "{job}"
    );
}
