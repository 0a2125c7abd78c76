//! Films in Matroska, as ffmpeg writes them and reads them back: marked as spheres, with media, cues and check sums that stay right.

use crate::support;

use serde_json::{Value, json};
use std::path::Path;
use support::decoded::hash;
use support::sound::wav;
use support::{inspected, outside, run_fails, run_ok, text};

/// What ffprobe (Debian ffmpeg) tells of the first video's side data, and that no check sum is wrong.
fn side_data(film: &Path) -> Vec<Value> {
    let out = std::process::Command::new("ffprobe")
        .args(["-v", "warning", "-err_detect", "crccheck", "-show_streams"])
        .args(["-select_streams", "v", "-of", "json", text(film)])
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&out.stderr);
    assert!(!said.to_lowercase().contains("crc"), "{said}");
    let told: Value = serde_json::from_slice(&out.stdout).unwrap();
    let data = &told["streams"][0]["side_data_list"];
    data.as_array().cloned().unwrap_or_default()
}

/// A film of a moving pattern with a whole picture each third of a second, and a sound.
fn film(out: &Path, options: &[&str]) {
    let source = "testsrc2=size=256x128:rate=30:duration=3";
    let mut args = vec!["-v", "error", "-y", "-f", "lavfi", "-i", source];
    args.extend([
        "-f",
        "lavfi",
        "-i",
        "sine=frequency=440:duration=3",
        "-g",
        "10",
    ]);
    args.extend(options);
    args.push(text(out));
    outside("ffmpeg", &args);
}

/// A picture two seconds from the beginning, found by the film's cues.
fn sought(film: &Path) -> String {
    let args = [
        "-v",
        "error",
        "-ss",
        "2",
        "-i",
        text(film),
        "-frames:v",
        "1",
    ];
    let told = outside("ffmpeg", &[&args[..], &["-f", "framemd5", "-"]].concat());
    told.lines().filter(|l| !l.starts_with('#')).collect()
}

#[test]
fn films_in_matroska_say_what_they_are() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let h264 = ["-c:v", "libx264", "-pix_fmt", "yuv420p", "-c:a", "aac"];
    let av1 = ["-c:v", "libsvtav1", "-preset", "12", "-c:a", "libopus"];
    // Index behind and before, short clusters, no check sums, no sizes (as when it is written for streaming), and WebM.
    let many: [(&str, &[&str], &[&str]); 6] = [
        ("plain.mkv", &h264, &[]),
        ("front.mkv", &h264, &["-cues_to_front", "1"]),
        ("short.mkv", &h264, &["-cluster_time_limit", "100"]),
        (
            "bare.mkv",
            &h264,
            &["-write_crc32", "0", "-cues_to_front", "1"],
        ),
        ("live.mkv", &h264, &["-live", "1"]),
        ("web.webm", &av1, &["-cues_to_front", "1"]),
    ];
    for (name, coding, options) in many {
        let (old, new) = (at(name), at(&format!("marked-{name}")));
        film(&old, &[coding, options].concat());
        assert_eq!(side_data(&old), Vec::<Value>::new(), "{name}");
        let said = run_ok(&[
            "tag",
            text(&old),
            "-o",
            text(&new),
            "--stereo",
            "top-bottom",
            "--pose",
            "10,-20.5,3",
            "--verify",
        ]);
        let told = side_data(&new);
        let of = |kind: &str| told.iter().find(|d| d["side_data_type"] == kind);
        let sphere = of("Spherical Mapping").unwrap_or_else(|| panic!("{name}: {told:?}"));
        assert_eq!(sphere["projection"], "equirectangular", "{name}");
        // ffprobe shows whole degrees.
        assert_eq!(
            (&sphere["yaw"], &sphere["roll"]),
            (&json!(10), &json!(3)),
            "{sphere}"
        );
        assert_eq!(of("Stereo 3D").unwrap()["type"], "top and bottom", "{name}");
        let own = inspected(&new);
        assert_eq!(own["newer"]["stereo"], "top-bottom", "{own}");
        assert_eq!(own["newer"]["pose_deg"], json!([10.0, -20.5, 3.0]));
        let (before, after) = (std::fs::read(&old).unwrap(), std::fs::read(&new).unwrap());
        let grown = after.len() as i64 - before.len() as i64;
        assert!(grown > 0 && grown < 200, "{name}: {grown}");
        assert!(said.contains(&format!("{grown} bytes more")), "{said}");
        // The media are those from before, and found where the cues say.
        assert!(hash(&new) == hash(&old), "{name}");
        assert_eq!(sought(&new), sought(&old), "{name}");
        // Marked again it is the same; half a sphere replaces the whole one; cleared it is the file from before to the letter.
        let again = at(&format!("again-{name}"));
        let mark = |from: &Path, options: &str| {
            let mut args = vec!["tag", text(from), "-o", text(&again)];
            args.extend(options.split(' '));
            run_ok(&args);
            std::fs::read(&again).unwrap()
        };
        assert!(
            mark(&new, "--stereo top-bottom --pose 10,-20.5,3") == after,
            "{name}"
        );
        mark(&again, "--stereo side-by-side --projection equirect:180");
        let half = side_data(&again);
        let bounds = half
            .iter()
            .find(|d| d["side_data_type"] == "Spherical Mapping")
            .unwrap();
        assert_eq!(bounds["projection"], "tiled equirectangular", "{half:?}");
        assert_eq!(
            inspected(&again)["newer"]["bounds"],
            json!([0.0, 0.0, 0.25, 0.25])
        );
        mark(
            &again,
            "--stereo mono --projection cube:right,left,up:180,down:180,front,back",
        );
        assert_eq!(side_data(&again)[0]["projection"], "cubemap");
        assert!(
            mark(&again, "--clear") == before,
            "{name} is not what it was"
        );
    }
}

/// A film is made in Matroska too, with a sphere of sound that stays one; what the container cannot say is told.
#[test]
fn frames_become_a_film_in_matroska() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let picture = at("still.png");
    image::RgbImage::from_fn(256, 128, |x, y| image::Rgb([x as u8, (2 * y) as u8, 90]))
        .save(&picture)
        .unwrap();
    std::fs::write(at("round.wav"), wav(4, 2.0)).unwrap();
    let (out, sound) = (at("held.mkv"), at("round.wav"));
    let made = [
        "film",
        text(&picture),
        "-o",
        text(&out),
        "--hold",
        "1.5",
        "--stereo",
        "mono",
    ];
    run_ok(&[&made[..], &["--sound", text(&sound), "--codec", "h265"]].concat());
    let told = side_data(&out);
    assert_eq!(told[0]["projection"], "equirectangular", "{told:?}");
    let own = inspected(&out);
    assert_eq!(
        own["sound"],
        json!({"channels": 4, "ambisonic": true, "channel_map": null})
    );
    assert!(
        (own["lasts_s"].as_f64().unwrap() - 1.5).abs() < 0.05,
        "{own}"
    );
    let audio = outside(
        "ffprobe",
        &[
            "-v",
            "error",
            "-select_streams",
            "a",
            "-show_streams",
            text(&out),
        ],
    );
    assert!(audio.contains("channel_layout=ambisonic 1"), "{audio}");
    assert!(run_ok(&["inspect", text(&out)]).contains("Matroska's elements say so"));
    let again = at("again.mkv");
    let said = support::run(&[
        "tag",
        text(&out),
        "-o",
        text(&again),
        "--stereo",
        "mono",
        "--opening",
        "30,0",
    ]);
    let note = String::from_utf8(said.stderr).unwrap();
    assert!(note.contains("no place for an opening view"), "{note}");
    // Cut anywhere it is a sentence; the output stays as it was.
    let whole = std::fs::read(&out).unwrap();
    let cut = at("cut.mkv");
    std::fs::write(&again, b"before").unwrap();
    for length in [3, 20, 60, 300, 500] {
        std::fs::write(&cut, &whole[..length]).unwrap();
        let said = run_fails(
            &["tag", text(&cut), "-o", text(&again), "--stereo", "mono"],
            1,
        );
        assert!(said.contains("cut.mkv"), "{length}: {said}");
        assert_eq!(std::fs::read(&again).unwrap(), b"before");
    }
}
