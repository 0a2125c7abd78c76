//! Frames by command: which there are, their names, and orders that were stopped, damaged or killed.

use crate::{stage, support};

use dome_files::inspect::inspect;
use dome_optics::path::Rate;
use glam::DMat4;
use serde_json::Value;
use stage::Stage;
use std::collections::BTreeMap;
use std::os::unix::process::ExitStatusExt;
use std::path::{Path, PathBuf};
use std::process::Stdio;
use std::time::Duration;
use support::{outside, owl_dome, run, run_ok, text};

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
        // What a kill between a frame's last file and the end of its strips leaves: gone with the next time it is gone on with.
        let whose = run_ok(&["inspect", text(&file(3)), "--json"]);
        let whose: Value = serde_json::from_str(&whose).unwrap();
        let short = &whose["fingerprint"].as_str().unwrap()[..12];
        let strips = folder.join(format!(".unfinished-3-{short}"));
        std::fs::create_dir(&strips).unwrap();
        std::fs::write(strips.join("0.strip"), "rows").unwrap();
        let again = run(&args);
        assert!(!strips.exists(), "strips of a whole frame stay");
        let said = String::from_utf8_lossy(&again.stderr).into_owned();
        assert!(said.contains("All frames are there and whole."), "{said}");
        // Whatever its format, a frame says which picture it is.
        let told = run_ok(&["inspect", text(&file(3)), "--json"]);
        let told: Value = serde_json::from_str(&told).unwrap();
        assert_eq!(
            told["fingerprint"].as_str().map(str::len),
            Some(64),
            "{told}"
        );
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
    let (mut frames_seen, mut hit) = (0, 0);
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
        // Killed is only what the kill ended.
        hit += u64::from(child.wait().unwrap().signal() == Some(9));
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
    assert!(hit > 0, "none of {kills} kills hit");
    stage.render("killed/{frame}.exr", &format!("{options} --continue"));
    let mut last = content(&stage.at("killed"));
    // A whole file that was to replace one under its name in the very moment of a kill is nobody's; all else is the order.
    last.retain(|name, _| !name.starts_with('.') || name.starts_with(".unfinished-"));
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
        ("{frame}-{face}.exr", "--frames 0-3", "in one piece"),
        (
            "{frame}-{eye}.png",
            "--frames 0-3 --stereo panoramic --packing top-bottom",
            "both eyes into one file",
        ),
        ("{frame}.exr", "", "say which frames"),
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
