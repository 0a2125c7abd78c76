//! Every rule finds what it is for, says where and what to do, and is silent otherwise.

use dome_optics::{Orientation, Shape};
use dome_rules::preflight::{
    Facts, Finding, Fix, LampInSight, Level, OrderFacts, Purpose, StandFacts, check,
};
use dome_trace::scene::MeshPart;
use dome_trace::stand::clearance::{Clearance, Limits, scan};
use dome_trace::stand::dark::Dark;
use dome_trace::stand::starts::{Start, suggest};
use dome_trace::{Material, Scene, SceneBuilder, Sky};
use glam::{DVec3, Mat4, Vec3};

/// A closed box of a size that stands at a place.
fn block(builder: &mut SceneBuilder, name: &str, size: Vec3, place: Vec3) {
    let corner = |i: u32| {
        let side = |bit: u32| if i >> bit & 1 == 1 { 0.5 } else { -0.5 };
        [side(0), side(1) + 0.5, side(2)]
    };
    let quads: [[u32; 4]; 6] = [
        [0, 4, 6, 2],
        [1, 3, 7, 5],
        [0, 1, 5, 4],
        [2, 6, 7, 3],
        [0, 2, 3, 1],
        [4, 5, 7, 6],
    ];
    let part = MeshPart {
        positions: (0..8).map(corner).collect(),
        triangles: quads
            .iter()
            .flat_map(|q| [[q[0], q[1], q[2]], [q[0], q[2], q[3]]])
            .collect(),
        ..MeshPart::default()
    };
    builder.start_object(name);
    builder.add_part(
        &part,
        &(Mat4::from_translation(place) * Mat4::from_scale(size)),
    );
}

/// A hall of 10 x 4 x 10 m with a table, a beam, and ground outside.
fn hall() -> Scene {
    let mut b = SceneBuilder::default();
    b.materials = vec![Material::default()];
    let at = Vec3::new;
    block(&mut b, "Ground", at(40.0, 0.5, 40.0), at(0.0, -0.5, 0.0));
    block(&mut b, "Ceiling", at(11.0, 0.3, 11.0), at(0.0, 4.0, 0.0));
    block(
        &mut b,
        "North wall",
        at(11.0, 4.0, 0.5),
        at(0.0, 0.0, -5.25),
    );
    block(&mut b, "South wall", at(11.0, 4.0, 0.5), at(0.0, 0.0, 5.25));
    block(&mut b, "East wall", at(0.5, 4.0, 10.0), at(5.25, 0.0, 0.0));
    block(&mut b, "West wall", at(0.5, 4.0, 10.0), at(-5.25, 0.0, 0.0));
    block(&mut b, "Table", at(1.6, 0.05, 0.8), at(3.0, 0.7, 3.0));
    block(&mut b, "Beam", at(1.0, 0.2, 1.0), at(-3.0, 1.75, 3.0));
    b.build(Sky::default(), "hall").unwrap()
}

struct Stage {
    scene: Scene,
    starts: Vec<Start>,
}

impl Stage {
    fn new() -> Self {
        let scene = hall();
        let starts = suggest(&scene);
        Self { scene, starts }
    }

    fn look(&self, eye: [f64; 3]) -> Clearance {
        scan(&self.scene, eye.into(), &Limits::default())
    }

    fn facts<'a>(&'a self, eye: [f64; 3], clearance: &'a Clearance) -> StandFacts<'a> {
        StandFacts {
            name: "Hall".into(),
            scene: &self.scene,
            eye: eye.into(),
            orientation: Orientation::default(),
            clearance,
            limits: Limits::default(),
            starts: &self.starts,
            stereo: false,
            lamps: Vec::new(),
            open: 0.0,
            sky: 1.0,
            lit: true,
            transparent: false,
            dark: None,
            remedies: true,
            travel_deg: None,
        }
    }

    /// What is found at a place, with the facts changed by `change`.
    fn found(&self, eye: [f64; 3], change: impl FnOnce(&mut StandFacts)) -> Vec<Finding> {
        let clearance = self.look(eye);
        let mut stand = self.facts(eye, &clearance);
        change(&mut stand);
        check(&Facts {
            stand: Some(stand),
            ..Facts::default()
        })
    }
}

fn order() -> OrderFacts {
    OrderFacts {
        name: "hall.exr".into(),
        shape: Shape::Equirect,
        width: Some(8192),
        height: None,
        purpose: Purpose::Headset,
        samples: 4096,
        noise_percent: Some(4.0),
        denoise: false,
        draft: false,
        separation: None,
        double: None,
        clay: false,
        clash: None,
        need_bytes: 1 << 30,
        free_bytes: Some(100 << 30),
    }
}

fn of_order(change: impl FnOnce(&mut OrderFacts)) -> Vec<Finding> {
    let mut facts = order();
    change(&mut facts);
    check(&Facts {
        order: Some(facts),
        ..Facts::default()
    })
}

/// The one finding of a rule; it must say everything.
fn one<'a>(found: &'a [Finding], rule: &str, level: Level) -> &'a Finding {
    let of: Vec<&Finding> = found.iter().filter(|f| f.rule == rule).collect();
    assert_eq!(of.len(), 1, "{rule}: {found:#?}");
    assert_eq!(of[0].level, level, "{:?}", of[0]);
    for text in [&of[0].what, &of[0].place, &of[0].remedy] {
        assert!(!text.is_empty() && !text.contains("NaN"), "{:?}", of[0]);
    }
    of[0]
}

const CLEAR: [f64; 3] = [0.0, 1.6, 0.0];

#[test]
fn a_good_place_and_a_good_order_are_left_alone() {
    let stage = Stage::new();
    assert_eq!(stage.found(CLEAR, |_| {}), []);
    assert_eq!(of_order(|_| {}), []);
    let general = Facts {
        extent: Some(20.0),
        eye_separation: Some(0.063),
        ..Facts::default()
    };
    assert_eq!(check(&general), []);
}

#[test]
fn places_where_one_cannot_stand_are_told_with_a_way_out() {
    let stage = Stage::new();
    let moved = |f: &Finding| match &f.fix {
        Some(Fix::MoveTo(p)) => *p,
        other => panic!("{f:?}: {other:?}"),
    };
    let found = stage.found([5.2, 1.6, 0.3], |_| {});
    let inside = one(&found, "inside", Level::Stop);
    assert!(inside.what.contains("East wall"));
    // The way out leads to a place where nothing is found any more.
    let out = moved(inside);
    assert!(stage.found(out.to_array(), |_| {}).is_empty(), "{out}");

    let found = stage.found([60.0, 1.6, 0.0], |_| {});
    one(&found, "no-floor", Level::Warn);
    let found = stage.found([3.0, 1.6, 3.0], |_| {});
    let over = one(&found, "over-furniture", Level::Warn);
    assert!(over.what.contains("Table") && over.what.contains("0.75 m"));
    let away = moved(over);
    let again = stage.found(away.to_array(), |_| {});
    assert!(
        !again.iter().any(|f| f.rule == "over-furniture"),
        "{again:?}"
    );
    let found = stage.found([2.0, 1.6, 3.0], |_| {});
    assert!(
        one(&found, "over-furniture", Level::Warn)
            .what
            .contains("beside")
    );

    let found = stage.found([-3.0, 1.6, 3.0], |_| {});
    let under = one(&found, "under-low", Level::Warn);
    assert!(under.what.contains("Beam") && under.what.contains("0.15 m"));
    assert!(moved(under).y < 1.3);
    // Remedies are looked for only when they are wanted.
    let quick = stage.found([3.0, 1.6, 3.0], |s| s.remedies = false);
    assert!(quick.iter().all(|f| f.fix.is_none()) && !quick.is_empty());
}

#[test]
fn heights_are_judged_by_the_floor() {
    let stage = Stage::new();
    let low = stage.found([0.0, 0.4, 0.0], |_| {});
    let finding = one(&low, "height", Level::Warn);
    let raised = DVec3::new(0.0, 1.6, 0.0);
    assert!(matches!(&finding.fix, Some(Fix::MoveTo(p)) if p.distance(raised) < 1e-6));
    one(&stage.found([0.0, 2.5, 0.0], |_| {}), "height", Level::Warn);
    // High above the ground is likely meant.
    one(
        &stage.found([12.0, 9.0, 12.0], |_| {}),
        "height",
        Level::Note,
    );
}

#[test]
fn near_things_matter_more_to_two_eyes() {
    let stage = Stage::new();
    let eye = [4.0, 1.6, 0.0];
    // 1 m to the wall: 63 mm x 30 = 1.89 m (the rule of thirty; common practice, no source).
    let one_eye = stage.found(eye, |_| {});
    let near = one(&one_eye, "too-near", Level::Note);
    assert!(
        near.what.contains("1.00 m") && near.what.contains("1.89 m"),
        "{near:?}"
    );
    let (heading, pitch) = near.direction.unwrap();
    assert!((heading - 90.0).abs() < 0.5 && pitch.abs() < 0.5);
    one(
        &stage.found(eye, |s| s.stereo = true),
        "too-near",
        Level::Warn,
    );
    // The rule of thirty begins where it says: at 1.89 m for 63 mm, for other eyes at thirty times theirs.
    for (from_wall, separation, told) in [
        (1.87, 0.063, true),
        (1.91, 0.063, false),
        (1.19, 0.04, true),
        (1.21, 0.04, false),
    ] {
        let found = stage.found([5.0 - from_wall, 1.6, 0.0], |s| {
            s.stereo = true;
            s.limits.eye_separation = separation;
        });
        let near = found.iter().any(|f| f.rule == "too-near");
        assert_eq!(near, told, "{from_wall} m for {separation} m: {found:?}");
    }
    let small = stage.found(eye, |s| s.limits.eye_separation = 0.02);
    assert!(small.iter().all(|f| f.rule != "too-near"), "{small:?}");
    one(
        &stage.found([4.9, 1.6, 0.0], |_| {}),
        "too-near",
        Level::Warn,
    );
}

#[test]
fn turns_are_told_and_levelled() {
    let stage = Stage::new();
    let tilted = stage.found(CLEAR, |s| s.orientation.pitch_deg = 3.0);
    assert_eq!(one(&tilted, "tilt", Level::Warn).fix, Some(Fix::LevelOut));
    let side = stage.found(CLEAR, |s| s.orientation.roll_deg = -90.0);
    one(&side, "roll", Level::Stop);
    // A dome's fisheye looks up on purpose.
    let clearance = stage.look(CLEAR);
    let dome = check(&Facts {
        stand: Some(StandFacts {
            orientation: Orientation {
                pitch_deg: 90.0,
                ..Orientation::default()
            },
            ..stage.facts(CLEAR, &clearance)
        }),
        order: Some(OrderFacts {
            shape: "fisheye:180".parse().unwrap(),
            purpose: Purpose::Dome,
            ..order()
        }),
        ..Facts::default()
    });
    assert!(dome.iter().all(|f| f.rule != "tilt"), "{dome:?}");
    let away = stage.found(CLEAR, |s| s.travel_deg = Some(170.0));
    assert_eq!(
        one(&away, "travel", Level::Warn).fix,
        Some(Fix::Turn(170.0))
    );
    assert_eq!(stage.found(CLEAR, |s| s.travel_deg = Some(330.0)), []);
}

#[test]
fn light_that_is_missing_and_lamps_that_show_are_told() {
    let stage = Stage::new();
    let dark = Dark {
        heading_deg: 225.0,
        pitch_deg: 0.0,
        mean: 0.001,
        whole: 0.4,
    };
    let found = stage.found(CLEAR, |s| s.dark = Some(dark));
    let finding = one(&found, "dark-side", Level::Warn);
    assert!(finding.what.contains("225°") && finding.direction == Some((225.0, 0.0)));
    let black = stage.found(CLEAR, |s| (s.sky, s.open) = (0.0, 0.2));
    assert!(
        one(&black, "surroundings", Level::Warn)
            .what
            .contains("20.0 %")
    );
    let meant = stage.found(CLEAR, |s| (s.sky, s.open, s.transparent) = (0.0, 0.2, true));
    assert_eq!(meant, []);
    one(
        &stage.found(CLEAR, |s| (s.sky, s.lit) = (0.0, false)),
        "surroundings",
        Level::Stop,
    );
    let lamp = |i: usize| LampInSight {
        key: format!("object:{i}"),
        name: format!("Lamp {i}"),
        share: 0.001,
        heading_deg: 10.0,
        pitch_deg: 20.0,
    };
    let found = stage.found(CLEAR, |s| s.lamps = (0..5).map(lamp).collect());
    let lamps = one(&found, "lamp-in-sight", Level::Note);
    assert!(
        lamps.what.contains("Lamp 0") && lamps.what.contains("2 more"),
        "{lamps:?}"
    );
    assert!(matches!(&lamps.fix, Some(Fix::Hide(keys)) if keys.len() == 5));
}

#[test]
fn slips_of_unit_are_told() {
    let of = |extent: f64, eyes: f64| {
        check(&Facts {
            extent: Some(extent),
            eye_separation: Some(eyes),
            ..Facts::default()
        })
    };
    assert!(
        one(&of(0.02, 0.063), "unit-slip", Level::Warn)
            .what
            .contains("20 mm")
    );
    assert!(
        one(&of(64_000.0, 0.063), "unit-slip", Level::Warn)
            .what
            .contains("64.0 km")
    );
    // 63 typed as centimetres, as metres, and as micrometres.
    assert!(
        one(&of(20.0, 0.63), "unit-slip", Level::Warn)
            .what
            .contains("giant")
    );
    assert!(
        one(&of(20.0, 63.0), "unit-slip", Level::Stop)
            .what
            .contains("63.00 m")
    );
    assert!(
        one(&of(20.0, 0.000_063), "unit-slip", Level::Stop)
            .what
            .contains("mouse")
    );
}

#[test]
fn orders_are_looked_through() {
    let ratio = of_order(|o| (o.width, o.height) = (Some(3840), Some(2160)));
    assert!(one(&ratio, "ratio", Level::Stop).what.contains("1920"));
    let small = of_order(|o| o.width = Some(2048));
    assert!(one(&small, "size", Level::Warn).remedy.contains("7200"));
    assert_eq!(
        of_order(|o| (o.width, o.purpose) = (Some(2048), Purpose::Look)),
        []
    );
    one(&of_order(|o| o.draft = true), "draft", Level::Warn);
    one(
        &of_order(|o| o.noise_percent = Some(12.0)),
        "draft",
        Level::Warn,
    );
    let few = |denoise| {
        move |o: &mut OrderFacts| {
            (o.noise_percent, o.samples, o.denoise) = (None, 16, denoise);
        }
    };
    one(&of_order(few(false)), "draft", Level::Warn);
    assert_eq!(of_order(few(true)), []);
    let half = of_order(|o| o.double = Some(16_384));
    assert!(one(&half, "draft", Level::Warn).what.contains("half"));
    one(&of_order(|o| o.clay = true), "clay", Level::Warn);
    one(
        &of_order(|o| (o.clay, o.draft) = (true, true)),
        "clay",
        Level::Note,
    );
    one(
        &of_order(|o| o.clash = Some("order 3".into())),
        "name-clash",
        Level::Warn,
    );
    one(&of_order(|o| o.need_bytes = 101 << 30), "disk", Level::Stop);
    one(&of_order(|o| o.need_bytes = 90 << 30), "disk", Level::Warn);
    assert_eq!(
        of_order(|o| (o.need_bytes, o.free_bytes) = (u64::MAX, None)),
        []
    );
}

#[test]
fn the_worst_comes_first_and_json_has_the_five_names() {
    let stage = Stage::new();
    let found = stage.found([5.2, 0.4, 0.3], |s| s.orientation.pitch_deg = 2.0);
    assert!(found.len() >= 2 && found.windows(2).all(|w| w[0].level >= w[1].level));
    let json = serde_json::to_value(&found[0]).unwrap();
    let mut names: Vec<&String> = json.as_object().unwrap().keys().collect();
    names.sort();
    assert_eq!(names, ["level", "remedy", "rule", "what", "where"]);
    assert_eq!(json["level"], "stop");
}

/// An order holds a copy of its pair: a draft's separation that was left on is told, but not in a draft.
#[test]
fn a_separation_of_before_is_told() {
    let with = |held: f64, now: f64, draft: bool| {
        of_order(|o| {
            o.separation = Some((held, now));
            o.draft = draft;
        })
    };
    let found = with(0.010, 0.063, false);
    let told = one(&found, "draft-separation", Level::Warn);
    assert!(
        told.what.contains("10 mm") && told.what.contains("63 mm"),
        "{told:?}"
    );
    for found in [with(0.063, 0.063, false), with(0.010, 0.063, true)] {
        assert!(
            found.iter().all(|f| f.rule != "draft-separation"),
            "{found:?}"
        );
    }
}
