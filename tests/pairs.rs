//! Two eyes on the server: orders that take over what is there, what the Depth stage asks, live pictures, and what is handed over.

use crate::support;

use dome_files::exr_picture::ExrStrips;
use serde_json::{Value, json};
use std::path::Path;
use support::{Server, exiftool, pixels, run_ok, samples, scene_in, text, with_room};

const LEFT: [&str; 3] = ["R", "G", "B"];
const RIGHT: [&str; 3] = ["right.R", "right.G", "right.B"];

fn rig(server: &Server, project: i64, rig: Value) -> Value {
    let told = server
        .json("GET", &format!("/api/projects/{project}"), None)
        .1;
    let mut viewpoint = told["viewpoints"][0].clone();
    viewpoint["rig"] = rig;
    let id = viewpoint["id"].as_i64().unwrap();
    let (status, answer) = server.json(
        "PUT",
        &format!("/api/projects/{project}/viewpoints/{id}"),
        Some(viewpoint),
    );
    assert_eq!(status, 200, "{answer}");
    answer["rig"].clone()
}

/// An order of a pair: both eyes in one master; with the left eye on the viewpoint a finished mono picture is taken over, and
/// after a change of separation so is the left eye; a pair goes on after a kill with the same bytes.
#[test]
fn an_eye_that_is_there_is_not_made_again() {
    let (_folder, server, id) = with_room();
    let kept = rig(
        &server,
        id,
        json!({"kind": "panoramic", "anchor": "left", "separation_m": 0.063}),
    );
    assert_eq!(kept["close_deg"], json!([60.0, 80.0]));
    let wish = |mono: bool| json!({"width": 128, "samples": 64, "noise_percent": 30.0, "mono": mono, "passes": ["depth"]});
    let mono = server.order(id, wish(true));
    server.wait_for_order(mono, "done");
    let pair = server.order(id, wish(false));
    let done = server.wait_for_order(pair, "done");
    assert!(
        done["problem"]
            .as_str()
            .unwrap()
            .contains("left eye was taken over"),
        "{done}"
    );
    let master = |order| server.files_of(order).join("master.exr");
    assert_eq!(samples(&master(mono), LEFT), samples(&master(pair), LEFT));
    assert_eq!(
        samples(&master(mono), ["depth.Z"; 3]),
        samples(&master(pair), ["depth.left.Z"; 3])
    );
    // The whole pair made at once has the same bytes.
    let (_other, fresh, other_id) = with_room();
    rig(
        &fresh,
        other_id,
        json!({"kind": "panoramic", "anchor": "left", "separation_m": 0.063}),
    );
    let at_once = fresh.order(other_id, wish(false));
    fresh.wait_for_order(at_once, "done");
    let bytes = std::fs::read(fresh.files_of(at_once).join("master.exr")).unwrap();
    assert!(
        std::fs::read(master(pair)).unwrap() == bytes,
        "taken over or rendered, the same pair"
    );
    // Other separation: the left eye is taken out of the pair, even after the mono order is gone.
    let (status, _) = server.json("DELETE", &format!("/api/orders/{mono}"), None);
    assert_eq!(status, 204);
    rig(
        &server,
        id,
        json!({"kind": "panoramic", "anchor": "left", "separation_m": 0.09}),
    );
    let wider = server.order(id, wish(false));
    let done = server.wait_for_order(wider, "done");
    assert!(
        done["problem"]
            .as_str()
            .unwrap()
            .contains("left eye was taken over"),
        "{done}"
    );
    assert_eq!(samples(&master(pair), LEFT), samples(&master(wider), LEFT));
    assert_ne!(
        samples(&master(pair), RIGHT),
        samples(&master(wider), RIGHT)
    );
    // What the order says is what the pixels came from: the same by command.
    let described = |path: &Path| ExrStrips::open(path).unwrap().header.description.unwrap();
    let words = described(&master(wider)).to_string();
    assert!(
        words.contains("0.09 m apart, left eye on the viewpoint"),
        "{words}"
    );
}

/// Killed in the middle, a pair goes on by itself to the bytes of an undisturbed one.
#[test]
fn a_killed_pair_goes_on_to_the_same_bytes() {
    let wish = json!({"width": 256, "samples": 16, "noise_percent": 20.0, "denoise": false});
    let pair = json!({"kind": "panoramic", "anchor": "middle"});
    let (_quiet_folder, quiet, id) = with_room();
    rig(&quiet, id, pair.clone());
    let undisturbed = quiet.order(id, wish.clone());
    quiet.wait_for_order(undisturbed, "done");
    let bytes = std::fs::read(quiet.files_of(undisturbed).join("master.exr")).unwrap();
    drop(quiet);
    let (folder, server, id) = with_room();
    rig(&server, id, pair);
    let order = server.order(id, wish);
    let strips = server.files_of(order).join("strips");
    support::wait_for("strips of both eyes", || {
        (support::strips_there(&strips) >= 3).then_some(())
    });
    server.kill();
    // One eye's strip is lost on top.
    std::fs::remove_file(strips.join("right-000000.strip")).unwrap();
    let server = Server::start(&folder.path().join("data"), false);
    server.wait_for_order(order, "done");
    let again = std::fs::read(server.files_of(order).join("master.exr")).unwrap();
    assert!(again == bytes, "other bytes after a kill");
}

/// What the Depth stage asks: the chart is the picture's shares, a picked place has its depth, distances are fitted to a budget,
/// and numbers that no rig has are refused.
#[test]
fn depth_is_told_over_http() {
    let (_folder, server, id) = with_room();
    let ask = |body: Value| server.json("POST", &format!("/api/projects/{id}/depth"), Some(body));
    let pose =
        json!({"position": [0.0, 1.5, 0.0], "heading_deg": 0.0, "pitch_deg": 0.0, "roll_deg": 0.0});
    let (status, told) =
        ask(json!({"pose": pose, "rig": {"kind": "panoramic"}, "pick": [0.5, 0.5]}));
    assert_eq!(status, 200, "{told}");
    let shares: f64 = told["chart"]
        .as_array()
        .unwrap()
        .iter()
        .map(|v| v.as_f64().unwrap())
        .sum();
    assert!((shares - 1.0).abs() < 1e-6, "{shares}");
    // The room is 6 m wide: the wall ahead is 3 m away, floor and ceiling 1.5 m.
    assert!(
        (told["picked"]["distance_m"].as_f64().unwrap() - 3.0).abs() < 1e-3,
        "{}",
        told["picked"]
    );
    assert!((told["very_nearest_m"].as_f64().unwrap() - 1.5).abs() < 0.02);
    // The same alone, as the pointer asks; beyond the picture nothing is asked.
    let at = |pick: Value| {
        let body = json!({"pose": pose, "rig": {"kind": "panoramic"}, "pick": pick});
        server
            .json("POST", &format!("/api/projects/{id}/depth-at"), Some(body))
            .1
    };
    assert_eq!(at(json!([0.5, 0.5])), told["picked"]);
    assert_eq!(at(json!(null)), json!(null));
    let flat = json!({"kind": "flat", "separation_m": 0.065,
        "flat": {"converge_m": 2.0, "budget": {"rule": "own", "own_px": 40.0, "percent": 100.0, "front_percent": 50.0}}});
    let (_, told) =
        ask(json!({"pose": pose, "rig": flat, "planes_m": [2.0, 40.0], "pick": [0.5, 0.5]}));
    // By the formula: K b (1/2 - 1/3) of 1920 px at 60 degrees.
    let k = 1920.0 / (2.0 * 30f64.to_radians().tan());
    let px = told["picked"]["px"].as_f64().unwrap();
    assert!((px - k * 0.065 * (0.5 - 1.0 / 3.0)).abs() < 0.01, "{px}");
    let b = told["planes_fit"]["separation_m"].as_f64().unwrap();
    assert!((b - 40.0 / (k * (0.5 - 1.0 / 40.0))).abs() < 1e-6, "{b}");
    let (status, refused) =
        ask(json!({"pose": pose, "rig": {"kind": "flat", "separation_m": -1.0}}));
    assert_eq!(status, 422, "{refused}");
    assert!(
        refused["error"]
            .as_str()
            .unwrap()
            .contains("eye separation")
    );
    // The layer of what is too near: amber below, where the floor is 1.5 m away, and nothing ahead, 3 m away.
    let body =
        json!({"pose": pose, "rig": {"kind": "panoramic", "close_deg": [60.0, 80.0]}}).to_string();
    let path = format!("/api/projects/{id}/strain.png");
    let json_body = [("Content-Type", "application/json")];
    let (status, png) = server.send("POST", &path, body.as_bytes(), &json_body);
    assert_eq!(status, 200);
    let layer = image::load_from_memory(&png).unwrap().to_luma8();
    let at = |u: f64, v: f64| {
        let (w, h) = (f64::from(layer.width()), f64::from(layer.height()));
        layer.get_pixel((u * w) as u32, (v * h) as u32).0[0]
    };
    // 55 degrees down the floor is 1.83 m away, just nearer than 1.89 m; at the nadir the pair is closed.
    assert_eq!((at(0.5, 0.5), at(0.5, 0.99)), (0, 0));
    assert!(at(0.5, 0.5 + 55.0 / 180.0) > 0);
    // By command the same numbers, with the keys that others rely on.
    let folder = tempfile::tempdir().unwrap();
    let scene = scene_in(folder.path());
    let by_command: Value = serde_json::from_str(&run_ok(&[
        "depth",
        text(&scene),
        "--at",
        "0,1.5,0",
        "--stereo",
        "flat",
        "--separation",
        "65mm",
        "--converge",
        "2m",
        "--budget",
        "20,20",
        "--screen",
        "2m,3m",
        "--json",
    ]))
    .unwrap();
    for key in [
        "nearest_m",
        "farthest_m",
        "separation_m",
        "convergence_m",
        "parallax_px",
        "budget_px",
        "planes_m",
        "offenders",
    ] {
        assert!(by_command.get(key).is_some(), "{key}: {by_command}");
    }
    for key in ["near", "far", "infinity"] {
        assert_eq!(
            by_command["parallax_px"][key], told["parallax_px"][key],
            "{key}"
        );
    }
    let fitted: Value = serde_json::from_str(&run_ok(&[
        "depth",
        text(&scene),
        "--at",
        "0,1.5,0",
        "--heading",
        "45",
        "--stereo",
        "flat",
        "--budget",
        "20,20",
        "--fit",
        "--json",
    ]))
    .unwrap();
    let near = fitted["parallax_px"]["near"].as_f64().unwrap();
    let far = fitted["parallax_px"]["far"].as_f64().unwrap();
    assert!(
        (near + 20.0).abs() < 0.2 && (far - 20.0).abs() < 0.2,
        "{near} {far}"
    );
}

/// The live picture of both eyes: each eye, anaglyphs and the difference; a flat pair has its frame's ratio.
#[test]
fn live_pictures_show_both_eyes() {
    let (folder, server, id) = with_room();
    let pose =
        json!({"position": [0.0, 1.5, 0.0], "heading_deg": 0.0, "pitch_deg": 0.0, "roll_deg": 0.0});
    let live = |show: &str, kind: &str| {
        let body = json!({"pose": pose, "width": 128, "quick": true, "show": show,
            "rig": {"kind": kind, "separation_m": 0.3, "flat": {"converge_m": 2.0}}});
        let kind_of_body = [("Content-Type", "application/json")];
        let body = body.to_string();
        let path_of = format!("/api/projects/{id}/preview");
        let (status, jpeg) = server.send("POST", &path_of, body.as_bytes(), &kind_of_body);
        assert_eq!(status, 200);
        let path = folder.path().join(format!("{show}-{kind}.jpg"));
        std::fs::write(&path, jpeg).unwrap();
        pixels(&path)
    };
    let (left, right) = (live("left", "panoramic"), live("right", "panoramic"));
    assert_eq!((left.0, left.1), (128, 64));
    assert_ne!(left.2, right.2);
    let glasses = live("full-colour", "panoramic");
    let near = |a: u8, b: u8| a.abs_diff(b) < 40;
    let fits = glasses
        .2
        .chunks(3)
        .zip(left.2.chunks(3))
        .zip(right.2.chunks(3));
    let fits = fits
        .filter(|((p, l), r)| near(p[0], l[0]) && near(p[1], r[1]))
        .count();
    assert!(
        fits > 128 * 64 * 8 / 10,
        "red is the left eye's, green the right eye's: {fits}"
    );
    let flat = live("difference", "flat");
    assert_eq!((flat.0, flat.1), (128, 72));
}

/// Every packing of a finished pair in Hand over, as JPEG and as PNG, with the floating window and the crop of a flat pair.
#[test]
fn pairs_are_handed_over_in_every_packing() {
    let (folder, server, id) = with_room();
    let make = |order: i64, packing: &str, png: bool| {
        let request = json!({"opening_heading_deg": 0.0, "opening_pitch_deg": 0.0, "opening_hfov_deg": 75.0,
            "exposure_stops": 0.0, "soft": false, "quality": 95, "packing": packing, "png": png});
        let (status, package) =
            server.make(&format!("/api/orders/{order}/packages"), Some(request));
        assert_eq!(status, 200, "{packing}: {package}");
        let bytes = server.get(&format!("/api/packages/{}/download", package["id"]));
        let path = folder.path().join(package["file"].as_str().unwrap());
        std::fs::write(&path, bytes).unwrap();
        assert!(
            package["checks"]
                .as_array()
                .unwrap()
                .iter()
                .all(|c| c["fine"] == true),
            "{package}"
        );
        path
    };
    rig(&server, id, json!({"kind": "panoramic"}));
    let pair = server.order(id, json!({"width": 128, "samples": 4}));
    server.wait_for_order(pair, "done");
    for (packing, size) in [
        ("top-bottom", (128, 128)),
        ("side-by-side:right-first", (256, 64)),
        ("top-bottom:squeezed", (128, 64)),
        ("mono", (128, 64)),
    ] {
        for png in [false, true] {
            let path = make(pair, packing, png);
            let (w, h, _) = pixels(&path);
            assert_eq!((w, h), size, "{packing}");
            let sphere = exiftool(&path)["ProjectionType"] == "equirectangular";
            assert_eq!(sphere, packing == "mono", "{packing}");
        }
    }
    let zip = make(pair, "two-files", true);
    assert_eq!(&std::fs::read(&zip).unwrap()[..2], b"PK");
    // A flat pair by parallel cameras: the master is wider, the file is not, and the window is dark.
    rig(
        &server,
        id,
        json!({"kind": "flat", "separation_m": 0.1, "flat": {"method": "parallel", "converge_m": 2.0,
        "budget": {"final_width": 160}, "window": {"left_top": 8.0, "left_bottom": 8.0}}}),
    );
    let flat = server.order(id, json!({"width": 160, "samples": 4}));
    let done = server.wait_for_order(flat, "done");
    // K b / C of 160 px at 60 degrees: 6.93, in whole pixels 7.
    assert_eq!(done["spec"]["width"], 167, "{done}");
    let (w, h, rgb) = pixels(&make(flat, "side-by-side", true));
    assert_eq!((w, h), (320, 90));
    for row in rgb.chunks(320 * 3) {
        assert!(
            row[..8 * 3].iter().all(|v| *v == 0),
            "masked on the left of the left eye"
        );
        assert!(row[9 * 3..160 * 3].iter().any(|v| *v > 0));
    }
    // One eye cannot be packed.
    let mono = server.order(id, json!({"width": 64, "samples": 2, "mono": true}));
    server.wait_for_order(mono, "done");
    let request = json!({"opening_heading_deg": 0.0, "opening_pitch_deg": 0.0, "opening_hfov_deg": 75.0,
        "exposure_stops": 0.0, "soft": false, "quality": 95, "packing": "top-bottom"});
    let (status, refused) = server.make(&format!("/api/orders/{mono}/packages"), Some(request));
    assert_eq!(status, 422, "{refused}");
}

/// A package of an order, as a PNG with both eyes beside each other.
fn beside(server: &Server, folder: &Path, order: i64) -> (u32, u32, Vec<u8>) {
    let request = json!({"opening_heading_deg": 0.0, "opening_pitch_deg": 0.0, "opening_hfov_deg": 75.0,
        "exposure_stops": 1.0, "soft": true, "quality": 95, "packing": "side-by-side", "png": true});
    let (status, package) = server.make(&format!("/api/orders/{order}/packages"), Some(request));
    assert_eq!(status, 200, "{package}");
    let path = folder.join(format!("{order}.png"));
    let bytes = server.get(&format!("/api/packages/{}/download", package["id"]));
    std::fs::write(&path, bytes).unwrap();
    pixels(&path)
}

/// Titles are drawn over what is handed over and shown, never in the master; their parallax is K b (1/C - 1/D), their white is
/// white whatever the exposure, and one behind a wall is told.
#[test]
fn titles_stand_before_both_eyes() {
    let (folder, server, id) = with_room();
    let logo = image::RgbaImage::from_fn(60, 20, |x, _| {
        image::Rgba([255, 0, 0, if x < 30 { 255 } else { 0 }])
    });
    let mut png = Vec::new();
    logo.write_to(&mut std::io::Cursor::new(&mut png), image::ImageFormat::Png)
        .unwrap();
    let (status, picture) = server.bring("/api/pictures?file=logo.png", &png);
    assert_eq!(status, 200, "{picture}");
    let with = |titles: Value| json!({"kind": "flat", "separation_m": 0.1, "titles": titles, "flat": {"converge_m": 2.0}});
    let title = |text: &str, pitch: f64, distance: f64| json!({"text": text, "pitch_deg": pitch, "height_deg": 10.0, "distance_m": distance});
    let red = json!({"text": "logo", "picture": picture["id"], "pitch_deg": -14.0, "height_deg": 8.0, "distance_m": 2.0});
    let wish = json!({"width": 320, "samples": 4});
    rig(&server, id, with(json!([])));
    let plain = server.order(id, wish.clone());
    server.wait_for_order(plain, "done");
    rig(&server, id, with(json!([title("MM", 10.0, 1.0), red])));
    let titled = server.order(id, wish);
    server.wait_for_order(titled, "done");
    // The same picture, made once.
    assert_eq!(server.files_of(plain), server.files_of(titled));
    let (width, height, without) = beside(&server, folder.path(), plain);
    let (w, h, over) = beside(&server, folder.path(), titled);
    assert_eq!((width, height, w, h), (640, 180, 640, 180));
    // Where it is in each half: the middle of what is of its colour now and was not before.
    let middle = |right: bool, colour: [u8; 3]| {
        let is = |p: &[u8]| p.iter().zip(colour).all(|(a, b)| a.abs_diff(b) <= 2);
        let places: Vec<u32> = (0..)
            .zip(over.chunks(3).zip(without.chunks(3)))
            .filter(|(i, (a, b))| (i % 640 >= 320) == right && is(a) && !is(b))
            .map(|(i, _)| i % 640 % 320)
            .collect();
        assert!(places.len() > 20, "{colour:?}: {}", places.len());
        f64::from(places.iter().sum::<u32>()) / places.len() as f64
    };
    let k = 320.0 / (2.0 * 30f64.to_radians().tan());
    let white = middle(true, [255; 3]) - middle(false, [255; 3]);
    let wanted = k * 0.1 * (1.0 / 2.0 - 1.0);
    assert!((white - wanted).abs() < 0.5, "{white} px for {wanted} px");
    let red = middle(true, [255, 0, 0]) - middle(false, [255, 0, 0]);
    assert!(red.abs() < 0.3, "{red}");
    // Live pictures show them.
    let pose =
        json!({"position": [0.0, 1.5, 0.0], "heading_deg": 0.0, "pitch_deg": 0.0, "roll_deg": 0.0});
    let live = |titles: Value| {
        let body =
            json!({"pose": pose, "width": 160, "quick": true, "show": "left", "rig": with(titles)});
        let kind = [("Content-Type", "application/json")];
        let path = format!("/api/projects/{id}/preview");
        server
            .send("POST", &path, body.to_string().as_bytes(), &kind)
            .1
    };
    assert_ne!(live(json!([])), live(json!([title("MM", 0.0, 1.0)])));
    // The wall is 3 m away: at 5 m a title lies behind it. That is told, and found before a render.
    let behind = with(json!([title("Far", 0.0, 5.0), title("Near", 0.0, 2.0)]));
    let told = server
        .json(
            "POST",
            &format!("/api/projects/{id}/depth"),
            Some(json!({"pose": pose, "rig": behind})),
        )
        .1;
    let [far, near] = [0, 1].map(|i| told["titles"][i].clone());
    assert!(
        near["covers"].is_null() && near["px"].as_f64().unwrap().abs() < 1e-9,
        "{near}"
    );
    assert!(
        (far["covers"]["nearer_m"].as_f64().unwrap() - 3.0).abs() < 0.01,
        "{far}"
    );
    assert_eq!(far["place"], json!([0.5, 0.5]));
    rig(&server, id, behind);
    let found = server
        .json("GET", &format!("/api/projects/{id}/preflight"), None)
        .1;
    let found = found.as_array().unwrap();
    let one: Vec<_> = found
        .iter()
        .filter(|f| f["rule"] == "title-behind")
        .collect();
    assert_eq!(one.len(), 1, "{found:?}");
    assert!(
        one[0]["what"].as_str().unwrap().contains("\"Far\""),
        "{}",
        one[0]
    );
    // A picture that a title shows stays; one that is not there is told, and what is shown goes on without it.
    let (status, _) = server.json("DELETE", &format!("/api/pictures/{}", picture["id"]), None);
    assert_eq!(status, 409);
    let gone = with(json!([{"text": "Lost", "picture": 4711, "distance_m": 2.0}]));
    let ask = json!({"pose": pose, "rig": gone});
    let (status, told) = server.json("POST", &format!("/api/projects/{id}/depth"), Some(ask));
    assert_eq!(
        (status, &told["titles"][0]["missing"]),
        (200, &json!(true)),
        "{told}"
    );
    let lost = json!([{"text": "Lost", "picture": 4711, "distance_m": 2.0}]);
    assert_eq!(live(lost), live(json!([])));
}

/// Cameras of the scene are frames: place, direction and lens; a focal length has its field of view; the planes of depth are a
/// layer over the picture and lines on paper.
#[test]
fn cameras_and_planes_are_told() {
    let (folder, server, id) = with_room();
    let sample =
        Path::new(env!("CARGO_MANIFEST_DIR")).join("../core/trace/tests/samples/lights/cube.glb");
    let (status, project) = server.upload("cube.glb", &std::fs::read(sample).unwrap());
    assert_eq!(status, 200, "{project}");
    let told = server
        .json(
            "GET",
            &format!("/api/projects/{}/cameras", project["id"]),
            None,
        )
        .1;
    // In its file: 0.3996 rad high at 16:9, which is a lens of 50 mm before 36 mm.
    let frame = &told[0]["frame"];
    assert!(
        (frame["hfov_deg"].as_f64().unwrap() - 39.598).abs() < 1e-3,
        "{told}"
    );
    assert_eq!(frame["ratio_told"], true);
    let pose = json!({"position": [0.0, 1.5, 0.0], "heading_deg": 90.0, "pitch_deg": 0.0, "roll_deg": 0.0});
    let rig = json!({"kind": "flat", "separation_m": 0.2, "flat": {"hfov_deg": 39.598, "converge_m": 2.0,
        "budget": {"rule": "own", "own_px": 40.0, "percent": 100.0, "front_percent": 50.0}}});
    let ask = json!({"pose": pose, "rig": rig, "focal_mm": 25.0});
    let (_, told) = server.json("POST", &format!("/api/projects/{id}/depth"), Some(ask));
    assert!(
        (told["focal_mm"].as_f64().unwrap() - 50.0).abs() < 1e-3,
        "{told}"
    );
    // 2 atan(36 / 50) for a lens of 25 mm.
    let wide = 2.0 * (36.0f64 / 50.0).atan().to_degrees();
    assert!((told["hfov_of_focal_deg"].as_f64().unwrap() - wide).abs() < 1e-9);
    // To the east, the plane of zero parallax lies 2 m along x and is as wide as the frame there.
    let planes = told["lines"]["planes"].as_array().unwrap();
    let zero = planes.iter().find(|p| p["which"] == "zero").unwrap();
    let half = 2.0 * (39.598f64 / 2.0).to_radians().tan();
    let number = |v: &Value| v.as_f64().unwrap();
    for (end, z) in zero["plan"].as_array().unwrap().iter().zip([-half, half]) {
        assert!(
            (number(&end[0]) - 2.0).abs() < 1e-9 && (number(&end[1]) - z).abs() < 1e-9,
            "{zero}"
        );
    }
    let high = half * 9.0 / 16.0;
    for (end, y) in zero["section"]
        .as_array()
        .unwrap()
        .iter()
        .zip([-high, high])
    {
        assert!(
            (number(&end[0]) - 2.0).abs() < 1e-9 && (number(&end[1]) - y).abs() < 1e-9,
            "{zero}"
        );
    }
    // The wall 3 m ahead is beyond the farthest plane: 1/F = 1/2 - 20 / (K 0.2), so it is striped; nothing is in front.
    let farthest = planes.iter().find(|p| p["which"] == "farthest").unwrap();
    assert!(number(&farthest["distance_m"]) < 3.0, "{farthest}");
    let body = json!({"pose": pose, "rig": rig}).to_string();
    let kind = [("Content-Type", "application/json")];
    let (status, png) = server.send(
        "POST",
        &format!("/api/projects/{id}/strain.png"),
        body.as_bytes(),
        &kind,
    );
    assert_eq!(status, 200);
    let layer = image::load_from_memory(&png).unwrap().to_rgba8();
    assert_eq!((layer.width(), layer.height()), (512, 288));
    let row: Vec<u8> = (200..312).map(|x| layer.get_pixel(x, 144).0[3]).collect();
    assert!(row.contains(&0) && row.iter().any(|a| *a > 50), "{row:?}");
    drop(folder);
}
