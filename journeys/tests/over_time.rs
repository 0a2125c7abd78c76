//! Depth over time in a real browser: every frame of the demo's walk is checked, what is beyond comfort is shown in its frame, and the eyes
//! are fitted to all of it.

use journeys::browser::{Browser, runtime};
use journeys::support::{Server, wait_for};
use serde_json::{Value, json};

const END: &str = "\u{e010}";
const PROJECT: &str = "/api/projects/1";

fn walk(server: &Server) -> Value {
    let project = server.json("GET", PROJECT, None).1;
    let all = project["viewpoints"].as_array().unwrap().clone();
    (all.into_iter().find(|v| v["name"] == "Up the stair")).unwrap()
}

fn time(server: &Server) -> f64 {
    server.json("GET", PROJECT, None).1["settings"]["time_s"]
        .as_f64()
        .unwrap()
}

#[test]
fn every_frame_of_a_walk() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), true);
    let base = server.address.clone();
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        b.client.goto(&format!("{base}/project/1/depth")).await.unwrap();
        let id = walk(&server)["id"].to_string();
        // Who stands still is told how to move.
        b.press_tab("Over time").await;
        b.until("one eye", "return document.querySelector('[role=tabpanel]').innerText.includes('One eye sees no depth');").await;
        b.choose("Viewpoint", &id).await;
        // With nothing changed every frame is comfortable.
        let told = |words: &str| {
            format!("return document.querySelector('[data-testid=frames-checked]')?.innerText.includes('{words}');")
        };
        b.until("all frames checked", &told("All 361 frames are comfortable")).await;
        b.check_accessibility("depth over time").await;
        b.screenshot("depth-over-time").await;
        // The chart is a handle: its end is the walk's.
        b.script("document.querySelector('[data-testid=depth-over-time] [role=slider]').focus();").await;
        b.client.active_element().await.unwrap().send_keys(END).await.unwrap();
        wait_for("the end of the walk", || (time(&server) == 12.0).then_some(()));
        b.until("the last frame", "return document.querySelector('[data-testid=depth-moment]').innerText.includes('Frame 360, 12.00 s');").await;
        // Eyes as far apart as people's are too far for the stair. Fewer frames a second are fewer frames.
        let mut wide = walk(&server);
        for key in wide["path"]["keys"].as_array_mut().unwrap() {
            key["separation_m"] = json!(0.063);
        }
        let (status, answer) = server.json("PUT", &format!("{PROJECT}/viewpoints/{id}"), Some(wide));
        assert_eq!(status, 200, "{answer}");
        b.choose("Frames a second", "24").await;
        b.until("frames beyond", &told("of 289 frames are beyond what is comfortable")).await;
        let frames = b.text("[data-testid=offences]").await;
        assert!(frames.contains("Stair post") && frames.contains("too near"), "{frames}");
        // The first of them is shown where it is worst.
        b.script("document.querySelector('[data-testid=offences] button').click();").await;
        wait_for("its moment", || (time(&server) < 12.0).then_some(()));
        b.press("Fit the eyes to every frame").await;
        b.until("all frames fitted", &told("All 289 frames are comfortable")).await;
        let keys = walk(&server)["path"]["keys"].clone();
        let separations = keys.as_array().unwrap().iter().map(|k| k["separation_m"].as_f64().unwrap());
        let separations: Vec<f64> = separations.collect();
        assert!(separations.iter().all(|b| (0.01..0.03).contains(b)), "{separations:?}");
        b.close().await;
    });
}
