//! Legal scenes whose numbers are odd: without size at first, with keys that are none, far from their file's origin, with colours at corners.
//! Each opens, says what is odd, and stays open.

use crate::support;

use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use support::scene::{pack, room};
use support::{Server, outside, run, run_ok, samples, text};

fn folder() -> tempfile::TempDir {
    tempfile::tempdir().unwrap()
}

/// The room with an animation of its lamp: `path` of it at 0 s and 2 s.
fn animated(path: &str, from: [f32; 3], to: [f32; 3]) -> Vec<u8> {
    let (mut document, mut binary) = room();
    let start = binary.len();
    for v in [0.0f32, 2.0].iter().chain(&from).chain(&to) {
        binary.extend(v.to_le_bytes());
    }
    let views = document["bufferViews"].as_array_mut().unwrap();
    let view = views.len();
    views.push(json!({"buffer": 0, "byteOffset": start, "byteLength": 8}));
    views.push(json!({"buffer": 0, "byteOffset": start + 8, "byteLength": 24}));
    let accessors = document["accessors"].as_array_mut().unwrap();
    let accessor = accessors.len();
    accessors.push(json!({"bufferView": view, "componentType": 5126, "count": 2, "type": "SCALAR", "min": [0.0], "max": [2.0]}));
    accessors
        .push(json!({"bufferView": view + 1, "componentType": 5126, "count": 2, "type": "VEC3"}));
    document["animations"] = json!([{
        "samplers": [{"input": accessor, "output": accessor + 1}],
        "channels": [{"sampler": 0, "target": {"node": 1, "path": path}}],
    }]);
    document["buffers"][0]["byteLength"] = binary.len().into();
    pack(&document, &binary)
}

/// A thing without size at 0 s, or led by keys that are no numbers: the project opens, also after a restart and with another file in its
/// place, and the picture is rendered, by every path of it.
#[test]
fn what_has_no_size_or_no_number_opens_and_stays_open() {
    let folder = folder();
    let data = folder.path().join("data");
    let mut server = Server::start(&data, false);
    let good = animated("scale", [0.1; 3], [0.2; 3]);
    for (name, path, from) in [
        ("no size", "scale", [0.0f32; 3]),
        ("no number", "translation", [f32::NAN, 0.0, 0.0]),
        ("no end", "scale", [f32::INFINITY; 3]),
    ] {
        let bytes = animated(path, from, [0.1; 3]);
        let file = folder.path().join(format!("{name}.glb"));
        std::fs::write(&file, &bytes).unwrap();
        let told: Value = serde_json::from_str(&run_ok(&["scene", text(&file), "--json"])).unwrap();
        if name != "no size" {
            let left = told["left_out"].to_string();
            assert!(left.contains("no numbers"), "{name}: {left}");
        }
        let picture = folder.path().join("x.png");
        run_ok(&[
            "render",
            text(&file),
            "-o",
            text(&picture),
            "--width",
            "16",
            "--samples",
            "1",
        ]);
        let (status, project) = server.upload("odd.glb", &bytes);
        assert_eq!(status, 200, "{name}: {project}");
        let id = project["id"].as_i64().unwrap();
        let order = server.order(id, json!({"width": 16, "samples": 1}));
        server.wait_for_order(order, "done");
        server.kill();
        server = Server::start(&data, false);
        let path = format!("/api/projects/{id}");
        let (status, project) = server.json("GET", &path, None);
        assert_eq!(status, 200, "{name}: {project}");
        let (status, project) = server.bring(&format!("{path}/scene?file=good.glb"), &good);
        assert_eq!(status, 200, "{name}: {project}");
        assert_eq!(server.json("GET", &path, None).0, 200, "{name}");
    }
}

/// A record that cannot be read is said where it stands, and all else is there: the scene's, a viewpoint's, a package's. Bringing the file
/// once more tells the scene anew.
#[test]
fn a_part_that_cannot_be_read_hides_no_other() {
    let (folder, server, id) = support::with_room();
    let order = server.order(id, json!({"width": 32, "samples": 1}));
    server.wait_for_order(order, "done");
    let path = format!("/api/projects/{id}");
    let viewpoint = server.json("GET", &path, None).1["viewpoints"][0].clone();
    let second = json!({"name": "Second", "pose": viewpoint["pose"], "unlocked": false});
    let (status, _) = server.json("POST", &format!("{path}/viewpoints"), Some(second));
    assert_eq!(status, 200);
    server.kill();
    let data = folder.path().join("data");
    let database = rusqlite::Connection::open(data.join("owl-dome.db")).unwrap();
    for (sql, at) in [
        (
            "UPDATE project SET summary = json_set(summary, '$.min', json('[null, 0, 0]')) WHERE id = ?1",
            id,
        ),
        (
            "UPDATE viewpoint SET pose = 'nothing' WHERE id = ?1",
            viewpoint["id"].as_i64().unwrap(),
        ),
    ] {
        assert_eq!(database.execute(sql, [at]).unwrap(), 1, "{sql}");
    }
    drop(database);
    let server = Server::start(&data, false);
    let (status, project) = server.json("GET", &path, None);
    assert_eq!(status, 200, "{project}");
    let notices = project["scene"]["notices"].to_string();
    assert!(notices.contains("could not be read"), "{notices}");
    let viewpoints = project["viewpoints"].as_array().unwrap();
    assert_eq!(viewpoints.len(), 2);
    assert!(
        viewpoints[0]["name"]
            .as_str()
            .unwrap()
            .contains("could not be read")
    );
    assert_eq!(viewpoints[1]["name"], "Second");
    assert_eq!(project["orders"][0]["state"], "done");
    // A further order, by the viewpoint that is whole, and the file in its own place.
    let again = server.bring(
        &format!("{path}/scene?file=room.glb"),
        &support::scene::room_glb(),
    );
    assert_eq!(again.0, 200, "{}", again.1);
    let project = server.json("GET", &path, None).1;
    let notices = project["scene"]["notices"].to_string();
    assert!(!notices.contains("could not be read"), "{notices}");
    assert!(project["scene"]["triangles"].as_u64().unwrap() > 0);
}

/// An OBJ of the room's size whose place in the file is `offset`, with a small red-ish thing.
fn far_obj(folder: &Path, offset: [f64; 3]) -> PathBuf {
    let [ox, oy, oz] = offset;
    let mut text = String::from("o Floor\n");
    let mut point =
        |x: f64, y: f64, z: f64| text.push_str(&format!("v {} {} {}\n", x + ox, y + oy, z + oz));
    for (x, z) in [(-5.0, -5.0), (-5.0, 5.0), (5.0, 5.0), (5.0, -5.0)] {
        point(x, 0.0, z);
    }
    for (x, y) in [(-0.5, 1.0), (0.5, 1.0), (0.5, 2.0), (-0.5, 2.0)] {
        point(x, y, -2.0);
    }
    text.push_str("f 1 2 3 4\no Board\nf 5 6 7 8\n");
    let path = folder.join(format!("at{ox}.obj"));
    std::fs::write(&path, text).unwrap();
    path
}

/// Coordinates that are typed and told are the file's, wherever its scene lies: the same picture of the same scene at its own place, far
/// away and high above; by a path file too; and an eye that is nowhere near is told.
#[test]
fn coordinates_are_the_files_own() {
    let folder = folder();
    let at = |p: [f64; 3], o: [f64; 3]| format!("{},{},{}", p[0] + o[0], p[1] + o[1], p[2] + o[2]);
    let mut pictures = Vec::new();
    for offset in [
        [0.0, 0.0, 0.0],
        [448_000.0, 3_000.0, -5_411_000.0],
        [0.0, 3_000.0, 0.0],
    ] {
        let scene = far_obj(folder.path(), offset);
        let out = folder.path().join("far.exr");
        let eye = at([0.3, 1.6, 1.0], offset);
        let base = [
            "--width",
            "64",
            "--samples",
            "4",
            "--passes",
            "depth",
            "--sky",
            "plain:1,1,1",
        ];
        let made = run(&[
            &["render", text(&scene), "-o", text(&out), "--at", &eye][..],
            &base,
        ]
        .concat());
        let said = String::from_utf8_lossy(&made.stderr).into_owned();
        assert!(
            made.status.success() && !said.contains("from everything"),
            "{said}"
        );
        let depth = samples(&out, ["depth.Z"; 3]);
        // Straight ahead stands the board, 3 m from the eye.
        let middle = depth[(16 * 64 + 32) * 3];
        assert!((middle - 3.0).abs() < 0.1, "{offset:?}: {middle}");
        pictures.push(depth);
        // The same by a path.
        let [x, y, z] = [0.3 + offset[0], 1.6 + offset[1], 1.0 + offset[2]];
        let walk = folder.path().join("walk.json");
        std::fs::write(
            &walk,
            json!({"keys": [{"time_s": 0, "position": [x, y, z]}]}).to_string(),
        )
        .unwrap();
        let frames = folder
            .path()
            .join(format!("frames {}", pictures.len()))
            .join("{frame}.exr");
        run_ok(
            &[
                &[
                    "render",
                    text(&scene),
                    "-o",
                    text(&frames),
                    "--path",
                    text(&walk),
                    "--frames",
                    "0-0",
                ][..],
                &base,
            ]
            .concat(),
        );
        let of_path = samples(&frames.with_file_name("0.exr"), ["depth.Z"; 3]);
        assert_eq!(of_path.len(), pictures[0].len());
        assert!((of_path[(16 * 64 + 32) * 3] - middle).abs() < 1e-4);
        // What is told are the file's coordinates too.
        let told: Value =
            serde_json::from_str(&run_ok(&["scene", text(&scene), "--json"])).unwrap();
        for (axis, low) in [-5.0, 0.0, -5.0].into_iter().enumerate() {
            let found = told["min_m"][axis].as_f64().unwrap();
            assert!(
                (found - low - offset[axis]).abs() < 1e-2,
                "{offset:?}: {found}"
            );
        }
    }
    for other in &pictures[1..] {
        let off = pictures[0]
            .iter()
            .zip(other)
            .filter(|(a, b)| (**a - **b).abs() > 0.01)
            .count();
        assert!(off < pictures[0].len() / 100, "{off}");
    }
    let scene = far_obj(folder.path(), [448_000.0, 3_000.0, -5_411_000.0]);
    let out = folder.path().join("none.png");
    let made = run(&[
        "render",
        text(&scene),
        "-o",
        text(&out),
        "--at",
        "0,1.6,0",
        "--width",
        "16",
        "--samples",
        "1",
    ]);
    let said = String::from_utf8_lossy(&made.stderr).into_owned();
    assert!(
        said.contains("from everything") && said.contains("file's coordinates"),
        "{said}"
    );
}

/// Colours of corners are display values in OBJ and PLY alike, and linear in glTF (glTF 2.0, 3.7.2.1): the same surface has the same
/// albedo. 0.5 of the display is 0.214041 of light (IEC 61966-2-1).
#[test]
fn colours_of_corners_are_one_colour_in_every_format() {
    let folder = folder();
    let obj = folder.path().join("c.obj");
    let corner = |x: i32, z: i32| format!("v {x} 0 {z} 0.501961 1 0\n");
    let text_obj = [(-9, -9), (-9, 9), (9, 9), (9, -9)]
        .map(|(x, z)| corner(x, z))
        .concat();
    std::fs::write(&obj, text_obj + "f 1 2 3 4\n").unwrap();
    let ply = folder.path().join("c.ply");
    let header = "ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n";
    let corners = [(-9, -9), (-9, 9), (9, 9), (9, -9)]
        .map(|(x, z)| format!("{x} 0 {z} 128 255 0\n"))
        .concat();
    std::fs::write(&ply, format!("{header}{corners}4 0 1 2 3\n")).unwrap();
    for scene in [obj, ply] {
        let out = folder.path().join("c.exr");
        run_ok(&[
            "render",
            text(&scene),
            "-o",
            text(&out),
            "--at",
            "0,1.6,0",
            "--width",
            "32",
            "--samples",
            "1",
            "--passes",
            "albedo",
            "--up",
            "y",
        ]);
        let albedo = samples(&out, ["albedo.R", "albedo.G", "albedo.B"]);
        let below = &albedo[(14 * 32 + 16) * 3..][..3];
        // 128 of 255 are 0.215861 of light.
        for (found, wanted) in below.iter().zip([0.215861, 1.0, 0.0]) {
            assert!(
                (found - wanted).abs() < 1e-3,
                "{}: {below:?}",
                scene.display()
            );
        }
    }
}

/// A lamp file whose name has letters beyond ASCII: the picture made of it is known again, whole and in parts, and its objects have their
/// names.
#[test]
fn names_with_letters_beyond_ascii_are_known_again() {
    let folder = folder();
    let (mut document, binary) = room();
    document["nodes"][1]["name"] = "Bücherlampe 灯".into();
    let scene = folder.path().join("Zimmer ü.glb");
    std::fs::write(&scene, pack(&document, &binary)).unwrap();
    let ies = folder.path().join("Leuchte größer.ies");
    std::fs::write(
        &ies,
        "IESNA:LM-63-2002\n[TEST] made\nTILT=NONE\n1 -1 1 2 1 1 2 0 0 0\n1 1 1\n0 90\n0\n100 100\n",
    )
    .unwrap();
    let light = format!("Bücherlampe 灯={}", text(&ies));
    let base = [
        "--width",
        "32",
        "--samples",
        "1",
        "--ies",
        &light,
        "--passes",
        "object-mask",
    ];
    let frames = folder.path().join("out").join("{frame}.exr");
    let all = [
        &[
            "render",
            text(&scene),
            "-o",
            text(&frames),
            "--frames",
            "0-1",
            "--continue",
        ][..],
        &base,
    ]
    .concat();
    run_ok(&all);
    let first = std::fs::read(frames.with_file_name("0.exr")).unwrap();
    let said = String::from_utf8(run(&all).stderr).unwrap();
    assert!(
        !said.contains("foreign") && !said.contains("another"),
        "{said}"
    );
    assert!(std::fs::read(frames.with_file_name("0.exr")).unwrap() == first);
    // Parts of a still go together, and are the still.
    let part = |name: &str, rows: &str| {
        let path = folder.path().join(name);
        run_ok(
            &[
                &["render", text(&scene), "-o", text(&path), "--rows", rows][..],
                &base,
            ]
            .concat(),
        );
        path
    };
    let (a, b) = (part("a.exr", "0-7"), part("b.exr", "8-15"));
    let whole = folder.path().join("whole.exr");
    run_ok(&["join", text(&a), text(&b), "-o", text(&whole)]);
    let comments = outside("exrheader", &[text(&whole)]);
    assert!(comments.contains("Bücherlampe 灯"), "{comments}");
}
