//! Two eyes before synthetic rooms: offenders, budgets, window violations and fits are found where they are, and nothing where
//! there is nothing; also in rooms far from the origin and turned.

use dome_imaging::title::Stand;
use dome_optics::rig::parallax::{Budget, parallax};
use dome_optics::rig::screen::Screen;
use dome_optics::rig::{
    Anchor, FlatPair, Frame, Method, Packing, PanoramicPair, Rig, Side, Unlinked,
};
use dome_optics::{MonoEye, Orientation, projection::Perspective};
use dome_rules::comfort::{Beyond, FlatPlan, too_near};
use dome_rules::preflight::{Facts, Fix, Level, PackingFacts, PairFacts, TitleFacts, check};
use dome_rules::titles::covered;
use dome_trace::scene::MeshPart;
use dome_trace::stand::depth::{self, AROUND, Depths, FRAMED};
use dome_trace::{Material, Scene, SceneBuilder, Sky};
use glam::{DVec3, Mat4, Vec3};

/// Where the room is and how it is turned: everything is placed through it.
#[derive(Clone, Copy)]
struct Place {
    at: DVec3,
    heading_deg: f64,
}

const HERE: Place = Place {
    at: DVec3::ZERO,
    heading_deg: 0.0,
};
const FAR: Place = Place {
    at: DVec3::new(1800.0, 30.0, -2400.0),
    heading_deg: 143.0,
};

impl Place {
    fn orientation(&self) -> Orientation {
        Orientation::heading(self.heading_deg)
    }

    fn matrix(&self) -> Mat4 {
        Mat4::from_translation(self.at.as_vec3())
            * Mat4::from_rotation_y(-(self.heading_deg.to_radians() as f32))
    }
}

/// Upright boards that face the eye, each with its name, middle (metres to the right, up and ahead) and size.
fn boards(place: Place, all: &[(&str, [f32; 3], [f32; 2])]) -> Scene {
    let mut b = SceneBuilder::default();
    b.materials = vec![Material::default()];
    for (name, [x, y, z], [w, h]) in all {
        let part = MeshPart {
            positions: vec![
                [-0.5, -0.5, 0.0],
                [0.5, -0.5, 0.0],
                [0.5, 0.5, 0.0],
                [-0.5, 0.5, 0.0],
            ],
            triangles: vec![[0, 1, 2], [0, 2, 3]],
            ..MeshPart::default()
        };
        b.start_object(*name);
        let own = Mat4::from_translation(Vec3::new(*x, *y, -z))
            * Mat4::from_scale(Vec3::new(*w, *h, 1.0));
        b.add_part(&part, &(place.matrix() * own));
    }
    b.build(Sky::default(), "boards").unwrap()
}

fn plan(b: f64, c: f64, front: f64, back: f64) -> FlatPlan {
    FlatPlan {
        pair: FlatPair {
            separation: b,
            anchor: Anchor::Middle,
            converge: c,
            method: Method::OffAxis,
            keep_anchor: false,
            unlinked: None,
        },
        frame: Frame {
            hfov: 60f64.to_radians(),
            ratio: 16.0 / 9.0,
            shift: [0.0; 2],
        },
        width: 1920.0,
        budget: Budget { front, back },
        screen: None,
    }
}

fn seen(scene: &Scene, place: Place, plan: &FlatPlan) -> Depths {
    let frame = Perspective::from_fov(plan.frame.hfov, plan.frame.vfov());
    let eye = MonoEye::new(place.at, place.orientation(), frame);
    depth::framed(scene, &eye, FRAMED)
}

fn names(scene: &Scene, objects: impl IntoIterator<Item = u32>) -> Vec<String> {
    (objects.into_iter())
        .map(|o| scene.objects()[o as usize].name.clone())
        .collect()
}

/// A wall 8 m away and a sign at 3 m: nearest and farthest are told along the direction of view, the fit puts them on the budget
/// within 1 %, and a leaf before the lens does not rule.
#[test]
fn a_fit_puts_near_and_far_on_the_budget() {
    for place in [HERE, FAR] {
        let scene = boards(
            place,
            &[
                ("Wall", [0.0, 0.0, 8.0], [40.0, 20.0]),
                ("Sign", [0.4, 0.2, 3.0], [0.8, 0.6]),
                ("Leaf", [-0.3, 0.1, 0.9], [0.01, 0.01]),
            ],
        );
        let plan = plan(0.065, 5.0, 20.0, 40.0);
        let depths = seen(&scene, place, &plan);
        assert!((depths.nearest(0.005).unwrap() - 3.0).abs() < 1e-2);
        assert!((depths.farthest(0.005) - 8.0).abs() < 1e-2);
        assert_eq!(depths.open, 0.0);
        let (b, c) = plan.fit(&depths, 0.005).unwrap();
        let px = |z| parallax(plan.k(), b, c, z);
        assert!((px(3.0) + 20.0).abs() < 0.2, "{}", px(3.0));
        assert!((px(8.0) - 40.0).abs() < 0.4, "{}", px(8.0));
        // Shares of the histogram are the picture, and lie where 1/distance says.
        let shares = depths.histogram(1.0, 100);
        assert!((shares.iter().sum::<f64>() - 1.0).abs() < 1e-9);
        // 1/8 = 12.5 hundredths, a third 33.3.
        assert!(shares[12] > 0.8 && shares[33] > 0.01, "{shares:?}");
    }
}

#[test]
fn what_is_beyond_the_budget_is_named() {
    for place in [HERE, FAR] {
        let scene = boards(
            place,
            &[
                ("Wall", [0.0, 0.0, 30.0], [90.0, 60.0]),
                ("Lantern", [0.2, 0.0, 1.2], [0.3, 0.3]),
                ("Table", [-0.8, -0.4, 4.0], [0.8, 0.4]),
            ],
        );
        let tight = plan(0.065, 4.0, 20.0, 15.0);
        let depths = seen(&scene, place, &tight);
        let found = tight.offenders(&depths);
        assert_eq!(
            names(&scene, found.iter().map(|o| o.object)),
            ["Lantern", "Wall"]
        );
        assert_eq!(
            [found[0].beyond, found[1].beyond],
            [Beyond::Front, Beyond::Back]
        );
        // By the formula: K b (1/4 - 1/1.2) = -63.0 px.
        assert!((found[0].amount + 63.04).abs() < 0.3, "{}", found[0].amount);
        assert!((found[0].share - 0.3 * 0.3 / (1.2 * 1.2 * 4.0 / 3.0 * 9.0 / 16.0)).abs() < 0.01);
        let heading = found[0].heading_deg - place.heading_deg;
        let off = (heading + 180.0).rem_euclid(360.0) - 180.0;
        assert!(off.abs() < 20.0, "seen in front: {off}");
        // Within the budget nothing is named.
        let wide = plan(0.065, 4.0, 70.0, 40.0);
        assert_eq!(wide.offenders(&depths), []);
        let [near, zero, far] = tight.planes();
        assert!(near > 1.2 && near < zero && zero == 4.0 && far > 4.0 && far < 30.0);
    }
}

/// A post in front of the screen at the left edge is cut off; the floating window covers it, and leans where it is short.
#[test]
fn windows_are_violated_where_something_is_cut_off() {
    let of = |post: [f32; 3], size: [f32; 2], place: Place| {
        let scene = boards(
            place,
            &[
                ("Wall", [0.0, 0.0, 12.0], [60.0, 40.0]),
                ("Post", post, size),
            ],
        );
        let plan = plan(0.065, 5.0, 40.0, 40.0);
        let found = plan.window(&scene, place.at, place.orientation());
        (scene, plan, found)
    };
    for place in [HERE, FAR] {
        // Half the frame at 2 m is 1.15 m wide.
        let (scene, plan, (violations, window)) = of([-1.15, 0.0, 2.0], [0.2, 3.0], place);
        assert_eq!(names(&scene, violations.iter().map(|v| v.object)), ["Post"]);
        assert!(violations[0].left);
        let told = plan.parallax(2.0);
        assert!(
            (violations[0].parallax - told).abs() < 0.1,
            "{violations:?}"
        );
        assert_eq!(window[0], window[1]);
        assert!(window[0] >= -told && window[0] < -told + 2.0 && window[2] == 0.0);
        // Only at the bottom of the right edge.
        let (_, _, (violations, window)) = of([1.15, -0.6, 2.0], [0.2, 0.3], place);
        assert!(!violations[0].left && violations.len() == 1);
        assert!(window[3] > window[2] && window[0] == 0.0, "{window:?}");
        // In the middle, behind the screen, or nothing: no violation.
        for (post, size) in [
            ([0.0, 0.0, 2.0], [0.2, 3.0]),
            ([-3.5, 0.0, 6.0], [0.3, 3.0]),
            ([0.0, 0.0, 11.0], [0.2, 0.2]),
        ] {
            let (_, _, (violations, window)) = of(post, size, place);
            assert_eq!((violations, window), (vec![], [0.0; 4]), "{post:?}");
        }
    }
}

/// A board near in front and one right above: too near is told by angle, and where the pair closes nothing is.
#[test]
fn what_is_too_near_in_a_headset_is_named() {
    let scene = boards(
        HERE,
        &[
            ("Wall", [0.0, 0.0, 6.0], [3.0, 3.0]),
            ("Bust", [0.0, 0.0, 0.6], [0.3, 0.3]),
        ],
    );
    let depths = depth::around(&scene, DVec3::ZERO, AROUND);
    let pair = PanoramicPair {
        separation: 0.063,
        anchor: Anchor::Middle,
        converge: None,
        close: Some([1.0, 1.3]),
    };
    let found = too_near(&pair, &depths, |d| d);
    assert_eq!(names(&scene, found.iter().map(|o| o.object)), ["Bust"]);
    // 2 asin(0.063 / 1.2) = 6.02 degrees at 0.6 m.
    assert!((found[0].amount - 6.02).abs() < 0.05, "{}", found[0].amount);
    // Looked at straight up, where the pair is closed.
    let up = |d: DVec3| DVec3::new(d.x, -d.z, d.y);
    assert_eq!(too_near(&pair, &depths, up), []);
    // Thirty separations are the limit: to eyes a third as far apart it is still too near, to a mouse's it is far away.
    let smaller = |separation| PanoramicPair { separation, ..pair };
    let named = |pair: &PanoramicPair| {
        let found = too_near(pair, &depths, |d| d);
        names(&scene, found.iter().map(|o| o.object))
    };
    assert_eq!(named(&smaller(0.021)), ["Bust"]);
    assert!(named(&smaller(0.019)).is_empty());
    assert!(named(&smaller(0.003)).is_empty());
    let far = depth::around(&scene, DVec3::new(0.0, 0.0, 3.0), AROUND);
    assert_eq!(too_near(&pair, &far, |d| d), []);
}

fn facts<'a>(scene: &'a Scene, depths: &'a Depths, rig: Rig, plan: Option<FlatPlan>) -> Facts<'a> {
    Facts {
        pair: Some(PairFacts {
            name: "Desk".into(),
            rig,
            orientation: Orientation::default(),
            scene,
            depths,
            plan,
            violations: Vec::new(),
            scale: 1.0,
            titles: Vec::new(),
        }),
        ..Facts::default()
    }
}

fn rules(facts: &Facts) -> Vec<&'static str> {
    check(facts).iter().map(|f| f.rule).collect()
}

/// A good pair is silent; each thing that spoils it is found by its own rule.
#[test]
fn preflight_knows_what_spoils_a_pair() {
    let scene = boards(HERE, &[("Wall", [0.0, 0.0, 8.0], [40.0, 20.0])]);
    let good = plan(0.065, 6.0, 20.0, 40.0);
    let depths = seen(&scene, HERE, &good);
    let of = |plan: FlatPlan| facts(&scene, &depths, Rig::Flat(plan.pair), Some(plan));
    assert_eq!(rules(&of(good)), [""; 0]);

    let over = plan(0.2, 3.0, 20.0, 40.0);
    let found = check(&of(over));
    assert_eq!(found[0].rule, "over-budget");
    assert!(
        found[0].what.contains("Wall") && found[0].what.contains("final width 1920 px"),
        "{}",
        found[0].what
    );

    let mut wall = plan(0.065, 3.0, 20.0, 60.0);
    wall.screen = Some(Screen {
        width: 12.0,
        distance: 10.0,
    });
    let found = check(&of(wall));
    assert_eq!((found[0].rule, found[0].level), ("divergence", Level::Note));
    // K b (1/3 - 1/8) = 22.52 px of 1920 on 12 m are 141 mm: 77 mm beyond adults' eyes at 10 m are 0.44 degrees.
    assert!(
        found[0].what.contains("141 mm") && found[0].what.contains("0.44°"),
        "{}",
        found[0].what
    );
    wall.screen = Some(Screen {
        width: 12.0,
        distance: 3.0,
    });
    assert_eq!(check(&of(wall))[0].level, Level::Warn);

    // By hand: K x 0.325 x 0.577 x b / C in the corners is 1.6 px at 30 mm, which is little.
    let mut turned = plan(0.03, 6.0, 20.0, 40.0);
    turned.pair.method = Method::Converged;
    assert_eq!(rules(&of(turned)), [""; 0], "little is nothing");
    turned.pair.separation = 0.3;
    turned.budget = Budget {
        front: 500.0,
        back: 500.0,
    };
    assert_eq!(rules(&of(turned)), ["vertical-parallax"]);

    let mut own = good;
    own.pair.unlinked = Some(Unlinked {
        side: Side::Right,
        hfov: None,
        turn: Orientation::default(),
    });
    assert_eq!(rules(&of(own)), ["value-unlinked"]);

    let panoramic = |separation, close| {
        Rig::Panoramic(PanoramicPair {
            separation,
            anchor: Anchor::Middle,
            converge: None,
            close,
        })
    };
    let around = |rig| facts(&scene, &depths, rig, None);
    assert_eq!(rules(&around(panoramic(0.063, Some([1.0, 1.4])))), [""; 0]);
    assert_eq!(rules(&around(panoramic(0.063, None))), ["poles-not-closed"]);
    let slip = check(&around(panoramic(63.0, Some([1.0, 1.4]))));
    assert!(
        slip[0].rule == "separation" && slip[0].what.contains("giant"),
        "{slip:?}"
    );
    let mut giant = around(panoramic(0.44, Some([1.0, 1.4])));
    giant.pair.as_mut().unwrap().scale = 7.0;
    let said = &check(&giant)[0].what;
    assert!(
        said.contains("multiplied by 7") && said.contains("a giant 12 m tall"),
        "{said}"
    );
    let mut tilted = around(panoramic(0.063, Some([1.0, 1.4])));
    tilted.pair.as_mut().unwrap().orientation.roll_deg = 2.0;
    let found = check(&tilted);
    assert_eq!(
        (found[0].rule, &found[0].fix),
        ("eyes-not-level", &Some(Fix::LevelOut))
    );

    let packed = |name: &str, eye, turn| Facts {
        packing: Some(PackingFacts {
            name: "pair.jpg".into(),
            packing: name.parse::<Packing>().unwrap(),
            eye,
            turn,
            wrong: None,
        }),
        ..Facts::default()
    };
    assert_eq!(
        rules(&packed("top-bottom:squeezed", (2048, 1024), 1.0)),
        ["squeezed"]
    );
    assert_eq!(
        rules(&packed("side-by-side:squeezed", (4096, 2048), 1.0)),
        ["squeezed"]
    );
    assert_eq!(
        rules(&packed("top-bottom:squeezed", (8192, 4096), 1.0)),
        [""; 0]
    );
    assert_eq!(rules(&packed("top-bottom", (512, 256), 1.0)), [""; 0]);
}

/// A file whose sides do not fit its packing stops, with the sides that would.
#[test]
fn sides_that_do_not_fit_their_packing_are_found() {
    let facts = Facts {
        packing: Some(PackingFacts {
            name: "pair.jpg".into(),
            packing: Packing::TOP_BOTTOM,
            eye: (2048, 1024),
            turn: 1.0,
            wrong: Some("2048 x 1024 px do not fit; 2048 x 2048 px would.".into()),
        }),
        ..Facts::default()
    };
    let found = check(&facts);
    assert_eq!(
        (found[0].rule, found[0].level),
        ("packing-ratio", Level::Stop)
    );
    assert!(found[0].what.contains("2048 x 2048"), "{}", found[0].what);
}

/// A title behind a board that it covers is found, with how near it would have to be; one in front of it is fine, one on it too.
#[test]
fn titles_behind_things_are_found() {
    for place in [HERE, FAR] {
        // A board that covers the right half of the view ahead, and a wall.
        let scene = boards(
            place,
            &[
                ("Board", [1.0, 0.0, 2.0], [2.0, 3.0]),
                ("Wall", [0.0, 0.0, 8.0], [40.0, 20.0]),
            ],
        );
        let at = |distance: f64| {
            let towards = [place.heading_deg, 0.0];
            let axes = place.orientation().matrix();
            Stand::in_frame(place.at, axes, towards, 4.0, distance, 3.0).unwrap()
        };
        assert_eq!(covered(&scene, place.at, &at(1.9)), None);
        let found = covered(&scene, place.at, &at(3.0)).unwrap();
        assert_eq!(names(&scene, [found.object].into_iter()), ["Board"]);
        // Half of it lies behind, and at two thirds of its distance it would stand at the board.
        assert!((found.share - 0.5).abs() < 0.05, "{found:?}");
        assert!((found.nearer - 2.0 / 3.0).abs() < 1e-3, "{found:?}");
        // All of it lies behind the wall.
        let found = covered(&scene, place.at, &at(9.0)).unwrap();
        assert!((found.share - 1.0).abs() < 1e-9, "{found:?}");
        // On the board itself it is where it covers.
        assert_eq!(covered(&scene, place.at, &at(2.0)), None);

        let good = plan(0.065, 6.0, 20.0, 40.0);
        let depths = seen(&scene, place, &good);
        let mut told = facts(&scene, &depths, Rig::Flat(good.pair), Some(good));
        told.pair.as_mut().unwrap().titles = vec![TitleFacts {
            name: "Dusk".into(),
            distance: 3.0,
            heading_deg: 10.0,
            pitch_deg: 0.0,
            covered: covered(&scene, place.at, &at(3.0)),
        }];
        let found = check(&told);
        let found = found.iter().find(|f| f.rule == "title-behind").unwrap();
        assert!(
            found.what.contains("\"Dusk\" at 3.00 m covers \"Board\"")
                && found.remedy.contains("2.00 m"),
            "{found:?}"
        );
        assert_eq!(found.direction, Some((10.0, 0.0)));
    }
}
