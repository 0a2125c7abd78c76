//! The commands as an artist runs them, checked with readers made by others.

use crate::support;

use serde_json::{Value, json};
use std::path::Path;
use support::{exiftool, outside, run, run_fails, run_ok, scene_in, text};

fn inspect(path: &Path) -> Value {
    serde_json::from_str(&run_ok(&["inspect", text(path), "--json"])).unwrap()
}

/// A picture in memory: grey with a red left half.
fn picture(width: u32, height: u32) -> image::RgbImage {
    image::RgbImage::from_fn(width, height, |x, _| {
        image::Rgb(if x < width / 2 {
            [200, 30, 30]
        } else {
            [90; 3]
        })
    })
}

#[test]
fn every_format_is_written_and_read_back() {
    let folder = tempfile::tempdir().unwrap();
    let scene = scene_in(folder.path());
    for ending in ["exr", "jpg", "png", "hdr"] {
        let out = folder.path().join(format!("pano.{ending}"));
        let done = run(&[
            "render",
            text(&scene),
            "-o",
            text(&out),
            "--width",
            "64",
            "--samples",
            "2",
            "--heading",
            "30",
        ]);
        let progress = String::from_utf8(done.stderr).unwrap();
        assert!(done.status.success(), "{progress}");
        assert!(progress.trim_end().ends_with("100 %"), "{progress}");
        let found = inspect(&out);
        assert_eq!(
            (&found["width"], &found["height"]),
            (&json!(64), &json!(32)),
            "{found}"
        );
        assert_eq!(found["sphere"], ending != "hdr", "{found}");
        if ending != "hdr" {
            assert_eq!(
                (&found["projection"], &found["pose_heading_deg"]),
                (&json!("equirectangular"), &json!(30.0))
            );
        }
    }
    // The size, by readers made by others.
    for ending in ["jpg", "png", "hdr", "exr"] {
        let tags = exiftool(&folder.path().join(format!("pano.{ending}")));
        assert_eq!(
            (&tags["ImageWidth"], &tags["ImageHeight"]),
            (&json!(64), &json!(32)),
            "{tags}"
        );
    }
    // exrheader (Debian openexr) knows the standard attribute.
    let header = outside("exrheader", &[text(&folder.path().join("pano.exr"))]);
    assert!(
        header.contains("envmap") && header.contains("latitude-longitude"),
        "{header}"
    );
    assert!(header.contains("16-bit floating-point"), "{header}");
    // Radiance HDR and PNG hold the same picture (the crate `image` reads both).
    let light = image::open(folder.path().join("pano.hdr"))
        .unwrap()
        .to_rgb32f();
    let shown = image::open(folder.path().join("pano.png"))
        .unwrap()
        .to_rgb8();
    for (l, s) in light.pixels().zip(shown.pixels()) {
        for c in 0..3 {
            let signal = dome_imaging::transfer::srgb_from_linear(l.0[c].min(1.0)) * 255.0;
            assert!((signal - f32::from(s.0[c])).abs() < 2.5, "{l:?} {s:?}");
        }
    }
}

#[test]
fn the_same_bytes_whatever_the_threads_and_other_noise_by_another_seed() {
    let folder = tempfile::tempdir().unwrap();
    let scene = scene_in(folder.path());
    let render = |name: &str, extra: &[&str]| {
        let out = folder.path().join(name);
        let args = [
            &[
                "render",
                text(&scene),
                "-o",
                text(&out),
                "--width",
                "96",
                "--samples",
                "4",
            ],
            extra,
        ]
        .concat();
        run_ok(&args);
        std::fs::read(out).unwrap()
    };
    let one = render("one.exr", &["--threads", "1"]);
    assert_eq!(one, render("two.exr", &["--threads", "2"]));
    assert_eq!(one, render("again.exr", &[]));
    assert_ne!(one, render("seed.exr", &["--seed", "5"]));
}

/// The lamp's column by its heading, from the definition of the projection.
#[test]
fn a_lamp_stands_where_its_heading_says() {
    let folder = tempfile::tempdir().unwrap();
    let scene = scene_in(folder.path());
    let out = folder.path().join("pano.png");
    let eye = [-0.7, 1.2, 0.9];
    run_ok(&[
        "render",
        text(&scene),
        "-o",
        text(&out),
        "--at",
        "-0.7,1.2,0.9",
        "--heading",
        "-20",
        "--width",
        "512",
        "--samples",
        "1",
    ]);
    let shot = image::open(&out).unwrap().to_rgb8();
    let lit: Vec<(u32, u32)> = shot
        .enumerate_pixels()
        .filter(|(_, _, p)| p.0 == [255; 3])
        .map(|(x, y, _)| (x, y))
        .collect();
    assert!(lit.len() > 10, "{}", lit.len());
    let mean = |f: &dyn Fn(&(u32, u32)) -> u32| {
        lit.iter().map(|p| f64::from(f(p)) + 0.5).sum::<f64>() / lit.len() as f64
    };
    let d: [f64; 3] = std::array::from_fn(|i| support::scene::LAMP[i] - eye[i]);
    let heading = d[0].atan2(-d[2]).to_degrees();
    let pitch = d[1].atan2(d[0].hypot(d[2])).to_degrees();
    let column = ((heading + 20.0) / 360.0 + 0.5) * 512.0;
    let row = (0.5 - pitch / 180.0) * 256.0;
    assert!(
        (mean(&|p| p.0) - column).abs() < 1.0 && (mean(&|p| p.1) - row).abs() < 1.0,
        "{} {} instead of {column} {row}",
        mean(&|p| p.0),
        mean(&|p| p.1)
    );
}

#[test]
fn tagging_touches_no_pixel_and_keeps_what_was_there() {
    let folder = tempfile::tempdir().unwrap();
    let (plain, tagged) = (
        folder.path().join("plain.jpg"),
        folder.path().join("tagged.jpg"),
    );
    picture(512, 256).save(&plain).unwrap();
    // Foreign metadata, put in by exiftool.
    outside(
        "exiftool",
        &[
            "-q",
            "-overwrite_original",
            "-XMP-dc:Title=Evening",
            "-Artist=Nobody",
            "-XMP-GPano:FullPanoWidthPixels=99",
            text(&plain),
        ],
    );
    run_ok(&[
        "tag",
        text(&plain),
        "-o",
        text(&tagged),
        "--heading",
        "90",
        "--opening",
        "120.5,-5",
        "--fov",
        "80",
        "--make",
        "Merlow",
        "--model",
        "Dome 1",
    ]);
    let tags = exiftool(&tagged);
    for (key, value) in [
        ("ProjectionType", json!("equirectangular")),
        ("UsePanoramaViewer", json!(true)),
        ("FullPanoWidthPixels", json!(512)),
        ("FullPanoHeightPixels", json!(256)),
        ("CroppedAreaImageWidthPixels", json!(512)),
        ("CroppedAreaLeftPixels", json!(0)),
        ("PoseHeadingDegrees", json!(90)),
        ("InitialViewHeadingDegrees", json!(120.5)),
        ("InitialViewPitchDegrees", json!(-5)),
        ("InitialHorizontalFOVDegrees", json!(80)),
        ("Make", json!("Merlow")),
        ("Model", json!("Dome 1")),
        ("Title", json!("Evening")),
        ("Artist", json!("Nobody")),
    ] {
        assert_eq!(tags[key], value, "{key} in {tags}");
    }
    // From the first scan on the bytes are the same.
    let scan = |p: &Path| {
        let bytes = std::fs::read(p).unwrap();
        let at = bytes.windows(2).position(|w| w == [0xff, 0xda]).unwrap();
        bytes[at..].to_vec()
    };
    assert_eq!(scan(&plain), scan(&tagged));
    assert_eq!(image::open(&plain).unwrap(), image::open(&tagged).unwrap());
    // Once more into the same file changes nothing but what is asked, and never doubles anything.
    run_ok(&["tag", text(&tagged), "-o", text(&tagged), "--heading", "10"]);
    let tags = exiftool(&tagged);
    assert_eq!(
        (&tags["PoseHeadingDegrees"], &tags["Title"]),
        (&json!(10), &json!("Evening"))
    );
    assert_eq!(tags["InitialViewHeadingDegrees"], Value::Null);
    assert_eq!(
        outside(
            "exiftool",
            &["-validate", "-warning", "-a", "-s3", text(&tagged)]
        )
        .trim(),
        "OK"
    );
    // Cleared, the rest is gone.
    run_ok(&["tag", text(&tagged), "-o", text(&tagged), "--clear"]);
    let tags = exiftool(&tagged);
    assert_eq!(
        (&tags["Title"], &tags["Artist"], &tags["Make"]),
        (&Value::Null, &Value::Null, &Value::Null)
    );
    assert_eq!(tags["ProjectionType"], "equirectangular");
    assert_eq!(scan(&plain), scan(&tagged));
}

#[test]
fn tagging_a_png_and_a_part_of_a_sphere() {
    let folder = tempfile::tempdir().unwrap();
    let (png, out) = (folder.path().join("a.png"), folder.path().join("b.png"));
    picture(200, 100).save(&png).unwrap();
    run_ok(&[
        "tag",
        text(&png),
        "-o",
        text(&out),
        "--opening",
        "200,10",
        "--make",
        "M",
    ]);
    let tags = exiftool(&out);
    assert_eq!(
        (
            &tags["ProjectionType"],
            &tags["InitialViewHeadingDegrees"],
            &tags["Make"]
        ),
        (&json!("equirectangular"), &json!(200), &json!("M"))
    );
    assert_eq!(image::open(&png).unwrap(), image::open(&out).unwrap());
    let found = inspect(&out);
    assert!(
        found["sphere"] == true && found["reason"].as_str().unwrap().contains("PNG"),
        "{found}"
    );

    let front = folder.path().join("front.jpg");
    picture(100, 100).save(&front).unwrap();
    let out = folder.path().join("tagged.jpg");
    let message = run_fails(&["tag", text(&front), "-o", text(&out)], 1);
    assert!(
        message.contains("100 x 100") && message.contains("--part"),
        "{message}"
    );
    run_ok(&[
        "tag",
        text(&front),
        "-o",
        text(&out),
        "--part",
        "50,0,200,100",
    ]);
    let found = inspect(&out);
    assert_eq!(
        (
            &found["cropped_left"],
            &found["full_width"],
            &found["sphere"]
        ),
        (&json!(50), &json!(200), &json!(true))
    );
    for (part, word) in [("150,0,200,100", "beyond"), ("0,0,200,120", "twice")] {
        let message = run_fails(&["tag", text(&front), "-o", text(&out), "--part", part], 1);
        assert!(message.contains(word), "{message}");
    }
}

#[test]
fn an_untagged_picture_is_flat_and_says_why() {
    let folder = tempfile::tempdir().unwrap();
    let plain = folder.path().join("plain.jpg");
    picture(64, 32).save(&plain).unwrap();
    let found = inspect(&plain);
    assert_eq!(
        (&found["format"], &found["sphere"], &found["projection"]),
        (&json!("JPEG"), &json!(false), &Value::Null)
    );
    assert!(
        found["reason"].as_str().unwrap().contains("flat"),
        "{found}"
    );
    // Wrong words in the file are told, not believed.
    outside(
        "exiftool",
        &[
            "-q",
            "-overwrite_original",
            "-XMP-GPano:ProjectionType=equirectangular",
            "-XMP-GPano:FullPanoWidthPixels=64",
            "-XMP-GPano:FullPanoHeightPixels=36",
            text(&plain),
        ],
    );
    let found = inspect(&plain);
    assert!(
        found["sphere"] == false && found["reason"].as_str().unwrap().contains("64 x 36"),
        "{found}"
    );
}

#[test]
fn bad_input_gets_one_sentence_and_leaves_the_output_alone() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let write = |name: &str, bytes: &[u8]| {
        std::fs::write(at(name), bytes).unwrap();
        at(name)
    };
    picture(64, 32).save(at("good.jpg")).unwrap();
    picture(64, 32).save(at("good.png")).unwrap();
    let (jpg, png) = (
        std::fs::read(at("good.jpg")).unwrap(),
        std::fs::read(at("good.png")).unwrap(),
    );
    let glb = support::scene::room_glb();
    let kept = write("kept.jpg", b"an older file");

    // Pictures: empty, cut short, another type, a folder, not there.
    let pictures = [
        (write("empty.jpg", b""), "empty"),
        (write("short.jpg", &jpg[..jpg.len() - 20]), "end"),
        (write("short.png", &png[..png.len() / 2]), "chunks"),
        (
            write("text.jpg", b"hello, this is text"),
            "neither JPEG nor PNG",
        ),
        (folder.path().to_owned(), "not a file"),
        (at("missing.jpg"), "missing.jpg"),
    ];
    for (path, word) in &pictures {
        let message = run_fails(&["tag", text(path), "-o", text(&kept)], 1);
        assert!(
            message.contains(word) && message.lines().count() == 1,
            "{message}"
        );
        run_fails(&["inspect", text(path)], 1);
    }
    // A packet that defines entities.
    let entities = b"<?xpacket begin='' id='W5M0MpCehiHzreSzNTczkc9d'?><!DOCTYPE x [<!ENTITY a 'b'>]><x:xmpmeta xmlns:x='adobe:ns:meta/'>&a;</x:xmpmeta>";
    let segment = [
        &b"\xff\xe1"[..],
        &((entities.len() + 31) as u16).to_be_bytes(),
        b"http://ns.adobe.com/xap/1.0/\0",
        entities,
    ]
    .concat();
    let evil = write("evil.jpg", &[&jpg[..2], &segment, &jpg[2..]].concat());
    assert!(run_fails(&["tag", text(&evil), "-o", text(&kept)], 1).contains("--clear"));
    run_ok(&["tag", text(&evil), "-o", text(&at("mended.jpg")), "--clear"]);
    // A truncated EXR.
    run_ok(&[
        "render",
        text(&write("room.glb", &glb)),
        "-o",
        text(&at("whole.exr")),
        "--width",
        "64",
        "--samples",
        "1",
    ]);
    let exr = std::fs::read(at("whole.exr")).unwrap();
    assert!(
        run_fails(
            &[
                "inspect",
                text(&write("short.exr", &exr[..exr.len() - 100]))
            ],
            1
        )
        .contains("short.exr")
    );
    // An HDR that tells a size it cannot hold.
    let hdr = write(
        "tiny.hdr",
        b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 9000 +X 18000\n123",
    );
    assert!(run_fails(&["inspect", text(&hdr)], 1).contains("18000 x 9000"));

    // Scenes.
    let (mut document, binary) = support::scene::room();
    document["extensionsRequired"] = json!(["KHR_draco_mesh_compression"]);
    let draco = support::scene::pack(&document, &binary);
    let (mut document, _) = support::scene::room();
    document["accessors"][1]["count"] = json!(36_000);
    let beyond = support::scene::pack(&document, &binary);
    let (mut document, _) = support::scene::room();
    document["buffers"] = json!([{"uri": "../../secret.bin", "byteLength": 168}]);
    let climbing = document.to_string();
    let version1 = br#"{"asset": {"version": "1.0"}}"#;
    let scenes = [
        (write("draco.glb", &draco), "KHR_draco_mesh_compression"),
        (write("beyond.glb", &beyond), "accessor 1"),
        (write("climb.gltf", climbing.as_bytes()), "secret.bin"),
        (write("old.gltf", version1), "version 1.0"),
        (write("short.glb", &glb[..glb.len() / 2]), "short.glb"),
        (write("empty.glb", b""), "empty"),
        (write("scene.fbx", b"x"), ".fbx"),
        (write("nothing.obj", b"# nothing\n"), "no triangles"),
        (at("gone.glb"), "gone.glb"),
    ];
    for (path, word) in &scenes {
        let message = run_fails(
            &[
                "render",
                text(path),
                "-o",
                text(&kept),
                "--width",
                "32",
                "--samples",
                "1",
            ],
            1,
        );
        assert!(message.contains(word), "{message}");
    }
    // Archives: one that climbs, one that holds no scene, one that is none.
    let zipped = |name: &str, entries: &[(&str, &[u8])]| {
        let mut zip = zip::ZipWriter::new(std::fs::File::create(at(name)).unwrap());
        for (inside, bytes) in entries {
            zip.start_file(*inside, zip::write::SimpleFileOptions::default())
                .unwrap();
            std::io::Write::write_all(&mut zip, bytes).unwrap();
        }
        zip.finish().unwrap();
        at(name)
    };
    for (path, word) in [
        (
            zipped("climb.zip", &[("../evil.obj", b"v 0 0 0")]),
            "leads out",
        ),
        (
            zipped("photos.zip", &[("a.txt", b"hello")]),
            "no .gltf, .glb, .obj or .ply",
        ),
        (
            zipped("two.zip", &[("a.glb", &glb), ("b.glb", &glb)]),
            "several scenes",
        ),
        (write("no.zip", b"PK and then nothing"), "no.zip"),
    ] {
        let message = run_fails(
            &["render", text(&path), "-o", text(&kept), "--width", "32"],
            1,
        );
        assert!(message.contains(word), "{message}");
    }
    assert!(!folder.path().parent().unwrap().join("evil.obj").exists());
    let good = zipped(
        "good.zip",
        &[("room/room.glb", &glb), ("room/read me.txt", b"hi")],
    );
    run_ok(&[
        "render",
        text(&good),
        "-o",
        text(&at("zip.png")),
        "--width",
        "32",
        "--samples",
        "1",
    ]);

    // Sizes, places, endings.
    let room = at("room.glb");
    for (extra, status, word) in [
        (vec!["--width", "33"], 1, "odd"),
        (vec!["--width", "70000"], 1, "70000"),
        (vec!["--width", "-4"], 2, "-4"),
        (vec!["--at", "1,2"], 2, "3 numbers"),
        (vec!["--at", "NaN,0,0"], 2, "3 numbers"),
        (vec!["--heading", "north"], 2, "not a number"),
        (vec!["--samples", "0"], 2, "0"),
    ] {
        let args = [vec!["render", text(&room), "-o", text(&kept)], extra].concat();
        assert!(run_fails(&args, status).contains(word));
    }
    assert!(run_fails(&["render", text(&room), "-o", text(&at("x.bmp"))], 1).contains(".bmp"));
    assert!(
        run_fails(&["render", text(&room), "-o", "/no/such/folder/x.png"], 1)
            .contains("/no/such/folder")
    );
    for (angle, word) in [("NaN,0", "2 numbers"), ("0,95", "95")] {
        let out = run(&[
            "tag",
            text(&at("good.jpg")),
            "-o",
            text(&kept),
            "--opening",
            angle,
        ]);
        assert!(!out.status.success() && String::from_utf8_lossy(&out.stderr).contains(word));
    }
    assert_eq!(std::fs::read(&kept).unwrap(), b"an older file");
    let left: Vec<_> = std::fs::read_dir(folder.path())
        .unwrap()
        .flatten()
        .filter(|e| e.file_name().to_string_lossy().starts_with(".unfinished"))
        .collect();
    assert!(left.is_empty(), "{left:?}");
}

#[test]
fn an_obj_with_its_mtl_and_without() {
    let folder = tempfile::tempdir().unwrap();
    let obj = folder.path().join("box.obj");
    let lines = "mtllib box.mtl\nusemtl red\nv -2 0 -2\nv 2 0 -2\nv 2 0 2\nv -2 0 2\nf 1 2 3 4\n";
    std::fs::write(&obj, lines).unwrap();
    let out = folder.path().join("out.png");
    let render = || {
        let done = run(&[
            "render",
            text(&obj),
            "-o",
            text(&out),
            "--width",
            "32",
            "--samples",
            "16",
        ]);
        assert!(done.status.success());
        let floor = image::open(&out).unwrap().to_rgb8().get_pixel(16, 15).0;
        (String::from_utf8(done.stderr).unwrap(), floor)
    };
    let (notes, grey) = render();
    assert!(
        notes.contains("box.mtl") && notes.contains("grey"),
        "{notes}"
    );
    assert!(grey[0].abs_diff(grey[1]) < 20, "{grey:?}");
    std::fs::write(
        folder.path().join("box.mtl"),
        "newmtl red\nKd 0.8 0.05 0.05\nPr 0.9\n",
    )
    .unwrap();
    let (_, red) = render();
    assert!(red[0] > 2 * red[1], "{red:?}");
}

#[test]
fn help_explains_each_command_with_an_example() {
    let overview = run_ok(&["--help"]);
    for command in ["serve", "render", "join", "scene", "tag", "inspect"] {
        assert!(overview.contains(command));
        assert!(
            run_ok(&[command, "--help"]).contains("Example"),
            "{command}"
        );
    }
    run_fails(&["paint"], 2);
}

/// gltf-validator (npm), the reference checker of the format, finds no error in the demo scene.
#[test]
fn the_demo_scene_is_valid_gltf() {
    let folder = tempfile::tempdir().unwrap();
    let glb = folder.path().join("merlow.glb");
    run_ok(&["demo-scene", "-o", text(&glb)]);
    let web = concat!(env!("CARGO_MANIFEST_DIR"), "/../web");
    let script = "const v = require('gltf-validator'), fs = require('fs');
        v.validateBytes(new Uint8Array(fs.readFileSync(process.argv[1]))).then(r => console.log(JSON.stringify(r.issues.numErrors)));";
    let out = std::process::Command::new("node")
        .args(["-e", script, text(&glb)])
        .current_dir(web)
        .output()
        .unwrap();
    assert_eq!(
        String::from_utf8_lossy(&out.stdout).trim(),
        "0",
        "{}",
        String::from_utf8_lossy(&out.stderr)
    );
}
