//! Frames by command: which there are and what each shows, paths of the eye, and orders that were stopped, damaged or killed.

mod support;

use dome_files::exr_picture::ExrStrips;
use dome_files::inspect::inspect;
use dome_optics::path::{EyePath, PathKey, Rate};
use dome_optics::{MonoEye, Orientation, Shape};
use glam::{DMat4, DQuat, DVec3};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::Stdio;
use std::time::Duration;
use support::moving::{LAMP_GOES, MOVES_S, WALK, WALK_TURNS, moving_room};
use support::scene::LAMP;
use support::{outside, owl_dome, run, run_fails, run_ok, text};

/// A folder with the room in which a lamp and a camera move.
struct Stage {
    folder: tempfile::TempDir,
    /// From the room as it was made to the scene as it is read.
    place: DMat4,
}

impl Stage {
    fn new(root: DMat4) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let scene = folder.path().join("room.glb");
        std::fs::write(&scene, moving_room(root.to_cols_array())).unwrap();
        let told: Value =
            serde_json::from_str(&run_ok(&["scene", text(&scene), "--json"])).unwrap();
        let origin: Vec<f64> = serde_json::from_value(told["origin"].clone()).unwrap();
        let near = DMat4::from_translation(-DVec3::from_slice(&origin));
        Self {
            folder,
            place: near * root,
        }
    }

    fn at(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    fn args(&self, name: &str, options: &str) -> Vec<String> {
        let fixed = [
            "render".to_owned(),
            text(&self.at("room.glb")).to_owned(),
            "-o".to_owned(),
            text(&self.at(name)).to_owned(),
        ];
        let more = options.split_whitespace().map(String::from);
        fixed.into_iter().chain(more).collect()
    }

    fn render(&self, name: &str, options: &str) -> Vec<PathBuf> {
        let args = self.args(name, options);
        let args: Vec<&str> = args.iter().map(String::as_str).collect();
        run_ok(&args).lines().map(PathBuf::from).collect()
    }

    fn refused(&self, name: &str, options: &str) -> String {
        let args = self.args(name, options);
        let args: Vec<&str> = args.iter().map(String::as_str).collect();
        run_fails(&args, 1)
    }

    fn point(&self, p: [f64; 3]) -> DVec3 {
        self.place.transform_point3(p.into())
    }

    /// Writes a path file, its keys given in the room as it was made.
    fn path(&self, name: &str, keys: &[(f64, [f64; 3])]) -> (PathBuf, EyePath) {
        let keys: Vec<_> = keys.iter().map(|(t, p)| (*t, self.point(*p))).collect();
        let json: Vec<_> = (keys.iter())
            .map(|(t, p)| json!({"time_s": t, "position": p.to_array()}))
            .collect();
        let file = self.at(name);
        std::fs::write(&file, json!({"keys": json}).to_string()).unwrap();
        let keys = keys.iter().map(|(t, p)| PathKey::at(*t, *p)).collect();
        (file, EyePath::new(keys, Default::default(), false).unwrap())
    }
}

fn along(from: [f64; 3], to: [f64; 3], share: f64) -> [f64; 3] {
    DVec3::from(from).lerp(to.into(), share).to_array()
}

/// Middle of what is brighter than anything but the lamp, pixels from the top left corner.
fn lamp_in(path: &Path) -> (f64, f64) {
    let strips = ExrStrips::open(path).unwrap();
    let width = strips.header.width;
    let samples: Vec<f32> = strips.flat_map(|s| s.unwrap().samples).collect();
    let brightest = samples.iter().copied().fold(0.0, f32::max);
    let (mut x, mut y, mut n) = (0.0, 0.0, 0.0);
    for (i, p) in samples.chunks(3).enumerate() {
        if p[0] > 0.4 * brightest {
            let share = f64::from(p[0]);
            x += (f64::from(i as u32 % width) + 0.5) * share;
            y += (f64::from(i as u32 / width) + 0.5) * share;
            n += share;
        }
    }
    (x / n, y / n)
}

fn lamp_is_right(file: &Path, at: DVec3, turned: Orientation, lamp: DVec3, what: &str) {
    let (width, height) = (528, 264);
    let eye = MonoEye::new(at, turned, Shape::Equirect);
    let told = eye.locate(lamp).unwrap();
    let (x, y) = told.to_pixels(width, height);
    let found = lamp_in(file);
    assert!(
        (found.0 - x).abs() < 0.6 && (found.1 - y).abs() < 0.6,
        "{what}: {found:?} is not {x}, {y}"
    );
}

/// A frame is the still of its moment, to the byte, with the noise of its number; there are as many as are named, the last one too.
#[test]
fn a_frame_is_the_still_of_its_moment() {
    let stage = Stage::new(DMat4::IDENTITY);
    let common = "--at 0.2,1.5,1.8 --heading 20 --width 64 --samples 6 --passes depth,normal";
    let made = stage.render(
        "out/{frame:04}.exr",
        &format!("{common} --frames 2-14/3 --rate 23.976 --time 0.25 --seed 7"),
    );
    let names: Vec<_> = (made.iter())
        .map(|p| p.file_name().unwrap().to_str().unwrap().to_owned())
        .collect();
    assert_eq!(
        names,
        ["0002.exr", "0005.exr", "0008.exr", "0011.exr", "0014.exr"]
    );
    let rate = Rate::parse("23.976").unwrap();
    for (file, frame) in made.iter().zip([2u64, 5, 8, 11, 14]) {
        let time = 0.25 + rate.moment_s(frame);
        let seed = 7 + frame;
        let still = stage.render(
            "still.exr",
            &format!("{common} --time {time:?} --seed {seed}"),
        );
        let same = std::fs::read(file).unwrap() == std::fs::read(&still[0]).unwrap();
        assert!(same, "frame {frame}");
    }
    // Noise that stands still over frames looks like dirt on the glass.
    let told = inspect(&made[0]).unwrap().description.unwrap();
    let other = inspect(&made[1]).unwrap().description.unwrap();
    let differences: Vec<_> = (told.differences(&other).into_iter())
        .map(|d| d.0)
        .collect();
    assert_eq!(differences, ["scene", "moment", "seed"]);
    // Files that say which picture they are in few words are the stills' too, and so are denoised ones.
    for options in ["", "--denoise"] {
        let common = format!("--at 0.2,1.5,1.8 --width 64 --samples 4 {options}");
        let frames = stage.render(
            "p{frame}.png",
            &format!("{common} --frames 3 --rate 25 --deep --continue"),
        );
        let still = stage.render("s.png", &format!("{common} --time 0.12 --seed 3 --deep"));
        assert_eq!(
            std::fs::read(&frames[0]).unwrap(),
            std::fs::read(&still[0]).unwrap(),
            "{options}"
        );
    }
}

/// A lamp that moves is in the right pixel of each frame, seen from an eye on a path; also in scenes that are moved far away, turned and
/// scaled.
#[test]
fn a_lamp_seen_from_a_moving_eye_is_where_it_belongs() {
    let far = DMat4::from_scale_rotation_translation(
        DVec3::splat(2.5),
        DQuat::from_rotation_y(0.7),
        DVec3::new(40_000.0, -120.0, 25_000.0),
    );
    for root in [DMat4::IDENTITY, far] {
        let stage = Stage::new(root);
        let keys = [
            (0.0, [-1.2, 1.2, 2.0]),
            (0.5, [-0.6, 1.6, 1.2]),
            (1.2, [0.4, 1.4, 1.7]),
            (2.0, [1.4, 1.3, 1.9]),
        ];
        let (file, path) = stage.path("walk.json", &keys);
        let made = stage.render(
            "out/{frame:02}.exr",
            &format!(
                "--path {} --frames 0-20/4 --rate 10 --heading 15 --width 528 --samples 2",
                text(&file)
            ),
        );
        assert_eq!(made.len(), 6);
        let mut places = Vec::new();
        for (file, frame) in made.iter().zip((0..=20).step_by(4)) {
            let time = f64::from(frame) / 10.0;
            let lamp = stage.point(along(LAMP, LAMP_GOES, time / MOVES_S));
            let at = path.at(time).position;
            lamp_is_right(
                file,
                at,
                Orientation::heading(15.0),
                lamp,
                &format!("frame {frame}"),
            );
            places.push(lamp_in(file).0);
        }
        // It does move: a picture that stands still would pass otherwise.
        assert!((places[0] - places[5]).abs() > 60.0, "{places:?}");
    }
}

/// The way of a camera of the scene: with its turning or without, and beside it.
#[test]
fn a_camera_of_the_scene_leads_the_eye() {
    let turned =
        DMat4::from_rotation_translation(DQuat::from_rotation_y(-1.1), DVec3::new(3.0, 0.5, -2.0));
    let stage = Stage::new(turned);
    // The root turns all headings to the right by as much.
    let root_turn = 1.1f64.to_degrees();
    let offset = DVec3::new(0.3, 0.2, -0.4);
    for (extra, turns, offset) in [
        ("--heading 40", None, DVec3::ZERO),
        ("--turn-along", Some(WALK_TURNS), DVec3::ZERO),
        (
            "--turn-along --offset 0.3,0.2,-0.4",
            Some(WALK_TURNS),
            offset,
        ),
    ] {
        let made = stage.render(
            &format!("{}/{{frame}}.exr", extra.replace(' ', "")),
            &format!("--path Walk --frames 0-4/2 --rate 2 {extra} --width 528 --samples 2"),
        );
        for (file, frame) in made.iter().zip([0, 2, 4]) {
            let share = f64::from(frame) / 4.0;
            // Quaternions between two turns about one axis turn evenly.
            let own = WALK_TURNS[0] + (WALK_TURNS[1] - WALK_TURNS[0]) * share;
            let camera = Orientation::heading(own + root_turn);
            let at = stage.point(along(WALK[0], WALK[1], share)) + camera.matrix() * offset;
            let looks = match turns {
                Some(_) => camera,
                None => Orientation::heading(40.0),
            };
            let lamp = stage.point(along(LAMP, LAMP_GOES, share));
            lamp_is_right(file, at, looks, lamp, &format!("{extra}, frame {frame}"));
        }
    }
    let why = stage.refused("a{frame}.exr", "--path Wlak --frames 0-1");
    assert!(
        why.contains("Wlak is neither a path file nor a camera") && why.contains("Walk"),
        "{why}"
    );
}

/// What a path sets beside the place: heading, opening view, how the eyes stand, and the floor under it.
#[test]
fn a_path_turns_opens_and_sets_the_eyes() {
    let stage = Stage::new(DMat4::IDENTITY);
    let file = stage.at("walk.json");
    let keys = json!({"above_floor_m": 1.25, "keys": [
        {"time_s": 0, "position": [0, 2.0, 1], "heading_deg": 350, "separation_m": 0.02, "converge_m": 2,
         "opening": {"heading_deg": 90, "pitch_deg": -5, "hfov_deg": 80}, "on": "straight"},
        {"time_s": 1, "position": [1, 1.5, 1], "heading_deg": 10, "separation_m": 0.06, "converge_m": 4},
    ]});
    std::fs::write(&file, keys.to_string()).unwrap();
    let line = |file: &Path, name: &str| {
        let told = inspect(file).unwrap().description.unwrap();
        let found = told.lines().iter().find(|(n, _)| n == name).cloned();
        found.unwrap_or_else(|| panic!("{name}: {told}")).1
    };
    let made = stage.render(
        "out/{frame}.exr",
        &format!(
            "--path {} --frames 0-2 --rate 2 --width 64 --samples 1 --stereo panoramic",
            text(&file)
        ),
    );
    let eye = line(&made[1], "eye");
    let eye: Vec<f64> = (eye.trim_end_matches(" m").split(", "))
        .map(|v| v.parse().unwrap())
        .collect();
    let apart = DVec3::from_slice(&eye).distance(DVec3::new(0.5, 1.25, 1.0));
    assert!(apart < 1e-6, "{eye:?}");
    assert!(line(&made[0], "turned").starts_with("heading 350,"));
    assert!(
        line(&made[1], "turned").starts_with("heading 0,"),
        "the short way round"
    );
    for (file, separation, meets) in [
        (&made[0], 0.02, 2.0),
        (&made[1], 0.04, 3.0),
        (&made[2], 0.06, 4.0),
    ] {
        let pair = line(file, "pair");
        let numbers: Vec<f64> = pair.split(' ').filter_map(|w| w.parse().ok()).collect();
        let right = (numbers[0] - separation).abs() < 1e-6 && (numbers[1] - meets).abs() < 1e-6;
        assert!(right, "{pair}");
    }
    let made = stage.render(
        "out/{frame}.jpg",
        &format!(
            "--path {} --frames 1 --rate 2 --width 64 --samples 1",
            text(&file)
        ),
    );
    let told = support::exiftool(&made[0]);
    assert_eq!(told["InitialViewHeadingDegrees"], 90.0, "{told}");
    assert_eq!(told["InitialHorizontalFOVDegrees"], 80.0, "{told}");
    for (wrong, said) in [
        ("{\"keys\": []}", "at least one key"),
        (
            "{\"keys\": [{\"time_s\": 0}]}",
            "missing field `position` at line 1",
        ),
        (
            "{\"keys\": [{\"time_s\": 0, \"positon\": [0,0,0]}]}",
            "unknown field `positon`",
        ),
        (
            "{\"keys\": [{\"time_s\": 1, \"position\": [0,0,0]}, {\"time_s\": 1, \"position\": [0,0,0]}]}",
            "Key 2",
        ),
        (
            "{\"keys\": [{\"time_s\": 0, \"position\": [0,0,0]}], \"above_floor_m\": -3}",
            "above the floor",
        ),
        ("[1, 2", "is no path"),
    ] {
        std::fs::write(&file, wrong).unwrap();
        let why = stage.refused(
            "x{frame}.exr",
            &format!("--path {} --frames 0-1", text(&file)),
        );
        assert!(why.contains(said), "{why}");
    }
}

/// Bright pixels of a row of the picture through the lamp's middle: the first and the last, and how they are lit.
fn streak(file: &Path, row: u32) -> Vec<f32> {
    let strips = ExrStrips::open(file).unwrap();
    let width = strips.header.width as usize;
    let samples: Vec<f32> = strips.flat_map(|s| s.unwrap().samples).collect();
    let from = row as usize * width * 3;
    samples[from..from + width * 3]
        .iter()
        .step_by(3)
        .copied()
        .collect()
}

/// A lamp that moves while the shutter is open is drawn out as far as it goes, evenly, and its light is spread and not more; also in a
/// scene that is turned and scaled. Frames with an open shutter are known by it.
#[test]
fn an_open_shutter_draws_out_what_moves() {
    for root in [
        DMat4::IDENTITY,
        DMat4::from_scale_rotation_translation(
            DVec3::splat(3.0),
            DQuat::from_rotation_y(0.4),
            DVec3::new(8.0, -2.0, 5.0),
        ),
    ] {
        let stage = Stage::new(root);
        // The eye goes past a lamp that goes its own way; the lamp is seen at the height of the eye all the time.
        let lamp = |time: f64| along(LAMP, LAMP_GOES, time / MOVES_S);
        let eye = |time: f64| {
            let [_, y, _] = lamp(time);
            [0.6 - 0.5 * time, y, 1.2]
        };
        let keys = [(0.0, eye(0.0)), (2.0, eye(2.0))];
        let (file, _) = stage.path("walk.json", &keys);
        let common = format!(
            "--path {} --heading 10 --width 528 --samples 8 --rate 2",
            text(&file)
        );
        let sharp = stage.render("sharp{frame}.exr", &format!("{common} --frames 1"));
        let open = stage.render(
            "open{frame}.exr",
            &format!("{common} --frames 1 --shutter 180 --moments 8"),
        );
        // Half of half a second from 0.5 s on.
        let seen = |time: f64| {
            let eye = MonoEye::new(
                stage.point(eye(time)),
                Orientation::heading(10.0),
                Shape::Equirect,
            );
            let point = eye.locate(stage.point(lamp(time))).unwrap();
            point.to_pixels(528, 264)
        };
        let (begin, end) = (seen(0.5), seen(0.75));
        let row = begin.1 as u32;
        assert!((begin.1 - end.1).abs() < 0.5, "it stays in its row");
        let way = (begin.0 - end.0).abs();
        assert!(way > 8.0, "{way} px");
        let (sharp, open) = (streak(&sharp[0], row), streak(&open[0], row));
        let brightest = sharp.iter().copied().fold(0.0, f32::max);
        let width_of = |row: &[f32], least: f32| row.iter().filter(|v| **v > least).count() as f64;
        let own = width_of(&sharp, 0.5 * brightest);
        // Where it passes it is seen for own / way of the time, half of that at both ends.
        let share = (own / way).min(1.0) as f32;
        let drawn = width_of(&open, 0.5 * share * brightest);
        assert!(
            (drawn - way).abs() < 2.5,
            "{drawn} px drawn out, {way} gone, {own} wide"
        );
        let middle = |row: &[f32], least: f32| {
            let lit = row.iter().enumerate().filter(|(_, v)| **v > least);
            let (sum, n) = lit.fold((0.0, 0.0), |(s, n), (i, v)| {
                (s + i as f64 * f64::from(*v), n + f64::from(*v))
            });
            sum / n + 0.5
        };
        let found = middle(&open, 0.3 * share * brightest);
        assert!(
            (found - (begin.0 + end.0) / 2.0).abs() < 1.0,
            "{found}: {begin:?} {end:?}"
        );
        let light = |row: &[f32]| {
            row.iter()
                .filter(|v| **v > 0.1 * share * brightest)
                .sum::<f32>()
        };
        assert!(
            (light(&open) / light(&sharp) - 1.0).abs() < 0.25,
            "{} {}",
            light(&open),
            light(&sharp)
        );
        let args = |more: &str| {
            let all = format!("{common} --frames 1 --continue {more}");
            let args = stage.args("open{frame}.exr", &all);
            let args: Vec<&str> = args.iter().map(String::as_str).collect();
            String::from_utf8(run(&args).stderr).unwrap()
        };
        assert!(args("--shutter 180 --moments 8").contains("All frames are there"));
        let said = args("--shutter 90 --moments 8");
        assert!(said.contains("of another order (shutter"), "{said}");
    }
    let stage = Stage::new(DMat4::IDENTITY);
    let why = stage.refused("a{frame}.exr", "--frames 0-1 --shutter 400");
    assert!(why.contains("0 to 360"), "{why}");
}

fn content(folder: &Path) -> BTreeMap<String, Vec<u8>> {
    let entries = std::fs::read_dir(folder).unwrap().map(|e| e.unwrap());
    entries
        .map(|e| {
            let name = e.file_name().into_string().unwrap();
            (name, std::fs::read(e.path()).unwrap_or_default())
        })
        .collect()
}

/// Frames that are missing, broken or of another order are found by reading and rendered again, all others stay untouched; without being
/// told to go on, nothing that is there is overwritten.
#[test]
fn an_order_goes_on_where_frames_are_missing_broken_or_foreign() {
    let stage = Stage::new(DMat4::IDENTITY);
    for ending in ["exr", "png", "jpg"] {
        let options = "--at 0,1.5,2 --width 64 --samples 2 --frames 0-6 --rate 24";
        let name = format!("{ending}/{{frame:03}}.{ending}");
        stage.render(&name, options);
        let folder = stage.at(ending);
        let whole = content(&folder);
        assert_eq!(whole.len(), 7, "{:?}", whole.keys());
        let why = stage.refused(&name, options);
        assert!(why.contains("7 of 7 frames have files already"), "{why}");
        let file = |n: u32| folder.join(format!("{n:03}.{ending}"));
        std::fs::remove_file(file(1)).unwrap();
        std::fs::remove_file(file(2)).unwrap();
        // Cut short, and with a byte that is another one in its middle.
        let bytes = std::fs::read(file(4)).unwrap();
        std::fs::write(file(4), &bytes[..bytes.len() * 2 / 3]).unwrap();
        // A whole frame of the same order under another's name.
        std::fs::copy(file(0), file(6)).unwrap();
        let before: Vec<_> = [0, 3, 5]
            .map(|n| std::fs::metadata(file(n)).unwrap().modified().unwrap())
            .into();
        let args = stage.args(&name, &format!("{options} --continue"));
        let args: Vec<&str> = args.iter().map(String::as_str).collect();
        let done = run(&args);
        let said = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(done.status.success(), "{said}");
        assert!(
            said.contains("Frames 1-2 are missing, frame 4 is broken ("),
            "{said}"
        );
        assert!(said.contains("frame 6 is of another order ("), "{said}");
        if ending == "exr" {
            assert!(said.contains("seed (0, not 6)"), "{said}");
        }
        let printed = String::from_utf8_lossy(&done.stdout);
        assert_eq!(printed.lines().count(), 4, "{printed}");
        assert!(
            content(&folder) == whole,
            "the bytes of an undisturbed order"
        );
        let after: Vec<_> = [0, 3, 5]
            .map(|n| std::fs::metadata(file(n)).unwrap().modified().unwrap())
            .into();
        assert_eq!(before, after, "what was whole is not touched");
        let again = run(&args);
        let said = String::from_utf8_lossy(&again.stderr).into_owned();
        assert!(said.contains("All frames are there and whole."), "{said}");
        assert!(again.stdout.is_empty());
    }
}

fn told(name: &str, usual: u64) -> u64 {
    let value = std::env::var(name).ok();
    value.and_then(|v| v.parse().ok()).unwrap_or(usual)
}

/// Killed at random places, gone on with each time, an order has the bytes of an undisturbed one, and nothing lies beside it.
/// `OWL_DOME_KILLS` says how often.
#[test]
fn kills_lose_no_frame() {
    let (kills, mut state) = (
        told("OWL_DOME_KILLS", 5),
        told("OWL_DOME_KILL_SEED", 20_261_129),
    );
    eprintln!("OWL_DOME_KILLS={kills} OWL_DOME_KILL_SEED={state}");
    let stage = Stage::new(DMat4::IDENTITY);
    let options =
        "--at 0,1.5,2 --width 128 --samples 12 --frames 0-5 --rate 24 --first-each 3 --threads 2";
    stage.render("quiet/{frame}.exr", options);
    let wanted = content(&stage.at("quiet"));
    let mut frames_seen = 0;
    for round in 0..kills {
        let mut child = owl_dome()
            .args(stage.args("killed/{frame}.exr", &format!("{options} --continue")))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        state = state
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1);
        std::thread::sleep(Duration::from_millis(50 + (state >> 33) % 1500));
        child.kill().unwrap();
        child.wait().unwrap();
        // What is there under a frame's name is whole, always.
        let folder = stage.at("killed");
        let there = if folder.exists() {
            content(&folder)
        } else {
            BTreeMap::new()
        };
        let frames = there.iter().filter(|(name, _)| !name.starts_with('.'));
        let mut count = 0;
        for (name, bytes) in frames {
            assert!(bytes == &wanted[name], "kill {round}: {name}");
            count += 1;
        }
        assert!(
            count >= frames_seen,
            "kill {round}: a finished frame is lost"
        );
        frames_seen = count;
    }
    stage.render("killed/{frame}.exr", &format!("{options} --continue"));
    let mut last = content(&stage.at("killed"));
    // A file that was being written when the program was killed is nobody's; all else is the order.
    last.retain(|name, _| !name.starts_with(".unfinished-") || name.matches('-').count() > 1);
    assert!(last == wanted, "{:?}", last.keys());
}

/// Names by a pattern: a folder for each eye, pass and face; what cannot be is refused in a sentence.
#[test]
fn names_follow_a_pattern() {
    let stage = Stage::new(DMat4::IDENTITY);
    let short = |made: Vec<PathBuf>| -> Vec<String> {
        let folder = stage.at("");
        let mut names: Vec<String> = (made.iter())
            .map(|p| {
                p.strip_prefix(&folder)
                    .unwrap()
                    .to_str()
                    .unwrap()
                    .to_owned()
            })
            .collect();
        names.sort();
        assert!(made.iter().all(|p| p.is_file()));
        names
    };
    let pair = "--frames 0-1 --width 64 --samples 1 --stereo panoramic";
    let made = stage.render("{eye}/w{width}-{frame:02}.png", pair);
    assert_eq!(
        short(made),
        [
            "left/w64-00.png",
            "left/w64-01.png",
            "right/w64-00.png",
            "right/w64-01.png"
        ]
    );
    let passes = "--frames 0 --width 64 --samples 1 --passes depth,normal";
    let made = stage.render("{pass}/{frame}.png", passes);
    assert_eq!(short(made), ["beauty/0.png", "depth/0.exr", "normal/0.exr"]);
    let made = stage.render(
        "faces/{face}/{frame}.png",
        "--frames 0 --width 32 --samples 1 --shape cube-faces",
    );
    assert_eq!(short(made).len(), 6);
    assert!(stage.at("faces/front/0.png").is_file());
    // The eyes of a pair in files of their own are the halves of the packed one.
    let packed = stage.render("tb{frame}.png", &format!("{pair} --packing top-bottom"));
    let halves = |file: &Path| image::open(file).unwrap().to_rgb8();
    let both = halves(&packed[1]);
    let (left, right) = (
        halves(&stage.at("left/w64-01.png")),
        halves(&stage.at("right/w64-01.png")),
    );
    assert_eq!(
        [left.into_raw(), right.into_raw()].concat(),
        both.into_raw()
    );
    // An outside program takes them for a sequence.
    outside(
        "ffmpeg",
        &[
            "-v",
            "error",
            "-framerate",
            "24",
            "-i",
            text(&stage.at("left/w64-%02d.png")),
            "-f",
            "null",
            "-",
        ],
    );
    for (name, options, said) in [
        ("all.exr", "--frames 0-3", "put {frame:05} into it"),
        ("{frame}.hdr", "--frames 0-3", "name the frames .exr"),
        ("{frame}-{eye}.exr", "--frames 0-3", "there is one eye"),
        ("{frame}-{pass}.exr", "--frames 0-3", "there are no passes"),
        ("{fraem}.exr", "--frames 0-3", "no word for a name"),
        ("{frame}.exr", "--frames 0-3 --rows 0-5", "leave it out"),
        (
            "{frame}.exr",
            "--frames 0-9000000 --rate 24",
            "at most 86,400 s",
        ),
    ] {
        let why = stage.refused(name, &format!("{options} --width 64 --samples 1"));
        assert!(why.contains(said), "{name}: {why}");
    }
}
