//! The faces of a cube are found by their edges, whatever order and turn they come in.

use dome_imaging::arrange::{Arrangement, Edges, arrange};
use dome_imaging::convert::Pixel;
use dome_optics::projection::{Cell, Face};
use glam::DVec3;

const SIDE: usize = 96;

/// A world that differs in every direction.
fn world(d: DVec3) -> Pixel {
    let v = |a: f64, b: f64, c: f64, k: f64| {
        (0.5 + 0.4 * (d.x * a + d.y * b + d.z * c + (d.x * d.y - d.z) * k).sin()) as f32
    };
    Pixel::new(
        v(2.1, 1.3, -0.7, 2.0),
        v(-0.9, 2.4, 1.6, 1.1),
        v(1.2, -0.5, 2.7, -1.7),
        1.0,
    )
}

/// A picture of a face, turned clockwise by quarter turns.
fn picture(cell: Cell, of: impl Fn(DVec3) -> Pixel) -> Vec<Pixel> {
    let [out, right, down] = cell.face.axes();
    let (right, down) = match cell.turns % 4 {
        0 => (right, down),
        1 => (-down, right),
        2 => (-right, -down),
        _ => (down, -right),
    };
    let at = |i: usize| (i as f64 + 0.5) / SIDE as f64 * 2.0 - 1.0;
    (0..SIDE * SIDE)
        .map(|i| of((out + right * at(i % SIDE) + down * at(i / SIDE)).normalize()))
        .collect()
}

fn found(cells: &[Cell; 6], hint: &[usize; 6], of: impl Fn(DVec3) -> Pixel + Copy) -> Arrangement {
    let edges = cells.map(|c| Edges::of(&picture(c, of), SIDE));
    arrange(&edges, hint)
}

fn random(seed: &mut u64) -> usize {
    *seed = seed
        .wrapping_mul(6_364_136_223_846_793_005)
        .wrapping_add(1_442_695_040_888_963_407);
    (*seed >> 33) as usize
}

fn shuffled(seed: &mut u64, turn: impl Fn(Face, usize) -> u8) -> [Cell; 6] {
    let mut cells = Face::ALL.map(|face| Cell {
        face,
        turns: turn(face, random(seed)),
    });
    for i in (1..6).rev() {
        cells.swap(i, random(seed) % (i + 1));
    }
    cells
}

#[test]
fn faces_in_any_order_are_found_with_their_turns() {
    let mut seed = 5;
    for round in 0..12 {
        // As cameras that look round make them: upright at the horizon, anyhow above and below.
        let cells = shuffled(&mut seed, |face, r| match face {
            Face::Up | Face::Down => (r % 4) as u8,
            _ => 0,
        });
        let truth = cells.map(|c| Face::ALL.iter().position(|f| *f == c.face).unwrap());
        let best = found(&cells, &truth, world);
        assert_eq!(best.cells(), cells, "round {round}");
        assert!(best.confidence() > 0.5, "{}", best.confidence());
        assert!(best.step_percent < 3.0, "{}", best.step_percent);
        // Without a word about the front everything fits but for where the front is.
        let best = found(&cells, &[6; 6], world);
        let slot = |face: Face| best.faces[Face::ALL.iter().position(|f| *f == face).unwrap()].0;
        assert_eq!(
            (cells[slot(Face::Up)].face, cells[slot(Face::Down)].face),
            (Face::Up, Face::Down)
        );
        let ring = [Face::Left, Face::Front, Face::Right, Face::Back];
        let shift = ring
            .iter()
            .position(|f| *f == cells[slot(Face::Left)].face)
            .unwrap();
        for (i, face) in ring.into_iter().enumerate() {
            assert_eq!(cells[slot(face)].face, ring[(i + shift) % 4]);
        }
    }
}

/// Every picture turned at random: the joints are right, which is all that edges can say.
#[test]
fn turned_faces_go_on_into_each_other() {
    let mut seed = 11;
    for _ in 0..4 {
        let cells = shuffled(&mut seed, |_, r| (r % 4) as u8);
        let best = found(&cells, &[6; 6], world);
        assert!(
            best.step_percent < 3.0 && best.confidence() > 0.5,
            "{best:?}"
        );
    }
}

/// An even sky says nothing about its turn, and takes nothing from how sure the rest is.
#[test]
fn an_even_sky_does_not_confuse() {
    let sky = |d: DVec3| {
        let v = world(d);
        if d.y > d.x.abs().max(d.z.abs()) * 0.98 {
            Pixel::new(0.3, 0.5, 0.9, 1.0)
        } else {
            v
        }
    };
    let cells = Face::ALL.map(Cell::upright);
    let hint = [0, 1, 2, 3, 4, 5];
    let best = found(&cells, &hint, sky);
    assert_eq!(best.cells(), cells);
    // Pictures that have nothing to do with each other fit no way, and that is told.
    let edges = [0, 1, 2, 3, 4, 5].map(|i: u64| {
        let mut seed = i * 977 + 3;
        let pixels: Vec<Pixel> = (0..SIDE * SIDE)
            .map(|_| Pixel::splat(random(&mut seed) as f32 % 256.0 / 255.0))
            .collect();
        Edges::of(&pixels, SIDE)
    });
    let best = arrange(&edges, &hint);
    assert!(best.confidence() < 0.1, "{}", best.confidence());
}
