//! Films by command: what they say about spheres, in both forms, as ffprobe and exiftool read it; media that stay as they are.

use crate::support;

use dome_rules::levels::{Coding, level};
use serde_json::{Value, json};
use std::path::PathBuf;
use support::decoded::{hash as decoded, side_data};
use support::{exiftool, inspected, outside, run_fails, run_ok, tag_film as tag, text};

/// A folder to make films in.
pub struct Bench {
    pub folder: tempfile::TempDir,
}

impl Bench {
    pub fn new() -> Self {
        Self {
            folder: tempfile::tempdir().unwrap(),
        }
    }

    pub fn at(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    /// A film of a moving pattern, made by ffmpeg with some options.
    fn film(&self, name: &str, size: &str, options: &[&str]) -> PathBuf {
        let out = self.at(name);
        let source = format!("testsrc2=size={size}:rate=25:duration=0.4");
        let mut args = vec!["-v", "error", "-y", "-f", "lavfi", "-i", &source];
        args.extend(["-f", "lavfi", "-i", "sine=frequency=440:duration=0.4"]);
        args.extend(["-c:v", "libx264", "-pix_fmt", "yuv420p", "-c:a", "aac"]);
        args.extend(options);
        args.push(text(&out));
        outside("ffmpeg", &args);
        out
    }
}

/// Each case in each kind of file: the index before the media, after it, in fragments, and as QuickTime.
#[test]
fn films_say_what_they_are_in_both_forms() {
    let b = Bench::new();
    let kinds: [(&str, &[&str]); 5] = [
        ("plain.mp4", &[]),
        ("first.mp4", &["-movflags", "+faststart"]),
        ("parts.mp4", &["-movflags", "+frag_keyframe+empty_moov"]),
        (
            "dash.mp4",
            &["-movflags", "+frag_every_frame+dash+global_sidx"],
        ),
        ("quick.mov", &["-movflags", "+faststart"]),
    ];
    let cases = [
        ("256x128", "--stereo mono", None, "equirectangular"),
        (
            "256x256",
            "--stereo top-bottom",
            Some("top and bottom"),
            "equirectangular",
        ),
        (
            "512x128",
            "--stereo side-by-side",
            Some("side by side"),
            "equirectangular",
        ),
        (
            "256x128",
            "--stereo side-by-side --projection equirect:180",
            Some("side by side"),
            "tiled equirectangular",
        ),
        (
            "192x128",
            "--stereo mono --projection cube:right,left,up:180,down:180,front,back",
            None,
            "cubemap",
        ),
    ];
    for (name, options) in kinds {
        for (i, (size, how, eyes, shape)) in cases.iter().enumerate() {
            let film = b.film(&format!("{i}-{name}"), size, options);
            let out = b.at(&format!("{i}-tagged-{name}"));
            let said = tag(&film, &out, &format!("{how} --pose 10,-5,2 --verify"));
            assert!(said.contains("media bytes unchanged, SHA-256"), "{said}");
            let what = format!("{name}, {how}");
            assert_eq!(decoded(&film), decoded(&out), "{what}");
            let sides = side_data(&out);
            let find = |kind: &str| sides.iter().find(|s| s["side_data_type"] == kind);
            let mapping = find("Spherical Mapping").unwrap_or_else(|| panic!("{what}: {sides:?}"));
            assert_eq!(mapping["projection"], *shape, "{what}: {mapping}");
            let turned = (&mapping["yaw"], &mapping["pitch"], &mapping["roll"]);
            assert_eq!(
                turned,
                (&json!(10), &json!(-5), &json!(2)),
                "{what}: {mapping}"
            );
            match (eyes, find("Stereo 3D")) {
                (Some(eyes), Some(found)) => assert_eq!(found["type"], **eyes, "{what}"),
                (Some(_), None) => panic!("{what}: {sides:?}"),
                (None, Some(found)) => assert_eq!(found["type"], "2D", "{what}"),
                (None, None) => {}
            }
            let exif = exiftool(&out);
            if *shape == "cubemap" {
                assert_eq!(
                    exif["Spherical"],
                    Value::Null,
                    "the older form knows no cube: {exif}"
                );
            } else {
                assert_eq!(exif["Spherical"], true, "{what}: {exif}");
                assert_eq!(exif["ProjectionType"], "equirectangular", "{what}");
                let mode = match *eyes {
                    Some("top and bottom") => json!("top-bottom"),
                    Some(_) => json!("left-right"),
                    None => Value::Null,
                };
                assert_eq!(exif["StereoMode"], mode, "{what}: {exif}");
            }
            if how.contains("equirect:180") {
                // An eye of 128 x 128 px is the half in front of a sphere of 256 x 128.
                assert_eq!(exif["FullPanoWidthPixels"], 256, "{exif}");
                assert_eq!(exif["CroppedAreaLeftPixels"], 64, "{exif}");
            }
            let own = inspected(&out);
            assert_eq!(own["problems"], json!([]), "{what}");
            // Tagged again it has the same bytes, not two of anything; cleared it has its old ones.
            let again = b.at("again.mp4");
            tag(&out, &again, &format!("{how} --pose 10,-5,2"));
            assert!(
                std::fs::read(&again).unwrap() == std::fs::read(&out).unwrap(),
                "{what}"
            );
            tag(&out, &again, "--clear");
            assert!(
                std::fs::read(&again).unwrap() == std::fs::read(&film).unwrap(),
                "{what}"
            );
            assert_eq!(inspected(&again)["sphere"], false);
        }
    }
}

/// What is said at the start of a film, told by exiftool, and a film that is tagged in its own place.
#[test]
fn openings_are_told_and_files_may_be_their_own_outputs() {
    let b = Bench::new();
    let film = b.film("a.mp4", "256x128", &["-movflags", "+faststart"]);
    tag(&film, &film, "--stereo mono --opening 120,-15");
    let exif = exiftool(&film);
    assert_eq!(exif["InitialViewHeadingDegrees"], 120, "{exif}");
    assert_eq!(exif["InitialViewPitchDegrees"], -15, "{exif}");
    assert_eq!(
        inspected(&film)["older"]["opening_deg"],
        json!([120.0, -15.0, 0.0])
    );
    let told = run_ok(&["inspect", text(&film)]);
    assert!(
        told.contains("A sphere: unrolled sphere, mono (both forms say so)"),
        "{told}"
    );
}

/// Forms that disagree, ratios that cannot be, and files that are none get a sentence; what was there stays.
#[test]
fn what_is_wrong_is_said() {
    let b = Bench::new();
    let film = b.film("a.mp4", "256x128", &[]);
    let tagged = b.at("b.mp4");
    tag(&film, &tagged, "--stereo mono");
    // The newer form is changed by another hand: one byte of st3d.
    let mut bytes = std::fs::read(&tagged).unwrap();
    let at = bytes.windows(4).position(|w| w == b"st3d").unwrap();
    bytes[at + 8] = 1;
    std::fs::write(&tagged, &bytes).unwrap();
    let problems = inspected(&tagged)["problems"].to_string();
    assert!(
        problems.contains("disagree: the newer says top-bottom, the older mono"),
        "{problems}"
    );
    bytes[at + 8] = 9;
    std::fs::write(&tagged, &bytes).unwrap();
    let problems = inspected(&tagged)["problems"].to_string();
    assert!(problems.contains("stereo mode 9"), "{problems}");
    // Two eyes one above the other in a picture of 2:1 would be 4:1 each: no sphere. 3:2 is none at all.
    let odd = b.film("odd.mp4", "192x128", &[]);
    let (status, said) = {
        let out = support::run(&[
            "tag",
            text(&odd),
            "-o",
            text(&b.at("o.mp4")),
            "--stereo",
            "mono",
        ]);
        (out.status, String::from_utf8(out.stderr).unwrap())
    };
    assert!(
        status.success() && said.contains("192 x 128 px, which is no sphere of 2:1"),
        "{said}"
    );
    // How faces lie in a film nobody can see: it is asked for, and only the one order that players know is written.
    for order in ["cube", "cube:left,front,right,back,up,down"] {
        let said = run_fails(
            &[
                "tag",
                text(&film),
                "-o",
                text(&b.at("c.mp4")),
                "--stereo",
                "mono",
                "--projection",
                order,
            ],
            2,
        );
        assert!(
            said.contains("--order right,left,up:180,down:180,front,back"),
            "{said}"
        );
    }
    // Frames that say otherwise are refused, too, whatever is claimed of them.
    let face = b.at("faces");
    std::fs::create_dir(&face).unwrap();
    let cube = face.join("0.exr");
    let sphere = b.at("sphere.png");
    support::made_of_source("testsrc=s=256x128", &["-frames:v", "1"], &sphere);
    let lay = |order: &str| {
        support::run_ok(&[
            "convert",
            text(&sphere),
            "-o",
            text(&cube),
            "--to",
            "cube-3x2",
            "--size",
            "192",
            "--order",
            order,
        ]);
    };
    let made = b.at("cube.mp4");
    let claim = [
        "film",
        text(&face),
        "-o",
        text(&made),
        "--stereo",
        "mono",
        "--projection",
        "cube:right,left,up:180,down:180,front,back",
    ];
    lay("left,front,right,back,up,down");
    let said = run_fails(&claim, 1);
    assert!(said.contains("lay them so first"), "{said}");
    lay("right,left,up:180,down:180,front,back");
    support::run_ok(&claim[..4]);
    let told = inspected(&b.at("cube.mp4"));
    assert_eq!(told["newer"]["projection"], "cube", "{told}");
    let short = b.at("short.mp4");
    let whole = std::fs::read(&film).unwrap();
    std::fs::write(&short, &whole[..whole.len() / 2]).unwrap();
    std::fs::write(b.at("kept.mp4"), "kept").unwrap();
    let why = run_fails(
        &[
            "tag",
            text(&short),
            "-o",
            text(&b.at("kept.mp4")),
            "--stereo",
            "mono",
        ],
        1,
    );
    assert!(why.contains("damaged or cut short"), "{why}");
    assert_eq!(std::fs::read(b.at("kept.mp4")).unwrap(), b"kept");
    let out = b.at("n.mp4");
    for (options, said) in [
        ("", "Say how the eyes lie"),
        ("--stereo mono --heading 9", "leave --heading"),
        ("--clear --stereo mono", "one or the other"),
        ("--stereo mono --pose 400,0,0", "between -180 and 180"),
    ] {
        let mut args = vec!["tag", text(&film), "-o", text(&out)];
        args.extend(options.split_whitespace());
        let why = run_fails(&args, 1);
        assert!(why.contains(said), "{why}");
        assert!(!out.exists());
    }
}

/// The level that is told is the one that encoders write for the same size and rate: x264 and x265 by ffmpeg, read back by ffprobe (H.264
/// levels come as ten times their number, H.265 as thirty times).
#[test]
fn levels_are_those_that_encoders_write() {
    let bench = Bench::new();
    let out = bench.at("level.mp4");
    for (coding, encoder, more, unit) in [
        (
            Coding::H264,
            "libx264",
            &["-refs", "1", "-bf", "0"][..],
            10.0,
        ),
        (
            Coding::H265,
            "libx265",
            &["-x265-params", "log-level=none"],
            30.0,
        ),
    ] {
        // The last ones lie at both sides of a limit of macroblocks a second, or of samples.
        for (size, rate) in [
            ((1920, 960), 30),
            ((2560, 1280), 60),
            ((3840, 1920), 30),
            ((3840, 1920), 60),
            ((5760, 2880), 30),
            ((4096, 2048), 30),
            ((4096, 2048), 33),
        ] {
            let source = format!("color=size={}x{}:rate={rate}", size.0, size.1);
            let mut args = vec!["-v", "error", "-y", "-f", "lavfi", "-i", &source];
            args.extend(["-frames:v", "1", "-preset", "ultrafast", "-c:v", encoder]);
            args.extend(more);
            args.push(text(&out));
            outside("ffmpeg", &args);
            let entry = "stream=level";
            let told = [
                "-v",
                "error",
                "-show_entries",
                entry,
                "-of",
                "csv=p=0",
                text(&out),
            ];
            let told: f64 = outside("ffprobe", &told).trim().parse().unwrap();
            let ours = level(coding, size, f64::from(rate)).unwrap();
            assert_eq!(
                ours,
                format!("{:.1}", told / unit),
                "{coding:?} {size:?} {rate}"
            );
        }
    }
}
