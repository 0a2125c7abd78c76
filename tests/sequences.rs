//! Sequences of cube faces in six folders, through the command.

use crate::support;

use dome_files::rows::PictureRows;
use std::path::Path;
use support::{run_fails, run_ok, text};

const FACES: [&str; 6] = ["left", "front", "right", "back", "up", "down"];

fn sphere(path: &Path) -> image::RgbImage {
    image::open(path).unwrap().to_rgb8()
}

#[test]
fn faces_in_six_folders_become_frames() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let picture = merlow::evening_sphere(256);
    picture.save(at("sphere.png")).unwrap();
    for face in FACES {
        std::fs::create_dir(at(face)).unwrap();
    }
    // Two frames, the second a quarter turn on.
    for (frame, turn) in [(9, "0,0,0"), (10, "90,0,0")] {
        run_ok(&[
            "convert",
            text(&at("sphere.png")),
            "-o",
            text(&at("f.png")),
            "--to",
            "cube-faces",
            "--turn",
            turn,
        ]);
        for face in FACES {
            let to = at(face).join(format!("take.{frame:03}.png"));
            std::fs::rename(at(&format!("f-{face}.png")), to).unwrap();
        }
    }
    let inputs: Vec<_> = FACES.map(at).to_vec();
    let run = |extra: &[&str]| {
        let out = at("out.png");
        let mut args = vec!["convert"];
        args.extend(inputs.iter().map(|p| text(p)));
        args.extend(["-o", text(&out), "--to", "equirect"]);
        args.extend(extra);
        run_ok(&args)
    };
    let told = run(&[]);
    assert_eq!(told.lines().count(), 2, "{told}");
    let (first, second) = (sphere(&at("out-009.png")), sphere(&at("out-010.png")));
    assert_eq!(first.dimensions(), (256, 128));
    let mean = |a: &image::RgbImage, shift: u32| {
        let mut sum = 0.0;
        for (x, y, p) in a.enumerate_pixels() {
            let other = picture.get_pixel((x + shift) % 256, y);
            sum += (0..3)
                .map(|c| f64::from(p.0[c].abs_diff(other.0[c])))
                .sum::<f64>();
        }
        sum / f64::from(256 * 128 * 3)
    };
    assert!(mean(&first, 0) < 3.0, "{}", mean(&first, 0));
    assert!(mean(&second, 64) < 3.0, "{}", mean(&second, 64));
    assert!(mean(&second, 0) > 6.0);

    // What is there stays when it is to go on; what is missing is made.
    std::fs::write(at("out-009.png"), "kept").unwrap();
    std::fs::remove_file(at("out-010.png")).unwrap();
    let told = run(&["--continue"]);
    assert!(
        told.contains("out-010.png") && !told.contains("out-009.png"),
        "{told}"
    );
    assert_eq!(std::fs::read(at("out-009.png")).unwrap(), b"kept");
    assert_eq!(PictureRows::open(&at("out-010.png")).unwrap().width, 256);

    // A frame that one folder lacks is told before anything is made.
    std::fs::remove_file(at("back").join("take.010.png")).unwrap();
    let mut args = vec!["convert"];
    args.extend(inputs.iter().map(|p| text(p)));
    let out = at("again.png");
    args.extend(["-o", text(&out), "--to", "equirect"]);
    let told = run_fails(&args, 1);
    assert!(told.contains("Frame 10") && told.contains("back"), "{told}");
    assert!(!at("again-009.png").exists());
}
