//! The Depth stage in a real browser: both kinds of pairs by mouse and by keyboard, an order of both eyes, and the packed file
//! that is handed over, read by another program.

use journeys::browser::{Browser, runtime};
use journeys::support::{exiftool, outside, text, wait_for, with_room};
use serde_json::Value;

const LEFT: &str = "\u{e012}";

#[test]
fn a_pair_is_set_ordered_and_handed_over() {
    let (folder, server, id) = with_room();
    let base = format!("{}/project/{id}", server.address);
    let rig = || {
        server.json("GET", &format!("/api/projects/{id}"), None).1["viewpoints"][0]["rig"].clone()
    };
    let until = |what: &str, ready: &dyn Fn(&Value) -> bool| {
        wait_for(what, || ready(&rig()).then_some(()));
    };
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        b.client.goto(&format!("{base}/depth")).await.unwrap();
        b.find("[data-testid=horizon-picture]").await;
        b.find("[data-testid=depth-chart]").await;
        b.check_accessibility("depth, one eye").await;

        // A panoramic pair: closing lines on the Horizon, who looks, and what the picture is and the file will be.
        b.choose("Eyes", "panoramic").await;
        until("the panoramic pair", &|r| r["kind"] == "panoramic");
        b.find("[data-testid=closing]").await;
        b.until("who looks", "return document.querySelector('[data-testid=viewer]')?.innerText.includes('a person');").await;
        b.until("what is shown", "const t = document.querySelector('[data-testid=pair-note]')?.innerText ?? ''; return t.includes('Shown as an anaglyph') && t.includes('top-bottom');").await;
        b.fill("Eye separation", "126").await;
        until("twice the separation", &|r| r["separation_m"] == 0.126);
        b.until("a giant", "return document.querySelector('[data-testid=viewer]').innerText.includes('a giant 3.4 m tall');").await;
        b.fill("Eye separation", "63").await;
        b.choose("On the viewpoint stands", "left").await;
        until("the left eye", &|r| r["anchor"] == "left");
        b.choose("Zero parallax", "at").await;
        b.fill("Distance", "2").await;
        until("zero parallax at 2 m", &|r| r["converge_m"] == 2.0);
        // The page hears of it a moment after the server.
        b.until("the mark at 2 m", "return document.querySelector('[data-testid=depth-chart] [role=slider]')?.getAttribute('aria-valuetext')?.startsWith('2.00 m');").await;
        // By keys the mark on the chart moves nearer.
        let mark = "return document.querySelector('[data-testid=depth-chart] [role=slider]');";
        b.script(&format!("{}.focus();", mark.trim_start_matches("return ").trim_end_matches(';'))).await;
        b.client.active_element().await.unwrap().send_keys(LEFT).await.unwrap();
        until("nearer", &|r| r["converge_m"].as_f64().is_some_and(|c| c < 2.0 && c > 1.5));
        let nearer = rig()["converge_m"].clone();
        // What is too near is listed, and pointed out in the picture.
        b.press_tab("Beyond comfort").await;
        b.check_accessibility("depth, beyond comfort").await;
        b.press_tab("The pair").await;
        // Undone like everything else; quick changes of one kind are one step.
        b.press("Undo").await;
        let undone = |r: &Value| r["converge_m"] != nearer;
        until("undone", &undone);
        b.press("Redo").await;
        until("done again", &|r| r["converge_m"] == nearer);
        for shown in ["left", "right", "least-squares", "difference"] {
            b.choose("Shown as", shown).await;
            b.until("the picture", "return document.querySelector('[data-testid=horizon-picture]') !== null;").await;
        }
        b.find("[data-testid=strain]").await;
        b.check_accessibility("depth, panoramic").await;
        b.choose("Shown as", "lookouts").await;
        b.until("both Lookouts", "return document.querySelectorAll('[data-testid=lookout-pair] [data-testid=lookout]').length === 2;").await;
        b.check_accessibility("depth, Lookouts").await;
        b.choose("Shown as", "half-colour").await;

        // Order both eyes, and hand them over one above the other.
        b.press("Order both eyes").await;
        b.fill("Width of each eye", "128").await;
        b.choose("Quality", "samples").await;
        b.fill("Samples per pixel", "8").await;
        b.until("the height", "return document.querySelector('[data-testid=height]')?.innerText === '64 px';").await;
        b.press("Order render").await;
        b.find("[data-testid=order][data-state=done]").await;
        b.press("Hand it over").await;
        b.press("Make the JPEG").await;
        b.find("[data-testid=package]").await;
        b.until("its words", "return [...document.querySelectorAll('[data-testid=package] td')].some(t => t.innerText.startsWith('Stereo top-bottom: left eye on top'));").await;
        b.check_accessibility("hand over a pair").await;
        b.press("Look at it").await;
        b.until("the left eye", "return document.querySelector('[data-testid=viewer]')?.innerText.includes('left eye');").await;

        // A flat pair: budget, fit, a picked thing, the frame.
        // Into a corner: a wall looked at squarely has no depth to fit to.
        let mut viewpoint = server.json("GET", &format!("/api/projects/{id}"), None).1["viewpoints"][0].clone();
        viewpoint["pose"]["heading_deg"] = 45.0.into();
        let path = format!("/api/projects/{id}/viewpoints/{}", viewpoint["id"]);
        assert_eq!(server.json("PUT", &path, Some(viewpoint)).0, 200);
        b.client.goto(&format!("{base}/depth")).await.unwrap();
        b.choose("Eyes", "flat").await;
        until("the flat pair", &|r| r["kind"] == "flat");
        b.find("[data-testid=frame-picture]").await;
        b.choose("Rule", "own").await;
        b.fill("My own budget", "40").await;
        b.fill("Used by this shot", "100").await;
        b.fill("Of it in front", "50").await;
        until("the budget", &|r| r["flat"]["budget"]["own_px"] == 40.0 && r["flat"]["budget"]["front_percent"] == 50.0);
        b.until("the fit", "return document.querySelector('[data-testid=fit]') !== null;").await;
        let before = rig()["separation_m"].as_f64().unwrap();
        b.press("Fit to what the frame sees").await;
        until("the fitted pair", &|r| (r["separation_m"].as_f64().unwrap() - before).abs() > 1e-6);
        // It fills the budget to the pixel: 20 in front.
        b.until("the near parallax", "return document.querySelector('[data-testid=near-px]')?.innerText.includes('-20.0 px');").await;
        b.fill("Screen is wide", "2").await;
        b.fill("Seen from", "3").await;
        b.until("the screen", "return document.querySelector('[data-testid=on-screen]')?.innerText.includes('Roundness');").await;
        let (x, y) = b.middle("[data-testid=frame] button").await;
        b.point((x + 3, y)).await;
        b.until("what lies there", "return document.querySelector('[data-testid=under]')?.innerText.includes(' px, click to pick');").await;
        b.click((x, y)).await;
        b.find("[data-testid=picked-depth]").await;
        b.press("Put zero parallax here").await;
        b.until("zero there", "return document.querySelector('[data-testid=picked-depth]') === null;").await;
        b.check_accessibility("depth, flat").await;
        // The planes of depth over the picture, then in plan and section.
        b.script("[...document.querySelectorAll('label')].find((l) => l.innerText.trim() === 'Planes of depth').click();").await;
        b.find("[data-testid=planes-layer]").await;
        b.choose("Shown as", "paper").await;
        b.until("the planes", "return document.querySelectorAll('[data-testid=plan-planes] [data-plane=zero]').length === 1 && document.querySelectorAll('[data-testid=section-planes] [data-plane=nearest]').length === 1;").await;
        b.until("the walls", "return Number(document.querySelector('[data-testid=plan-planes]').dataset.points) > 3;").await;
        b.check_accessibility("depth, planes on paper").await;
        b.choose("Shown as", "half-colour").await;
        // A title behind the wall is told, and brought before it.
        b.press_tab("Titles").await;
        b.press("Add a title").await;
        until("the title", &|r| r["titles"].as_array().is_some_and(|t| t.len() == 1));
        b.fill("Distance", "40").await;
        b.until("what it covers", "return document.querySelector('[data-testid=title-told]')?.innerText.includes('which is nearer');").await;
        b.check_accessibility("depth, titles").await;
        b.press("Bring it there").await;
        until("before the wall", &|r| r["titles"][0]["distance_m"].as_f64().is_some_and(|d| d < 10.0));
        b.until("nothing covered", "const t = document.querySelector('[data-testid=title-told]')?.innerText ?? ''; return t.startsWith('Parallax') && !t.includes('nearer');").await;
        // The plan of all, with a note, as a table for others.
        b.press_tab("Plan of all").await;
        b.find("[data-testid=depth-plan]").await;
        b.check_accessibility("depth, plan").await;
        b.close().await;
    });
    // What was handed over, as another reader sees it: two halves, one eye above the other, that differ.
    let project = server.json("GET", &format!("/api/projects/{id}"), None).1;
    let package = project["packages"][0]["id"].as_i64().unwrap();
    let file = folder.path().join("pair.jpg");
    std::fs::write(
        &file,
        server.get(&format!("/api/packages/{package}/download")),
    )
    .unwrap();
    let told = exiftool(&file);
    assert_eq!(
        (told["ImageWidth"].as_i64(), told["ImageHeight"].as_i64()),
        (Some(128), Some(128))
    );
    assert!(
        told["Description"]
            .as_str()
            .unwrap()
            .contains("left eye on top"),
        "{told}"
    );
    let raw = folder.path().join("pair.raw");
    outside(
        "ffmpeg",
        &[
            "-v",
            "error",
            "-y",
            "-i",
            text(&file),
            "-f",
            "rawvideo",
            "-pix_fmt",
            "gray",
            text(&raw),
        ],
    );
    let pixels = std::fs::read(&raw).unwrap();
    let (top, bottom) = pixels.split_at(128 * 64);
    let apart: Vec<f64> = (top.iter().zip(bottom))
        .map(|(a, b)| f64::from(a.abs_diff(*b)))
        .collect();
    // Edges lie elsewhere for each eye, and most of the rest is the same.
    let (mean, most) = (
        apart.iter().sum::<f64>() / apart.len() as f64,
        apart.iter().copied().fold(0.0, f64::max),
    );
    assert!(
        most > 16.0 && mean < 8.0,
        "the halves are two eyes: {mean} on average, {most} at most"
    );
    let plan = String::from_utf8(server.get(&format!("/api/projects/{id}/depth.csv"))).unwrap();
    assert!(
        plan.starts_with("viewpoint,pair,") && plan.contains(",flat,"),
        "{plan}"
    );
}

/// Two brought pictures are joined, checked with their chart, seen through glasses and laid otherwise.
#[test]
fn brought_eyes_are_joined_and_checked() {
    let (folder, server, _) = with_room();
    // Blocks that lie two pixels apart in the lower half and none in the upper.
    let eye = |side: i64| {
        image::RgbImage::from_fn(256, 128, |x, y| {
            let x = i64::from(x) + side * if y > 64 { 2 } else { 0 };
            let cell = (x.rem_euclid(256) / 3 * 73_856_093) ^ (i64::from(y) / 3 * 19_349_663);
            image::Rgb([40 + (cell.wrapping_mul(2_654_435_761) >> 9 & 0x7f) as u8; 3])
        })
    };
    let mut ids = Vec::new();
    for (name, side) in [("left.png", 0), ("right.png", 1)] {
        let path = folder.path().join(name);
        eye(side).save(&path).unwrap();
        let bytes = std::fs::read(&path).unwrap();
        let (status, picture) = server.bring(&format!("/api/pictures?file={name}"), &bytes);
        assert_eq!(status, 200, "{picture}");
        ids.push(picture["id"].as_i64().unwrap());
    }
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        b.client.goto(&format!("{}/pictures/{}", server.address, ids[0])).await.unwrap();
        b.press_tab("Two eyes").await;
        b.press("Join them").await;
        b.find("[data-testid=pair-chart]").await;
        b.until("a good pair", "return document.querySelector('[data-testid=pair-check]').innerText.includes('Nothing was found that spoils');").await;
        b.check_accessibility("pictures, two eyes").await;
        b.choose("Shown as", "difference").await;
        b.until("the difference", "return [...document.querySelectorAll('img')].some((i) => i.src.includes('show=difference') && i.complete && i.naturalWidth > 0);").await;
        b.choose("Make", "right").await;
        b.press("Make it").await;
        b.until("the right eye", "return document.querySelector('h2')?.innerText.includes('right eye');").await;
        b.press_tab("Two eyes").await;
        b.check_accessibility("pictures, one eye").await;
        // Said to hold both eyes, each is half of it.
        b.choose("Eyes in it", "side-by-side").await;
        b.find("[data-testid=taking]").await;
        b.close().await;
    });
    let pictures = server.json("GET", "/api/pictures", None).1["pictures"].clone();
    let made = pictures.as_array().unwrap();
    assert!(
        made.iter()
            .any(|p| p["packing"] == "top-bottom" && p["height"] == 256),
        "{pictures}"
    );
    assert!(
        made.iter()
            .any(|p| p["packing"] == "side-by-side" && p["packing_told"] == true),
        "{pictures}"
    );
}
