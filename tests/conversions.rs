//! Conversion by command, against programs that others made, and what it refuses.

use crate::support;

use dome_files::rows::PictureRows;
use dome_imaging::convert::Pixel;
use dome_optics::{PicturePoint, Projection, Shape};
use std::path::{Path, PathBuf};
use support::{exiftool, outside, run_fails, run_ok, text};

/// A colour for every direction, without any symmetry.
fn colour(d: glam::DVec3) -> [f64; 3] {
    let f = |k: f64, v: glam::DVec3| 0.5 + 0.45 * (k * d.dot(v)).sin();
    [
        f(5.0, glam::DVec3::new(1.0, 0.3, -0.2)) * (0.6 + 0.4 * d.x),
        f(6.0, glam::DVec3::new(-0.4, 1.0, 0.5)) * (0.6 + 0.4 * d.y),
        f(4.0, glam::DVec3::new(0.2, -0.6, 1.0)) * (0.6 + 0.4 * d.z),
    ]
}

/// Paints a shape straight from its definition, as an 8-bit PNG.
fn paint(path: &Path, shape: Shape, width: u32) {
    let (w, h) = shape.size(Some(width), None).unwrap();
    let bytes: Vec<u8> = (0..h)
        .flat_map(|y| (0..w).map(move |x| (x, y)))
        .flat_map(|(x, y)| {
            let d = shape.to_direction(PicturePoint::pixel_centre(x, y, w, h));
            d.map_or([0; 3], |d| colour(d).map(|v| (v * 255.0).round() as u8))
        })
        .collect();
    let kind = dome_files::png::Kind::default();
    let mut file = Vec::new();
    dome_files::png::encode(&mut file, w, h, kind, None, |rows| rows(&bytes)).unwrap();
    std::fs::write(path, file).unwrap();
}

fn read(path: &Path) -> (u32, Vec<Pixel>) {
    let rows = PictureRows::open(path).unwrap();
    let width = rows.width;
    (width, rows.light().flat_map(|r| r.unwrap()).collect())
}

/// Peak signal to noise of the signals, decibels, where `counts` says so (in shares of the picture).
fn psnr(a: &Path, b: &Path, counts: impl Fn(f64, f64) -> bool) -> f64 {
    let ((width, a), (other, b)) = (read(a), read(b));
    assert_eq!((width, a.len()), (other, b.len()));
    let height = a.len() as u32 / width;
    let (mut sum, mut n) = (0.0, 0.0);
    for (i, (a, b)) in a.iter().zip(&b).enumerate() {
        let (x, y) = (i as u32 % width, i as u32 / width);
        let share = |v: u32, of: u32| (f64::from(v) + 0.5) / f64::from(of);
        if counts(share(x, width), share(y, height)) {
            let signal = |p: &Pixel| {
                [p.x, p.y, p.z].map(|v| f64::from(dome_imaging::transfer::srgb_from_linear(v)))
            };
            for (a, b) in signal(a).iter().zip(signal(b)) {
                sum += (a - b).powi(2);
                n += 1.0;
            }
        }
    }
    10.0 * (n / f64::max(sum, 1e-12)).log10()
}

struct Folder(tempfile::TempDir);

impl Folder {
    fn new() -> Self {
        Self(tempfile::tempdir().unwrap())
    }

    fn at(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }
}

fn convert(from: &Path, to: &Path, extra: &[&str]) -> String {
    run_ok(&[&["convert", text(from), "-o", text(to)][..], extra].concat())
}

/// ffmpeg (Debian): its general remapping filter for cube grids, the equi-angular cube, fisheyes, perspective
/// and turns. Its samples lie on the ends where ours go by area, so half a pixel apart at most.
#[test]
fn shapes_agree_with_ffmpegs_filter() {
    let f = Folder::new();
    let sphere = f.at("sphere.png");
    paint(&sphere, Shape::Equirect, 1024);
    let disc = |x: f64, y: f64| (x - 0.5).hypot(y - 0.5) < 0.48;
    for (name, filter, ours) in [
        (
            "grid",
            "c3x2:w=768:h=512",
            vec![
                "--to",
                "cube-3x2",
                "--size",
                "768",
                "--order",
                "right,left,up,down,front,back",
            ],
        ),
        // The one order of faces that films have: with ffmpeg's third and fourth face turned by half (its frame rotation 002200).
        (
            "film cube",
            "c3x2:w=768:h=512:out_frot=002200",
            vec![
                "--to",
                "cube-3x2",
                "--size",
                "768",
                "--order",
                "right,left,up:180,down:180,front,back",
            ],
        ),
        (
            "eac",
            "eac:w=768:h=512",
            vec![
                "--to",
                "eac-3x2",
                "--size",
                "768",
                "--order",
                "left,front,right,down:270,back:90,up:270",
            ],
        ),
        (
            "dome",
            "fisheye:h_fov=180:v_fov=180:w=512:h=512",
            vec!["--to", "fisheye:180", "--size", "512"],
        ),
        (
            "equal-area",
            "ball:w=512:h=512",
            vec!["--to", "fisheye-equisolid:360", "--size", "512"],
        ),
        (
            "frame",
            "flat:h_fov=90:v_fov=60:yaw=30:pitch=20:roll=10:w=512:h=296",
            vec![
                "--to",
                "perspective:90x60",
                "--size",
                "512x296",
                "--turn",
                "30,20,10",
            ],
        ),
    ] {
        let (theirs, got) = (f.at(&format!("{name}-f.png")), f.at(&format!("{name}.png")));
        let filter = format!("v360=e:{filter}:interp=cubic");
        outside(
            "ffmpeg",
            &[
                "-v",
                "error",
                "-y",
                "-i",
                text(&sphere),
                "-vf",
                &filter,
                "-update",
                "1",
                text(&theirs),
            ],
        );
        convert(&sphere, &got, &ours);
        let round = name == "dome" || name == "equal-area";
        let apart = psnr(&got, &theirs, |x, y| !round || disc(x, y));
        assert!(apart > 38.0, "{name}: {apart:.1} dB");
    }
    // And back: its cube read as a sphere.
    let back = f.at("back.png");
    convert(
        &f.at("grid-f.png"),
        &back,
        &[
            "--from",
            "cube-3x2",
            "--from-order",
            "right,left,up,down,front,back",
            "--to",
            "equirect",
            "--size",
            "1024",
        ],
    );
    let apart = psnr(&back, &sphere, |_, _| true);
    assert!(apart > 38.0, "back: {apart:.1} dB");
}

/// OpenEXR's own utility (Debian openexr): its cube of our sphere is our cube, and read back it is the sphere.
#[test]
fn environment_maps_agree_with_openexrs_utility() {
    let f = Folder::new();
    let (png, sphere) = (f.at("sphere.png"), f.at("sphere.exr"));
    paint(&png, Shape::Equirect, 1024);
    convert(&png, &sphere, &["--to", "equirect", "--size", "1024"]);
    let (theirs, ours) = (f.at("theirs.exr"), f.at("ours.exr"));
    outside(
        "exrenvmap",
        &["-c", "-w", "256", text(&sphere), text(&theirs)],
    );
    convert(
        &sphere,
        &ours,
        &[
            "--to",
            "cube-1x6",
            "--order",
            "left,right,up:180,down:180,front,back",
            "--size",
            "256",
        ],
    );
    let apart = psnr(&ours, &theirs, |_, _| true);
    assert!(apart > 38.0, "{apart:.1} dB");
    // Both say in their header that they are such a cube, so no shape need be told.
    for cube in [&theirs, &ours] {
        let header = outside("exrheader", &[text(cube)]);
        assert!(header.contains("cube-face map"), "{header}");
        let back = f.at("back.exr");
        convert(cube, &back, &["--to", "equirect", "--size", "1024"]);
        let apart = psnr(&back, &sphere, |_, _| true);
        assert!(apart > 38.0, "{apart:.1} dB");
    }
}

#[test]
fn six_faces_become_a_sphere_and_back() {
    let f = Folder::new();
    let sphere = f.at("sphere.png");
    paint(&sphere, Shape::Equirect, 512);
    let written = convert(
        &sphere,
        &f.at("room.png"),
        &["--to", "cube-faces", "--size", "192"],
    );
    let files: Vec<&str> = written.lines().collect();
    assert_eq!(files.len(), 6);
    for (file, face) in files
        .iter()
        .zip(["left", "front", "right", "back", "up", "down"])
    {
        assert!(file.ends_with(&format!("room-{face}.png")), "{file}");
    }
    // A face is no sphere, so it says nothing to viewers.
    assert!(
        exiftool(Path::new(files[0]))
            .get("ProjectionType")
            .is_none()
    );
    let whole = f.at("whole.png");
    let mut args = vec!["convert"];
    let mut mixed = files.clone();
    mixed.reverse();
    args.extend(mixed);
    args.extend(["-o", text(&whole), "--to", "equirect", "--size", "512"]);
    run_ok(&args);
    assert!(psnr(&whole, &sphere, |_, _| true) > 38.0);
    assert_eq!(exiftool(&whole)["ProjectionType"], "equirectangular");
    // The same by one name for all six.
    let again = f.at("again.png");
    convert(
        &f.at("room.png"),
        &again,
        &["--from", "cube-faces", "--to", "equirect", "--size", "512"],
    );
    assert_eq!(
        std::fs::read(&whole).unwrap(),
        std::fs::read(&again).unwrap()
    );
    // Turned faces under any order come back, the turns told again.
    let turned = f.at("turned.png");
    let order = "right,left,up:90,down:180,front,back";
    convert(
        &sphere,
        &turned,
        &["--to", "cube-faces", "--size", "192", "--order", order],
    );
    let told = &[
        "--from",
        "cube-faces",
        "--from-order",
        order,
        "--to",
        "equirect",
        "--size",
        "512",
    ];
    convert(&turned, &again, told);
    assert!(psnr(&again, &sphere, |_, _| true) > 38.0);
    // Numbers alone say nothing; then the order does.
    let mut numbered = vec![String::from("convert")];
    for (i, face) in ["right", "left", "up", "down", "front", "back"]
        .iter()
        .enumerate()
    {
        let to = f.at(&format!("n{i}.png"));
        std::fs::copy(f.at(&format!("turned-{face}.png")), &to).unwrap();
        numbered.push(text(&to).into());
    }
    numbered.extend(["-o", text(&again)].map(String::from));
    numbered.extend(told.iter().map(|s| String::from(*s)));
    let out = support::owl_dome().args(&numbered).output().unwrap();
    let said = String::from_utf8_lossy(&out.stderr).into_owned();
    assert!(said.contains("n2.png as up:90"), "{said}");
    assert!(psnr(&again, &sphere, |_, _| true) > 38.0);
    // An EXR tells the order of its faces itself.
    let cube = f.at("cube.exr");
    convert(
        &sphere,
        &cube,
        &["--to", "cube-3x2", "--size", "576", "--order", order],
    );
    convert(&cube, &again, &["--to", "equirect", "--size", "512"]);
    assert!(psnr(&again, &sphere, |_, _| true) > 38.0);
    // Five are allowed; what is missing is see-through.
    let five = f.at("five.png");
    let out = support::run(&[
        "convert",
        files[0],
        files[1],
        files[2],
        files[3],
        files[4],
        "-o",
        text(&five),
        "--to",
        "equirect",
    ]);
    assert!(String::from_utf8_lossy(&out.stderr).contains("The face down is missing"));
    let (width, pixels) = read(&five);
    assert_eq!((pixels[0].w, pixels[pixels.len() - 1].w), (1.0, 0.0));
    assert_eq!(width, 768);
    // One sentence for what is no cube.
    paint(&f.at("room-back.png"), Shape::Equirect, 192);
    let said = run_fails(
        &[
            "convert",
            text(&f.at("room.png")),
            "-o",
            text(&whole),
            "--from",
            "cube-faces",
            "--to",
            "equirect",
        ],
        1,
    );
    assert!(
        said.contains("room-back.png is 192 x 96 px, and a face of a cube is square"),
        "{said}"
    );
    paint(&f.at("room-back.png"), "octahedral".parse().unwrap(), 100);
    let said = run_fails(
        &[
            "convert",
            text(&f.at("room.png")),
            "-o",
            text(&whole),
            "--from",
            "cube-faces",
            "--to",
            "equirect",
        ],
        1,
    );
    assert!(said.contains("all faces need the same size"), "{said}");
}

#[test]
fn depth_range_and_metadata_are_right() {
    let f = Folder::new();
    // Light far beyond white in an EXR survives as float; 16 bits stay 16 bits.
    let (png, exr) = (f.at("s.png"), f.at("s.exr"));
    paint(&png, Shape::Equirect, 128);
    convert(&png, &exr, &["--to", "equirect", "--size", "128"]);
    let ball = f.at("ball.exr");
    convert(&exr, &ball, &["--to", "mirror-ball", "--size", "128"]);
    let header = outside("exrheader", &[text(&ball)]);
    assert!(
        !header.contains("latitude-longitude") && header.contains("Shape mirror-ball"),
        "{header}"
    );
    // A part of the sphere is told with its place in the whole.
    let part = f.at("part.jpg");
    convert(
        &png,
        &part,
        &["--to", "equirect:180x90@45,10", "--size", "256"],
    );
    let tags = exiftool(&part);
    assert_eq!(tags["FullPanoWidthPixels"], 512);
    assert_eq!(tags["CroppedAreaLeftPixels"], 192);
    assert_eq!(tags["CroppedAreaTopPixels"], 50);
    // And read back without a word it is that part.
    let whole = f.at("whole.png");
    convert(&part, &whole, &["--to", "equirect", "--size", "128"]);
    let covered = read(&whole).1.iter().filter(|p| p.w > 0.9).count();
    assert!(
        (covered as f64 / (128.0 * 64.0) - 0.25).abs() < 0.03,
        "{covered}"
    );
    for (args, says) in [
        (
            vec!["--to", "equirect", "--size", "1920x1080"],
            "1920 px wide it is 960 px high",
        ),
        (vec!["--to", "sphere"], "no shape"),
        (
            vec!["--to", "octahedral", "--order", "left,right"],
            "names six faces",
        ),
        (
            vec!["--to", "octahedral", "--from", "cube-cross"],
            "not the ratio of cube-cross",
        ),
        (vec!["--to", "fisheye-orthographic:270"], "at most 180"),
    ] {
        let all = [&["convert", text(&png), "-o", text(&whole)][..], &args].concat();
        let out = support::run(&all);
        let said = String::from_utf8_lossy(&out.stderr).into_owned();
        assert!(
            !out.status.success() && said.contains(says) && !said.contains("panicked"),
            "{args:?}: {said}"
        );
    }
    let listed = run_ok(&["shapes"]);
    assert!(listed.contains("eac-3x2") && listed.contains("left front right back up down"));
}

/// A render in another shape is the converted sphere: the same scene through the other projection.
#[test]
fn renders_in_other_shapes_agree_with_converted_ones() {
    let f = Folder::new();
    let scene = support::scene_in(f.0.path());
    let sphere = f.at("sphere.exr");
    let common = ["--samples", "32", "--at", "0,1.2,0"];
    run_ok(
        &[
            &[
                "render",
                text(&scene),
                "-o",
                text(&sphere),
                "--width",
                "256",
            ][..],
            &common,
        ]
        .concat(),
    );
    for (shape, width) in [
        ("cube-3x2", "96"),
        ("fisheye:180", "64"),
        ("octahedral", "64"),
        ("perspective:90x60@0.1,0.1", "60"),
    ] {
        let (rendered, converted) = (f.at("r.exr"), f.at("c.exr"));
        run_ok(
            &[
                &[
                    "render",
                    text(&scene),
                    "-o",
                    text(&rendered),
                    "--shape",
                    shape,
                    "--width",
                    width,
                ][..],
                &common,
            ]
            .concat(),
        );
        convert(&sphere, &converted, &["--to", shape, "--size", width]);
        let apart = psnr(&rendered, &converted, |_, _| true);
        assert!(apart > 24.0, "{shape}: {apart:.1} dB");
    }
    let faces = run_ok(
        &[
            &[
                "render",
                text(&scene),
                "-o",
                text(&f.at("k.png")),
                "--shape",
                "cube-faces",
                "--width",
                "32",
            ][..],
            &common,
        ]
        .concat(),
    );
    assert_eq!(faces.lines().count(), 6);
    let said = run_fails(
        &[
            "render",
            text(&scene),
            "-o",
            text(&sphere),
            "--shape",
            "cube-6x1",
            "--width",
            "1000",
        ],
        1,
    );
    assert!(said.contains("take 996 or 1002 px"), "{said}");
}

/// The maps for lighting say what they are to OpenEXR's utility, and agree with each other.
#[test]
fn light_maps_are_made_together() {
    let f = Folder::new();
    let (png, maps) = (f.at("s.png"), f.at("maps"));
    paint(&png, Shape::Equirect, 256);
    let written = run_ok(&["light-maps", text(&png), "-o", text(&maps), "--side", "32"]);
    assert_eq!(written.lines().count(), 6, "{written}");
    let header = |name: &str| outside("exrheader", &[text(&maps.join(name))]);
    assert!(header("sphere.exr").contains("latitude-longitude map"));
    assert!(header("cube.exr").contains("cube-face map"));
    let json: serde_json::Value =
        serde_json::from_slice(&std::fs::read(maps.join("harmonics.json")).unwrap()).unwrap();
    // The axes that the file tells, as numbers: right-handed, and those of the words.
    let axes = &json["axes_in_gltf"];
    assert_eq!(axes, &serde_json::json!([[1, 0, 0], [0, 0, -1], [0, 1, 0]]));
    assert!(json["axes"].as_str().unwrap().starts_with("right-handed"));
    // The mean of the diffuse map over the sphere is the mean of the light: its first harmonic times
    // sqrt(1 / 4 pi).
    let (width, diffuse) = read(&maps.join("diffuse.exr"));
    let height = diffuse.len() as u32 / width;
    let mean: f64 = (diffuse.iter().enumerate())
        .map(|(i, p)| {
            let angle = Shape::Equirect.solid_angle(0, i as u32 / width, width, height);
            f64::from(p.y) * angle / (4.0 * std::f64::consts::PI)
        })
        .sum();
    let first = json["radiance"][0][1].as_f64().unwrap() * 0.282_094_8;
    assert!((mean - first).abs() < 0.005, "{mean} {first}");
    // A quarter turn brings the right to the middle; a mirror image swaps left and right.
    run_ok(&[
        "light-maps",
        text(&png),
        "-o",
        text(&f.at("turned")),
        "--turn",
        "90",
        "--make",
        "sphere",
    ]);
    run_ok(&[
        "light-maps",
        text(&png),
        "-o",
        text(&f.at("mirrored")),
        "--mirror",
        "--make",
        "sphere",
    ]);
    let row = |folder: &str| read(&f.at(folder).join("sphere.exr")).1[64 * 256..65 * 256].to_vec();
    let (plain, turned, mirrored) = (row("maps"), row("turned"), row("mirrored"));
    for x in 0..256usize {
        assert!((turned[x] - plain[(x + 64) % 256]).abs().max_element() < 2e-3);
        assert!((mirrored[x] - plain[255 - x]).abs().max_element() < 1e-6);
    }
    // The same in the words of another program: its middle is the right, and it is left-handed.
    let words = ["--middle", "x", "--hand", "left", "--make", "sphere"];
    let other = f.at("other");
    run_ok(&[&["light-maps", text(&png), "-o", text(&other)][..], &words].concat());
    for (x, p) in row("other").iter().enumerate() {
        assert!((*p - turned[255 - x]).abs().max_element() < 1e-6);
    }
    let said = run_fails(
        &["light-maps", text(&png), "-o", text(&maps), "--side", "100"],
        1,
    );
    assert!(said.contains("power of two"), "{said}");
}

/// Seams by command: none in a true sphere, one where an edge was spoilt.
#[test]
fn seams_are_told() {
    let f = Folder::new();
    let png = f.at("s.png");
    paint(&png, Shape::Equirect, 512);
    assert!(run_ok(&["seams", text(&png)]).contains("No seams"));
    let mut spoilt = image::open(&png).unwrap().to_rgb8();
    for y in 100..140 {
        for x in 504..512 {
            spoilt.put_pixel(x, y, image::Rgb([250, 20, 20]));
        }
    }
    spoilt.save(&png).unwrap();
    let told: serde_json::Value =
        serde_json::from_str(&run_ok(&["seams", text(&png), "--json"])).unwrap();
    let worst = &told["seams"][0];
    assert_eq!(
        (&worst["edge"], &worst["visible"]),
        (&"left-right edge".into(), &true.into())
    );
    assert!(
        (worst["heading_deg"].as_f64().unwrap() - 180.0).abs() < 1e-6,
        "{worst}"
    );
    assert!(
        (-10.0..22.0).contains(&worst["pitch_deg"].as_f64().unwrap()),
        "{worst}"
    );
    assert!(run_ok(&["seams", text(&png), "--shape", "equirect"]).contains("left-right edge"));
}

/// A sphere in a film's frame is told and mended; against the right picture a quarter turn is.
#[test]
fn wrong_spheres_are_told_and_mended() {
    let f = Folder::new();
    let (right, film, mended) = (f.at("right.png"), f.at("film.png"), f.at("mended.png"));
    paint(&right, Shape::Equirect, 512);
    let squeezed = image::imageops::resize(
        &image::open(&right).unwrap().to_rgb8(),
        512,
        288,
        image::imageops::FilterType::Triangle,
    );
    squeezed.save(&film).unwrap();
    let said = run_ok(&["diagnose", text(&film), "-o", text(&mended)]);
    assert!(
        said.contains("squeezed into 512 x 288 px; it should be 512 x 256 px"),
        "{said}"
    );
    assert!(psnr(&mended, &right, |_, _| true) > 35.0);
    let turned = f.at("turned.png");
    convert(
        &right,
        &turned,
        &["--to", "equirect", "--size", "512", "--turn", "90,0,0"],
    );
    let told: serde_json::Value = serde_json::from_str(&run_ok(&[
        "diagnose",
        text(&turned),
        "--against",
        text(&right),
        "--json",
    ]))
    .unwrap();
    assert_eq!(told["fault"], "quarter-turn", "{told}");
    assert!(run_ok(&["diagnose", text(&right)]).contains("as it should be"));
}
