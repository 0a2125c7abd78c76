//! Faults of files, libraries, callers and networks: each ends with one sentence, nothing lost and the server alive.

use crate::support;

use dome_files::picture_file::{self, PictureSpec, plain};
use dome_files::{PictureFormat, budget};
use dome_imaging::Strip;
use dome_optics::Shape;
use serde_json::{Value, json};
use std::io::{Read, Write};
use std::net::TcpStream;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Duration;
use support::{Server, exiftool, owl_dome, run_fails, run_ok, scene_in, text, wait_for, with_room};

/// A denoising library that answers like the real one and fails at its first picture.
fn failing_denoiser(folder: &Path) -> PathBuf {
    let source = folder.join("fails.c");
    std::fs::write(
        &source,
        "static int failed;
void *oidnNewDevice(int kind) { return &failed; }
void oidnCommitDevice(void *d) {}
void oidnReleaseDevice(void *d) {}
int oidnGetDeviceError(void *d, const char **message) { *message = \"out of memory\"; int f = failed; failed = 0; return f; }
void *oidnNewFilter(void *d, const char *kind) { return &failed; }
void oidnSetSharedFilterImage(void *f, const char *n, void *p, int k, unsigned long w, unsigned long h, unsigned long o, unsigned long x, unsigned long y) {}
void oidnSetFilterBool(void *f, const char *n, _Bool v) {}
void oidnSetFilterFloat(void *f, const char *n, float v) {}
void oidnSetFilterProgressMonitorFunction(void *f, void *asked, void *p) {}
void oidnCommitFilter(void *f) {}
void oidnExecuteFilter(void *f) { failed = 4; }
void oidnReleaseFilter(void *f) {}
",
    )
    .unwrap();
    let library = folder.join("libfails.so");
    let built = Command::new("cc")
        .args(["-shared", "-fPIC", "-o", text(&library), text(&source)])
        .status()
        .unwrap();
    assert!(built.success());
    library
}

/// A library that fails costs nothing: the built-in filter takes the noise out of the whole picture, and it is said.
#[test]
fn a_failing_denoiser_hands_over_to_the_built_in_filter() {
    let folder = tempfile::tempdir().unwrap();
    let scene = scene_in(folder.path());
    let failing = failing_denoiser(folder.path());
    let render = |name: &str, denoiser: &str| {
        let out = folder.path().join(name);
        let done = owl_dome()
            .env("OWL_DOME_DENOISER", denoiser)
            .args([
                "render",
                text(&scene),
                "-o",
                text(&out),
                "--width",
                "64",
                "--samples",
                "4",
                "--denoise",
            ])
            .output()
            .unwrap();
        let said = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(done.status.success(), "{said}");
        (std::fs::read(out).unwrap(), said)
    };
    let (built_in, said) = render("built-in.exr", "none");
    assert!(!said.contains("failed"), "{said}");
    let (failed_over, said) = render("failed-over.exr", text(&failing));
    assert!(
        said.contains("Note: The denoising library failed"),
        "{said}"
    );
    assert_eq!(failed_over, built_in);
    // Nothing unfinished is left beside the pictures.
    let left: Vec<_> = std::fs::read_dir(folder.path())
        .unwrap()
        .flatten()
        .filter(|e| e.file_name().to_string_lossy().starts_with(".unfinished"))
        .collect();
    assert!(left.is_empty(), "{left:?}");
}

/// A sphere that is not level tells its pitch and roll, read back by exiftool; a part across the seam is told, and what
/// could not be told is refused before the render.
#[test]
fn pitch_roll_and_parts_across_the_seam_are_told() {
    let folder = tempfile::tempdir().unwrap();
    let scene = scene_in(folder.path());
    let render = |name: &str, more: &[&str]| {
        let out = folder.path().join(name);
        let mut args = vec!["render", text(&scene), "-o", text(&out), "--samples", "1"];
        args.extend(more);
        run_ok(&args);
        out
    };
    let tilted = render(
        "tilted.jpg",
        &[
            "--width",
            "64",
            "--heading",
            "30",
            "--pitch",
            "-12.5",
            "--roll",
            "4",
        ],
    );
    let tags = exiftool(&tilted);
    assert_eq!(tags["PoseHeadingDegrees"], 30);
    assert_eq!(tags["PosePitchDegrees"], -12.5);
    assert_eq!(tags["PoseRollDegrees"], 4);
    let told: Value = serde_json::from_str(&run_ok(&["inspect", text(&tilted), "--json"])).unwrap();
    assert_eq!(
        (&told["pose_pitch_deg"], &told["pose_roll_deg"]),
        (&json!(-12.5), &json!(4.0))
    );
    let level = exiftool(&render("level.png", &["--width", "64", "--heading", "30"]));
    assert_eq!(level["PosePitchDegrees"], Value::Null);
    // 250 + 170 degrees is 60 once round; it failed after the whole render.
    let part = render(
        "part.jpg",
        &[
            "--shape",
            "equirect:90x90@170,0",
            "--width",
            "64",
            "--heading",
            "250",
        ],
    );
    let tags = exiftool(&part);
    assert_eq!(tags["PoseHeadingDegrees"], 60);
    assert_eq!(tags["FullPanoWidthPixels"], 256);
    assert_eq!(tags["CroppedAreaLeftPixels"], 96);
}

/// An 8-bit sphere of one colour with a few odd rows, deflated to next to nothing.
fn large_png(folder: &Path, width: u32) -> PathBuf {
    let path = folder.join(format!("large-{width}.png"));
    let spec = PictureSpec::panorama(PictureFormat::Png, width, width / 2, 0.0);
    let rows = 64;
    let strips = (0..width / 2).step_by(rows as usize).map(|top| {
        Ok(Strip {
            top,
            width,
            samples: vec![0.2; (width * rows.min(width / 2 - top) * 3) as usize],
        })
    });
    picture_file::write(&path, &spec, plain(strips)).unwrap();
    path
}

/// What does not fit into the memory that was allowed is refused in a sentence; what can be done in parts is.
#[test]
fn memory_is_bounded_by_one_budget() {
    let folder = tempfile::tempdir().unwrap();
    let path = large_png(folder.path(), 8192);
    let out = folder.path().join("out.png");
    for command in [
        vec!["--memory", "300M", "diagnose", text(&path)],
        vec!["--memory", "200M", "seams", text(&path)],
        vec![
            "--memory",
            "200M",
            "light-maps",
            text(&path),
            "-o",
            text(folder.path()),
        ],
    ] {
        let message = run_fails(&command, 1);
        assert!(
            message.contains("large-8192.png needs") && message.contains("--memory"),
            "{message}"
        );
    }
    run_ok(&["--memory", "1G", "seams", text(&path)]);
    let message = run_fails(&["--memory", "lots", "shapes"], 2);
    assert!(message.contains("6G"), "{message}");
    // Twenty times the same large texture: the budget is common, and those beyond it are white.
    let scene = textured_scene(folder.path(), 20);
    let told: Value = serde_json::from_str(&run_ok(&[
        "--memory",
        "200M",
        "scene",
        text(&scene),
        "--json",
    ]))
    .unwrap();
    let notices = told["notices"].to_string();
    assert!(
        notices.contains("White is used instead") && notices.contains("--memory"),
        "{notices}"
    );
    let told: Value = serde_json::from_str(&run_ok(&["scene", text(&scene), "--json"])).unwrap();
    assert!(!told["notices"].to_string().contains("White"), "{told}");
    assert!(budget::limit() > 1 << 30 && !out.exists());
}

/// The room with many pictures on it.
fn textured_scene(folder: &Path, count: usize) -> PathBuf {
    let (mut document, binary) = support::scene::room();
    let png = folder.join("texture.png");
    let spec = PictureSpec {
        shape: Shape::Perspective {
            hfov_deg: 90.0,
            vfov_deg: None,
            shift: [0.0; 2],
        },
        ..PictureSpec::panorama(PictureFormat::Png, 2048, 2048, 0.0)
    };
    let strip = Strip {
        top: 0,
        width: 2048,
        samples: vec![0.5; 2048 * 2048 * 3],
    };
    picture_file::write(&png, &spec, plain([Ok(strip)])).unwrap();
    document["images"] = json!(vec![json!({"uri": "texture.png"}); count]);
    document["textures"] = (0..count).map(|i| json!({"source": i})).collect();
    let path = folder.join("textured.glb");
    std::fs::write(&path, support::scene::pack(&document, &binary)).unwrap();
    path
}

/// The choice of the axis over HTTP: guessed at upload, turned by a word, undone, with a picture of both.
#[test]
fn which_way_is_up_is_guessed_shown_and_turned() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), false);
    // A room of 6 x 5 m and 2.5 m high, Z up, with a table in it.
    let mut obj = String::new();
    let mut count = 0;
    for (low, high) in [
        ([0.0, 0.0, 0.0], [6.0, 5.0, 2.5]),
        ([2.0, 2.0, 0.7], [3.2, 2.8, 0.75]),
    ] {
        for i in 0..8 {
            let at = |a: usize| if i >> a & 1 == 1 { high[a] } else { low[a] };
            obj += &format!("v {} {} {}\n", at(0), at(1), at(2));
        }
        for f in [
            [1, 3, 4, 2],
            [5, 6, 8, 7],
            [1, 2, 6, 5],
            [3, 7, 8, 4],
            [1, 5, 7, 3],
            [2, 4, 8, 6],
        ] {
            obj += &format!("f {}\n", f.map(|v| (v + count).to_string()).join(" "));
        }
        count += 8;
    }
    let (status, project) = server.upload("room.obj", obj.as_bytes());
    assert_eq!(status, 200, "{project}");
    let id = project["id"].as_i64().unwrap();
    assert_eq!(
        (
            &project["scene"]["guess"]["used"],
            &project["settings"]["up"]
        ),
        (&json!("z"), &Value::Null)
    );
    let height =
        |p: &Value| p["scene"]["max"][1].as_f64().unwrap() - p["scene"]["min"][1].as_f64().unwrap();
    assert!((height(&project) - 2.5).abs() < 1e-4, "{project}");
    let pictures =
        ["y", "z"].map(|axis| server.get(&format!("/api/projects/{id}/up.png?axis={axis}")));
    assert_ne!(pictures[0], pictures[1]);
    for picture in &pictures {
        assert!(
            image::load_from_memory(picture)
                .unwrap()
                .to_luma8()
                .pixels()
                .any(|p| p.0[0] < 200)
        );
    }
    assert_eq!(
        server
            .json("GET", &format!("/api/projects/{id}/up.png?axis=x"), None)
            .0,
        422
    );
    let path = format!("/api/projects/{id}");
    let mut settings = project["settings"].clone();
    settings["up"] = json!("y");
    let (status, lying) = server.json("PATCH", &path, Some(json!({"settings": settings})));
    assert_eq!(status, 200, "{lying}");
    assert!((height(&lying) - 5.0).abs() < 1e-4);
    let eye = lying["viewpoints"][0]["pose"]["position"][1]
        .as_f64()
        .unwrap();
    let low = lying["scene"]["min"][1].as_f64().unwrap();
    assert!(
        (0.5..4.9).contains(&(eye - low)),
        "the viewpoint stands in it: {eye} over {low}"
    );
    assert_eq!(lying["undo"], "Change which way is up");
    let (status, back) = server.json("POST", &format!("{path}/undo"), None);
    assert_eq!(status, 200);
    assert!((height(&back) - 2.5).abs() < 1e-4);
    // The same by command.
    let file = folder.path().join("room.obj");
    std::fs::write(&file, &obj).unwrap();
    let told = |more: &[&str]| -> Value {
        let mut args = vec!["scene", text(&file), "--json"];
        args.extend(more);
        serde_json::from_str(&run_ok(&args)).unwrap()
    };
    let guessed = told(&[]);
    assert_eq!(
        (&guessed["up"]["axis"], &guessed["up"]["told"]),
        (&json!("z"), &json!(false))
    );
    assert!(
        guessed["up"]["guess"]["why"]
            .as_str()
            .unwrap()
            .contains('%')
    );
    assert_eq!(told(&["--up", "y"])["size_m"][1], 5.0);
    assert_eq!(told(&["--unit", "ft"])["unit"]["read_as"], "foot");
    assert!(run_fails(&["scene", text(&file), "--up", "x"], 2).contains("y or z"));
}

/// An archive of several scenes: the server names them, and takes the one that is named.
#[test]
fn an_archive_of_several_scenes_asks_which_over_http() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), false);
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for name in ["one.glb", "two.glb"] {
        zip.start_file(name, zip::write::SimpleFileOptions::default())
            .unwrap();
        zip.write_all(&support::scene::room_glb()).unwrap();
    }
    let bytes = zip.finish().unwrap().into_inner();
    let (status, answer) = server.bring("/api/projects?file=both.zip&name=Both", &bytes);
    assert_eq!(
        (status, &answer["choices"]),
        (409, &json!(["one.glb", "two.glb"])),
        "{answer}"
    );
    assert_eq!(server.json("GET", "/api/projects", None).1, json!([]));
    let (status, answer) = server.bring(
        "/api/projects?file=both.zip&name=Both&inside=two.glb",
        &bytes,
    );
    assert_eq!(status, 200, "{answer}");
}

/// Pages from elsewhere reach nothing, by whatever tag; links may lead to the page.
#[test]
fn pages_from_elsewhere_reach_nothing() {
    let (_folder, server, id) = with_room();
    let get = |path: &str, headers: &[(&str, &str)]| server.send("GET", path, b"", headers).0;
    let plan = format!("/api/projects/{id}");
    let embedded = [
        ("Sec-Fetch-Site", "cross-site"),
        ("Sec-Fetch-Mode", "no-cors"),
        ("Sec-Fetch-Dest", "image"),
    ];
    assert_eq!(get(&plan, &embedded), 403);
    assert_eq!(get(&plan, &[("Sec-Fetch-Site", "same-site")]), 403);
    assert_eq!(get("/", &embedded), 403);
    let link = [
        ("Sec-Fetch-Site", "cross-site"),
        ("Sec-Fetch-Mode", "navigate"),
        ("Sec-Fetch-Dest", "document"),
    ];
    assert_eq!(get("/", &link), 200);
    assert_eq!(get(&plan, &link), 403);
    for own in ["same-origin", "none"] {
        assert_eq!(get(&plan, &[("Sec-Fetch-Site", own)]), 200);
    }
    // What they could embed says that it may not be.
    let head = raw(
        &server,
        &format!("GET {plan} HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: close\r\n\r\n"),
    );
    for header in [
        "cross-origin-resource-policy: same-origin",
        "cross-origin-opener-policy: same-origin",
        "x-frame-options: DENY",
    ] {
        assert!(
            head.to_lowercase().contains(&header.to_lowercase()),
            "{header} in {head}"
        );
    }
}

fn connect(server: &Server) -> TcpStream {
    let address = server.address.trim_start_matches("http://");
    let stream = TcpStream::connect(address).unwrap();
    stream
        .set_read_timeout(Some(Duration::from_secs(120)))
        .unwrap();
    stream
}

/// Sends bytes and reads all that comes back.
fn raw(server: &Server, request: &str) -> String {
    let mut stream = connect(server);
    stream.write_all(request.as_bytes()).unwrap();
    let mut answer = Vec::new();
    let _ = stream.read_to_end(&mut answer);
    String::from_utf8_lossy(&answer).into_owned()
}

/// Half-sent requests are dropped, and a few hundred of them keep nobody out.
#[test]
fn half_sent_requests_are_dropped() {
    let (_folder, server, _) = with_room();
    let mut half: Vec<TcpStream> = (0..200)
        .map(|_| {
            let mut stream = connect(&server);
            stream
                .write_all(b"GET /api/projects HTTP/1.1\r\nHost: 127.")
                .unwrap();
            stream
        })
        .collect();
    assert_eq!(server.json("GET", "/api/projects", None).0, 200);
    // A body that never comes is not waited for either, neither its first bytes nor its rest.
    let none = "POST /api/assemblies HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 50\r\n\r\n{";
    let some = "POST /api/assemblies HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 50\r\nConnection: close\r\n\r\n{\"faces\": [1, 2, 3, 4";
    std::thread::scope(|all| {
        all.spawn(|| assert!(raw(&server, none).contains("408")));
        all.spawn(|| {
            let answer = raw(&server, some);
            assert!(
                answer.contains("408") && answer.contains("did not arrive whole"),
                "{answer}"
            );
        });
    });
    for i in [0, 199] {
        let mut answer = String::new();
        half[i].read_to_string(&mut answer).unwrap();
        assert!(answer.contains("408"), "{i}: {answer}");
    }
}

/// A refusal names the field.
#[test]
fn a_refused_body_names_its_field() {
    let (_folder, server, id) = with_room();
    let send = |path: &str, body: Value| {
        let (status, answer) = server.json("POST", path, Some(body));
        (
            status,
            answer["error"].as_str().unwrap_or_default().to_owned(),
        )
    };
    let orders = format!("/api/projects/{id}/orders");
    let (status, said) = send(
        &orders,
        json!({"viewpoint": 1, "width": "wide", "samples": 4}),
    );
    assert!(status == 422 && said.contains("\"width\""), "{said}");
    let (status, said) = send(&orders, json!({"viewpoint": 1, "width": 64}));
    assert!(status == 422 && said.contains("samples"), "{said}");
    let (status, said) = send(
        &orders,
        json!({"viewpoint": 1, "width": 64, "samples": 4, "lens": {"fstop": "x", "focus_m": 1}}),
    );
    assert!(status == 422 && said.contains("\"lens.fstop\""), "{said}");
    let (status, answer) = server.send("POST", &orders, b"{\"viewpoint\": ", &[]);
    assert!(status == 422 && String::from_utf8_lossy(&answer).contains("Correct it"));
}

/// Downloads have a validator; a part is taken up only while the file is the same.
#[test]
fn downloads_resume_only_into_the_same_file() {
    let (_folder, server, id) = with_room();
    let order = json!({"viewpoint": 1, "width": 64, "samples": 1});
    let (_, order) = server.json("POST", &format!("/api/projects/{id}/orders"), Some(order));
    let order = order["id"].as_i64().unwrap();
    server.wait_for_order(order, "done");
    let path = format!("/api/orders/{order}/master.exr");
    let whole = server.get(&path);
    let head = raw(
        &server,
        &format!("GET {path} HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: close\r\n\r\n"),
    );
    let tag = head
        .lines()
        .find_map(|l| {
            l.to_lowercase()
                .starts_with("etag: ")
                .then(|| l[6..].trim().to_owned())
        })
        .unwrap();
    let part = |if_range: &str| {
        server.send(
            "GET",
            &path,
            b"",
            &[("Range", "bytes=10-19"), ("If-Range", if_range)],
        )
    };
    assert_eq!(part(&tag), (206, whole[10..20].to_vec()));
    assert_eq!(part("\"another\""), (200, whole.clone()));
    assert_eq!(
        server.send("GET", &path, b"", &[("If-None-Match", &tag)]).0,
        304
    );
    assert_eq!(
        server
            .send("GET", &path, b"", &[("If-None-Match", "\"another\"")])
            .0,
        200
    );
}

/// The longest name in letters of three bytes goes through to the hand-over: a file's name has 255 bytes.
#[test]
fn long_names_of_other_scripts_are_handed_over() {
    let (_folder, server, id) = with_room();
    let name = "\u{5929}\u{6587}\u{53f0}\u{591c}".repeat(20);
    let (status, answer) = server.json(
        "PATCH",
        &format!("/api/projects/{id}"),
        Some(json!({"name": name})),
    );
    assert_eq!(status, 200, "{answer}");
    let viewpoint = &answer["viewpoints"][0];
    let mut draft = viewpoint.clone();
    draft["name"] = json!(name);
    let (status, answer) = server.json(
        "PUT",
        &format!("/api/projects/{id}/viewpoints/{}", viewpoint["id"]),
        Some(draft),
    );
    assert_eq!(status, 200, "{answer}");
    let order = json!({"viewpoint": viewpoint["id"], "width": 64, "samples": 1});
    let (_, order) = server.json("POST", &format!("/api/projects/{id}/orders"), Some(order));
    let order = order["id"].as_i64().unwrap();
    server.wait_for_order(order, "done");
    let request = json!({"opening_heading_deg": 0, "opening_pitch_deg": 0, "opening_hfov_deg": 75,
        "exposure_stops": 0, "soft": true, "quality": 90});
    let (status, package) = server.make(&format!("/api/orders/{order}/packages"), Some(request));
    assert_eq!(status, 200, "{package}");
    let number = package["id"].as_i64().unwrap();
    let folder = server.data.join("packages").join(number.to_string());
    let file = wait_for("the package", || {
        std::fs::read_dir(&folder).ok()?.flatten().next()
    });
    assert!(file.file_name().len() <= 200 && file.file_name().to_string_lossy().ends_with(".jpg"));
}

/// Ending the server does not wait for a conversion: it ends soon and well.
#[test]
fn ending_the_server_does_not_wait_for_a_conversion() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), false);
    let png = std::fs::read(large_png(folder.path(), 4096)).unwrap();
    let (status, picture) = server.bring("/api/pictures?file=large.png", &png);
    assert_eq!(status, 200, "{picture}");
    let id = picture["id"].as_i64().unwrap();
    let request = json!({"shape": "cube-cross", "width": 16384, "turn": [10, 20, 30], "kernel": "lanczos", "format": "png"});
    let (status, job) = server.json(
        "POST",
        &format!("/api/pictures/{id}/convert"),
        Some(request),
    );
    assert_eq!(status, 202, "{job}");
    wait_for("the conversion to be under way", || {
        let job = server.jobs().first()?.clone();
        (job["progress"].as_f64()? > 0.0).then_some(())
    });
    let ended = server.end();
    assert!(ended.success(), "{ended}");
    // It waits for the next start.
    let server = Server::start(&folder.path().join("data"), false);
    let again = &server.jobs()[0];
    assert_eq!(again["id"], job["id"]);
    assert!(
        again["state"] == "running" || again["state"] == "waiting",
        "{again}"
    );
}
