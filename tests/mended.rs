//! More of what users once ran into: names that are too long, addresses in other forms, files that are none, alpha that was lost.

use crate::support;

use serde_json::json;
use std::io::{Read, Write};
use std::net::TcpStream;
use std::path::{Path, PathBuf};
use std::process::Command;
use support::{run_fails, run_ok, samples, text, wait_for, with_room};

/// An address in another form than its own is nowhere, whoever asks for it: no guard is passed by writing it otherwise.
#[test]
fn addresses_in_other_forms_are_nowhere() {
    let (_folder, server, _) = with_room();
    let host = server.address.trim_start_matches("http://").to_owned();
    let status = |path: &str| -> u16 {
        let mut line = TcpStream::connect(&host).unwrap();
        let head = format!(
            "GET {path} HTTP/1.1\r\nHost: {host}\r\nSec-Fetch-Site: cross-site\r\nSec-Fetch-Mode: navigate\r\nSec-Fetch-Dest: document\r\nConnection: close\r\n\r\n"
        );
        line.write_all(head.as_bytes()).unwrap();
        let mut answer = String::new();
        let _ = line.take(64).read_to_string(&mut answer);
        answer.split(' ').nth(1).unwrap_or("0").parse().unwrap()
    };
    assert_eq!(status("/api/projects"), 403);
    assert_eq!(status("/"), 200, "a link may lead here");
    for other in [
        "//api/projects",
        "/%61pi/projects",
        "/api//projects",
        "/x/../api/projects",
        "/%2fapi/projects",
    ] {
        assert_eq!(status(other), 404, "{other}");
    }
}

/// Names of 60 letters of three bytes each: shortened by bytes, told, and written.
#[test]
fn long_names_are_shortened_by_bytes() {
    let (_folder, server, id) = with_room();
    let path = format!("/api/projects/{id}");
    let long = "天文台の眺め".repeat(10);
    let viewpoint = server.json("GET", &path, None).1["viewpoints"][0].clone();
    let mut changed = viewpoint.clone();
    changed["name"] = long.clone().into();
    let (status, answer) = server.json(
        "PUT",
        &format!("{path}/viewpoints/{}", viewpoint["id"]),
        Some(changed),
    );
    assert_eq!(status, 200, "{answer}");
    let (status, answer) = server.json("PATCH", &path, Some(json!({"name": long})));
    assert!(status < 300, "{status} {answer}");
    let order = server.order(
        id,
        json!({"width": 32, "samples": 1, "out": "{project} {viewpoint} {project}"}),
    );
    let told = server.wait_for_order(order, "done");
    let out = server.data.join("out");
    let names: Vec<String> = std::fs::read_dir(&out)
        .unwrap()
        .flatten()
        .map(|e| e.file_name().to_string_lossy().into_owned())
        .collect();
    assert_eq!(names.len(), 1, "{told}");
    assert!(
        names[0].len() <= 240 && names[0].ends_with(".exr"),
        "{names:?}"
    );
    assert!(names[0].starts_with('天'), "{names:?}");
}

/// A JPEG and a PNG with something on them.
fn pictures(folder: &Path) -> [PathBuf; 2] {
    ["a.jpg", "a.png"].map(|name| {
        let path = folder.join(name);
        support::made_of_source("testsrc=s=128x64", &["-frames:v", "1"], &path);
        path
    })
}

/// Tagging writes files and nothing else: a device is refused, a link stays one, an ending that says another format is refused, a pipe is
/// told at once, and a picture that is tagged again does not grow.
#[test]
fn tagging_writes_files_and_nothing_else() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let [jpeg, png] = pictures(folder.path());
    let null = at("null");
    let made = Command::new("mknod")
        .args([text(&null), "c", "1", "3"])
        .status()
        .unwrap();
    if made.success() {
        let said = run_fails(&["tag", text(&jpeg), "-o", text(&null)], 1);
        assert!(said.contains("is not a file but"), "{said}");
        assert!(!std::fs::metadata(&null).unwrap().is_file());
    }
    std::fs::copy(&jpeg, at("real.jpg")).unwrap();
    std::os::unix::fs::symlink("real.jpg", at("link.jpg")).unwrap();
    run_ok(&[
        "tag",
        text(&jpeg),
        "-o",
        text(&at("link.jpg")),
        "--heading",
        "90",
    ]);
    assert!(
        std::fs::symlink_metadata(at("link.jpg"))
            .unwrap()
            .is_symlink()
    );
    assert_eq!(support::exiftool(&at("real.jpg"))["PoseHeadingDegrees"], 90);
    let said = run_fails(&["tag", text(&jpeg), "-o", text(&at("x.png"))], 1);
    assert!(
        said.contains("another kind") && !at("x.png").exists(),
        "{said}"
    );
    for (file, ending) in [(&jpeg, "jpg"), (&png, "png")] {
        let mut sizes = Vec::new();
        let mut from = file.clone();
        for i in 0..4 {
            let to = at(&format!("t{i}.{ending}"));
            run_ok(&["tag", text(&from), "-o", text(&to), "--heading", "45"]);
            sizes.push(std::fs::metadata(&to).unwrap().len());
            from = to;
        }
        assert!(
            sizes.windows(2).all(|w| w[0] == w[1]),
            "{ending}: {sizes:?}"
        );
    }
    let pipe = at("pipe.mp4");
    assert!(
        Command::new("mkfifo")
            .arg(&pipe)
            .status()
            .unwrap()
            .success()
    );
    for command in [
        vec!["inspect", text(&pipe)],
        vec!["tag", text(&pipe), "-o", text(&jpeg)],
    ] {
        let mut child = support::owl_dome()
            .args(&command)
            .stderr(std::process::Stdio::piped())
            .stdout(std::process::Stdio::piped())
            .spawn()
            .unwrap();
        let ended = wait_for("an answer about a pipe", || child.try_wait().unwrap());
        assert!(!ended.success(), "{command:?}");
    }
    let film = at("f.mp4");
    support::made_of_source("testsrc=s=128x64:d=0.2", &["-pix_fmt", "yuv420p"], &film);
    let said = run_fails(
        &[
            "tag",
            text(&film),
            "-o",
            text(&at("f.mkv")),
            "--stereo",
            "mono",
        ],
        1,
    );
    assert!(
        said.contains(".mp4 or .mov") && !at("f.mkv").exists(),
        "{said}"
    );
    let said = run_fails(&["render", "x.glb", "-o", "x.png", "--time", "-1"], 1);
    assert!(said.contains("between 0 and 86400 s"), "{said}");
}

/// A frame that is cut short is named.
#[test]
fn a_cut_short_frame_is_named() {
    let folder = tempfile::tempdir().unwrap();
    let frames = folder.path().join("frames");
    std::fs::create_dir(&frames).unwrap();
    let pattern = frames.join("%03d.jpg");
    support::made_of_source("testsrc=s=128x64:d=0.2", &[], &pattern);
    let third = frames.join("003.jpg");
    let bytes = std::fs::read(&third).unwrap();
    std::fs::write(&third, &bytes[..bytes.len() / 2]).unwrap();
    let film = folder.path().join("f.mp4");
    let said = run_fails(&["film", text(&frames), "-o", text(&film)], 1);
    assert!(
        said.contains("003.jpg") && said.contains("cut short"),
        "{said}"
    );
}

/// An order without a backdrop has alpha by itself, a PNG that is made of it keeps it, and of a JPEG it is said that it cannot.
#[test]
fn alpha_is_ordered_by_itself_and_kept() {
    let (_folder, server, id) = with_room();
    let path = format!("/api/projects/{id}");
    let mut settings = server.json("GET", &path, None).1["settings"].clone();
    settings["surroundings"]["transparent"] = true.into();
    let (status, answer) = server.json("PATCH", &path, Some(json!({"settings": settings})));
    assert!(status < 300, "{status} {answer}");
    // The viewpoint outside of the room: nothing behind it but the sky.
    let viewpoint = server.json("GET", &path, None).1["viewpoints"][0].clone();
    let mut outside_it = viewpoint.clone();
    outside_it["pose"]["position"] = json!([0.0, 1.6, 9.0]);
    let (status, answer) = server.json(
        "PUT",
        &format!("{path}/viewpoints/{}", viewpoint["id"]),
        Some(outside_it),
    );
    assert_eq!(status, 200, "{answer}");
    let order = server.order(id, json!({"width": 64, "samples": 2}));
    server.wait_for_order(order, "done");
    let master = server.files_of(order).join("master.exr");
    let alpha = samples(&master, ["A"; 3]);
    assert!(alpha.contains(&0.0) && alpha.contains(&1.0));
    for (png, kept) in [(true, true), (false, false)] {
        let request = json!({
            "opening_heading_deg": 0.0, "opening_pitch_deg": 0.0, "opening_hfov_deg": 90.0,
            "exposure_stops": 0.0, "soft": false, "quality": 90, "png": png,
        });
        let packages = format!("/api/orders/{order}/packages");
        let (status, job) = server.json("POST", &packages, Some(request));
        assert_eq!(status, 202, "{job}");
        let done = server.wait_for_job(&job["id"]);
        assert_eq!(done["state"], "done", "{done}");
        let package = server.json("GET", &path, None).1["packages"][0].clone();
        let file = server.data.join(format!(
            "packages/{}/{}",
            package["id"],
            package["file"].as_str().unwrap()
        ));
        let told = support::exiftool(&file);
        if kept {
            assert_eq!(told["ColorType"], 6, "RGB with alpha (PNG, 11.2.1): {told}");
        } else {
            assert!(done["problem"].to_string().contains("Take PNG"), "{done}");
        }
    }
}

/// Frames of both eyes, denoised, as PNG: ordered in the page as by command.
#[test]
fn denoised_pairs_are_ordered_as_png() {
    let (_folder, server, id) = with_room();
    let path = format!("/api/projects/{id}");
    let viewpoint = server.json("GET", &path, None).1["viewpoints"][0].clone();
    let mut pair = viewpoint.clone();
    pair["rig"]["kind"] = "panoramic".into();
    let (status, answer) = server.json(
        "PUT",
        &format!("{path}/viewpoints/{}", viewpoint["id"]),
        Some(pair),
    );
    assert_eq!(status, 200, "{answer}");
    let order = server.order(
        id,
        json!({"width": 64, "samples": 2, "denoise": true, "frames": {
            "first": 0, "last": 1, "step": 1, "rate": "30", "format": "png", "name": "{eye}/{frame:03}",
        }}),
    );
    server.wait_for_order(order, "done");
    for side in ["left", "right"] {
        assert!(
            server.data.join(format!("out/{side}/001.png")).is_file(),
            "{side}"
        );
    }
}

/// An order that waits is changed in one step and keeps its turn; one that was begun, or ended, is not thrown away for another.
#[test]
fn an_order_that_waits_is_changed_in_one_step() {
    let (_folder, server, id) = with_room();
    let wish = |width: u32, more: serde_json::Value| {
        let mut wish = json!({"width": width, "samples": 1, "held": true});
        wish.as_object_mut()
            .unwrap()
            .extend(more.as_object().cloned().unwrap_or_default());
        wish
    };
    let first = server.order(id, wish(32, json!({})));
    let second = server.order(id, wish(34, json!({})));
    let changed = server.order(id, wish(36, json!({"instead_of": first})));
    let path = format!("/api/projects/{id}");
    let project = server.json("GET", &path, None).1;
    let orders: Vec<(i64, u64)> = (project["orders"].as_array().unwrap().iter())
        .map(|o| {
            (
                o["id"].as_i64().unwrap(),
                o["spec"]["width"].as_u64().unwrap(),
            )
        })
        .collect();
    assert!(
        orders.len() == 2 && orders.contains(&(second, 34)) && orders.contains(&(changed, 36)),
        "{orders:?}"
    );
    // It stands where the other stood: before the second.
    let jobs = server.json("GET", "/api/jobs", None).1;
    let jobs = jobs.as_array().unwrap();
    let place = |order: i64| {
        (jobs.iter())
            .position(|j| j["kind"] == "order" && j["makes"] == order)
            .unwrap_or_else(|| panic!("{order} is not in {jobs:?}"))
    };
    assert!(place(changed) < place(second), "{jobs:?}");

    let done = server.order(id, json!({"width": 32, "samples": 1}));
    server.wait_for_order(done, "done");
    let viewpoint = &project["viewpoints"][0]["id"];
    let mut instead = wish(40, json!({"instead_of": done}));
    instead["viewpoint"] = viewpoint.clone();
    let (status, answer) = server.json("POST", &format!("{path}/orders"), Some(instead));
    assert_eq!(status, 409, "{answer}");
    assert!(
        answer["error"].to_string().contains("has begun"),
        "{answer}"
    );
    assert_eq!(server.told(done)["state"], "done");
    let orders = server.json("GET", &path, None).1["orders"].clone();
    assert_eq!(orders.as_array().unwrap().len(), 3, "nothing was added");
}
