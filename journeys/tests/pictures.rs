//! Pictures made elsewhere: brought in, converted, assembled and looked into, over HTTP and in a real browser.

use dome_files::rows::PictureRows;
use image::{ImageFormat, RgbImage, imageops};
use journeys::browser::{Browser, runtime};
use journeys::support::{Server, run_ok, text, wait_for};
use serde_json::{Value, json};
use std::io::{Cursor, Read};
use std::path::Path;

fn png(picture: &RgbImage) -> Vec<u8> {
    let mut bytes = Cursor::new(Vec::new());
    picture.write_to(&mut bytes, ImageFormat::Png).unwrap();
    bytes.into_inner()
}

fn sphere() -> RgbImage {
    merlow::evening_sphere(512)
}

fn server() -> (tempfile::TempDir, Server) {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), false);
    (folder, server)
}

fn bring(server: &Server, name: &str, picture: &RgbImage) -> Value {
    let (status, brought) = server.bring(&format!("/api/pictures?file={name}"), &png(picture));
    assert_eq!(status, 200, "{brought}");
    brought
}

fn download(server: &Server, picture: &Value) -> Vec<u8> {
    server.get(&format!("/api/pictures/{}/download", picture["id"]))
}

fn decoded(bytes: &[u8]) -> RgbImage {
    image::load_from_memory(bytes).unwrap().to_rgb8()
}

/// Mean difference of the bytes of two pictures.
fn off(a: &RgbImage, b: &RgbImage) -> f64 {
    assert_eq!(a.dimensions(), b.dimensions());
    let sum: f64 = (a.as_raw().iter().zip(b.as_raw()))
        .map(|(a, b)| (f64::from(*a) - f64::from(*b)).abs())
        .sum();
    sum / a.as_raw().len() as f64
}

/// The six faces, left to down, as the command makes them.
fn faces(folder: &Path, side: u32) -> Vec<RgbImage> {
    faces_of(&sphere(), folder, side)
}

fn faces_of(sphere: &RgbImage, folder: &Path, side: u32) -> Vec<RgbImage> {
    let from = folder.join("sphere.png");
    std::fs::write(&from, png(sphere)).unwrap();
    let to = folder.join("face.png");
    let side = side.to_string();
    run_ok(&[
        "convert",
        text(&from),
        "-o",
        text(&to),
        "--to",
        "cube-faces",
        "--size",
        &side,
    ]);
    ["left", "front", "right", "back", "up", "down"]
        .map(|f| {
            let file = folder.join(format!("face-{f}.png"));
            image::open(file).unwrap().to_rgb8()
        })
        .to_vec()
}

/// The same bytes as the command writes; and back again nearly the picture that was brought.
#[test]
fn a_brought_picture_is_converted_as_by_the_command() {
    let (folder, server) = server();
    let brought = bring(&server, "evening.png", &sphere());
    assert_eq!(
        (&brought["shape"], &brought["shape_told"], &brought["depth"]),
        (&json!("equirect"), &json!(false), &json!("8 bit"))
    );
    let order = json!({"shape": "cube-3x2", "width": 0, "turn": [30.0, 10.0, -5.0], "kernel": "lanczos",
        "format": "png"});
    let (status, made) = server.make(
        &format!("/api/pictures/{}/convert", brought["id"]),
        Some(order),
    );
    assert_eq!(status, 200, "{made}");
    assert_eq!(
        (&made["width"], &made["height"]),
        (&json!(384), &json!(256))
    );
    let from = folder.path().join("evening.png");
    std::fs::write(&from, png(&sphere())).unwrap();
    let to = folder.path().join("cube.png");
    run_ok(&[
        "convert",
        text(&from),
        "-o",
        text(&to),
        "--to",
        "cube-3x2",
        "--turn",
        "30,10,-5",
        "--kernel",
        "lanczos",
    ]);
    assert_eq!(download(&server, &made), std::fs::read(&to).unwrap());
    // It can be looked at all round, as the sphere that it holds.
    let shown = decoded(&server.get(&format!("/api/pictures/{}/sphere.jpg", made["id"])));
    assert_eq!(shown.dimensions(), (512, 256));

    // Six files come in one archive.
    let order = json!({"shape": "cube-faces", "width": 64, "turn": [0, 0, 0], "kernel": "bicubic", "format": "png"});
    let (status, made) = server.make(
        &format!("/api/pictures/{}/convert", brought["id"]),
        Some(order),
    );
    assert_eq!(status, 200, "{made}");
    let archive = download(&server, &made);
    let mut archive = zip::ZipArchive::new(Cursor::new(archive)).unwrap();
    assert_eq!(archive.len(), 6);
    let wanted = &faces(folder.path(), 64)[1];
    let mut front = Vec::new();
    let name = "evening cube-faces-front.png";
    archive
        .by_name(name)
        .unwrap()
        .read_to_end(&mut front)
        .unwrap();
    assert_eq!(&decoded(&front), wanted);
    // And are one picture to whoever looks round in it.
    let shown = decoded(&server.get(&format!("/api/pictures/{}/sphere.jpg", made["id"])));
    assert_eq!(shown.dimensions(), (256, 128));

    // All of it is there after a restart.
    let all = || server.json("GET", "/api/pictures", None).1;
    assert_eq!(all()["pictures"].as_array().unwrap().len(), 3);
    let kept = all();
    server.kill();
    let again = Server::start(&folder.path().join("data"), false);
    assert_eq!(again.json("GET", "/api/pictures", None).1, kept);
    // A picture that is not wanted any more goes with its file.
    let path = format!("/api/pictures/{}", made["id"]);
    assert_eq!(again.json("DELETE", &path, None).0, 204);
    assert_eq!(again.json("DELETE", &path, None).0, 404);
}

#[test]
fn faces_in_any_order_and_turn_become_the_sphere() {
    let (folder, server) = server();
    let made = faces(folder.path(), 128);
    // By words; the turned one is turned back by hand, the missing one stays empty.
    let mut ids = Vec::new();
    for (face, picture) in ["up", "front", "right", "back", "left"]
        .iter()
        .zip([4, 1, 2, 3, 0])
    {
        let mut picture = made[picture].clone();
        if *face == "up" {
            picture = imageops::rotate90(&picture);
        }
        ids.push(
            bring(&server, &format!("hall_{face}.png"), &picture)["id"]
                .as_i64()
                .unwrap(),
        );
    }
    let of: Vec<String> = ids.iter().map(|id| format!("of={id}")).collect();
    let (status, guess) = server.json("GET", &format!("/api/face-guess?{}", of.join("&")), None);
    assert_eq!(status, 200, "{guess}");
    let faces = json!([ids[4], ids[1], ids[2], ids[3], ids[0], null]);
    assert_eq!(
        guess,
        json!({"faces": faces, "certain": true, "by": "words", "confidence": null,
            "steps_percent": null, "turns": [0, 0, 0, 0, 0, 0]})
    );
    let choice = |id: &Value, turns: u8| json!({"picture": id, "turns": turns});
    let order: Vec<Value> = (faces.as_array().unwrap().iter().enumerate())
        .map(|(i, id)| choice(id, u8::from(i == 4)))
        .collect();
    let request = |faces: &[Value]| json!({"faces": faces, "width": 512, "format": "png"});
    let (status, made) = server.make("/api/assemblies", Some(request(&order)));
    assert_eq!(status, 200, "{made}");
    assert_eq!(
        (&made["file"], &made["made_from"]),
        (
            &json!("hall sphere.png"),
            &json!("5 faces of a cube, down missing")
        )
    );
    let got = decoded(&download(&server, &made));
    let upper = |p: &RgbImage| imageops::crop_imm(p, 0, 0, 512, 150).to_image();
    let wrong = off(&upper(&got), &upper(&sphere()));
    assert!(wrong < 2.0, "{wrong}");
    // Below is nothing: see-through.
    let nadir = image::load_from_memory(&download(&server, &made))
        .unwrap()
        .to_rgba8();
    assert_eq!(nadir.get_pixel(256, 250).0[3], 0);

    // Too few, and pictures that cannot be faces.
    let (status, answer) = server.make(
        "/api/assemblies",
        Some(request(&[
            choice(&json!(ids[0]), 0),
            choice(&Value::Null, 0),
            choice(&Value::Null, 0),
            choice(&Value::Null, 0),
            choice(&Value::Null, 0),
            choice(&Value::Null, 0),
        ])),
    );
    assert_eq!(status, 422);
    assert!(
        answer["error"]
            .as_str()
            .unwrap()
            .contains("five or six pictures"),
        "{answer}"
    );
    let wide = bring(&server, "wide.png", &sphere())["id"].clone();
    let mut odd = order.clone();
    odd[5] = choice(&wide, 0);
    let (status, answer) = server.make("/api/assemblies", Some(request(&odd)));
    assert_eq!(status, 422);
    let sentence = answer["error"].as_str().unwrap();
    assert!(
        sentence.contains("512 x 256 px") && sentence.contains("square"),
        "{sentence}"
    );
    // What failed left nothing behind.
    let all = server.json("GET", "/api/pictures", None).1;
    assert_eq!(all["pictures"].as_array().unwrap().len(), 7);
    assert!(server.jobs().is_empty());
    let folders = std::fs::read_dir(folder.path().join("data/pictures"))
        .unwrap()
        .count();
    assert_eq!(folders, 7);
}

/// Six squares with names that say nothing, in any order and one of them turned, are found by their edges, and the page is
/// told how sure that is; the sphere that they make is the one that they came from.
#[test]
fn faces_without_names_are_found_by_their_edges() {
    let (folder, server) = server();
    let made = faces_of(&merlow::evening_sphere(2048), folder.path(), 512);
    // The order of the request is left, front, right, back, up, down; these come as back, up, left, down, front, right.
    let mixed = [3, 4, 0, 5, 1, 2];
    let ids: Vec<i64> = (mixed.iter().enumerate())
        .map(|(i, &face)| {
            let turned = if face == 4 {
                imageops::rotate90(&made[4])
            } else {
                made[face].clone()
            };
            bring(
                &server,
                &format!("part%20{}.png", ["q", "w", "e", "t", "z", "y"][i]),
                &turned,
            )["id"]
                .as_i64()
                .unwrap()
        })
        .collect();
    let of: Vec<String> = ids.iter().map(|id| format!("of={id}")).collect();
    let (status, guess) = server.json("GET", &format!("/api/face-guess?{}", of.join("&")), None);
    assert_eq!((status, &guess["by"]), (200, &json!("edges")), "{guess}");
    assert!(guess["confidence"].as_f64().unwrap() > 0.5, "{guess}");
    let steps = guess["steps_percent"].as_array().unwrap();
    assert!(steps[0].as_f64() < steps[1].as_f64(), "{guess}");
    let choices: Vec<Value> = (0..6)
        .map(|i| json!({"picture": guess["faces"][i], "turns": guess["turns"][i]}))
        .collect();
    let (status, sphere_made) = server.make(
        "/api/assemblies",
        Some(json!({"faces": choices, "width": 512, "format": "png"})),
    );
    assert_eq!(status, 200, "{sphere_made}");
    // A cube has no front of its own: edges tell how the faces lie to each other, so the sphere may come turned by
    // whole quarters. One of the 24 ways is the picture that they came from.
    let got = folder.path().join("got.png");
    std::fs::write(&got, download(&server, &sphere_made)).unwrap();
    let mut best = f64::INFINITY;
    for pitch in [0, 90, 180, 270, -90] {
        for heading in [0, 90, 180, 270] {
            for roll in [0, 90, 180, 270] {
                if best < 3.0 {
                    continue;
                }
                let turned = folder.path().join("turned.png");
                let turn = format!("--turn={heading},{pitch},{roll}");
                run_ok(&[
                    "convert",
                    text(&got),
                    "-o",
                    text(&turned),
                    "--to",
                    "equirect",
                    "--size",
                    "512",
                    &turn,
                ]);
                let picture = image::open(&turned).unwrap().to_rgb8();
                best = best.min(off(&picture, &sphere()));
            }
        }
    }
    assert!(best < 3.0, "{best}");
}

#[test]
fn seams_and_faults_are_found_and_mended() {
    let (_folder, server) = server();
    let whole = bring(&server, "right.png", &sphere());
    let seams = |p: &Value| {
        server
            .json("GET", &format!("/api/pictures/{}/seams", p["id"]), None)
            .1
    };
    let visible = |seams: &Value| -> Vec<String> {
        (seams.as_array().unwrap().iter())
            .filter(|s| s["visible"] == true)
            .map(|s| s["edge"].as_str().unwrap().to_owned())
            .collect()
    };
    assert_eq!(visible(&seams(&whole)), [""; 0]);
    // A picture whose right half was made brighter: at its edge and in its middle, of which only the edge is a seam.
    let mut torn = sphere();
    for (x, _, p) in torn.enumerate_pixels_mut() {
        if x >= 256 {
            p.0 = p.0.map(|v| v.saturating_add(40));
        }
    }
    let torn = bring(&server, "torn.png", &torn);
    let found = seams(&torn);
    assert!(
        visible(&found).contains(&"left-right edge".to_owned()),
        "{found}"
    );
    assert!(
        found[0]["lon_deg"].as_f64().unwrap().abs() > 179.0,
        "{found}"
    );

    let diagnosis = |p: &Value, against: &str| {
        let path = format!("/api/pictures/{}/diagnosis{against}", p["id"]);
        server.json("GET", &path, None).1
    };
    assert_eq!(diagnosis(&whole, "")["fault"], "none");
    // 16:9: no shape has that size, and the diagnosis still tells what it is.
    let squeezed = imageops::resize(&sphere(), 512, 288, imageops::FilterType::Triangle);
    let squeezed = bring(&server, "squeezed.png", &squeezed);
    assert_eq!(squeezed["shape"], Value::Null);
    let told = diagnosis(&squeezed, "");
    assert_eq!(
        (&told["fault"], &told["can_mend"]),
        (&json!("squeezed"), &json!(true))
    );
    let (status, mended) = server.make(&format!("/api/pictures/{}/mend", squeezed["id"]), None);
    assert_eq!(status, 200, "{mended}");
    let wrong = off(&decoded(&download(&server, &mended)), &sphere());
    assert!(wrong < 3.0, "{wrong}");
    // A mirror image is told against the right one, and mended.
    let mirrored = bring(
        &server,
        "mirrored.png",
        &imageops::flip_horizontal(&sphere()),
    );
    let against = format!("?against={}", whole["id"]);
    assert_eq!(diagnosis(&mirrored, &against)["fault"], "mirrored");
    let path = format!("/api/pictures/{}/mend{against}", mirrored["id"]);
    let (status, mended) = server.make(&path, None);
    assert_eq!(status, 200, "{mended}");
    assert!(off(&decoded(&download(&server, &mended)), &sphere()) < 1.0);
    let (status, answer) = server.make(&format!("/api/pictures/{}/mend", whole["id"]), None);
    assert_eq!(status, 409, "{answer}");

    // The balls: three of them on mid grey.
    let balls = decoded(&server.get(&format!("/api/pictures/{}/balls.jpg", whole["id"])));
    assert_eq!(balls.dimensions(), (768, 256));
    let corner = balls.get_pixel(2, 2).0;
    assert!(corner.iter().all(|v| v.abs_diff(128) < 4), "{corner:?}");
}

#[test]
fn bad_pictures_and_requests_get_one_sentence() {
    let (_folder, server) = server();
    for (name, bytes, wanted) in [
        ("notes.txt", &b"hello"[..], ".exr"),
        ("broken.png", b"not a picture at all", "none of"),
        ("cut.png", &png(&sphere())[..4000], "cut.png"),
    ] {
        let (status, answer) = server.bring(&format!("/api/pictures?file={name}"), bytes);
        assert!((400..500).contains(&status), "{name}: {status}");
        let sentence = answer["error"].as_str().unwrap();
        assert!(sentence.contains(wanted), "{name}: {sentence}");
    }
    assert_eq!(
        server.json("GET", "/api/pictures", None).1["pictures"],
        json!([])
    );
    let picture = bring(&server, "evening.png", &sphere());
    let path = format!("/api/pictures/{}", picture["id"]);
    for (what, wanted) in [
        (
            json!({"shape": "pyramid", "width": 0, "turn": [0, 0, 0], "kernel": "bicubic", "format": "png"}),
            "pyramid",
        ),
        (
            json!({"shape": "cube-3x2", "width": 100, "turn": [0, 0, 0], "kernel": "bicubic", "format": "png"}),
            "99 or 102",
        ),
        (
            json!({"shape": "cube-3x2", "width": 0, "turn": [0, 0, 0], "kernel": "nearest", "format": "png"}),
            "nearest",
        ),
        (
            json!({"shape": "cube-3x2", "width": 0, "turn": [0, 0, 0], "kernel": "bicubic", "format": "gif"}),
            "gif",
        ),
    ] {
        let (status, answer) = server.make(&format!("{path}/convert"), Some(what));
        assert_eq!(status, 422, "{answer}");
        assert!(
            answer["error"].as_str().unwrap().contains(wanted),
            "{answer}"
        );
    }
    // A shape that the picture's size cannot have; a right one is taken and drawn anew.
    let (status, _) = server.json(
        "PUT",
        &format!("{path}/shape"),
        Some(json!({"shape": "cube-cross"})),
    );
    assert_eq!(status, 422);
    let (status, changed) = server.json(
        "PUT",
        &format!("{path}/shape"),
        Some(json!({"shape": "perspective:90"})),
    );
    assert_eq!(status, 200, "{changed}");
    assert!(
        changed["shape"]
            .as_str()
            .unwrap()
            .starts_with("perspective:90"),
        "{changed}"
    );
}

/// Long work tells how far it is and how long it takes, can be stopped and resumed, and goes on after a kill.
#[test]
fn a_conversion_can_be_stopped_and_killed() {
    let (folder, server) = server();
    let picture = bring(&server, "evening.png", &sphere());
    let path = format!("/api/pictures/{}/convert", picture["id"]);
    // Large enough to last some seconds.
    let order = json!({"shape": "equirect", "width": 8192, "turn": [10, 20, 30], "kernel": "lanczos",
        "format": "png"});
    let under_way = |server: &Server| {
        wait_for("the conversion to be under way", || {
            let job = server.jobs().first()?.clone();
            (job["progress"].as_f64()? > 0.3).then_some(job)
        })
    };
    let pictures = |server: &Server| {
        let all = server.json("GET", "/api/pictures", None).1;
        all["pictures"].as_array().unwrap().clone()
    };
    let (status, job) = server.json("POST", &path, Some(order.clone()));
    assert_eq!((status, &job["kind"]), (202, &json!("conversion")), "{job}");
    let running = under_way(&server);
    assert_eq!(running["id"], job["id"]);
    assert!(running["remaining_s"].as_f64().unwrap() > 0.0, "{running}");
    let job_path = format!("/api/jobs/{}", job["id"]);
    let ask = |what: &str| server.json("POST", &format!("{job_path}/{what}"), None).0;
    // The picture is not there before it is whole.
    assert_eq!(pictures(&server).len(), 1);
    assert_eq!(ask("stop"), 202);
    assert_eq!(server.wait_for_job(&job["id"])["state"], "stopped");
    assert_eq!(ask("stop"), 409);
    assert_eq!(ask("resume"), 202);
    // Killed in the middle: after a restart it is made anew by itself, the same as undisturbed.
    under_way(&server);
    server.kill();
    let server = Server::start(&folder.path().join("data"), false);
    assert_eq!(server.wait_for_job(&job["id"])["state"], "done");
    let made = pictures(&server)[0].clone();
    assert_eq!((pictures(&server).len(), &made["id"]), (2, &job["makes"]));
    let (status, undisturbed) = server.make(&path, Some(order.clone()));
    assert_eq!(status, 200);
    assert!(download(&server, &made) == download(&server, &undisturbed));
    // One that is taken away while it is made leaves nothing.
    let (_, job) = server.json("POST", &path, Some(order));
    under_way(&server);
    let gone = format!("/api/pictures/{}", job["makes"]);
    assert_eq!(server.json("DELETE", &gone, None).0, 204);
    let folder = folder
        .path()
        .join(format!("data/pictures/{}", job["makes"]));
    wait_for("its files to go", || (!folder.exists()).then_some(()));
    assert!(server.jobs().is_empty());
    assert_eq!(pictures(&server).len(), 3);
}

#[test]
fn a_picture_in_the_browser() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), true);
    let base = server.address.clone();
    // Faces with names that say nothing; two are swapped and one is turned.
    let mut six = faces(folder.path(), 320);
    six.swap(0, 2);
    six[4] = imageops::rotate90(&six[4]);
    let files: Vec<String> = (six.iter().enumerate())
        .map(|(i, face)| {
            let path = folder.path().join(format!("view{}.png", i + 1));
            std::fs::write(&path, png(face)).unwrap();
            text(&path).to_owned()
        })
        .collect();
    let torn = folder.path().join("torn.png");
    let mut picture = merlow::evening_sphere(1024);
    for (x, y, p) in picture.enumerate_pixels_mut() {
        if x >= 512 && (200..300).contains(&y) {
            p.0 = p.0.map(|v| v.saturating_add(60));
        }
    }
    std::fs::write(&torn, png(&picture)).unwrap();
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        b.client.goto(&base).await.unwrap();
        b.press("Pictures").await;
        b.until("the demo's picture all round", "const i = document.querySelector('[data-testid=horizon-picture]'); return !!i && i.naturalWidth === 2048;").await;
        b.check_accessibility("pictures").await;
        b.screenshot("pictures").await;

        // What the result is, on the Horizon, with the turn that was asked: the sun is at 300 degrees.
        b.fill("Turn to heading", "-60").await;
        b.find("[data-testid=convert]").await.click().await.unwrap();
        let of = |file: &'static str| format!(
            "const h = document.querySelector('h2'); const i = document.querySelector('[data-testid=horizon-picture]'); return !!h && h.innerText === '{file}' && !!i && i.complete && i.naturalWidth > 0;");
        b.until("the cube", &of("Merlow evening cube-3x2.png")).await;
        let lit = b.script("
            const i = document.querySelector('[data-testid=horizon-picture]');
            const c = document.createElement('canvas'); c.width = 360; c.height = 180;
            const g = c.getContext('2d'); g.drawImage(i, 0, 0, 360, 180);
            const d = g.getImageData(0, 0, 360, 180).data;
            let best = 0, at = [0, 0];
            for (let p = 0; p < 360 * 180; p++) { const v = d[p * 4] + d[p * 4 + 1] + d[p * 4 + 2]; if (v > best) { best = v; at = [p % 360, Math.floor(p / 360)]; } }
            return at;").await;
        // The middle of the result looks at heading 300, where the sun stands 24 degrees high; it glows over some.
        let (x, y) = (lit[0].as_f64().unwrap(), lit[1].as_f64().unwrap());
        assert!((x - 180.0).abs() < 12.0 && (y - (90.0 - f64::from(merlow::SUN_ELEVATION_DEG))).abs() < 12.0, "{lit}");

        // Six files whose names say nothing: found by their edges, asked, changed and changed back, assembled.
        let input = b.find("[data-testid=picture-files]").await;
        input.send_keys(&files.join("\n")).await.unwrap();
        b.until("the table", "return document.querySelectorAll('[data-testid=assembly] img').length === 12;").await;
        b.until("the answer", "const t = document.body.innerText; return t.includes('their edges do') && t.includes('% sure');").await;
        for _ in 0..2 {
            b.find("[data-face=left]").await.click().await.unwrap();
            b.find("[data-face=right]").await.click().await.unwrap();
        }
        for _ in 0..4 {
            b.press_labelled("Turn up clockwise by a quarter").await;
        }
        b.check_accessibility("assembly").await;
        b.screenshot("assembly").await;
        b.find("[data-testid=assemble]").await.click().await.unwrap();
        b.until("the sphere", &of("view sphere.png")).await;
        let all = server.json("GET", "/api/pictures", None).1;
        let made = all["pictures"].as_array().unwrap().iter().find(|p| p["file"] == "view sphere.png").unwrap().clone();
        let got = decoded(&download(&server, &made));
        let wanted = merlow::evening_sphere(got.width());
        // Faces from 512 px enlarged are softer than the picture painted at this size.
        let wrong = off(&got, &wanted);
        assert!(wrong < 4.0, "{wrong}");

        // A torn picture: its seam is named and marked where it is.
        let input = b.find("[data-testid=picture-files]").await;
        input.send_keys(text(&torn)).await.unwrap();
        b.until("the torn one", &of("torn.png")).await;
        b.press_tab("Seams").await;
        b.until("the seam", "const s = document.querySelector('[data-testid=seams]'); return !!s && s.innerText.includes('left-right edge');").await;
        let marks = b.script("return [...document.querySelectorAll('[data-testid=seam-marks] g')].map(g => g.getAttribute('transform'));").await;
        assert!(marks.as_array().unwrap().len() >= 2, "{marks}");
        b.check_accessibility("seams").await;
        b.screenshot("seams").await;
        b.press("Show it").await;
        b.until("the Lookout at the seam", "return Math.abs(Number(document.querySelector('[data-testid=lookout]').dataset.lon)) > 175;").await;
        b.press_tab("Diagnosis").await;
        b.until("the diagnosis", "const d = document.querySelector('[data-testid=diagnosis]'); return !!d && d.innerText.includes('% sure');").await;
        b.check_accessibility("diagnosis").await;

        // The balls under the demo's evening.
        b.find("[data-picture='Merlow evening.png']").await.click().await.unwrap();
        b.press_tab("Light test on balls").await;
        b.until("the balls", "const i = document.querySelector('[data-testid=balls-lit]'); return !!i && i.dataset.lit === 'true';").await;
        b.check_accessibility("balls").await;
        b.screenshot("balls").await;
        b.close().await;
    });
    wait_for("nothing being made", || {
        server.jobs().is_empty().then_some(())
    });
    // All that was made opens.
    for picture in server.json("GET", "/api/pictures", None).1["pictures"]
        .as_array()
        .unwrap()
    {
        let file = folder.path().join("check.png");
        std::fs::write(&file, download(&server, picture)).unwrap();
        let rows = PictureRows::open(&file).unwrap();
        assert_eq!(json!(rows.width), picture["width"]);
    }
}
