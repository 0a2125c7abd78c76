//! Films made of frames by command: order, colours, sound, memory, and what is refused; as ffprobe and exiftool read them.

use crate::films::Bench;
use crate::support;

use serde_json::{Value, json};
use std::f64::consts::TAU;
use std::path::Path;
use support::decoded::{hash as decoded, mean_error, pictures, side_data, video};
use support::sound::wav_of;
use support::{exiftool, inspected, outside, run_fails, run_ok, tag_film as tag, text};

/// Frames with soft colours all over the range, each another one, as PNG.
fn soft(folder: &Path, count: u32, size: (u32, u32)) -> Vec<image::RgbImage> {
    std::fs::create_dir_all(folder).unwrap();
    (0..count)
        .map(|k| {
            let picture = image::RgbImage::from_fn(size.0, size.1, |x, y| {
                let wave = |f: f64, p: f64| {
                    let t = f64::from(x) / f64::from(size.0) * f + p + f64::from(k) * 0.4;
                    let u = f64::from(y) / f64::from(size.1);
                    (127.5 + 120.0 * (t * std::f64::consts::TAU).sin() * (u * 3.1).sin()) as u8
                };
                image::Rgb([wave(1.0, 0.0), wave(2.0, 0.3), wave(1.5, 0.6)])
            });
            picture.save(folder.join(format!("f-{k:04}.png"))).unwrap();
            picture
        })
        .collect()
}

/// Frames come back in their order and colours, for every encoding; the film says its rate, colours, sphere and length.
#[test]
fn frames_become_a_film_in_order_and_colour() {
    let b = Bench::new();
    let size = (256, 128);
    let frames = soft(&b.at("png"), 12, size);
    let codecs = [
        ("h264", "a.mp4", "--quality 1", "h264", "yuv420p", 1.0),
        ("h265", "b.mp4", "--quality 1", "hevc", "yuv420p", 1.0),
        ("av1", "c.mp4", "--quality 4", "av1", "yuv420p", 1.0),
        ("prores", "d.mov", "", "prores", "yuv422p10le", 1.0),
    ];
    for (codec, name, quality, told, format, most) in codecs {
        let out = b.at(name);
        let folder = b.at("png");
        let mut args = vec!["film", text(&folder), "-o", text(&out), "--rate", "23.976"];
        args.extend(["--codec", codec, "--stereo", "mono"]);
        args.extend(quality.split_whitespace());
        let said = run_ok(&args);
        assert!(said.contains("12 frames, 0.50"), "{said}");
        let video = video(&out);
        assert_eq!(video["codec_name"], told, "{video}");
        assert_eq!(video["pix_fmt"], format, "{video}");
        assert_eq!(video["nb_read_frames"], "12", "{video}");
        assert_eq!(video["r_frame_rate"], "24000/1001", "{video}");
        for colour in ["color_space", "color_transfer", "color_primaries"] {
            assert_eq!(video[colour], "bt709", "{codec}: {video}");
        }
        assert!(
            side_data(&out)
                .iter()
                .any(|s| s["projection"] == "equirectangular"),
            "{codec}"
        );
        let back = pictures(&out, size);
        assert_eq!(back.len(), 12);
        for (k, found) in back.iter().enumerate() {
            let own = mean_error(found, frames[k].as_raw());
            assert!(own < most, "{codec}, frame {k}: {own} of 255");
            // Its neighbours are far off, so that the order is told.
            let other = mean_error(found, frames[(k + 1) % 12].as_raw());
            assert!(other > 10.0 * own, "{codec}, frame {k}: {own} and {other}");
        }
    }
    // Index first: it begins to play before all of it is there.
    let bytes = std::fs::read(b.at("a.mp4")).unwrap();
    let place = |kind: &[u8]| bytes.windows(4).position(|w| w == kind).unwrap();
    assert!(place(b"moov") < place(b"mdat"));
}

/// A rendered sequence becomes a film without a word about its sphere: the frames say it. Linear frames look as their PNGs do.
#[test]
fn rendered_frames_say_themselves_what_they_are() {
    let b = Bench::new();
    let scene = support::scene_in(b.folder.path());
    let render = |name: &str, more: &str| {
        let out = b.at(name);
        let mut args = vec![
            "render",
            text(&scene),
            "-o",
            text(&out),
            "--frames",
            "0-4",
            "--width",
            "128",
            "--samples",
            "8",
        ];
        args.extend(more.split_whitespace());
        run_ok(&args);
    };
    render("png/{frame:03}.png", "");
    render("exr/{frame:03}.exr", "");
    render(
        "tb/{frame:03}.jpg",
        "--stereo panoramic --packing top-bottom",
    );
    let film = |folder: &str, out: &str| {
        let (folder, out) = (b.at(folder), b.at(out));
        run_ok(&[
            "film",
            text(&folder),
            "-o",
            text(&out),
            "--rate",
            "25",
            "--quality",
            "2",
        ])
    };
    let said = film("png", "png.mp4");
    assert!(said.contains("a sphere, mono"), "{said}");
    let said = film("tb", "tb.mp4");
    assert!(
        said.contains("a sphere, top-bottom") && said.contains("128 x 128 px"),
        "{said}"
    );
    assert_eq!(exiftool(&b.at("tb.mp4"))["StereoMode"], "top-bottom");
    let said = film("exr", "exr.mp4");
    assert!(said.contains("5 frames"), "{said}");
    let (png, exr) = (
        pictures(&b.at("png.mp4"), (128, 64)),
        pictures(&b.at("exr.mp4"), (128, 64)),
    );
    for (a, b) in png.iter().zip(&exr) {
        assert!(mean_error(a, b) < 1.5, "{}", mean_error(a, b));
    }
}

/// The colour of a direction in a frame: smooth all round, another one in each frame.
fn colour_of([x, y, z]: [f64; 3], frame: u32) -> image::Rgb<u8> {
    let length = (x * x + y * y + z * z).sqrt();
    let mut d = [x, y, z].map(|v| (127.5 + 120.0 * v / length).round() as u8);
    d.rotate_left(frame as usize % 3);
    image::Rgb(d)
}

/// Six faces of each frame become the whole sphere, four faces wide; each face is where the handbook's axes have it (front is -Z, right +X,
/// up +Y; up and down hang on the front).
#[test]
fn six_faces_a_frame_become_a_sphere() {
    type Axes = [[f64; 3]; 3];
    // Outward, to the right, down.
    const FACES: [(&str, Axes); 6] = [
        (
            "left",
            [[-1.0, 0.0, 0.0], [0.0, 0.0, -1.0], [0.0, -1.0, 0.0]],
        ),
        (
            "front",
            [[0.0, 0.0, -1.0], [1.0, 0.0, 0.0], [0.0, -1.0, 0.0]],
        ),
        (
            "right",
            [[1.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, -1.0, 0.0]],
        ),
        (
            "back",
            [[0.0, 0.0, 1.0], [-1.0, 0.0, 0.0], [0.0, -1.0, 0.0]],
        ),
        ("up", [[0.0, 1.0, 0.0], [1.0, 0.0, 0.0], [0.0, 0.0, -1.0]]),
        ("down", [[0.0, -1.0, 0.0], [1.0, 0.0, 0.0], [0.0, 0.0, 1.0]]),
    ];
    let b = Bench::new();
    let side = 32;
    let write = |name: &str, ending: &str, frame: u32, axes: Axes| {
        let picture = image::RgbImage::from_fn(side, side, |x, y| {
            let [u, v] = [x, y].map(|p| 2.0 * (f64::from(p) + 0.5) / f64::from(side) - 1.0);
            let [out, right, down] = axes;
            colour_of(
                std::array::from_fn(|i| out[i] + u * right[i] + v * down[i]),
                frame,
            )
        });
        let file = b.at(&format!("{name}/{frame:02}.{ending}"));
        std::fs::create_dir_all(file.parent().unwrap()).unwrap();
        picture.save(file).unwrap();
    };
    for frame in 0..4 {
        for (name, axes) in FACES {
            write(name, "png", frame, axes);
        }
    }
    let out = b.at("cube.mp4");
    let named = b.at("{face}/{frame:02}.png");
    let args =
        |out: &Path| ["film", text(&named), "-o", text(out), "--quality", "1"].map(str::to_owned);
    let film = |more: &[&str]| {
        let args = args(&out);
        let all: Vec<&str> = args
            .iter()
            .map(String::as_str)
            .chain(more.iter().copied())
            .collect();
        run_fails(&all, 1)
    };
    for more in [["--stereo", "mono"], ["--stereo", "top-bottom"]] {
        assert!(film(&more).contains("leave --stereo and --projection out"));
    }
    let all = args(&out);
    let said = run_ok(&all.iter().map(String::as_str).collect::<Vec<_>>());
    assert!(
        said.contains("128 x 64 px") && said.contains("a sphere, mono"),
        "{said}"
    );
    let back = pictures(&out, (128, 64));
    assert_eq!(back.len(), 4);
    for (frame, found) in back.iter().enumerate() {
        let expected = image::RgbImage::from_fn(128, 64, |x, y| {
            let longitude = (f64::from(x) + 0.5) / 128.0 * TAU - TAU / 2.0;
            let latitude = TAU / 4.0 - (f64::from(y) + 0.5) / 64.0 * TAU / 2.0;
            let (s, c) = (longitude.sin(), longitude.cos());
            let level = latitude.cos();
            colour_of([s * level, latitude.sin(), -c * level], frame as u32)
        });
        let error = mean_error(found, expected.as_raw());
        assert!(error < 1.0, "frame {frame}: {error} of 255");
    }
    // One face of one frame is missing, or is no square.
    std::fs::remove_file(b.at("up/03.png")).unwrap();
    let why = film(&[]);
    assert!(
        why.contains("Frame 3 of") && why.contains("not all of its 6"),
        "{why}"
    );
    for (name, _) in FACES {
        image::RgbImage::new(32, 16)
            .save(b.at(&format!("{name}/03.png")))
            .unwrap();
    }
    assert!(film(&[]).contains("a film has one size"), "{}", film(&[]));
}

/// Both eyes in files of their own are laid one above the other, JPEG too; so they are said to lie.
#[test]
fn eyes_in_files_of_their_own_become_one_picture() {
    let b = Bench::new();
    let left = soft(&b.at("left"), 4, (64, 32));
    let right = soft(&b.at("right"), 6, (64, 32));
    // The right eye is two frames ahead, so that one is told from the other.
    for k in 0..4_usize {
        right[k + 2]
            .save(b.at(&format!("right/f-{k:04}.png")))
            .unwrap();
    }
    for k in 4..6 {
        std::fs::remove_file(b.at(&format!("right/f-{k:04}.png"))).unwrap();
    }
    let out = b.at("eyes.mp4");
    let named = b.at("{eye}/f-{frame:04}.png");
    let args = [
        "film",
        text(&named),
        "-o",
        text(&out),
        "--quality",
        "1",
        "--stereo",
    ];
    let film = |how: &'static str| [&args[..], &[how]].concat();
    assert!(run_fails(&film("mono"), 1).contains("one above the other"));
    let said = run_ok(&film("top-bottom"));
    assert!(said.contains("64 x 64 px"), "{said}");
    assert_eq!(exiftool(&out)["StereoMode"], "top-bottom");
    for (k, found) in pictures(&out, (64, 64)).iter().enumerate() {
        let (above, below) = found.split_at(64 * 32 * 3);
        let error =
            mean_error(above, left[k].as_raw()).max(mean_error(below, right[k + 2].as_raw()));
        assert!(error < 2.0, "frame {k}: {error} of 255");
    }
    // Frames that lie the other way round, or of which one eye is not there, are told.
    std::fs::remove_file(b.at("right/f-0001.png")).unwrap();
    let why = run_fails(&film("top-bottom"), 1);
    assert!(why.contains("is missing between the others"), "{why}");
    let scene = support::scene_in(b.folder.path());
    let swapped = b.at("swapped/{frame:03}.png");
    let mut render = vec![
        "render",
        text(&scene),
        "-o",
        text(&swapped),
        "--frames",
        "0-1",
    ];
    render.extend(
        "--width 64 --samples 1 --stereo panoramic --packing top-bottom:right-first".split(' '),
    );
    run_ok(&render);
    let swapped = b.at("swapped");
    let why = run_fails(&["film", text(&swapped), "-o", text(&b.at("s.mp4"))], 1);
    assert!(why.contains("The right eye lies first"), "{why}");
}

/// A still is held, sound is cut to the film's length, and both are marked.
#[test]
fn stills_are_held_and_sound_comes_with_them() {
    let b = Bench::new();
    // Others lie beside it.
    soft(&b.at("one"), 3, (256, 128));
    let sound = b.at("wind.wav");
    outside(
        "ffmpeg",
        &[
            "-v",
            "error",
            "-f",
            "lavfi",
            "-i",
            "sine=frequency=300:duration=9",
            text(&sound),
        ],
    );
    let picture = b.at("one/f-0000.png");
    let out = b.at("held.mp4");
    run_ok(&[
        "film",
        text(&picture),
        "-o",
        text(&out),
        "--rate",
        "30",
        "--hold",
        "3.5",
        "--stereo",
        "mono",
        "--sound",
        text(&sound),
    ]);
    let video = video(&out);
    assert_eq!(video["nb_read_frames"], "105", "{video}");
    let told = outside(
        "ffprobe",
        &[
            "-v",
            "error",
            "-show_format",
            "-show_streams",
            "-of",
            "json",
            text(&out),
        ],
    );
    let told: Value = serde_json::from_str(&told).unwrap();
    let lasts: f64 = told["format"]["duration"]
        .as_str()
        .unwrap()
        .parse()
        .unwrap();
    assert!((lasts - 3.5).abs() < 0.05, "{lasts}");
    let streams = told["streams"].as_array().unwrap();
    assert!(streams.iter().any(|s| s["codec_name"] == "aac"), "{told}");
    assert_eq!(exiftool(&out)["Spherical"], true);
}

/// Four channels are a sphere of sound: they stay apart, in their order, and the film says what they are. The box has the bytes of the
/// spatial audio note for spherical films (from memory), where it belongs: behind what describes the encoding.
#[test]
fn a_sphere_of_sound_stays_one() {
    const TONES: [f64; 4] = [300.0, 500.0, 800.0, 1300.0];
    let b = Bench::new();
    soft(&b.at("one"), 1, (256, 128));
    let sound = b.at("round.wav");
    let tone = |i: u32, c: u16| 0.4 * (TAU * TONES[usize::from(c)] * f64::from(i) / 48_000.0).sin();
    std::fs::write(&sound, wav_of(4, 2.0, tone)).unwrap();
    let (picture, out) = (b.at("one/f-0000.png"), b.at("round.mp4"));
    let made = [
        "film",
        text(&picture),
        "-o",
        text(&out),
        "--rate",
        "30",
        "--hold",
        "2",
    ];
    run_ok(&[&made[..], &["--stereo", "mono", "--sound", text(&sound)]].concat());
    let told = outside(
        "ffprobe",
        &[
            "-v",
            "error",
            "-select_streams",
            "a",
            "-show_streams",
            "-of",
            "json",
            text(&out),
        ],
    );
    let told: Value = serde_json::from_str(&told).unwrap();
    assert_eq!(told["streams"][0]["channels"], 4, "{told}");
    assert_eq!(told["streams"][0]["channel_layout"], "4.0");
    let raw = b.at("round.raw");
    outside(
        "ffmpeg",
        &[
            "-v",
            "error",
            "-i",
            text(&out),
            "-f",
            "s16le",
            "-c:a",
            "pcm_s16le",
            text(&raw),
        ],
    );
    let bytes = std::fs::read(&raw).unwrap();
    let samples: Vec<f64> = (bytes.chunks_exact(2))
        .map(|b| f64::from(i16::from_le_bytes([b[0], b[1]])) / 32_768.0)
        .collect();
    // A second from the middle, so that all tones have whole numbers of waves in it.
    let second = &samples[4 * 24_000..4 * 72_000];
    for (channel, tone) in TONES.into_iter().enumerate() {
        let of = |hz: f64| {
            let (mut re, mut im) = (0.0, 0.0);
            for (i, s) in second.iter().skip(channel).step_by(4).enumerate() {
                let (sin, cos) = (TAU * hz * i as f64 / 48_000.0).sin_cos();
                (re, im) = (re + s * cos, im + s * sin);
            }
            2.0 * f64::hypot(re, im) / 48_000.0
        };
        let own = of(tone);
        assert!((own - 0.4).abs() < 0.02, "{channel}: {own}");
        for other in (0..4).filter(|o| *o != channel) {
            // 40 dB below.
            let mixed = of(TONES[other]);
            assert!(mixed < 0.004, "channel {channel} has {mixed} of {other}");
        }
    }
    // Version and kind, order 1, ACN and SN3D, four channels, each where it belongs.
    let body: Vec<u8> = [
        &[0, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0, 4][..],
        &[0, 0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 2, 0, 0, 0, 3],
    ]
    .concat();
    let wanted = [&36u32.to_be_bytes()[..], b"SA3D", &body].concat();
    let times = |file: &Path| {
        let bytes = std::fs::read(file).unwrap();
        bytes.windows(wanted.len()).filter(|w| *w == wanted).count()
    };
    assert_eq!(times(&out), 1);
    assert_eq!(
        inspected(&out)["sound"],
        json!({"channels": 4, "ambisonic": true, "channel_map": null})
    );
    // Marked anew it stays and is not doubled; cleared it goes, and may come back.
    let again = b.at("again.mp4");
    tag(&out, &again, "--stereo top-bottom");
    assert_eq!(times(&again), 1);
    tag(&again, &again, "--stereo mono --ambisonic");
    assert_eq!(times(&again), 1);
    tag(&again, &again, "--clear");
    assert_eq!(times(&again), 0);
    assert_eq!(
        inspected(&again)["sound"],
        json!({"channels": 4, "ambisonic": false, "channel_map": null})
    );
    // The pictures and the sound are those from before.
    assert_eq!(decoded(&again), decoded(&out));
    // A second sound of two channels beside it is none.
    let (plain, two) = (b.at("plain.mp4"), b.at("two.mp4"));
    std::fs::write(&sound, wav_of(2, 2.0, tone)).unwrap();
    let stereo = [
        "film",
        text(&picture),
        "-o",
        text(&plain),
        "--hold",
        "2",
        "--flat",
    ];
    run_ok(&[&stereo[..], &["--sound", text(&sound)]].concat());
    let both = ["-v", "error", "-i", text(&plain), "-i", text(&out)];
    let maps = ["-map", "0", "-map", "1:a", "-c", "copy", text(&two)];
    outside("ffmpeg", &[both.as_slice(), &maps].concat());
    tag(&two, &two, "--stereo mono --ambisonic");
    assert_eq!(times(&two), 1);
    // Two channels are none.
    std::fs::write(&sound, wav_of(2, 2.0, tone)).unwrap();
    run_ok(&[&made[..], &["--stereo", "mono", "--sound", text(&sound)]].concat());
    assert_eq!(
        inspected(&out)["sound"],
        json!({"channels": 2, "ambisonic": false, "channel_map": null})
    );
    let (to, from) = (text(&again), text(&out));
    let said = run_fails(
        &["tag", from, "-o", to, "--stereo", "mono", "--ambisonic"],
        1,
    );
    assert!(
        said.contains("four channels of sound, and it has 2"),
        "{said}"
    );
}

/// What cannot be a film is said before anything is encoded.
#[test]
fn frames_that_make_no_film_are_refused() {
    let b = Bench::new();
    let folder = b.at("f");
    soft(&folder, 8, (64, 32));
    let out = b.at("o.mp4");
    let refused = |what: &Path, options: &str, said: &str| {
        let mut args = vec!["film", text(what), "-o", text(&out)];
        args.extend(options.split_whitespace());
        let why = run_fails(&args, 1);
        assert!(why.contains(said), "{why}");
        assert!(!out.exists());
    };
    for n in 3..=5 {
        std::fs::remove_file(folder.join(format!("f-{n:04}.png"))).unwrap();
    }
    refused(&folder, "", "Frames 3-5 are missing");
    for n in [0, 1, 2] {
        std::fs::remove_file(folder.join(format!("f-{n:04}.png"))).unwrap();
    }
    refused(&folder, "--hold 5", "--hold shows one picture");
    image::RgbImage::new(32, 16)
        .save(folder.join("f-0008.png"))
        .unwrap();
    refused(&folder, "", "a film has one size");
    std::fs::remove_file(folder.join("f-0008.png")).unwrap();
    image::RgbImage::new(64, 32)
        .save(folder.join("other-1.png"))
        .unwrap();
    refused(&folder, "", "several series of frames");
    run_ok(&[
        "film",
        text(&folder.join("f-0006.png")),
        "-o",
        text(&out),
        "--flat",
    ]);
    assert_eq!(inspected(&out)["sphere"], false);
    std::fs::remove_file(&out).unwrap();
    refused(&b.at("nowhere"), "", "There is no folder");
    refused(
        &folder.join("f-0006.png"),
        "--codec prores",
        "ProRes lies in a .mov",
    );
    refused(
        &folder.join("f-0006.png"),
        "--sound nothing.wav",
        "no sound file",
    );
    let odd = b.at("odd");
    std::fs::create_dir(&odd).unwrap();
    image::RgbImage::new(63, 32)
        .save(odd.join("f-0001.png"))
        .unwrap();
    refused(&odd, "", "need even sides");
    // A frame that is cut short is no frame of a film.
    let bytes = std::fs::read(folder.join("f-0007.png")).unwrap();
    std::fs::write(folder.join("f-0007.png"), &bytes[..bytes.len() - 400]).unwrap();
    std::fs::remove_file(folder.join("other-1.png")).unwrap();
    refused(&folder, "--flat", "ffmpeg");
}

/// Most memory that a process and those that it started have had, bytes; looked at while it runs (proc(5): VmHWM).
fn most_memory(args: &[&str]) -> [u64; 2] {
    let mut child = support::owl_dome()
        .args(args)
        .stdout(std::process::Stdio::null())
        .stderr(std::process::Stdio::null())
        .spawn()
        .unwrap();
    let of = |pid: &str| -> u64 {
        let told = std::fs::read_to_string(format!("/proc/{pid}/status")).unwrap_or_default();
        let line = told.lines().find(|l| l.starts_with("VmHWM:"));
        let kilobytes = line.and_then(|l| l.split_whitespace().nth(1));
        kilobytes.and_then(|k| k.parse::<u64>().ok()).unwrap_or(0) << 10
    };
    let own = child.id().to_string();
    let mut most = [0, 0];
    loop {
        most[0] = most[0].max(of(&own));
        for task in std::fs::read_dir(format!("/proc/{own}/task"))
            .into_iter()
            .flatten()
            .flatten()
        {
            let children =
                std::fs::read_to_string(task.path().join("children")).unwrap_or_default();
            for pid in children.split_whitespace() {
                most[1] = most[1].max(of(pid));
            }
        }
        if let Some(status) = child.try_wait().unwrap() {
            assert!(status.success(), "{args:?}");
            return most;
        }
        std::thread::sleep(std::time::Duration::from_millis(20));
    }
}

/// A film of 8K is made in memory that has nothing to do with its length: a few frames at a time in the encoder, none of them here.
#[test]
fn large_films_are_made_in_bounded_memory() {
    let b = Bench::new();
    std::fs::create_dir(b.at("large")).unwrap();
    let one = b.at("one.png");
    let source = "gradients=size=7680x3840:duration=1:rate=1";
    outside(
        "ffmpeg",
        &[
            "-v",
            "error",
            "-f",
            "lavfi",
            "-i",
            source,
            "-frames:v",
            "1",
            "-pix_fmt",
            "rgb24",
            text(&one),
        ],
    );
    for i in 0..14 {
        std::os::unix::fs::symlink(&one, b.at(&format!("large/f-{i:02}.png"))).unwrap();
    }
    let (frames, out) = (b.at("large"), b.at("large.mp4"));
    let made = |out: &Path| {
        most_memory(&[
            "film",
            text(&frames),
            "-o",
            text(out),
            "--rate",
            "30",
            "--stereo",
            "mono",
        ])
    };
    let [own, encoder] = made(&out);
    eprintln!("{} MB here, {} MB in the encoder", own >> 20, encoder >> 20);
    let told = ["-v", "error", "-count_packets", "-show_streams", text(&out)];
    assert!(outside("ffprobe", &told).contains("nb_read_packets=14"));
    // A frame of 4:2:0 has 44 MB.
    assert!(own < 120 << 20, "{own}");
    assert!(encoder < 3500 << 20, "{encoder}");
}
