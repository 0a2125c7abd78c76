//! The job as a newcomer does it: nothing changed that need not be, each stage's primary action pressed, in windows of
//! every usual size.

use journeys::browser::{Browser, runtime};
use journeys::support::{Server, scene_in, text, wait_for};
use serde_json::{Value, json};
use std::collections::BTreeMap;

/// Fields that the browser or the page calls invalid, and refusals that are shown.
const WRONG: &str = "return [...document.querySelectorAll('input:invalid, select:invalid, [aria-invalid=true], [role=alert]')].map(e => e.outerHTML.slice(0, 200));";

async fn nothing_is_wrong(b: &Browser, at: &str) {
    assert_eq!(b.script(WRONG).await, json!([]), "at {at}");
}

/// Opens everything that can be opened on the page, and every tab in turn.
async fn open_everything(b: &Browser, at: &str) {
    b.script("document.querySelectorAll('details').forEach(d => { d.open = true; }); return true;")
        .await;
    nothing_is_wrong(b, at).await;
    let count = b
        .script("return document.querySelectorAll('[role=tab]').length;")
        .await
        .as_u64()
        .unwrap();
    for i in 0..count {
        let name = b.script(&format!("const t = document.querySelectorAll('[role=tab]')[{i}]; t.click(); return t.innerText;")).await;
        b.until("the tab", &format!("return document.querySelectorAll('[role=tab]')[{i}].getAttribute('aria-selected') === 'true';")).await;
        nothing_is_wrong(b, &format!("{at}, {name}")).await;
    }
    b.script("document.querySelectorAll('main [aria-expanded=false]').forEach(d => d.click()); return true;").await;
    nothing_is_wrong(b, &format!("{at}, opened")).await;
}

fn orders(server: &Server) -> Vec<Value> {
    server.json("GET", "/api/projects/1", None).1["orders"]
        .as_array()
        .unwrap()
        .clone()
}

#[test]
fn with_all_defaults_every_stage_leads_on() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), true);
    let base = server.address.clone();
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        b.client.goto(&base).await.unwrap();
        b.until("the library", "return document.title === 'Library \u{b7} Owl Dome' && !!document.querySelector('main a');").await;
        open_everything(&b, "library").await;
        for (stage, title) in [("scene", "Scene"), ("stand", "Stand"), ("depth", "Depth"), ("render", "Render"), ("hand-over", "Hand over"), ("look", "Look")] {
            b.client.goto(&format!("{base}/project/1/{stage}")).await.unwrap();
            b.until("the stage", &format!("return document.title.startsWith('{title} \u{b7} Merlow') && document.querySelectorAll('main button').length > 0;")).await;
            open_everything(&b, stage).await;
        }
        b.client.goto(&format!("{base}/pictures")).await.unwrap();
        b.find("[data-testid=horizon-picture]").await;
        open_everything(&b, "pictures").await;
        // Empty stages have a button that leads on.
        b.client.goto(&format!("{base}/project/1/look")).await.unwrap();
        b.press("Go to Hand over").await;
        b.press("Order a render").await;
        b.find("[data-testid=height]").await;

        // From the scene on, each primary action as it stands there; a final, then a draft.
        b.client.goto(&format!("{base}/project/1/scene")).await.unwrap();
        b.press("Choose where to stand").await;
        b.press("Order a render").await;
        // While nothing is rendered the live picture of the viewpoint is shown, with its own heading.
        b.find("[data-testid=horizon-picture]").await;
        assert!(b.text("[data-testid=horizon] figcaption").await.contains("Centre 315"));
        b.press("Order render").await;
        wait_for("the final order", || (orders(&server).len() == 1).then_some(()));
        let spec = orders(&server)[0]["spec"].clone();
        // Denoised where this machine can.
        let can = server.json("GET", "/api/machine", None).1["denoiser"].clone();
        assert_eq!((&spec["samples"], &spec["noise_percent"], &spec["draft"], &spec["denoise"]), (&json!(2048), &json!(4.0), &json!(false), &can));
        // What they look like is not asked here, so they need not be rendered.
        let stop_newest = || {
            let order = orders(&server)[0]["id"].clone();
            assert_eq!(server.ask_job(order, "stop"), 202);
        };
        stop_newest();
        b.choose("Kind", "draft").await;
        b.press("Order render").await;
        wait_for("the draft order", || (orders(&server).len() == 2).then_some(()));
        assert_eq!(orders(&server)[0]["spec"]["noise_percent"], 12.0);
        stop_newest();
        nothing_is_wrong(&b, "both orders").await;

        // Any number within the limits is taken; what is refused says so beside the field, and nothing is ordered.
        b.set_switch("Denoise", false).await;
        b.fill("Noise at most", "3,7").await;
        b.press("Order render").await;
        wait_for("the third order", || (orders(&server).len() == 3).then_some(()));
        assert!((orders(&server)[0]["spec"]["noise_percent"].as_f64().unwrap() - 3.7).abs() < 1e-5);
        stop_newest();
        for (wrong, said) in [("0.05", "Type a number from 0.1 to 100 %."), ("much", "This is no number. Type a number from 0.1 to 100 %.")] {
            b.fill("Noise at most", wrong).await;
            assert_eq!(b.text("form [role=alert]").await, said);
            b.press("Order render").await;
            let held = b.script("return document.activeElement.getAttribute('aria-invalid');").await;
            assert_eq!(held, "true", "the refused field has the focus");
        }
        assert_eq!(orders(&server).len(), 3);
        b.fill("Noise at most", "5").await;
        nothing_is_wrong(&b, "mended").await;
        // The arrows step from any number.
        let field = b.find("form [role=spinbutton][aria-valuenow='5']").await;
        field.send_keys("\u{e013}").await.unwrap(); // arrow up
        b.find("form [role=spinbutton][aria-valuenow='5.5']").await;

        // Both kinds of pairs as they start: everything opened, both eyes ordered, nothing changed.
        for (kind, eyes) in [("panoramic", "equirect"), ("flat", "perspective")] {
            let before = orders(&server).len();
            b.client.goto(&format!("{base}/project/1/depth")).await.unwrap();
            b.choose("Eyes", kind).await;
            b.until("what the pair sees", "return (document.querySelector('[data-testid=viewer]')?.innerText ?? '').includes('seen as by a person');").await;
            open_everything(&b, &format!("depth, {kind}")).await;
            b.press("Order both eyes").await;
            b.find("[data-testid=height]").await;
            open_everything(&b, &format!("ordering a {kind} pair")).await;
            b.press("Order render").await;
            wait_for("the pair's order", || (orders(&server).len() == before + 1).then_some(()));
            let spec = orders(&server)[0]["spec"].clone();
            assert!(spec["rig"]["kind"] == kind && spec["shape"].as_str().unwrap().starts_with(eyes), "{spec}");
            stop_newest();
        }
        let left = orders(&server).len();

        // What cannot be undone is asked in the page itself.
        b.script("[...document.querySelectorAll('[data-testid=order]')].pop().querySelector('.text-error').click(); return true;").await;
        b.press("Keep").await;
        assert_eq!(orders(&server).len(), left);
        b.check_accessibility("render with orders").await;
        b.close().await;
    });
}

/// From a file to looking round in the finished JPEG; only the width is made small, so that the test ends soon.
#[test]
fn a_scene_becomes_a_picture_with_nothing_else_changed() {
    let folder = tempfile::tempdir().unwrap();
    let scene = scene_in(folder.path());
    let server = Server::start(&folder.path().join("data"), false);
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        b.client.goto(&server.address).await.unwrap();
        b.find("[data-testid=scene-file]")
            .await
            .send_keys(text(&scene))
            .await
            .unwrap();
        b.press("Choose where to stand").await;
        b.press("Order a render").await;
        b.fill("Width", "64").await;
        b.until(
            "the height",
            "return document.querySelector('[data-testid=height]')?.innerText === '32 px';",
        )
        .await;
        b.press("Order render").await;
        b.press("Hand it over").await;
        b.press("Make the JPEG").await;
        b.find("[data-testid=package]").await;
        b.press("Look at it").await;
        b.until(
            "the picture",
            "return document.querySelector('[data-testid=viewer]')?.dataset.shown === '64';",
        )
        .await;
        nothing_is_wrong(&b, "look").await;
        // Renamed in its own place.
        b.client
            .goto(&format!("{}/project/1/scene", server.address))
            .await
            .unwrap();
        b.press("Rename project").await;
        let field = b.find("[aria-label='Project name']").await;
        // Enter, as there is a button of this name beside the light setups too.
        field.send_keys(" at dusk\u{e007}").await.unwrap();
        wait_for("the new name", || {
            (server.json("GET", "/api/projects/1", None).1["name"] == "room at dusk").then_some(())
        });
        b.close().await;
    });
}

/// In every usual window, with all seven stages and thirty viewpoints: the page does not scroll, the header holds the way,
/// the primary action is in sight, and pictures leave room for the rest.
#[test]
fn every_usual_window_holds_the_stages() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), true);
    let base = server.address.clone();
    let mut draft = server.json("GET", "/api/projects/1", None).1["viewpoints"][0].clone();
    for i in 5..=30 {
        draft["name"] = json!(format!("Viewpoint {i}"));
        let (status, answer) =
            server.json("POST", "/api/projects/1/viewpoints", Some(draft.clone()));
        assert_eq!(status, 200, "{answer}");
    }
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        b.client.goto(&base).await.unwrap();
        b.script("localStorage.setItem('owl-dome-all-stages', '1'); return true;").await;
        for (stage, primary) in [("scene", "Choose where to stand"), ("stand", "Order a render"), ("render", "Order render")] {
            b.client.goto(&format!("{base}/project/1/{stage}")).await.unwrap();
            b.find("[data-testid=horizon]").await;
            b.until("the primary action", &format!("return [...document.querySelectorAll('main button')].some(b => b.innerText === '{primary}');")).await;
            for (width, height) in [(1280, 800), (1440, 900), (1920, 1080), (2560, 1440), (1024, 768)] {
                b.resize(width, height).await;
                b.settled().await;
                let found = b.script(&format!("
                    const box = e => e.getBoundingClientRect();
                    const main = document.querySelector('main');
                    const act = box([...document.querySelectorAll('main button')].find(b => b.innerText === '{primary}'));
                    const nav = box(document.querySelector('nav[aria-label=Stages] ol'));
                    const pill = box(document.querySelector('[data-testid=preflight]'));
                    const plan = document.querySelector('[data-testid=plan]');
                    return {{
                        page: [main.scrollWidth - main.clientWidth, main.scrollHeight - main.clientHeight],
                        window: [innerWidth, innerHeight],
                        stages: document.querySelectorAll('nav[aria-label=Stages] li').length,
                        way: pill.left - nav.right,
                        mark: nav.left - box(document.querySelector('header a')).right,
                        acts: act.top >= 0 && act.bottom <= innerHeight && act.right <= innerWidth && act.height > 20,
                        horizon: box(document.querySelector('[data-testid=horizon] figure, figure[data-testid=horizon]')).height / innerHeight,
                        plan: plan ? box(plan).height : null,
                    }};")).await;
                let at = format!("{stage} at {width} x {height}: {found}");
                assert_eq!(found["window"], json!([width, height]), "{at}");
                assert_eq!((&found["page"], &found["stages"]), (&json!([0, 0]), &json!(7)), "{at}");
                assert!(found["way"].as_f64().unwrap() >= 0.0 && found["mark"].as_f64().unwrap() >= 0.0, "{at}");
                assert_eq!(found["acts"], true, "{at}");
                assert!(found["horizon"].as_f64().unwrap() < 0.62, "{at}");
                if stage == "stand" {
                    assert!(found["plan"].as_f64().unwrap() > 0.3 * f64::from(height), "{at}");
                }
            }
        }
        b.close().await;
    });
}

/// What is wrong with how a page fits its window: what reaches out of it sideways, tabs in more than one line, texts under 12 px, and
/// labels of one row that lie over each other.
const MISFITS: &str = r#"
    const found = [];
    const told = e => `${e.tagName}.${e.className?.baseVal ?? e.className}: ${(e.innerText ?? '').slice(0, 40)}`;
    const main = document.querySelector('main');
    if (main.scrollWidth > main.clientWidth + 1) found.push(`main is ${main.scrollWidth} wide in ${main.clientWidth}`);
    const cut = e => { for (let at = e.parentElement; at && at !== document.body; at = at.parentElement) { if (getComputedStyle(at).overflowX !== 'visible') return true; } return false; };
    for (const e of main.querySelectorAll('*')) {
        const box = e.getBoundingClientRect();
        if (box.width === 0 || e.closest('svg') || e.closest('.sr-only')) continue;
        if (e.scrollWidth > e.clientWidth + 1 && ['auto', 'scroll'].includes(getComputedStyle(e).overflowX)) found.push(`scrolls sideways: ${told(e)}`);
        if (box.right > innerWidth + 1 && !cut(e)) found.push(`reaches out: ${told(e)}`);
        const own = [...e.childNodes].some(n => n.nodeType === 3 && n.textContent.trim() !== '');
        if (own && parseFloat(getComputedStyle(e).fontSize) < 12) found.push(`small text: ${told(e)}`);
    }
    for (const list of main.querySelectorAll('[role=tablist]')) {
        const tops = new Set([...list.querySelectorAll('[role=tab]')].map(t => Math.round(t.getBoundingClientRect().top)));
        if (tops.size > 1) found.push(`tabs in ${tops.size} lines: ${told(list)}`);
    }
    for (const row of main.querySelectorAll('[aria-hidden=true]')) {
        const spans = [...row.children].filter(c => c.tagName === 'SPAN' && c.innerText.trim() !== '').map(c => c.getBoundingClientRect()).filter(b => b.width > 0);
        const over = (a, b) => a.left < b.right - 1 && b.left < a.right - 1 && a.top < b.bottom - 1 && b.top < a.bottom - 1;
        if (spans.some((a, i) => spans.slice(i + 1).some(b => over(a, b)))) found.push(`labels over each other: ${told(row)}`);
    }
    return [...new Set(found)].slice(0, 12);
"#;

/// Every stage with all its tabs, and the tools of Pictures, with names of 80 letters, in every usual window ; both themes are legible.
#[test]
fn every_page_fits_every_window_with_long_names() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), true);
    let base = server.address.clone();
    let long = "A name of eighty letters that somebody thought of for this one and kept as it is";
    assert_eq!(long.len(), 80);
    let (_, project) = server.json("GET", "/api/projects/1", None);
    let mut viewpoint = project["viewpoints"][0].clone();
    viewpoint["name"] = json!(long);
    let path = format!("/api/projects/1/viewpoints/{}", viewpoint["id"]);
    assert_eq!(server.json("PUT", &path, Some(viewpoint)).0, 200);
    let (status, answer) = server.json("PATCH", "/api/projects/1", Some(json!({ "name": long })));
    assert_eq!(status, 200, "{answer}");
    let picture = server.json("GET", "/api/pictures", None).1["pictures"][0]["id"].clone();
    let mut wrong: BTreeMap<String, String> = BTreeMap::new();
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        b.client.goto(&base).await.unwrap();
        let stages = ["scene", "stand", "depth", "render", "hand-over", "look"]
            .map(|s| format!("project/1/{s}"));
        for page in stages
            .into_iter()
            .chain([format!("pictures/{picture}"), String::new()])
        {
            b.client.goto(&format!("{base}/{page}")).await.unwrap();
            b.until(
                "the page",
                "return document.querySelectorAll('main button, main a').length > 0;",
            )
            .await;
            let tabs = b
                .script("return document.querySelectorAll('main [role=tab]').length;")
                .await
                .as_u64()
                .unwrap();
            for tab in 0..tabs.max(1) {
                b.script(&format!(
                    "document.querySelectorAll('main [role=tab]')[{tab}]?.click(); return true;"
                ))
                .await;
                for (width, height) in [(1024, 768), (1280, 800), (1920, 1080), (2560, 1440)] {
                    b.resize(width, height).await;
                    b.settled().await;
                    for misfit in b.script(MISFITS).await.as_array().unwrap() {
                        let place = format!("{page}, tab {tab}, {width} px");
                        wrong.entry(misfit.to_string()).or_insert(place);
                    }
                }
            }
        }
        // How things lie does not depend on the theme; what can be read does.
        b.resize(1280, 800).await;
        for theme in ["daylight", "dusk"] {
            b.script(&format!(
                "localStorage.setItem('owl-dome-theme', '{theme}'); return true;"
            ))
            .await;
            for stage in ["scene", "stand", "depth", "render"] {
                b.client
                    .goto(&format!("{base}/project/1/{stage}"))
                    .await
                    .unwrap();
                b.find("[data-testid=horizon-picture]").await;
                b.check_accessibility(&format!("{stage}, {theme}")).await;
            }
        }
        b.close().await;
    });
    assert!(wrong.is_empty(), "{wrong:#?}");
}
