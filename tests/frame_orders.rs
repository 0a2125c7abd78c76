//! Orders of many frames, over HTTP: what they are, that nothing finished is lost, what is missing, and what is refused.

use crate::support;
use crate::survival::{SmallDisk, free_bytes};

use dome_files::frame::{Found, look};
use dome_files::inspect::inspect;
use dome_files::views::colour_channels;
use dome_optics::rig::Side;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::time::Duration;
use support::choices::{Choices, told};
use support::walk::{PROJECT, frames, wish, with_walk};
use support::{Server, wait_for};

/// All files below a folder with their bytes, by their names within it.
fn files(folder: &Path) -> BTreeMap<String, Vec<u8>> {
    let mut found = BTreeMap::new();
    let mut folders = vec![folder.to_owned()];
    while let Some(at) = folders.pop() {
        for entry in std::fs::read_dir(&at).into_iter().flatten().flatten() {
            let path = entry.path();
            if path.is_dir() {
                folders.push(path);
            } else {
                let name = path.strip_prefix(folder).unwrap().to_str().unwrap();
                found.insert(name.to_owned(), std::fs::read(&path).unwrap());
            }
        }
    }
    found
}

fn out(server: &Server) -> PathBuf {
    server.data.join("out")
}

fn go_to(server: &Server, time_s: f64) {
    let project = server.json("GET", PROJECT, None).1;
    let mut settings = project["settings"].clone();
    settings["time_s"] = json!(time_s);
    let change = json!({"settings": settings, "version": project["version"]});
    let (status, answer) = server.json("PATCH", PROJECT, Some(change));
    assert_eq!(status, 200, "{answer}");
}

/// A frame of an order is the still of its moment, to the byte, with the noise of its number; an order knows how many there are.
#[test]
fn a_frame_of_an_order_is_the_still_of_its_moment() {
    let (_folder, server) = with_walk();
    let name = "{project}/{viewpoint} {order}/{frame:03}";
    let estimate = {
        let mut body = wish(frames(8, name, json!({"step": 4})));
        body["viewpoint"] = server.json("GET", PROJECT, None).1["viewpoints"][0]["id"].clone();
        let path = format!("{PROJECT}/orders/estimate");
        server.json("POST", &path, Some(body)).1
    };
    assert_eq!(estimate["frames"]["count"], 3, "{estimate}");
    // Nine frames of four a second, of which each fourth is made.
    assert_eq!(estimate["frames"]["lasts_s"], 2.25, "{estimate}");
    let order = server.order(1, wish(frames(8, name, json!({"step": 4}))));
    let told = server.wait_for_order(order, "done");
    assert_eq!(
        (&told["frames"]["total"], &told["frames"]["done"]),
        (&json!(3), &json!(3)),
        "{told}"
    );
    assert!(
        told["mean_samples"] == 4.0 && told["progress"] == 1.0,
        "{told}"
    );
    let made = files(&out(&server));
    let names: Vec<_> = made.keys().map(String::as_str).collect();
    let folder = format!("Test/Walker {order}");
    assert_eq!(
        names,
        [0, 4, 8].map(|n| format!("{folder}/{n:03}.exr")),
        "{told}"
    );
    for frame in [0u32, 4, 8] {
        go_to(&server, f64::from(frame) / 4.0);
        let still = server.order(1, json!({"width": 64, "samples": 4, "seed": 5 + frame}));
        server.wait_for_order(still, "done");
        let master = std::fs::read(server.files_of(still).join("master.exr")).unwrap();
        let same = made[&format!("{folder}/{frame:03}.exr")] == master;
        assert!(same, "frame {frame}");
        // And the screen has a picture of each, small and large.
        for size in ["small", "picture"] {
            let jpeg = server.get(&format!("/api/orders/{order}/frames/{frame}/{size}.jpg"));
            assert!(jpeg.starts_with(&[0xff, 0xd8]), "{size} of frame {frame}");
        }
    }
}

/// Killed again and again at random, an order of frames loses at most the strip under way, and its bytes are those of one that was
/// left in peace.
#[test]
fn kills_lose_no_frame_of_an_order() {
    let (most, seed) = (
        told("OWL_DOME_KILLS", 50),
        told("OWL_DOME_KILL_SEED", 20_261_129),
    );
    eprintln!("OWL_DOME_KILLS={most} OWL_DOME_KILL_SEED={seed}");
    let mut choices = Choices(seed);
    let (_folder, mut server) = with_walk();
    let ask = |folder: &str| {
        let more = json!({"format": "png16", "first_each": 3});
        wish(frames(11, &format!("{folder}/{{frame}}"), more))
    };
    let calm = server.order(1, ask("calm"));
    server.wait_for_order(calm, "done");
    let wild = server.order(1, ask("wild"));
    let data = server.data.clone();
    let whole = |folder: &Path| {
        let of = |name: &String| !name.starts_with('.') && !name.contains("/.");
        files(folder).into_keys().filter(of).count()
    };
    let mut kills = 0;
    let mut before = 0;
    while server.told(wild)["state"] != "done" && kills < most {
        std::thread::sleep(Duration::from_millis(5 + choices.below(250)));
        server.kill();
        kills += 1;
        let now = whole(&data.join("out/wild"));
        assert!(now >= before, "kill {kills} of seed {seed} lost a frame");
        before = now;
        server = Server::start(&data, false);
    }
    // Begun twenty times without coming forward it is a failure, which a hand may try again.
    let told = wait_for("an end", || {
        let told = server.told(wild);
        match told["state"].as_str()? {
            "done" => Some(told),
            "failed" => {
                let why = told["problem"].as_str()?;
                assert!(why.contains("before it came forward"), "{told}");
                assert_eq!(server.ask_job(wild, "resume"), 202);
                None
            }
            _ => None,
        }
    });
    eprintln!("{kills} kills");
    assert_eq!(told["frames"]["done"], 12, "seed {seed}: {told}");
    let (calm, wild) = (files(&data.join("out/calm")), files(&data.join("out/wild")));
    assert_eq!(
        calm.keys().collect::<Vec<_>>(),
        wild.keys().collect::<Vec<_>>()
    );
    assert!(calm == wild, "other bytes after {kills} kills, seed {seed}");
}

/// What is missing, broken or of another order where a frame belongs is found by reading, told, and rendered again; the rest stays.
#[test]
fn missing_and_broken_frames_are_told_and_rendered() {
    let (_folder, server) = with_walk();
    let order = server.order(1, wish(frames(4, "{project}/{frame}", json!({}))));
    server.wait_for_order(order, "done");
    let at = |n: u32| out(&server).join(format!("Test/{n}.exr"));
    let good = files(&out(&server));
    let untouched = std::fs::metadata(at(0)).unwrap().modified().unwrap();
    // Another name of the project leads nobody astray.
    let renamed = json!({"name": "Renamed"});
    assert_eq!(server.json("PATCH", PROJECT, Some(renamed)).0, 200);
    std::fs::remove_file(at(1)).unwrap();
    std::fs::remove_file(at(2)).unwrap();
    let told = server.told(order);
    assert_eq!(
        (&told["state"], &told["problem"]),
        (
            &json!("failed"),
            &json!("Frames 1-2 are missing; Resume renders them.")
        ),
        "{told}"
    );
    // Cut off, and the picture of another frame: both are found only by reading.
    let bytes = std::fs::read(at(3)).unwrap();
    std::fs::write(at(3), &bytes[..bytes.len() / 2]).unwrap();
    std::fs::copy(at(0), at(4)).unwrap();
    assert_eq!(server.ask_job(order, "resume"), 202);
    server.wait_for_order(order, "done");
    assert!(files(&out(&server)) == good);
    assert_eq!(
        std::fs::metadata(at(0)).unwrap().modified().unwrap(),
        untouched
    );
}

/// A test frame is made and looked at before the rest, the coarse ones come first, and an order may begin on hold.
#[test]
fn a_test_frame_holds_the_rest() {
    let (_folder, server) = with_walk();
    let more = json!({"test_first": true, "first_each": 4, "format": "jpeg"});
    let mut body = wish(frames(9, "test/{frame:02}", more));
    body["held"] = json!(true);
    let order = server.order(1, body);
    assert_eq!(server.told(order)["state"], "held");
    assert!(files(&out(&server)).is_empty());
    let release = || {
        let job = server.told(order)["job"].clone();
        let path = format!("/api/jobs/{job}");
        let (status, answer) = server.json("PATCH", &path, Some(json!({"held": false})));
        assert_eq!(status, 200, "{answer}");
    };
    release();
    let told = wait_for("the test frame", || {
        let told = server.told(order);
        (told["state"] == "held").then_some(told)
    });
    assert_eq!(
        told["problem"], "Frame 0 is there to be looked at; Release goes on with the other 9.",
        "{told}"
    );
    assert_eq!(files(&out(&server)).len(), 1);
    release();
    // While it goes on the frames that are there are told: first each fourth, then the others.
    let told = server.wait_for_order(order, "done");
    assert_eq!(told["frames"]["shown"], json!((0..=9).collect::<Vec<_>>()));
    let when = |n: u32| {
        let file = out(&server).join(format!("test/{n:02}.jpg"));
        std::fs::metadata(file).unwrap().modified().unwrap()
    };
    for coarse in [0, 4, 8] {
        for fine in [1, 2, 3, 5, 6, 7, 9] {
            assert!(when(coarse) <= when(fine), "{coarse} after {fine}");
        }
    }
}

/// Two eyes, faces and passes lie as names and formats say, and an open shutter draws out what moves.
#[test]
fn eyes_faces_and_passes_lie_as_their_names_say() {
    let (_folder, server) = with_walk();
    let make = |body: Value| {
        let order = server.order(1, body);
        let told = server.wait_for_order(order, "done");
        assert_eq!(told["problem"], Value::Null, "{told}");
        let jpeg = server.get(&format!("/api/orders/{order}/frames/1/picture.jpg"));
        assert!(jpeg.starts_with(&[0xff, 0xd8]));
    };
    let mut six = wish(frames(1, "six/{frame}/{face}", json!({"format": "png"})));
    six["shape"] = json!("cube-faces");
    make(six);
    let made = files(&out(&server).join("six"));
    assert_eq!(made.len(), 12, "{:?}", made.keys());
    let mut passes = wish(frames(1, "{pass}/{setup}-{width}-{frame}", json!({})));
    passes["passes"] = json!(["depth", "normal"]);
    make(passes);
    for pass in ["beauty", "depth", "normal"] {
        assert_eq!(files(&out(&server).join(pass)).len(), 2, "{pass}");
    }
    let open = json!({"shutter_deg": 180, "moments": 3});
    make(wish(frames(1, "open/{frame}", open)));
    let told = inspect(&out(&server).join("open/1.exr")).unwrap();
    let told = told.description.unwrap().to_string();
    // Half of a quarter of a second.
    assert!(told.contains("open for 0.125 s, 3 moments"), "{told}");

    let viewpoint = server.json("GET", PROJECT, None).1["viewpoints"][0].clone();
    let mut draft = viewpoint.clone();
    draft["rig"]["kind"] = json!("panoramic");
    let path = format!("{PROJECT}/viewpoints/{}", viewpoint["id"]);
    assert_eq!(server.json("PUT", &path, Some(draft)).0, 200);
    make(wish(frames(
        1,
        "eyes/{eye}/{frame}",
        json!({"format": "png16"}),
    )));
    assert_eq!(
        files(&out(&server).join("eyes"))
            .into_keys()
            .collect::<Vec<_>>(),
        ["left/0.png", "left/1.png", "right/0.png", "right/1.png"]
    );
    for (packing, size) in [("top-bottom", (64, 64)), ("side-by-side", (128, 32))] {
        let more = json!({"format": "jpeg", "packing": packing});
        make(wish(frames(1, &format!("{packing}/{{frame}}"), more)));
        let found = inspect(&out(&server).join(format!("{packing}/1.jpg"))).unwrap();
        assert_eq!((found.width, found.height), size);
    }
    // Both eyes as views of one OpenEXR: the order's own master of that moment.
    make(wish(frames(1, "views/{frame}", json!({}))));
    let file = out(&server).join("views/0.exr");
    let told = inspect(&file).unwrap().description.unwrap();
    assert_eq!(look(&[file], &told), Found::Whole);
}

/// What makes no sense, leads elsewhere, or would be written over what is there is one sentence, and nothing is queued.
#[test]
fn nonsense_frames_are_refused() {
    let (_folder, server) = with_walk();
    std::fs::create_dir_all(out(&server).join("taken")).unwrap();
    std::fs::write(out(&server).join("taken/3.exr"), "mine").unwrap();
    let id = server.json("GET", PROJECT, None).1["viewpoints"][0]["id"].clone();
    let cases = [
        (frames(3, "a", json!({})), "the name of every frame"),
        (
            frames(3, "../{frame}", json!({})),
            "leads out of the folder",
        ),
        (
            frames(3, "/tmp/{frame}", json!({})),
            "leads out of the folder",
        ),
        (
            frames(3, "a/.b/{frame}", json!({})),
            "leads out of the folder",
        ),
        (
            frames(3, "{nothing}/{frame}", json!({})),
            "is no word for a name",
        ),
        (frames(3, "{eye}/{frame}", json!({})), "there is one eye"),
        (frames(3, "{face}/{frame}", json!({})), "in one piece"),
        (
            frames(3, "{pass}/{frame}", json!({})),
            "there are no passes",
        ),
        (frames(3, "a/{frame}", json!({"rate": "0"})), "out of range"),
        (
            frames(3, "a/{frame}", json!({"rate": "many"})),
            "no frame rate",
        ),
        (
            frames(3, "a/{frame}", json!({"first": 9})),
            "before they begin",
        ),
        (frames(4_000_000, "a/{frame}", json!({})), "too many"),
        (frames(900_000, "a/{frame}", json!({})), "86,400 s"),
        (
            frames(3, "a/{frame}", json!({"shutter_deg": 400})),
            "0 to 360",
        ),
        (
            frames(3, "a/{frame}", json!({"shutter_deg": 90, "moments": 1})),
            "2 to 256",
        ),
        (
            frames(3, "taken/{frame}", json!({})),
            "1 of these frames have files already",
        ),
    ];
    for (asked, said) in cases {
        let mut body = wish(asked.clone());
        body["viewpoint"] = id.clone();
        let (status, answer) = server.json("POST", &format!("{PROJECT}/orders"), Some(body));
        let sentence = answer["error"].as_str().unwrap_or_default();
        assert!(
            status == 422 && sentence.contains(said) && sentence.ends_with('.'),
            "{said} in {asked}: {status} {answer}"
        );
    }
    assert_eq!(server.jobs().len(), 0);
    assert_eq!(
        std::fs::read(out(&server).join("taken/3.exr")).unwrap(),
        b"mine"
    );
}

/// What somebody puts under a frame's name after it was ordered stays: that frame is refused, all others are made, and once it is moved
/// away the frame is made too. A frame of its own that was spoiled is made anew.
#[test]
fn a_strangers_file_is_never_overwritten() {
    let (_folder, server) = with_walk();
    let mut asked = wish(frames(3, "b/{frame}", json!({})));
    asked["held"] = json!(true);
    let order = server.order(1, asked);
    let file = |n: u32| out(&server).join(format!("b/{n}.exr"));
    std::fs::create_dir_all(out(&server).join("b")).unwrap();
    std::fs::write(file(2), b"mine").unwrap();
    let job = server.told(order)["job"].as_i64().unwrap();
    let job = format!("/api/jobs/{job}");
    server.json("PATCH", &job, Some(json!({"held": false})));
    let told = server.wait_for_order(order, "failed");
    let why = told["problem"].as_str().unwrap();
    assert!(
        why.contains("1 of 4 frames failed") && why.contains("b/2.exr is not of this order"),
        "{why}"
    );
    assert_eq!(std::fs::read(file(2)).unwrap(), b"mine");
    assert_eq!(told["frames"]["done"], 3, "{told}");
    std::fs::remove_file(file(2)).unwrap();
    let good = std::fs::read(file(1)).unwrap();
    std::fs::write(file(1), &good[..good.len() / 2]).unwrap();
    assert_eq!(server.ask_job(order, "resume"), 202);
    server.wait_for_order(order, "done");
    assert!(std::fs::read(file(1)).unwrap() == good);
    assert_eq!(files(&out(&server)).len(), 4);
}

/// Outputs go to a folder that is named at the start, which must be there; removing an order leaves them.
#[test]
fn outputs_go_where_the_start_says() {
    let (folder, server) = with_walk();
    let data = server.data.clone();
    server.kill();
    let elsewhere = folder.path().join("elsewhere");
    let missing = [
        "serve",
        "--data",
        support::text(&data),
        "--out",
        support::text(&elsewhere),
        "--port",
        "0",
    ];
    let said = support::run_fails(&missing, 1);
    assert!(said.contains("is not there; make it"), "{said}");
    std::fs::create_dir(&elsewhere).unwrap();
    let server = Server::start_with(&data, &["--out", support::text(&elsewhere)]);
    let order = server.order(1, wish(frames(1, "a/{frame}", json!({}))));
    server.wait_for_order(order, "done");
    let picture = server.files_of(order);
    assert_eq!(files(&elsewhere).len(), 2);
    assert!(!out(&server).exists() && picture.exists());
    assert_eq!(
        server
            .json("DELETE", &format!("/api/orders/{order}"), None)
            .0,
        204
    );
    wait_for("what is unfinished to go", || {
        (!picture.exists()).then_some(())
    });
    assert_eq!(files(&elsewhere).len(), 2);
}

/// Outputs on another disk than the data's are measured on theirs, and refused with its name where they do not fit.
#[test]
fn outputs_on_another_disk_ask_that_disk() {
    let Some(disk) = SmallDisk::new(8) else {
        eprintln!("Not tested: nothing may be mounted here.");
        return;
    };
    let at = support::text(disk.0.path());
    let (_folder, server) = with_walk();
    let data = server.data.clone();
    let ask = |server: &Server, name: &str, width: u32| {
        let mut body = wish(frames(3, name, json!({})));
        body["width"] = json!(width);
        body["viewpoint"] = server.json("GET", PROJECT, None).1["viewpoints"][0]["id"].clone();
        let estimate = format!("{PROJECT}/orders/estimate");
        let told = server.json("POST", &estimate, Some(body.clone())).1;
        (body, told)
    };
    // With one disk for all, all is asked of that.
    let (_, one) = ask(&server, "a/{frame}", 64);
    let apart = &one["estimate"]["elsewhere"];
    assert!(
        apart.is_null() && one["estimate"]["working_bytes"].is_u64(),
        "{one}"
    );
    server.kill();
    let server = Server::start_with(&data, &["--out", at]);
    let (small, told) = ask(&server, "a/{frame}", 64);
    let estimate = &told["estimate"];
    let other = &estimate["elsewhere"];
    assert_eq!(other["folder"], at, "{told}");
    assert_eq!(other["free_bytes"], free_bytes(disk.0.path()), "{told}");
    let both = other["bytes"].as_u64().unwrap() + estimate["working_bytes"].as_u64().unwrap();
    assert_eq!(both, one["estimate"]["working_bytes"].as_u64().unwrap());
    // The data's disk is another one, with room of its own.
    let here = estimate["free_bytes"].as_u64().unwrap();
    assert!(here > 64 << 20 && here != 8 << 20, "{told}");
    let orders = format!("{PROJECT}/orders");
    let (large, told) = ask(&server, "b/{frame}", 1024);
    let estimate = &told["estimate"];
    assert!(estimate["elsewhere"]["bytes"].as_u64().unwrap() > 8 << 20);
    assert!(estimate["working_bytes"].as_u64().unwrap() < here, "{told}");
    let (status, why) = server.json("POST", &orders, Some(large));
    let why = why["error"].as_str().unwrap_or_default().to_owned();
    assert!(status == 507 && why.contains(at), "{status} {why}");
    assert!(!files(disk.0.path()).keys().any(|n| n.starts_with('b')));
    let order = server.order(1, small);
    server.wait_for_order(order, "done");
    assert_eq!(files(disk.0.path()).len(), 4);
}

/// Parallel cameras record more than the frame: packed frames are cropped to it, each eye on its outer side; the master's own are not.
#[test]
fn frames_of_parallel_cameras_are_cropped() {
    let (_folder, server) = with_walk();
    let mut walker = server.json("GET", PROJECT, None).1["viewpoints"][0].clone();
    walker["rig"] = json!({"kind": "flat", "separation_m": 0.1, "flat": {"method": "parallel", "converge_m": 2.0,
        "budget": {"final_width": 160}}});
    let path = format!("{PROJECT}/viewpoints/{}", walker["id"]);
    let (status, walker) = server.json("PUT", &path, Some(walker));
    assert_eq!(status, 200, "{walker}");
    let order = |name: &str, more: Value| {
        let mut asked = wish(frames(1, &format!("{name}/{{frame}}"), more));
        asked["width"] = json!(160);
        server.wait_for_order(server.order(1, asked), "done")
    };
    let packed = order(
        "packed",
        json!({"format": "png", "packing": "side-by-side"}),
    );
    // K b / C of 160 px at 60 degrees: 6.93, in whole pixels 7.
    assert_eq!(packed["spec"]["width"], 167);
    order("whole", json!({}));
    let (w, h, rgb) = support::pixels(&out(&server).join("packed/1.png"));
    assert_eq!((w, h), (320, 90));
    let whole = out(&server).join("whole/1.exr");
    for (side, outer, at) in [(Side::Left, 7, 0), (Side::Right, 0, 160)] {
        let light = samples_of(&whole, side);
        let mut worst = 0.0_f64;
        for y in 0..90 {
            for x in 0..160 {
                let linear = f64::from(light[(y * 167 + x + outer) * 3 + 1]).clamp(0.0, 1.0);
                // IEC 61966-2-1.
                let curve = match linear <= 0.003_130_8 {
                    true => 12.92 * linear,
                    false => 1.055 * linear.powf(1.0 / 2.4) - 0.055,
                };
                let there = f64::from(rgb[(y * 320 + x + at) * 3 + 1]);
                worst = worst.max((255.0 * curve - there).abs());
            }
        }
        assert!(worst <= 1.0, "{side:?}: {worst}");
    }
    // Keys that change how far apart the eyes are would need another crop in each frame.
    let mut keyed = walker.clone();
    keyed["path"]["keys"][1]["separation_m"] = json!(0.05);
    let (status, keyed) = server.json("PUT", &path, Some(keyed));
    assert_eq!(status, 200, "{keyed}");
    let mut asked = wish(frames(1, "keyed/{frame}", json!({"format": "png"})));
    (asked["width"], asked["viewpoint"]) = (json!(160), walker["id"].clone());
    let (status, refused) = server.json("POST", &format!("{PROJECT}/orders"), Some(asked));
    assert_eq!(status, 422, "{refused}");
    assert!(
        refused["error"].as_str().unwrap().contains("off-axis pair"),
        "{refused}"
    );
}

/// Light of an eye of an OpenEXR.
fn samples_of(file: &Path, side: Side) -> Vec<f32> {
    support::samples(file, colour_channels(side))
}

/// Noise that stands still over frames looks like dirt on the glass, and the same in both eyes like a veil: what each frame and each eye
/// strays from the truth has nothing to do with the others.
#[test]
fn noise_changes_from_frame_to_frame_and_from_eye_to_eye() {
    let (_folder, server) = with_walk();
    let mut walker = server.json("GET", PROJECT, None).1["viewpoints"][0].clone();
    // It stands still before what does not move, and both eyes are in one place.
    walker["path"] = Value::Null;
    walker["rig"] = json!({"kind": "panoramic", "separation_m": 0.001});
    let path = format!("{PROJECT}/viewpoints/{}", walker["id"]);
    assert_eq!(server.json("PUT", &path, Some(walker)).0, 200);
    let mut asked = wish(frames(5, "noise/{frame}", json!({"rate": "240"})));
    asked["samples"] = json!(16);
    server.wait_for_order(server.order(1, asked), "done");
    let pictures: Vec<Vec<f32>> = (0..6)
        .flat_map(|n| {
            let file = out(&server).join(format!("noise/{n}.exr"));
            Side::BOTH.map(|side| samples_of(&file, side))
        })
        .collect();
    let count = pictures.len() as f32;
    let mean: Vec<f32> = (0..pictures[0].len())
        .map(|i| pictures.iter().map(|p| p[i]).sum::<f32>() / count)
        .collect();
    let strays: Vec<Vec<f64>> = pictures
        .iter()
        .map(|p| {
            let stray = |(v, m): (&f32, &f32)| f64::from((v - m) / (m + 0.01));
            p.iter()
                .zip(&mean)
                .map(stray)
                .map(|s| s.clamp(-1.0, 1.0))
                .collect()
        })
        .collect();
    let dot = |a: &[f64], b: &[f64]| a.iter().zip(b).map(|(a, b)| a * b).sum::<f64>();
    // The mean holds a twelfth of each, which alone gives a correlation of -1/11.
    for i in 0..strays.len() {
        assert!(dot(&strays[i], &strays[i]) > 1.0, "there is noise");
        for j in 0..i {
            let together = dot(&strays[i], &strays[j]);
            let alike =
                together / (dot(&strays[i], &strays[i]) * dot(&strays[j], &strays[j])).sqrt();
            assert!(alike.abs() < 0.25, "pictures {i} and {j}: {alike}");
        }
    }
}
